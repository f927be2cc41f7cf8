"""Recovery copies of unsaved jobs, one per running program, found again after a crash."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from kakushi.formats.atomic import write_atomically
from kakushi.formats.job_file import SUFFIX, job_bytes, load_job
from kakushi.model.errors import JobFileError
from kakushi.model.job import Job


@dataclass(frozen=True, slots=True)
class Recovery:
    """A recovery copy: the job and the file it belonged to, if it had one."""

    copy: Path
    original: Path | None
    job: Job


class RecoveryStore:
    """Recovery copies in a folder. `pid` names the running program."""

    def __init__(self, folder: Path, pid: int | None = None) -> None:
        self._folder = folder
        self._pid = os.getpid() if pid is None else pid
        # Process ids come again; the second part tells this run from an earlier one.
        self._name = f"{self._pid}-{uuid4().hex[:8]}"

    @property
    def _own(self) -> Path:
        return self._folder / f"{self._name}{SUFFIX}"

    def write(self, job: Job, original: Path | None) -> None:
        """Keep a copy of an unsaved job. Raises JobFileError when that is not possible."""
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise JobFileError("No recovery copy could be kept.", self._folder) from error
        write_atomically(self._own, job_bytes(job))
        where = json.dumps({"original": str(original) if original else None})
        write_atomically(self._own.with_suffix(".json"), where.encode())

    def drop(self) -> None:
        """Forget the own copy: the job was saved or thrown away on purpose."""
        discard(self._own)

    def abandoned(self) -> list[Recovery]:
        """Copies of programs that no longer run, newest first; unreadable ones are left alone."""
        recoveries = []
        with suppress(OSError):
            copies = sorted(self._folder.glob(f"*{SUFFIX}"), key=lambda p: p.stat().st_mtime, reverse=True)
            recoveries = [r for copy in copies if not self._in_use(copy) and (r := _read(copy))]
        return recoveries

    def _in_use(self, copy: Path) -> bool:
        if copy.stem == self._name:
            return True
        told = copy.stem.partition("-")[0]
        if not told.isdecimal() or len(told) > 9:
            return True
        pid = int(told)
        if pid == self._pid:
            return False
        try:
            os.kill(pid, 0)
        except ProcessLookupError:
            return False
        except OSError:
            return True
        return True


def discard(copy: Path) -> None:
    """Remove a recovery copy."""
    for path in (copy, copy.with_suffix(".json")):
        with suppress(OSError):
            path.unlink()


def _read(copy: Path) -> Recovery | None:
    try:
        job = load_job(copy)
    except JobFileError:
        return None
    original = None
    with suppress(OSError, ValueError, AttributeError):
        told = json.loads(copy.with_suffix(".json").read_text("utf-8")[:10_000]).get("original")
        original = Path(told) if isinstance(told, str) else None
    return Recovery(copy, original, job)
