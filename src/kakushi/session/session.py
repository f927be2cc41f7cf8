"""One open job, its undo history and its file."""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from pathlib import Path

from pydantic import ValidationError

from kakushi.model.errors import BadInput
from kakushi.model.job import Job
from kakushi.model.values import first_fault

HISTORY_LIMIT = 500
"""Edits that can be undone: more than a day of work, a few MB."""
MERGE_WITHIN_S = 1.5
"""Seconds within which edits of one field are one step to undo."""


@dataclass(frozen=True, slots=True)
class Edit:
    """A named, pure change of a job.

    Edits in quick succession with equal, non-None `merge_key` undo as one (held keys, wheels). One that `joins` belongs
    to the step before it, however late it comes: rows that were worked out for an outline.
    """

    name: str
    change: Callable[[Job], Job]
    merge_key: Hashable = None
    joins: bool = False


@dataclass(frozen=True, slots=True)
class _Step:
    name: str
    job: Job
    merge_key: Hashable
    made_at: float


class Session:
    """The document: current job, bounded undo history, dirty flag, path.

    History holds whole jobs; values share structure, so a step costs what changed.
    """

    def __init__(self, job: Job, path: Path | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._steps = [_Step("", job, None, clock())]
        self._at = 0
        self._saved_job: Job | None = job
        self._stroke: _Step | None = None
        self.path = path

    @property
    def job(self) -> Job:
        """The job as it is now, an unfinished stroke included."""
        return self._stroke.job if self._stroke else self._steps[self._at].job

    @property
    def is_dirty(self) -> bool:
        """Whether the job differs from what was last opened or saved."""
        return self.job != self._saved_job

    def apply(self, edit: Edit) -> bool:
        """Apply an edit; True when the job changed. Raises KakushiError and leaves the job as it was."""
        try:
            changed = edit.change(self.job)
        except ValidationError as error:
            raise BadInput(f"{edit.name} is not possible: {first_fault(error)[1]}.") from error
        if changed == self.job:
            return False
        if self._stroke:
            self._stroke = _Step(self._stroke.name, changed, edit.merge_key, self._clock())
            return True
        self._record(_Step(edit.name, changed, edit.merge_key, self._clock()), edit.joins)
        return True

    def _record(self, step: _Step, joins: bool | None = False) -> None:
        """Add a step to the history; None for `joins`: it stands alone whatever came before."""
        top = self._steps[self._at]
        del self._steps[self._at + 1 :]
        same = step.merge_key is not None and step.merge_key == top.merge_key
        soon = joins or step.made_at - top.made_at <= MERGE_WITHIN_S
        if joins is not None and same and soon and top.job is not self._saved_job and self._at > 0:
            self._steps[self._at] = replace(step, name=top.name) if joins else step
            return
        self._steps.append(step)
        if len(self._steps) > HISTORY_LIMIT:
            del self._steps[0]
        self._at = len(self._steps) - 1

    def begin(self, name: str) -> None:
        """Start a stroke: edits until `commit` become one step called `name`, with the merge key of the last."""
        if self._stroke is None:
            self._stroke = _Step(name, self.job, None, self._clock())

    @property
    def is_in_stroke(self) -> bool:
        """Whether a stroke is open."""
        return self._stroke is not None

    def commit(self) -> bool:
        """End the stroke and keep it; True when it changed something."""
        stroke, self._stroke = self._stroke, None
        if stroke is None or stroke.job == self.job:
            return False
        self._record(stroke, None)
        return True

    @property
    def undo_name(self) -> str | None:
        """Name of the edit or the open stroke that `undo` takes back, or None."""
        if self._stroke:
            return self._stroke.name
        return self._steps[self._at].name if self._at > 0 else None

    @property
    def redo_name(self) -> str | None:
        """Name of the edit that `redo` brings back, or None."""
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else None

    @property
    def history(self) -> tuple[tuple[str, ...], int]:
        """Names of the edits that can be undone and redone, the oldest first, and how many of them are done."""
        return tuple(step.name for step in self._steps[1:]), self._at

    def go_to(self, done: int) -> bool:
        """Undo or redo until so many edits of the history are done; False where nothing changes."""
        wanted = min(max(done, 0), len(self._steps) - 1)
        if self._stroke or wanted == self._at:
            return False
        self._at = wanted
        return True

    def undo(self) -> bool:
        """Step back; an open stroke is dropped instead. False when there is nothing to undo."""
        if self._stroke:
            self._stroke = None
            return True
        if self._at == 0:
            return False
        self._at -= 1
        return True

    def redo(self) -> bool:
        """Step forward. False when there is nothing to redo."""
        if self._stroke or self._at + 1 >= len(self._steps):
            return False
        self._at += 1
        return True

    def mark_saved(self, path: Path, job: Job) -> None:
        """Record that `job` is what the file at `path` holds."""
        self.path = path
        self._saved_job = job

    def mark_recovered(self) -> None:
        """The job came from a recovery copy: it differs from every file."""
        self._saved_job = None
