"""Recovery copies of unsaved jobs, one per running program, found again after a crash.

Beside a copy lie its photographs, each written once, a note (the file it belongs to) and a lock that the program holds
while it runs: the system lets go of it however the program ends, so that nothing depends on process numbers, which come
again.
"""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import time
import zlib
from collections.abc import Collection
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from uuid import uuid4

from kakushi.formats.store.atomic import forget_killed, is_locked, read_limited, reason, write_atomically
from kakushi.formats.store.file_stamp import Stamp
from kakushi.formats.store.job_file import SUFFIX, job_bytes, load_job_file, pictures_of, readable
from kakushi.formats.store.limits import (
    PHOTO_KEPT_BYTES,
    RECOVERY_COPIES,
    RECOVERY_JOURNAL_BYTES,
    RECOVERY_NOTE_BYTES,
)
from kakushi.model.errors import JobFileError
from kakushi.model.job import Job
from kakushi.model.record import MOST_EVENTS, Event, Record

_LOCK, _NOTE, _JOURNAL, _REPORT, _PICTURES = ".lock", ".json", ".record", ".report.txt", ".photos"
_ORPHAN_AFTER_S = 60.0
"""Age, s, from which a note, journal or lock without a copy is nobody's: a copy is written right after its lock."""
_REPORTS_KEPT = 10
"""Reports of crashes that are kept, the newest."""


@dataclass(frozen=True, slots=True)
class Recovery:
    """A recovery copy: the job, the file it belonged to, if any, that file's stamp when it was read, and the record."""

    copy: Path
    original: Path | None
    job: Job
    stamp: Stamp | None = None
    record: Record = field(default_factory=Record)


class RecoveryStore:
    """Recovery copies in a folder; this one's own is named for this run of the program."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._name = uuid4().hex
        self._lock: int | None = None
        self._pictures: set[str] = set()

    @property
    def _own(self) -> Path:
        return self.folder / f"{self._name}{SUFFIX}"

    def write(self, job: Job, original: Path | None, stamp: Stamp | None = None, record: Record | None = None) -> None:
        """Keep a copy of an unsaved job, but for its pictures. Raises JobFileError when that is not possible."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            self._hold()
        except OSError as error:
            raise JobFileError("No recovery copy could be kept.", self.folder) from error
        write_atomically(self._own, readable(job_bytes(job, record, with_pictures=False), self._own))
        where = json.dumps({"original": str(original) if original else None, "stamp": stamp})
        write_atomically(self._own.with_suffix(_NOTE), where.encode())

    def write_pictures(self, record: Record, in_original: Collection[str] = ()) -> None:
        """Keep the pictures of a record beside the copy, each once. Raises JobFileError.

        Those `in_original`, by the names of their photographs, are read from the job's file when it comes to that.
        """
        folder = self._own.with_suffix(_PICTURES)
        for photo in record.photos:
            if photo.picture and photo.name not in self._pictures and photo.name not in in_original:
                try:
                    folder.mkdir(parents=True, exist_ok=True)
                except OSError as error:
                    raise JobFileError("No recovery copy of a photograph could be kept.", folder) from error
                write_atomically(folder / photo.name, photo.picture)
                self._pictures.add(photo.name)

    def lacks_pictures(self, record: Record, in_original: Collection[str] = ()) -> bool:
        """Whether `write_pictures` would write any."""
        return any(photo.picture and photo.name not in {*self._pictures, *in_original} for photo in record.photos)

    @property
    def has_copy(self) -> bool:
        """Whether there is a copy of this program's own."""
        return self._own.exists()

    def append(self, number: int, event: Event) -> None:
        """Have an event (its number in the record) on the disk before this returns. Raises JobFileError.

        It counts once there is a copy of the job that it belongs to.
        """
        line = _journal_line(number, event)
        try:
            handle = os.open(
                self._own.with_suffix(_JOURNAL), os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o600
            )
            try:
                written = os.write(handle, line)
                os.fsync(handle)
            finally:
                os.close(handle)
        except OSError as error:
            raise JobFileError(f"What was done could not be kept because {reason(error)}.", self.folder) from error
        if written < len(line):
            raise JobFileError("What was done could not be kept because the disk is full.", self.folder)

    def _hold(self) -> None:
        """Hold the lock that tells others that this program runs."""
        if self._lock is None:
            self._lock = os.open(self._own.with_suffix(_LOCK), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            # Some file systems know no locks; then a copy is offered too often, never too seldom.
            with suppress(OSError):
                fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)

    def drop(self) -> None:
        """Forget the own copy: the job was saved or thrown away on purpose."""
        discard(self._own)
        self._pictures.clear()
        self.release()

    def release(self) -> None:
        """Let go of the lock and leave the copy, as a program does that ends without saying goodbye."""
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None

    def report(self, text: str) -> Path | None:
        """Write down how the program failed, next to its copy; where that is. None where it cannot be written."""
        path = self.folder / f"{time.strftime('%Y%m%d-%H%M%S')}-{self._name[:8]}{_REPORT}"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            write_atomically(path, text.encode("utf-8", "replace"))
            for old in sorted(self.folder.glob(f"*{_REPORT}"))[:-_REPORTS_KEPT]:
                old.unlink(missing_ok=True)
        except (OSError, JobFileError):
            return None
        return path

    def tidy(self) -> None:
        """Remove what killed programs left: half-written files, and notes, journals and locks without a copy."""
        forget_killed(self.folder)
        with suppress(OSError):
            for piece in self.folder.iterdir():
                copy = piece.with_suffix(SUFFIX)
                if piece.suffix in _BESIDE and not copy.exists() and not _is_held(copy):
                    with suppress(OSError):
                        if time.time() - piece.lstat().st_mtime > _ORPHAN_AFTER_S:
                            _remove(piece)

    def abandoned(self) -> list[Recovery]:
        """Copies of programs that no longer run, newest first; unreadable ones are left alone."""
        self.tidy()
        aged = []
        with suppress(OSError):
            for copy in self.folder.glob(f"*{SUFFIX}"):
                with suppress(OSError):
                    aged.append((copy.stat().st_mtime, copy))
        copies = [copy for _, copy in sorted(aged, reverse=True) if copy != self._own]
        copies_read = (_read(copy) for copy in copies[:RECOVERY_COPIES] if not _is_held(copy))
        return [recovery for recovery in copies_read if recovery is not None]


def _is_held(copy: Path) -> bool:
    """Whether the program that wrote a copy still runs."""
    return is_locked(copy.with_suffix(_LOCK))


def discard(copy: Path) -> None:
    """Remove a recovery copy."""
    for path in (copy, *(copy.with_suffix(suffix) for suffix in _BESIDE)):
        _remove(path)


_BESIDE = (_NOTE, _JOURNAL, _PICTURES, _LOCK)
"""What lies beside a copy; the lock goes last."""


def _remove(path: Path) -> None:
    """Remove a file, or a folder of pictures."""
    if path.suffix == _PICTURES and not path.is_symlink():
        shutil.rmtree(path, ignore_errors=True)
    with suppress(OSError):
        path.unlink(missing_ok=True)


def _read(copy: Path) -> Recovery | None:
    try:
        job, record, _ = load_job_file(copy)
    except JobFileError:
        return None
    original, stamp = _note_beside(copy)
    return Recovery(copy, original, job, stamp, _with_journal(_with_pictures(record, copy, original), copy))


def _with_pictures(record: Record, copy: Path, original: Path | None) -> Record:
    """The record of a copy with its pictures: those beside it, else those in the job's file."""
    pictures = {}
    for photo in record.photos:
        with suppress(JobFileError):
            beside = copy.with_suffix(_PICTURES) / photo.name
            pictures[photo.name] = photo.picture or read_limited(beside, PHOTO_KEPT_BYTES, "a photograph")
    missing = [photo.name for photo in record.photos if photo.name not in pictures]
    if missing and original is not None:
        pictures.update(pictures_of(original, missing))
    photos = tuple(photo.model_copy(update={"picture": pictures.get(photo.name, b"")}) for photo in record.photos)
    return record.model_copy(update={"photos": photos}) if photos else record


def _with_journal(record: Record, copy: Path) -> Record:
    """Record of a copy, with the events journalled after it was written; torn lines are skipped."""
    try:
        lines = read_limited(copy.with_suffix(_JOURNAL), RECOVERY_JOURNAL_BYTES, "a journal").splitlines()
    except JobFileError:
        return record
    following = len(record.events)
    for line in lines[:MOST_EVENTS]:
        try:
            number, event = json.loads(_journalled(line))
            # An event before this one may be in a line that was torn; this one happened all the same.
            if type(number) is int and number >= following:
                record = record.with_event(Event.model_validate(event))
                following = number + 1
        except (ValueError, TypeError, RecursionError):
            continue
    return record


def _journal_line(number: int, event: Event) -> bytes:
    """A line of the journal: length and checksum (CRC-32) of what follows, then the event with its number.

    It begins with a line end: what a failed write left of the line before does not spoil it.
    """
    told = json.dumps([number, event.model_dump(mode="json", exclude_defaults=True)]).encode()
    return b"\n%d %08x %s\n" % (len(told), zlib.crc32(told), told)


def _journalled(line: bytes) -> bytes:
    """The event of a line of the journal. Raises ValueError for a line that is torn."""
    if line.startswith(b"["):
        return line  # as versions before 0.2 wrote it
    length, checksum, told = line.split(b" ", 2)
    if len(told) != int(length) or zlib.crc32(told) != int(checksum, 16):
        raise ValueError("torn")
    return told


def _note_beside(copy: Path) -> tuple[Path | None, Stamp | None]:
    """The file a copy belongs to and its stamp; None for what the note does not tell."""
    try:
        note = json.loads(read_limited(copy.with_suffix(_NOTE), RECOVERY_NOTE_BYTES, "a note"))
        told, numbers = note["original"], note["stamp"]
    except (JobFileError, ValueError, TypeError, KeyError, RecursionError):
        return None, None
    original = Path(told) if isinstance(told, str) and "\0" not in told else None
    known = isinstance(numbers, list) and len(numbers) == len(Stamp._fields) and all(type(n) is int for n in numbers)
    return original, Stamp(*numbers) if known else None
