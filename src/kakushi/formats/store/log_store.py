"""The log in the studio's file: entries, and what is learnt of them.

What rates rest on is kept in tables of its own, so that thousands of entries are added up by the database.
"""

from __future__ import annotations

import json
import math
import uuid
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import ColumnElement, String, cast, delete, func, insert, literal, select
from sqlalchemy.engine import Connection

from kakushi.formats.store.limits import LOG_ENTRIES
from kakushi.formats.store.studio_store import StudioStore, put
from kakushi.formats.store.studio_tables import ENTRIES, POPS, RATIOS, RESETS, SETTINGS
from kakushi.log.minutes import LogSums, learnt_minutes, learnt_rises, learnt_shrink
from kakushi.log.pops import PopsSeen, learnt_pops
from kakushi.log.waste import learnt_scatter, learnt_soft, learnt_waste
from kakushi.model.errors import StudioError
from kakushi.model.log import RATE_PARTS, SOFTER, Learnt, LogEntry, LogLine
from kakushi.model.values import replace
from kakushi.model.workshop import Rates

_MOST_TOLD = 5000
"""Balloons of one piece that are told one by one."""


class LogStore:
    """The log of a studio. Methods raise StudioError, one sentence each."""

    def __init__(self, path: Path, wait_s: float = 0.5) -> None:
        self._path, self._store = path, StudioStore(path, wait_s)

    def add(self, entry: LogEntry) -> LogEntry:
        """Keep an entry, in place of the one of its key; as it is kept then. Rates are learnt anew."""
        entry = entry if entry.key else replace(entry, key=uuid.uuid4().hex)
        with self._store.connection() as connection:
            _forget(connection, entry.key)
            if connection.execute(select(func.count()).select_from(ENTRIES)).scalar_one() >= LOG_ENTRIES:
                raise StudioError(f"The log holds at most {LOG_ENTRIES} entries; take old ones out first.")
            number = connection.execute(insert(ENTRIES), columns_of(entry)).inserted_primary_key
            assert number is not None
            for table, lines in ((POPS, pops_of(entry)), (RATIOS, ratios_of(entry))):
                rows = [{"entry": number[0], **line} for line in lines]
                if rows:
                    connection.execute(insert(table), rows)
            _learn(connection, self._store)
        return entry

    def remove(self, key: str) -> None:
        """Take an entry out; rates are learnt anew."""
        with self._store.connection() as connection:
            _forget(connection, key)
            _learn(connection, self._store)

    def reset(self, rate: str) -> None:
        """Let a rate begin anew: what is in the log already says nothing of it any more."""
        with self._store.connection() as connection:
            last = connection.execute(select(func.max(ENTRIES.c.id))).scalar() or 0
            connection.execute(delete(RESETS).where(RESETS.c.rate == rate))
            connection.execute(insert(RESETS), {"rate": rate, "after": last})
            _learn(connection, self._store)

    def entry(self, key: str) -> LogEntry | None:
        """An entry; None where there is none, or it cannot be read."""
        if not self._path.exists():
            return None
        with self._store.connection() as connection:
            value = connection.execute(select(ENTRIES.c.value).where(ENTRIES.c.key == key)).scalar()
        try:
            return None if value is None else LogEntry.model_validate_json(value)
        except ValidationError:
            return None

    def lines(self, job: str | None = None) -> list[LogLine]:
        """All entries in short, the newest first; of one job where it is named."""
        if not self._path.exists():
            return []
        wanted = select(*(ENTRIES.c[name] for name in LogLine._fields)).order_by(
            ENTRIES.c.date.desc(), ENTRIES.c.id.desc()
        )
        if job is not None:
            wanted = wanted.where(ENTRIES.c.job == job)
        with self._store.connection() as connection:
            return [LogLine(*row) for row in connection.execute(wanted.limit(LOG_ENTRIES))]


def columns_of(entry: LogEntry) -> dict[str, Any]:
    """The line of an entry in its table."""
    first = entry.pieces[0]
    return {
        "key": entry.key, "date": entry.date.isoformat(), "job": entry.job,
        "pieces": ", ".join(piece.piece for piece in entry.pieces)[:300],
        "copies": sum(piece.copies for piece in entry.pieces), "planned_mm": first.planned_mm,
        "height_mm": first.height_mm, "balloons": entry.balloons, "popped": entry.popped,
        "planned_minutes": entry.planned_minutes, "minutes": entry.minutes, "cost": entry.cost, "price": entry.price,
        "currency": entry.currency, "value": entry.model_dump_json(),
    }  # fmt: skip


def pops_of(entry: LogEntry) -> Iterator[dict[str, Any]]:
    """Balloons used and popped of an entry, by kind; pops of kinds that nobody counted as used tell of no rate."""
    used: defaultdict[tuple[Any, ...], list[int]] = defaultdict(lambda: [0, 0])
    for piece in entry.pieces:
        for built in piece.built:
            used[built.cell][0] += built.count
        for pop in piece.pops:
            if any(pop.cell == built.cell for built in piece.built):
                used[pop.cell][1] += pop.count
    for (nominal, finish, place, fill), (count, popped) in used.items():
        if count:
            yield {"nominal_in": nominal, "finish": finish, "place": place, "fill": fill, "used": count,
                   "popped": min(popped, count)}  # fmt: skip


def ratios_of(entry: LogEntry) -> Iterator[dict[str, Any]]:
    """What rates are learnt of, one line each.

    Logarithms of minutes for one of each kind of work, of heights over what they should be, of what was used over what
    was planned; of balloons measured again how many mm they are off; of those blown for the sun 1 for one that popped
    in the heat, 0 for one that did not.
    """
    for material in entry.materials:
        if material.used:
            ratio = math.log(material.used / material.planned)
            yield {"of": "waste", "kind": material.item, "who": "", "logarithm": ratio}
    for piece in entry.pieces:
        for work in piece.minutes:
            if work.minutes > 0:
                each = math.log(work.minutes / work.count)
                yield {"of": "minutes", "kind": work.kind, "who": work.person, "logarithm": each}
        if piece.height_mm and piece.planned_mm:
            rise = math.log(piece.height_mm / piece.planned_mm)
            yield {"of": "rise", "kind": piece.joint, "who": piece.packing, "logarithm": rise}
        if piece.height_mm and piece.next_day_mm:
            yield {"of": "shrink", "kind": "", "who": "", "logarithm": math.log(piece.next_day_mm / piece.height_mm)}
        for sized in piece.sized:
            off = sized.measured_mm - sized.wanted_mm
            yield {"of": "scatter", "kind": "", "who": "", "logarithm": off}
        if piece.softer is not None:
            kind = next(name for name, share in SOFTER.items() if piece.softer <= share)
            hot = sum(pop.count for pop in piece.pops if pop.why == "heat")
            blown = min(max(sum(built.count for built in piece.built), hot), _MOST_TOLD)
            for number in range(blown):
                yield {"of": "soft", "kind": kind, "who": "", "logarithm": float(number < hot)}


def _forget(connection: Connection, key: str) -> None:
    number = connection.execute(select(ENTRIES.c.id).where(ENTRIES.c.key == key)).scalar()
    if number is not None:
        for table in (POPS, RATIOS):
            connection.execute(delete(table).where(table.c.entry == number))
        connection.execute(delete(ENTRIES).where(ENTRIES.c.id == number))


def _learn(connection: Connection, store: StudioStore) -> None:
    """Work the rates out anew and keep them as a setting of the studio, where every plan reads them."""
    rates = store.setting(connection, "rates")
    learnt = _learnt(connection, rates)
    put(connection, SETTINGS, "key", "learnt", json.dumps(learnt.model_dump(mode="json")))


def _learnt(connection: Connection, rates: Rates) -> Learnt:
    def named(of: str, *columns: ColumnElement[Any]) -> ColumnElement[str]:
        name: ColumnElement[str] = literal(of)
        for column in columns:
            name = name + RATE_PARTS + cast(column, String)
        return name

    cells = (POPS.c.nominal_in, POPS.c.finish, POPS.c.place, POPS.c.fill)
    reset = select(RESETS.c.after).where(RESETS.c.rate == named("pop", *cells)).correlate(POPS).scalar_subquery()
    pops = select(*cells, func.sum(POPS.c.used), func.sum(POPS.c.popped)).where(POPS.c.entry > func.coalesce(reset, 0))
    seen = [
        PopsSeen((float(nominal), finish, place, fill), int(used), int(popped))
        for nominal, finish, place, fill, used, popped in connection.execute(pops.group_by(*cells))
    ]
    kinds = (RATIOS.c.of, RATIOS.c.kind, RATIOS.c.who)
    name = RATIOS.c.of + RATE_PARTS + RATIOS.c.kind + RATE_PARTS + RATIOS.c.who
    reset = select(RESETS.c.after).where(RESETS.c.rate == name).correlate(RATIOS).scalar_subquery()
    squares = func.sum(RATIOS.c.logarithm * RATIOS.c.logarithm)
    ratios = select(*kinds, func.count(), func.sum(RATIOS.c.logarithm), squares)
    sums: defaultdict[str, dict[tuple[str, str], LogSums]] = defaultdict(dict)
    for of, kind, who, count, total, square in connection.execute(
        ratios.where(RATIOS.c.entry > func.coalesce(reset, 0)).group_by(*kinds)
    ):
        sums[of][kind, who] = LogSums(int(count), float(total), float(square))
    of_kinds, unseen = learnt_pops(seen) if seen else ([], ())
    shrink, scatter = (sums[of].get(("", "")) for of in ("shrink", "scatter"))
    return Learnt(
        pops=tuple(of_kinds),
        minutes=tuple(learnt_minutes(sums["minutes"], rates)),
        rise=tuple(learnt_rises(sums["rise"])),
        shrink=learnt_shrink(shrink) if shrink else None,
        waste=tuple(learnt_waste(sums["waste"])),
        scatter=learnt_scatter(scatter) if scatter else None,
        soft=tuple(learnt_soft(sums["soft"])),
        unseen=unseen,
    )
