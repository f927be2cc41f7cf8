"""The stages in working order. A new one is a folder beside this file and a line here."""

from __future__ import annotations

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.stage import Stage
from kakushi.model.groups import rows_groups


def _named(document: Document, is_missing: list[bool], words: str) -> str:
    """“words: names”, of the pieces where something is missing."""
    names = [piece.name for piece, missing in zip(document.job.pieces, is_missing, strict=True) if missing]
    return f"{words}: {', '.join(names)}" if names else ""


def _needs_date(document: Document) -> str:
    return "" if document.job.brief.event_date else "No date yet"


def _needs_rows(document: Document) -> str:
    pieces = document.job.pieces
    empty = [not piece.rows and all(not getattr(group, "slots", ()) for group in piece.groups) for piece in pieces]
    return _named(document, empty, "No rows yet")


def _needs_colour(document: Document) -> str:
    return _named(
        document,
        [bool(rows_groups(piece.groups)) and not piece.layers for piece in document.job.pieces],
        "No colours yet",
    )


def _needs_pole(document: Document) -> str:
    frames = [piece.frame for piece in document.job.pieces]
    return _named(document, [frame.has_pole and not frame.pole_length_mm for frame in frames], "No pole length yet")


def _needs_inflator(document: Document) -> str:
    return "" if document.studio.inflators else "No inflator is calibrated yet"


STAGES = (
    Stage("brief", "What, when, where", "brief", _needs_date),
    Stage("shape", "Height, outline, rows", "shape", _needs_rows),
    Stage("colour", "Palette and pattern", "colour", _needs_colour),
    Stage("dress", "What shows, and what hides it", "dress"),
    Stage("stand", "Frame, balance, wind", "stand", _needs_pole),
    Stage("supplies", "What to buy, and the price", "supplies"),
    Stage("prep", "Inflate and tie", "prep", _needs_inflator),
    Stage("build", "One step at a time", "building"),
    Stage("check", "A photograph against the plan", "check"),
    Stage("log", "What it really took", "log"),
)


def key_of(index: int) -> str:
    """The key of a stage by its place: Alt+1 to Alt+9, Alt+0 for the tenth; "" for more, which are clicked."""
    return f"Alt+{(index + 1) % 10}" if index < 10 else ""
