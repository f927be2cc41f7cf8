"""The `.kakushi` job file: a zip with `job.json` and `photos/`. See `docs/format.md`."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kakushi.formats.atomic import read_limited, write_atomically
from kakushi.formats.job_migrations import MIGRATIONS, SCHEMA_VERSION
from kakushi.model.errors import JobFileError
from kakushi.model.job import Job

SUFFIX = ".kakushi"
FORMAT_NAME = "kakushi-job"
MAX_FILE_BYTES = 256 * 2**20
MAX_JSON_BYTES = 32 * 2**20
MAX_ENTRIES = 2000
_ENTRY = "job.json"


def job_bytes(job: Job) -> bytes:
    """The job file's content."""
    document = {"format": FORMAT_NAME, "schema_version": SCHEMA_VERSION, "job": job.model_dump(mode="json")}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        # A fixed date: equal jobs make equal files.
        entry = zipfile.ZipInfo(_ENTRY, (2020, 1, 1, 0, 0, 0))
        entry.compress_type = zipfile.ZIP_DEFLATED
        archive.writestr(entry, json.dumps(document, ensure_ascii=False, indent=1))
    return buffer.getvalue()


def save_job(job: Job, path: Path) -> None:
    """Write the job file, whole or not at all. Raises JobFileError."""
    write_atomically(path, job_bytes(job))


def load_job(path: Path) -> Job:
    """Read a job file. Raises JobFileError with one sentence for anything that is not one."""
    return job_from_bytes(read_limited(path, MAX_FILE_BYTES, "a job"), path)


def job_from_bytes(data: bytes, path: Path) -> Job:
    """Read a job file's content; `path` is for messages. Raises JobFileError."""
    name = path.name
    document = _document(_job_json(data, path), path)
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
        return Job.model_validate(content)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = " › ".join(str(part) for part in first["loc"]) or "the job"
        raise JobFileError(f"“{name}” is damaged at {where[:120]}: {first['msg']}.", path) from error
    except RecursionError as error:
        raise JobFileError(f"“{name}” is damaged: it is nested too deeply.", path) from error


def _job_json(data: bytes, path: Path) -> bytes:
    name = path.name
    if not data:
        raise JobFileError(f"“{name}” is empty.", path)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
            if len(entries) > MAX_ENTRIES:
                raise JobFileError(f"“{name}” holds too many files to be a job.", path)
            entries_named_job = [e for e in entries if e.filename == _ENTRY]
            if len(entries_named_job) != 1:
                raise JobFileError(f"“{name}” is not a Kakushi job.", path)
            # The size an archive states may lie; the read itself is bounded too.
            with archive.open(entries_named_job[0]) as file:
                text = file.read(MAX_JSON_BYTES + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, ValueError, RuntimeError, NotImplementedError) as error:
        if data[:2] == b"PK":
            raise JobFileError(f"“{name}” is damaged or cut short.", path) from error
        raise JobFileError(f"“{name}” is not a Kakushi job.", path) from error
    if len(text) > MAX_JSON_BYTES:
        raise JobFileError(f"“{name}” is too large to be a job.", path)
    return text


def _document(text: bytes, path: Path) -> dict[str, Any]:
    try:
        document = json.loads(text.decode("utf-8"))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError, ValueError) as error:
        raise JobFileError(f"“{path.name}” is damaged: its job cannot be read.", path) from error
    if not isinstance(document, dict):
        raise JobFileError(f"“{path.name}” is not a Kakushi job.", path)
    return document
