"""Small pictures of recent jobs, for the start page: one PNG for each job file, in a folder of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path

from kakushi.formats.store.atomic import write_atomically
from kakushi.formats.store.preferences import path_text
from kakushi.model.errors import KakushiError

SIZE_PX = (412, 168)
"""Width and height of a picture: twice what a card shows, for fine screens."""


class RecentPictures:
    """Pictures by the path of their job. A picture that cannot be kept is not missed: nothing is raised."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def place_of(self, job_path: Path) -> Path:
        """Where the picture of a job is, or would be."""
        return self._folder / f"{hashlib.sha256(path_text(job_path).encode('utf-8', 'replace')).hexdigest()[:24]}.png"

    def keep(self, job_path: Path, png: bytes, recent: Iterable[Path]) -> None:
        """Keep the picture of a job, and only those of jobs that are still among the recent ones."""
        kept = {self.place_of(path) for path in (job_path, *recent)}
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            write_atomically(self.place_of(job_path), png)
            for old in self._folder.glob("*.png"):
                if old not in kept:
                    old.unlink(missing_ok=True)
        except (OSError, KakushiError):
            return
