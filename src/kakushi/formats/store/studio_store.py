"""The studio's data in one SQLite file: catalogue, sizer, measured packings with their test stacks, outlines.

A file that is missing is made at the first change. Values are read one by one: one that cannot be used is told and
the others live on; before anything is written to a damaged file it is set aside whole.
"""

from __future__ import annotations

import dataclasses
import json
import os
import shutil
import sqlite3
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy import (
    Table,
    case,
    create_engine,
    delete,
    insert,
    select,
    text,
    update,
)
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DatabaseError, OperationalError, SQLAlchemyError

from kakushi.formats.store.limits import STUDIO_BYTES, STUDIO_OUTLINES, STUDIO_ROWS, STUDIO_STEPS, STUDIO_VALUE_BYTES
from kakushi.formats.store.studio_tables import META, OUTLINES, PACKINGS, SETTINGS, STACKS
from kakushi.model.catalogue import NamedPacking, Studio
from kakushi.model.errors import StudioError
from kakushi.model.joints import JointKind
from kakushi.model.outline import PointsOutline
from kakushi.model.values import replace
from kakushi.packing.calibration import TestStack
from kakushi.packing.former_law import fitted_again

_KEPT = (
    "nominals", "sizer", "sizing_scatter_mm", "landings", "palette", "poles", "bases", "frame_rules", "stock", "bags",
    "pops", "rules", "rates", "inflators", "way", "learnt", "sign",
)  # fmt: skip


SCHEMA_VERSION = 4
"""Kept as SQLite's `user_version`; files from before it was kept have 0."""


_STEPS_AT_ONCE = 100_000
"""SQLite steps between looks at the budget."""


class StudioStore:
    """The studio's file. Methods raise StudioError, one sentence each, also where another program holds it.

    `wait_s`: seconds to wait for such a program; short, for those who look on.
    """

    def __init__(self, path: Path, wait_s: float = 0.5) -> None:
        self._path = path
        self._engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": wait_s})

    def load(self) -> Studio:
        """The studio in the file; the defaults where there is none. Raises StudioError for any unusable value."""
        studio, unusable = self.load_usable()
        if unusable:
            raise StudioError(f"The studio file “{self._path}” holds unusable values: {', '.join(unusable)}.")
        return studio

    def load_usable(self) -> tuple[Studio, tuple[str, ...]]:
        """The studio with every value that can be used, and what cannot: setting by setting, packing by packing.

        Raises StudioError where the file as a whole cannot be read.
        """
        if not self._path.exists():
            return Studio(), ()
        with self.connection() as connection:
            known = select(SETTINGS).where(SETTINGS.c.key.in_(_KEPT))
            # In a damaged file an index may say another key than the row.
            settings = {str(key): value for key, value in connection.execute(known) if key in _KEPT}
            packings = connection.execute(select(PACKINGS.c.name, PACKINGS.c.value).limit(STUDIO_ROWS)).all()
        unusable = [key.replace("_", " ") for key, value in settings.items() if not _is_usable_setting(key, value)]
        unusable += [f"packing “{name[:60]}”" for name, value in packings if not _is_usable_packing(name, value)]
        usable = {key: json.loads(value) for key, value in settings.items() if _is_usable_setting(key, value)}
        named = [json.loads(value) for name, value in packings if _is_usable_packing(name, value)]
        return Studio.model_validate({**usable, "packings": named}), tuple(unusable)

    @staticmethod
    def setting(connection: Connection, key: str) -> Any:
        """A setting as it is kept, the usual one where there is none that can be used."""
        value = connection.execute(select(SETTINGS.c.value).where(SETTINGS.c.key == key)).scalar()
        if value is None or not _is_usable_setting(key, value):
            return getattr(Studio(), key)
        return getattr(Studio.model_validate({key: json.loads(value)}), key)

    def save(self, studio: Studio, before: Studio | None = None) -> Studio:
        """Keep the settings that differ from `before`, all where that is not given; the studio as it is kept then.

        What another window changed meanwhile stays. Where something in the file cannot be read, the file is first
        copied aside whole. Packings are kept by `save_packing`.
        """
        self._set_damaged_aside()
        changed = [key for key in _KEPT if before is None or getattr(studio, key) != getattr(before, key)]
        values = studio.model_dump(mode="json", include=set(changed))
        with self.connection() as connection:
            for key in changed:
                put(connection, SETTINGS, "key", key, json.dumps(values[key]))
        return self.load_usable()[0]

    def _set_damaged_aside(self) -> None:
        """Copy a file with unusable values aside whole and take those out; move one that is no database aside."""
        if not self._path.exists():
            return
        aside = self._path.with_name(f"{self._path.stem}-damaged-{time.strftime('%Y%m%d-%H%M%S')}{self._path.suffix}")
        try:
            try:
                unusable = self.load_usable()[1]
            except StudioError as error:
                # Locked or made by a newer version it is left alone; malformed it makes room for a new one.
                if type(error.__cause__) is not DatabaseError:
                    raise
                os.replace(self._path, aside)
                return
            if unusable:
                shutil.copy2(self._path, aside)
                self._forget_unusable()
        except OSError as error:
            raise StudioError(f"The studio file “{self._path}” is damaged and cannot be copied aside.") from error

    def _forget_unusable(self) -> None:
        """Take out what cannot be used; it lives on in the copy."""
        with self.connection() as connection:
            for table, key, is_usable in (
                (SETTINGS, "key", _is_usable_setting),
                (PACKINGS, "name", _is_usable_packing),
            ):
                for name, value in connection.execute(select(table.c[key], table.c.value)).all():
                    if not is_usable(name, value):
                        connection.execute(delete(table).where(table.c[key] == name))

    def save_packing(self, packing: NamedPacking, stacks: Sequence[TestStack]) -> None:
        """Keep a measured packing with the stacks it was fitted to, in place of one of that name."""
        with self.connection() as connection:
            connection.execute(delete(STACKS).where(STACKS.c.packing == packing.name))
            put(connection, PACKINGS, "name", packing.name, packing.model_dump_json())
            rows = [{"packing": packing.name, **dataclasses.asdict(stack)} for stack in stacks]
            if rows:
                connection.execute(insert(STACKS), rows)

    def remove_packing(self, name: str) -> None:
        """Forget a packing and its stacks."""
        with self.connection() as connection:
            connection.execute(delete(STACKS).where(STACKS.c.packing == name))
            connection.execute(delete(PACKINGS).where(PACKINGS.c.name == name))

    def stacks_of(self, name: str) -> list[TestStack]:
        """The test stacks a packing was fitted to, in the order they were measured."""
        with self.connection() as connection:
            return _stacks_of(connection, name)

    def outlines(self) -> list[PointsOutline]:
        """The collection of outlines, by name. Damaged entries are left out."""
        outlines = []
        with self.connection() as connection:
            kept = select(OUTLINES.c.value).order_by(OUTLINES.c.name).limit(STUDIO_ROWS)
            for value in connection.execute(kept).scalars():
                with suppress(ValueError, TypeError):
                    outlines.append(PointsOutline.model_validate_json(value))
        return outlines

    def save_outline(self, outline: PointsOutline) -> None:
        """Keep an outline under its name, in place of one of that name."""
        if not outline.name:
            raise StudioError("An outline needs a name to be kept.")
        with self.connection() as connection:
            kept = set(connection.scalars(select(OUTLINES.c.name)))
            if outline.name not in kept and len(kept) >= STUDIO_OUTLINES:
                raise StudioError(f"The collection holds at most {STUDIO_OUTLINES} outlines; remove one first.")
            put(connection, OUTLINES, "name", outline.name, outline.model_dump_json())

    def remove_outline(self, name: str) -> None:
        """Take an outline out of the collection."""
        with self.connection() as connection:
            connection.execute(delete(OUTLINES).where(OUTLINES.c.name == name))

    @contextmanager
    def connection(self) -> Iterator[Connection]:
        """One transaction on the file, made where it is missing. Raises StudioError."""
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            if self._path.exists() and not self._path.is_file():
                raise StudioError(f"The studio file “{self._path}” is not a file.")
            if self._path.exists() and self._path.stat().st_size > STUDIO_BYTES:
                raise StudioError(f"The studio file “{self._path}” is too large to be ours; it was left alone.")
            with self._engine.begin() as connection:
                _bound(connection)
                _check_tables(connection, self._path)
                _brought_up_to_date(connection, self._path)
                yield connection
        except OperationalError as error:
            told = "is held by another program" if "locked" in str(error) else "cannot be used; it was left as it is"
            raise StudioError(f"The studio file “{self._path}” {told}.") from error
        except (SQLAlchemyError, OSError, ValueError, TypeError, RecursionError) as error:
            raise StudioError(f"The studio file “{self._path}” cannot be used; it was left as it is.") from error
        finally:
            self._engine.dispose()


def _bound(connection: Connection) -> None:
    """Have SQLite give up on what would take for ever or hold too much, whatever is in the file."""
    sqlite = connection.connection.driver_connection
    assert isinstance(sqlite, sqlite3.Connection)
    steps = iter(range(STUDIO_STEPS // _STEPS_AT_ONCE))
    sqlite.set_progress_handler(lambda: next(steps, None) is None, _STEPS_AT_ONCE)
    sqlite.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, STUDIO_VALUE_BYTES)


def _check_tables(connection: Connection, path: Path) -> None:
    """Views and triggers would run what somebody else wrote. Raises StudioError where there are any."""
    if connection.execute(text("SELECT 1 FROM sqlite_master WHERE type IN ('view', 'trigger') LIMIT 1")).first():
        raise StudioError(f"The studio file “{path}” holds more than tables; it was left alone.")


def _brought_up_to_date(connection: Connection, path: Path) -> None:
    """Make missing tables and take the steps from the file's schema version to ours. Raises StudioError."""
    version = _version(connection)
    if version > SCHEMA_VERSION:
        raise StudioError(f"The studio file “{path}” was made by a newer version of Kakushi; update to use it.")
    if version < SCHEMA_VERSION:
        # Two windows that open an old file at once take turns; the second finds it done.
        connection.execute(text("BEGIN IMMEDIATE"))
        version = _version(connection)
    if version >= SCHEMA_VERSION:
        return
    META.create_all(connection)
    for step in range(max(version, 1), SCHEMA_VERSION):
        MIGRATIONS[step](connection)
    connection.execute(text(f"PRAGMA user_version = {SCHEMA_VERSION}"))


def _version(connection: Connection) -> int:
    return int(connection.execute(text("PRAGMA user_version")).scalar_one())


def _fillers_are_clusters(connection: Connection) -> None:
    """Version 2: rules count fillers as clusters, as parts are called."""
    value = connection.execute(select(SETTINGS.c.value).where(SETTINGS.c.key == "rules")).scalar()
    try:
        rules = json.loads(value) if value else None
    except ValueError:
        return
    if isinstance(rules, list):
        renamed = [
            {**rule, "per": "cluster"} if isinstance(rule, dict) and rule.get("per") == "filler" else rule
            for rule in rules
        ]
        put(connection, SETTINGS, "key", "rules", json.dumps(renamed))


def _packings_of_the_law_of_rubber_necks(connection: Connection) -> None:
    """Version 3: test stacks say how rows were held; packings are fitted again, to the law with rubber necks."""
    if "joint" not in {row[1] for row in connection.execute(text("PRAGMA table_info(test_stack)"))}:
        held_by = f"ADD COLUMN joint VARCHAR NOT NULL DEFAULT '{JointKind.WRAPPED.value}'"
        connection.execute(text(f"ALTER TABLE test_stack {held_by}"))
    held = case((STACKS.c.pole_radius > 0, JointKind.WRAPPED.value), else_=JointKind.LINE_EIGHT.value)
    connection.execute(update(STACKS).values(joint=held))
    for name, value in connection.execute(select(PACKINGS.c.name, PACKINGS.c.value)).all():
        if not _is_usable_packing(name, value):
            continue
        former = NamedPacking.model_validate_json(value)
        fitted = fitted_again(former.tau, former.slack, _stacks_of(connection, name))
        again = replace(
            former,
            tau=fitted.tau,
            slack=fitted.slack,
            tau_sd=fitted.tau_sd,
            slack_sd=fitted.slack_sd,
            height_percent=fitted.height_percent,
            joint=fitted.joint,
        )
        put(connection, PACKINGS, "name", name, again.model_dump_json())


MIGRATIONS: Mapping[int, Callable[[Connection], None]] = {
    1: _fillers_are_clusters,
    2: _packings_of_the_law_of_rubber_necks,
    # Version 4 has tables for the log, which are made as all missing ones are.
    3: lambda _connection: None,
}
"""From each older schema version, the step to the next one."""


def _stacks_of(connection: Connection, name: str) -> list[TestStack]:
    columns = [STACKS.c[field.name] for field in dataclasses.fields(TestStack)]
    rows = connection.execute(select(*columns).where(STACKS.c.packing == name).order_by(STACKS.c.id))
    return [TestStack(**{**row, "joint": JointKind(row["joint"])}) for row in rows.mappings()]


def _is_usable_setting(key: str, value: str) -> bool:
    """Whether a value can be that setting; settings of other versions are nobody's concern."""
    try:
        Studio.model_validate({key: json.loads(value)} if key in _KEPT else {})
    except (ValueError, TypeError, RecursionError):
        return False
    return True


def _is_usable_packing(_name: str, value: str) -> bool:
    try:
        NamedPacking.model_validate_json(value)
    except (ValueError, TypeError, RecursionError):
        return False
    return True


def put(connection: Connection, table: Table, key: str, name: str, value: str) -> None:
    """Keep a value under a name, in place of the one there."""
    connection.execute(delete(table).where(table.c[key] == name))
    values: dict[str, Any] = {key: name, "value": value}
    connection.execute(insert(table), values)


class LoadedStudio(NamedTuple):
    """A studio, and a sentence about what went wrong, "" when nothing did; whether it stands in for another one."""

    studio: Studio
    problem: str = ""
    is_stand_in: bool = False


def load_studio(path: Path) -> LoadedStudio:
    """The studio in a file; the usual one stands in where the file cannot be read."""
    if not path.exists():
        return LoadedStudio(Studio())
    try:
        studio, unusable = StudioStore(path).load_usable()
    except StudioError as error:
        return LoadedStudio(Studio(), f"{error} Working with the usual sizes.", is_stand_in=True)
    if not unusable:
        return LoadedStudio(studio)
    problem = (
        f"The studio file “{path}” holds unusable values: {', '.join(unusable)}. The usual ones stand in for them; "
        "the file is copied aside before anything is kept."
    )
    return LoadedStudio(studio, problem)


def with_packing(studio: Studio, packing: NamedPacking) -> Studio:
    """The studio with a packing added or put in place of one of its name."""
    others = tuple(p for p in studio.packings if p.name != packing.name)
    return replace(studio, packings=(*others, packing))


def without_packing(studio: Studio, name: str) -> Studio:
    """The studio without the packing of that name."""
    return replace(studio, packings=tuple(p for p in studio.packings if p.name != name))
