"""Write a file whole or leave what was there; say in words why it did not work."""

from __future__ import annotations

import errno
import os
import tempfile
from contextlib import suppress
from pathlib import Path

from kakushi.model.errors import JobFileError

_REASONS = {
    errno.ENOSPC: "the disk is full",
    errno.EDQUOT: "the disk quota is used up",
    errno.EACCES: "you may not write there",
    errno.EPERM: "you may not write there",
    errno.EROFS: "the disk is read-only",
    errno.ENOENT: "that folder does not exist",
    errno.ENOTDIR: "that folder does not exist",
    errno.EISDIR: "that is a folder",
    errno.ENAMETOOLONG: "the name is too long",
}


def reason(error: OSError) -> str:
    """What went wrong, in words that fit after “because”."""
    return _REASONS.get(error.errno or 0, (error.strerror or str(error)).lower())


def write_atomically(path: Path, data: bytes) -> None:
    """Put `data` at `path` by a flushed temporary file and a rename.

    Raises JobFileError; what stood at `path` before is then untouched.
    """
    temporary: str | None = None
    # A link keeps pointing where it points; what it points to is replaced.
    path = Path(os.path.realpath(path))
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name[:40]}.", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        with suppress(OSError):
            os.chmod(temporary, path.stat().st_mode if path.exists() else 0o644)
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            with suppress(OSError):
                os.unlink(temporary)
        raise JobFileError(f"“{path.name}” was not written because {reason(error)}.", path) from error


def read_limited(path: Path, most: int, what: str) -> bytes:
    """The bytes of a file of at most `most` bytes. Raises JobFileError."""
    try:
        if not path.is_file():
            told = "is a folder" if path.is_dir() else "does not exist" if not path.exists() else "is not a file"
            raise JobFileError(f"“{path.name}” {told}.", path)
        if path.stat().st_size > most:
            raise JobFileError(f"“{path.name}” is too large to be {what} (over {most // 2**20} MB).", path)
        with path.open("rb") as file:
            data = file.read(most + 1)
    except OSError as error:
        raise JobFileError(f"“{path.name}” cannot be read: {reason(error)}.", path) from error
    if len(data) > most:
        raise JobFileError(f"“{path.name}” is too large to be {what} (over {most // 2**20} MB).", path)
    return data
