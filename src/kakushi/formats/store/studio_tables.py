"""The tables of the studio's file."""

from __future__ import annotations

from sqlalchemy import Column, Float, ForeignKey, Integer, MetaData, String, Table

from kakushi.model.joints import JointKind

META = MetaData()
SETTINGS = Table("setting", META, Column("key", String, primary_key=True), Column("value", String, nullable=False))
PACKINGS = Table("packing", META, Column("name", String, primary_key=True), Column("value", String, nullable=False))
STACKS = Table(
    "test_stack", META,
    Column("id", Integer, primary_key=True),
    Column("packing", String, ForeignKey("packing.name", ondelete="CASCADE"), nullable=False),
    Column("rows", Integer, nullable=False), Column("count", Integer, nullable=False),
    Column("nominal_in", Float, nullable=False), Column("diameter", Float, nullable=False),
    Column("height", Float, nullable=False), Column("width", Float), Column("pole_radius", Float, nullable=False),
    Column("joint", String, nullable=False, default=JointKind.WRAPPED.value),
)  # fmt: skip
OUTLINES = Table("outline", META, Column("name", String, primary_key=True), Column("value", String, nullable=False))
ENTRIES = Table(
    "log_entry", META,
    Column("id", Integer, primary_key=True, autoincrement=True), Column("key", String, nullable=False, unique=True),
    Column("date", String, nullable=False, index=True), Column("job", String, nullable=False),
    Column("pieces", String, nullable=False), Column("copies", Integer, nullable=False),
    Column("planned_mm", Float), Column("height_mm", Float), Column("balloons", Integer, nullable=False),
    Column("popped", Integer, nullable=False), Column("planned_minutes", Float, nullable=False),
    Column("minutes", Float, nullable=False), Column("cost", Float, nullable=False),
    Column("price", Float, nullable=False), Column("currency", String, nullable=False),
    Column("value", String, nullable=False),
)  # fmt: skip


def _of_entry() -> Column[int]:
    return Column("entry", Integer, ForeignKey("log_entry.id", ondelete="CASCADE"), nullable=False, index=True)


POPS = Table(
    "log_pop", META,
    _of_entry(),
    Column("nominal_in", Float, nullable=False), Column("finish", String, nullable=False),
    Column("place", String, nullable=False), Column("fill", String, nullable=False),
    Column("used", Integer, nullable=False), Column("popped", Integer, nullable=False),
)  # fmt: skip
RATIOS = Table(
    "log_ratio", META,
    _of_entry(),
    Column("of", String, nullable=False), Column("kind", String, nullable=False),
    Column("who", String, nullable=False), Column("logarithm", Float, nullable=False),
)  # fmt: skip
RESETS = Table("log_reset", META, Column("rate", String, primary_key=True), Column("after", Integer, nullable=False))
