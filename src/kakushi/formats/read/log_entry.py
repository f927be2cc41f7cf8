"""Entries of the log from JSON, read without trust."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from kakushi.formats.store.atomic import reason
from kakushi.formats.store.bounded_json import bounded_json
from kakushi.formats.store.limits import LOG_ENTRY_BYTES, LOG_ENTRY_VALUES, megabytes
from kakushi.model.errors import BadInput
from kakushi.model.log import MOST_LINES, LogEntry
from kakushi.model.values import first_fault

_DEPTH = 8


def load_log_entry(path: Path) -> LogEntry:
    """The entry in a file. Raises BadInput."""
    try:
        if not path.is_file():
            raise BadInput(f"“{path}” is not a file.", "entry")
        with path.open("rb") as file:
            data = file.read(LOG_ENTRY_BYTES + 1)
    except OSError as error:
        raise BadInput(f"“{path}” cannot be read: {reason(error)}.", "entry") from error
    if len(data) > LOG_ENTRY_BYTES:
        raise BadInput(f"“{path}” is over {megabytes(LOG_ENTRY_BYTES)}.", "entry")
    try:
        value = bounded_json(data, LOG_ENTRY_VALUES, _DEPTH, MOST_LINES)
        return LogEntry.model_validate(value)
    except ValidationError as error:
        where, what = first_fault(error)
        raise BadInput(f"“{path}” is no entry of the log: {where}: {what}.", "entry") from error
    except BadInput as error:
        raise BadInput(f"“{path}” is no entry of the log: {error}.", "entry") from error
