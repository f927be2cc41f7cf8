"""The studio's data in one SQLite file: catalogue, sizer, measured packings with their test stacks, outlines.

A file that is missing is made at the first change; one that is damaged is set aside, never overwritten.
"""

from __future__ import annotations

import dataclasses
import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import (
    Column,
    Float,
    ForeignKey,
    Integer,
    MetaData,
    String,
    Table,
    create_engine,
    delete,
    insert,
    select,
)
from sqlalchemy.engine import Connection
from sqlalchemy.exc import SQLAlchemyError

from kakushi.model.catalogue import NamedPacking, Studio
from kakushi.model.errors import StudioError
from kakushi.model.outline import PointsOutline
from kakushi.model.values import replace
from kakushi.packing.calibration import TestStack

MAX_BYTES = 64 * 2**20
MAX_OUTLINES = 500

_META = MetaData()
_SETTINGS = Table("setting", _META, Column("key", String, primary_key=True), Column("value", String, nullable=False))
_PACKINGS = Table("packing", _META, Column("name", String, primary_key=True), Column("value", String, nullable=False))
_STACKS = Table(
    "test_stack", _META,
    Column("id", Integer, primary_key=True),
    Column("packing", String, ForeignKey("packing.name", ondelete="CASCADE"), nullable=False),
    Column("rows", Integer, nullable=False), Column("count", Integer, nullable=False),
    Column("nominal_in", Float, nullable=False), Column("diameter", Float, nullable=False),
    Column("height", Float, nullable=False), Column("width", Float), Column("pole_radius", Float, nullable=False),
)  # fmt: skip
_OUTLINES = Table("outline", _META, Column("name", String, primary_key=True), Column("value", String, nullable=False))
_KEPT = (
    "nominals", "sizer", "sizing_scatter_mm", "landings", "palette", "poles", "bases", "frame_rules", "stock", "bags",
    "pops", "rules", "rates", "inflators",
)  # fmt: skip


class StudioStore:
    """The studio's file. Methods raise StudioError, one sentence each."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._engine = create_engine(f"sqlite:///{path}")

    def load(self) -> Studio:
        """The studio in the file; the defaults where there is none."""
        if not self._path.exists():
            return Studio()
        if self._path.stat().st_size > MAX_BYTES:
            raise StudioError(f"The studio file “{self._path}” is too large to be ours; it was left alone.")
        with self._connection() as connection:
            settings = {key: json.loads(value) for key, value in connection.execute(select(_SETTINGS)) if key in _KEPT}
            named = [json.loads(value) for value in connection.execute(select(_PACKINGS.c.value)).scalars()]
        return Studio.model_validate(settings | {"packings": named})

    def save(self, studio: Studio) -> None:
        """Keep catalogue and sizer; packings are kept by `save_packing`."""
        values = studio.model_dump(mode="json")
        with self._connection() as connection:
            for key in _KEPT:
                _put(connection, _SETTINGS, "key", key, json.dumps(values[key]))

    def save_packing(self, packing: NamedPacking, stacks: Sequence[TestStack]) -> None:
        """Keep a measured packing with the stacks it was fitted to, in place of one of that name."""
        with self._connection() as connection:
            connection.execute(delete(_STACKS).where(_STACKS.c.packing == packing.name))
            _put(connection, _PACKINGS, "name", packing.name, packing.model_dump_json())
            rows = [{"packing": packing.name, **dataclasses.asdict(stack)} for stack in stacks]
            if rows:
                connection.execute(insert(_STACKS), rows)

    def remove_packing(self, name: str) -> None:
        """Forget a packing and its stacks."""
        with self._connection() as connection:
            connection.execute(delete(_STACKS).where(_STACKS.c.packing == name))
            connection.execute(delete(_PACKINGS).where(_PACKINGS.c.name == name))

    def stacks_of(self, name: str) -> list[TestStack]:
        """The test stacks a packing was fitted to, in the order they were measured."""
        columns = [_STACKS.c[field.name] for field in dataclasses.fields(TestStack)]
        with self._connection() as connection:
            rows = connection.execute(select(*columns).where(_STACKS.c.packing == name).order_by(_STACKS.c.id))
            return [TestStack(*row) for row in rows]

    def outlines(self) -> list[PointsOutline]:
        """The collection of outlines, by name. Damaged entries are left out."""
        outlines = []
        with self._connection() as connection:
            for value in connection.execute(select(_OUTLINES.c.value).order_by(_OUTLINES.c.name)).scalars():
                try:
                    outlines.append(PointsOutline.model_validate_json(value))
                except ValidationError:
                    continue
        return outlines

    def save_outline(self, outline: PointsOutline) -> None:
        """Keep an outline under its name, in place of one of that name."""
        if not outline.name:
            raise StudioError("An outline needs a name to be kept.")
        with self._connection() as connection:
            if len(connection.execute(select(_OUTLINES.c.name)).all()) >= MAX_OUTLINES:
                raise StudioError(f"The collection holds at most {MAX_OUTLINES} outlines; remove one first.")
            _put(connection, _OUTLINES, "name", outline.name, outline.model_dump_json())

    def remove_outline(self, name: str) -> None:
        """Take an outline out of the collection."""
        with self._connection() as connection:
            connection.execute(delete(_OUTLINES).where(_OUTLINES.c.name == name))

    @contextmanager
    def _connection(self) -> Iterator[Connection]:
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with self._engine.begin() as connection:
                _META.create_all(connection)
                yield connection
        except (SQLAlchemyError, OSError, ValueError, TypeError, RecursionError) as error:
            raise StudioError(f"The studio file “{self._path}” cannot be used; it was left as it is.") from error
        finally:
            self._engine.dispose()


def _put(connection: Connection, table: Table, key: str, name: str, value: str) -> None:
    connection.execute(delete(table).where(table.c[key] == name))
    values: dict[str, Any] = {key: name, "value": value}
    connection.execute(insert(table), values)


def load_studio(path: Path) -> tuple[Studio, str]:
    """The studio in a file and a sentence about what went wrong, empty when nothing did."""
    if not path.exists():
        return Studio(), ""
    try:
        return StudioStore(path).load(), ""
    except (StudioError, ValidationError) as error:
        text = str(error) if isinstance(error, StudioError) else f"The studio file “{path}” holds unusable values."
        return Studio(), f"{text} Working with the usual sizes."


def with_packing(studio: Studio, packing: NamedPacking) -> Studio:
    """The studio with a packing added or put in place of one of its name."""
    others = tuple(p for p in studio.packings if p.name != packing.name)
    return replace(studio, packings=(*others, packing))


def without_packing(studio: Studio, name: str) -> Studio:
    """The studio without the packing of that name."""
    return replace(studio, packings=tuple(p for p in studio.packings if p.name != name))
