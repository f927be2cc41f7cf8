"""`kakushi log`: what jobs really took."""

from __future__ import annotations

import argparse
import datetime as dt
import json
from pathlib import Path

from kakushi.cli.common import add_units, dossier_of
from kakushi.cli.parser import Parser
from kakushi.formats.export.log_json import entry_json
from kakushi.formats.read.log_entry import load_log_entry
from kakushi.formats.store.job_file import load_job_file
from kakushi.formats.store.log_store import LogStore
from kakushi.formats.store.paths import studio_path
from kakushi.formats.store.studio_store import load_studio
from kakushi.log.entries import entry_of, with_answers
from kakushi.log.unexpected import unexpected
from kakushi.model.errors import BadInput
from kakushi.model.log import LogEntry
from kakushi.model.units import UnitSystem
from kakushi.plan.pipeline import plan
from kakushi.words.log import entry_lines, unexpected_words

_ADD = "add"


def add_arguments(p: Parser) -> None:
    """Give the parser of the command its arguments."""
    p.add_argument("what", nargs="+", metavar="[add] JOB", help="a job; with add, put an entry into the log")
    p.add_argument("--entry", type=Path, metavar="FILE.json", help="what really happened, to be added")
    p.add_argument("--json", action="store_true", help="print JSON")
    add_units(p)
    p.set_defaults(run=_log)


def _log(arguments: argparse.Namespace) -> None:
    words: list[str] = arguments.what
    adds = len(words) == 2 and words[0] == _ADD
    if len(words) != 1 + adds:
        raise BadInput("Write kakushi log JOB, or kakushi log add JOB --entry FILE.json.", "job")
    if adds != (arguments.entry is not None):
        raise BadInput("An entry is added with kakushi log add JOB --entry FILE.json.", "entry")
    file = load_job_file(Path(words[-1]))
    studio = load_studio(studio_path()).studio
    known = entry_of(dossier_of(plan(file.job, studio)), file.record, dt.date.today())
    if known is None:
        raise BadInput("The job has no pieces: there is nothing to log.", "job")
    store, units = LogStore(studio_path(), wait_s=5.0), UnitSystem(arguments.units)
    if adds:
        given = load_log_entry(arguments.entry)
        kept = store.add(with_answers(known, given))
        notes = [unexpected_words(each, units) for each in unexpected(kept, studio.learnt, studio.rates)]
        _print([kept], None, notes, arguments, units)
        return
    entries = [entry for line in store.lines(known.job) if (entry := store.entry(line.key))]
    _print(entries, known, [], arguments, units)


def _print(
    entries: list[LogEntry], known: LogEntry | None, notes: list[str], arguments: argparse.Namespace, units: UnitSystem
) -> None:
    if arguments.json:
        told = {"entries": [entry_json(entry) for entry in entries], "notes": notes}
        if known is not None:
            told["known"] = entry_json(known)
        print(json.dumps(told, indent=1))
        return
    for entry in entries or ([known] if known else []):
        print("\n".join(entry_lines(entry, units)))
    if not entries:
        print("Not in the log yet.")
    for note in notes:
        print(f"note: {note}")
