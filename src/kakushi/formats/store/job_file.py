"""The `.kakushi` job file: a zip with `job.json`, `record.json` and `photos/`. See `docs/format.md`."""

from __future__ import annotations

import io
import lzma
import zipfile
import zlib
from collections.abc import Collection
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple

from pydantic import ValidationError

from kakushi.formats.store.atomic import read_limited, write_atomically
from kakushi.formats.store.bounded_json import bounded_json
from kakushi.formats.store.job_migrations import MIGRATIONS, SCHEMA_VERSION
from kakushi.formats.store.limits import (
    JOB_DEPTH,
    JOB_ENTRIES,
    JOB_FILE_BYTES,
    JOB_JSON_BYTES,
    JOB_LIST,
    JOB_VALUES,
    PHOTO_KEPT_BYTES,
    PHOTOS_BYTES,
    megabytes,
)
from kakushi.model.errors import BadInput, JobFileError
from kakushi.model.job import Job
from kakushi.model.outline import PresetOutline
from kakushi.model.record import Photo, Record
from kakushi.model.values import first_fault
from kakushi.shape.presets import preset

SUFFIX = ".kakushi"
FORMAT_NAME = "kakushi-job"
RECORD_FORMAT, RECORD_VERSION = "kakushi-record", 3
_ENTRY, _RECORD = "job.json", "record.json"
_BROKEN_ARCHIVE = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError, ValueError, RuntimeError, NotImplementedError,
    OverflowError, MemoryError,
)  # fmt: skip


class JobFile(NamedTuple):
    """What a job file holds: the design, and what happened while it was built.

    `left_out`: a sentence for each photograph that is damaged, too large or stored twice.
    """

    job: Job
    record: Record
    left_out: tuple[str, ...] = ()


def job_bytes(job: Job, record: Record | None = None, with_pictures: bool = True) -> bytes:
    """The job file's content; `with_pictures` of the record's photographs."""
    text = (
        f'{{"format": "{FORMAT_NAME}", "schema_version": {SCHEMA_VERSION}, "job":\n{job.model_dump_json(indent=1)}}}\n'
    )
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        _write(archive, _ENTRY, text)
        if record is not None and (record.events or record.photos):
            told = record.model_dump_json(exclude_defaults=True)
            head = f'{{"format": "{RECORD_FORMAT}", "schema_version": {RECORD_VERSION}, "record":\n'
            _write(archive, _RECORD, f"{head}{told}}}\n")
            # One entry for each name, whatever the record holds: an archive with two of one is refused by readers.
            for photo in {each.name: each for each in record.photos}.values():
                if photo.picture and with_pictures:
                    # A JPEG cannot be packed any further.
                    entry = zipfile.ZipInfo(_photo_entry(photo.name), (2020, 1, 1, 0, 0, 0))
                    archive.writestr(entry, photo.picture, zipfile.ZIP_STORED)
    return buffer.getvalue()


def _write(archive: zipfile.ZipFile, name: str, text: str) -> None:
    # A fixed date: equal jobs make equal files.
    entry = zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0))
    entry.compress_type = zipfile.ZIP_DEFLATED
    archive.writestr(entry, text)


def _photo_entry(name: str) -> str:
    return f"photos/{name}.jpg"


def save_job(job: Job, path: Path, record: Record | None = None) -> None:
    """Write the job file, whole or not at all. Raises JobFileError, also for what could not be read again."""
    write_atomically(path, readable(job_bytes(job, record), path))


def readable(data: bytes, path: Path) -> bytes:
    """The content of a job file that its reader accepts. Raises JobFileError for one that is too large."""
    if len(data) > JOB_FILE_BYTES:
        raise JobFileError(
            f"“{path.name}” was not written: it would be over {megabytes(JOB_FILE_BYTES)}, too large to open again. "
            "Remove photographs from it.",
            path,
        )
    return data


def check_room_for(record: Record, photo: Photo) -> None:
    """Raise BadInput where a photograph does not fit into a record any more, by the limits of the reader."""
    others = sum(len(each.picture) for each in record.photos if each.name != photo.name)
    if others + len(photo.picture) > PHOTOS_BYTES:
        raise BadInput(
            f"The job already holds {megabytes(others)} of photographs; it takes {megabytes(PHOTOS_BYTES)}. "
            "Remove some first.",
            "photo",
        )


def load_job(path: Path) -> Job:
    """The design in a job file. Raises JobFileError with one sentence for anything that is not one."""
    return job_from_bytes(read_limited(path, JOB_FILE_BYTES, "a job"), path)


def load_job_file(path: Path) -> JobFile:
    """Read a job file, record included. Raises JobFileError with one sentence for anything that is not one."""
    data = read_limited(path, JOB_FILE_BYTES, "a job")
    return JobFile(job_from_bytes(data, path), *record_from_bytes(data, path))


def record_from_bytes(data: bytes, path: Path) -> tuple[Record, tuple[str, ...]]:
    """Read what happened from a job file's content, and what was left out of it. Raises JobFileError.

    Where the file has no record nothing happened.
    """
    text = _entry(data, path, _RECORD)
    if text is None:
        return Record(), ()
    document = _document(text, path)
    version = document.get("schema_version")
    if document.get("format") != RECORD_FORMAT or not isinstance(version, int) or isinstance(version, bool):
        raise JobFileError(f"“{path.name}” is damaged: the build record cannot be read.", path)
    if version > RECORD_VERSION:
        raise JobFileError(f"“{path.name}” was made by a newer version of Kakushi; update to open it.", path)
    try:
        return _with_pictures(Record.model_validate(document.get("record")), data, path)
    except ValidationError as error:
        where, fault = first_fault(error)
        raise JobFileError(f"“{path.name}” is damaged in its record at {where}: {fault}.", path) from error
    except RecursionError as error:
        raise JobFileError(f"“{path.name}” is damaged: it is nested too deeply.", path) from error


def _with_pictures(record: Record, data: bytes, path: Path) -> tuple[Record, tuple[str, ...]]:
    """Load the record's photographs, and say which pictures cannot be used; what was found in them is kept.

    Of two photographs of one name the first is kept: they would share a picture, and could not be written again.
    """
    photos: dict[str, Photo] = {}
    left_out = []
    archive = _opened(data, path) if record.photos else None
    for photo in record.photos:
        called = f"The photograph “{photo.title or photo.name}”"
        if photo.name in photos:
            left_out.append(f"{called} is stored twice; one was left out.")
            continue
        try:
            picture = (_read(archive, path, _photo_entry(photo.name), PHOTO_KEPT_BYTES) if archive else None) or b""
        except JobFileError:
            left_out.append(f"{called} is damaged: its picture was left out, what was found in it is kept.")
            picture = b""
        photos[photo.name] = photo.model_copy(update={"picture": picture})
    return record.model_copy(update={"photos": tuple(photos.values())}), tuple(left_out)


def job_from_bytes(data: bytes, path: Path) -> Job:
    """The design in a job file's content; `path` is for messages. Raises JobFileError."""
    name = path.name
    text = _entry(data, path, _ENTRY)
    if text is None:
        raise JobFileError(f"“{name}” is not a Kakushi job.", path)
    document = _document(text, path)
    version = document.get("schema_version")
    if document.get("format") != FORMAT_NAME or not isinstance(version, int) or isinstance(version, bool):
        raise JobFileError(f"“{name}” is not a Kakushi job.", path)
    if version > SCHEMA_VERSION:
        raise JobFileError(f"“{name}” was made by a newer version of Kakushi; update to open it.", path)
    content = document.get("job")
    if not isinstance(content, dict) or version < 1:
        raise JobFileError(f"“{name}” is damaged: it holds no job.", path)
    for step in range(version, SCHEMA_VERSION):
        content = MIGRATIONS[step](content)
    try:
        job = Job.model_validate(content)
    except ValidationError as error:
        where, fault = first_fault(error)
        raise JobFileError(f"“{name}” is damaged at {where or 'the job'}: {fault}.", path) from error
    except RecursionError as error:
        raise JobFileError(f"“{name}” is damaged: it is nested too deeply.", path) from error
    _check_outlines(job, path)
    return job


def _check_outlines(job: Job, path: Path) -> None:
    """Check that the job can be planned. Raises JobFileError for an outline that this version does not know."""
    for piece in job.pieces:
        if isinstance(piece.outline, PresetOutline):
            try:
                preset(piece.outline.preset)
            except BadInput as error:
                raise JobFileError(f"“{path.name}” cannot be planned at “{piece.name}”: {error}", path) from error


class _Archive(NamedTuple):
    """An open job file, and what is in it by name."""

    file: zipfile.ZipFile
    entries: dict[str, list[zipfile.ZipInfo]]


def _opened(data: bytes, path: Path) -> _Archive:
    """The archive that a job file is. Raises JobFileError."""
    if not data:
        raise JobFileError(f"“{path.name}” is empty.", path)
    try:
        file = zipfile.ZipFile(io.BytesIO(data))
    except _BROKEN_ARCHIVE as error:
        raise _broken(data[:2] == b"PK", path) from error
    if len(file.infolist()) > JOB_ENTRIES:
        raise JobFileError(f"“{path.name}” holds too many files to be a job.", path)
    entries: dict[str, list[zipfile.ZipInfo]] = {}
    for entry in file.infolist():
        entries.setdefault(entry.filename, []).append(entry)
    return _Archive(file, entries)


def _broken(was_archive: bool, path: Path) -> JobFileError:
    told = "is damaged or cut short" if was_archive else "is not a Kakushi job"
    return JobFileError(f"“{path.name}” {told}.", path)


def _entry(data: bytes, path: Path, wanted: str) -> bytes | None:
    """Read one file of a job file's content; None where it is missing. Raises JobFileError."""
    return _read(_opened(data, path), path, wanted)


def _read(archive: _Archive, path: Path, wanted: str, most: int = JOB_JSON_BYTES) -> bytes | None:
    """Read one file of the archive, of at most a number of bytes; None where it is missing. Raises JobFileError."""
    name = path.name
    named = archive.entries.get(wanted)
    if not named:
        return None
    if len(named) > 1:
        raise JobFileError(f"“{name}” is not a Kakushi job.", path)
    if named[0].compress_type not in {zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED}:
        raise JobFileError(f"“{name}” is packed in a way that jobs are not.", path)
    try:
        # The size an archive states may lie; the read itself is bounded too.
        with archive.file.open(named[0]) as file:
            text = file.read(most + 1)
    except _BROKEN_ARCHIVE as error:
        raise _broken(True, path) from error
    if len(text) > most:
        raise JobFileError(f"“{name}” is too large to be a job.", path)
    return text


def pictures_of(path: Path, wanted: Collection[str]) -> dict[str, bytes]:
    """Pictures in a job file, by the names of their photographs; those that cannot be read are left out."""
    try:
        archive = _opened(read_limited(path, JOB_FILE_BYTES, "a job"), path)
    except JobFileError:
        return {}
    pictures = {}
    for name in wanted:
        with suppress(JobFileError):
            pictures[name] = _read(archive, path, _photo_entry(name), PHOTO_KEPT_BYTES) or b""
    return pictures


def entry_of_archive(data: bytes, path: Path, name: str) -> bytes | None:
    """One file of an archive, within the limits of a job file; None where it is missing. Raises JobFileError."""
    return _entry(data, path, name)


def _document(text: bytes, path: Path) -> dict[str, Any]:
    try:
        document = bounded_json(text, JOB_VALUES, JOB_DEPTH, JOB_LIST)
    except BadInput as error:
        raise JobFileError(f"“{path.name}” is damaged: {error}.", path) from error
    if not isinstance(document, dict):
        raise JobFileError(f"“{path.name}” is not a Kakushi job.", path)
    return document
