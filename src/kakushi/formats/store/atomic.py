"""Write a file whole or leave what was there; read one within a limit; say in words why it did not work."""

from __future__ import annotations

import errno
import fcntl
import os
import stat
import time
from contextlib import suppress
from pathlib import Path
from uuid import uuid4

from kakushi.formats.store.limits import megabytes
from kakushi.model.errors import JobFileError

_REASONS = {
    errno.ENOSPC: "the disk is full",
    errno.EDQUOT: "the disk quota is used up",
    errno.EFBIG: "it is larger than files may be there",
    errno.EACCES: "you may not write there",
    errno.EPERM: "you may not write there",
    errno.EROFS: "the disk is read-only",
    errno.ENOENT: "that folder does not exist",
    errno.ENOTDIR: "that folder does not exist",
    errno.EISDIR: "that is a folder",
    errno.ENAMETOOLONG: "the name is too long",
}
_HELD = {errno.EWOULDBLOCK, errno.EAGAIN, errno.EACCES}
"""Errors that say that somebody else holds a lock; file systems without locks give others."""
_TEMPORARY = ".kakushi-write-"
_KILLED_AFTER_S = 60.0
"""Age, s, from which a temporary file without a lock is abandoned: a writer locks its file at once."""


def reason(error: OSError | ValueError) -> str:
    """What went wrong, in words that fit after “because”."""
    if isinstance(error, OSError):
        return _REASONS.get(error.errno or 0, (error.strerror or str(error)).lower())
    # What the system refuses before it looks: a NUL, or half of a surrogate pair.
    return "its name holds signs that no file name can have"


def write_atomically(path: Path, data: bytes) -> None:
    """Put `data` at `path` by a flushed temporary file and a rename; the folder is flushed after it.

    A new file gets the rights that the user's mask leaves, one that was there keeps its own. Raises JobFileError; what
    stood at `path` before is then untouched.
    """
    temporary: Path | None = None
    try:
        # A link keeps pointing where it points; what it points to is replaced.
        target = Path(os.path.realpath(path))
        _refuse_special(target, path)
        forget_killed(target.parent)
        temporary = target.parent / f"{_TEMPORARY}{uuid4().hex}"
        # 0666 less the mask, as every program makes files.
        handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666)
        with os.fdopen(handle, "wb") as file:
            with suppress(OSError):
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            file.write(data)
            file.flush()
            with suppress(OSError):
                os.fchmod(file.fileno(), target.stat().st_mode)
            os.fsync(file.fileno())
        os.replace(temporary, target)
        _flush_folder(target.parent)
    except (OSError, ValueError) as error:
        if temporary is not None:
            with suppress(OSError):
                temporary.unlink()
        raise JobFileError(f"“{path.name}” was not written because {reason(error)}.", path) from error


def _flush_folder(folder: Path) -> None:
    """Have a rename on the disk; folders of some file systems cannot be flushed, and those keep it anyway."""
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _refuse_special(target: Path, path: Path) -> None:
    """Raise JobFileError where something is at `target` that is no file: a device, a pipe, a socket."""
    with suppress(OSError, ValueError):
        mode = target.stat().st_mode
        if not stat.S_ISREG(mode) and not stat.S_ISDIR(mode):
            raise JobFileError(f"“{path.name}” was not written because it is a device or a pipe, not a file.", path)


def forget_killed(folder: Path) -> None:
    """Remove temporary files of programs that were killed while they wrote."""
    with suppress(OSError):
        for left in folder.glob(f"{_TEMPORARY}*"):
            with suppress(OSError):
                if time.time() - left.lstat().st_mtime > _KILLED_AFTER_S and not is_locked(left):
                    left.unlink()


def is_locked(path: Path) -> bool:
    """Whether a running program holds the lock on a file; False where there is no such file, or it is no file."""
    try:
        handle = os.open(path, os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        return error.errno in _HELD
    finally:
        os.close(handle)
    return False


def read_limited(path: Path, most: int, what: str) -> bytes:
    """The bytes of a file of at most `most` bytes. Raises JobFileError."""
    too_large = f"“{path.name}” is too large to be {what} (over {megabytes(most)})."
    try:
        if not path.is_file():
            told = "is a folder" if path.is_dir() else "does not exist" if not path.exists() else "is not a file"
            raise JobFileError(f"“{path.name}” {told}.", path)
        if path.stat().st_size > most:
            raise JobFileError(too_large, path)
        with path.open("rb") as file:
            data = file.read(most + 1)
    except (OSError, ValueError) as error:
        raise JobFileError(f"“{path.name}” cannot be read: {reason(error)}.", path) from error
    if len(data) > most:
        raise JobFileError(too_large, path)
    return data
