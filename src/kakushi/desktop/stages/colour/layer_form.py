"""The fields of a colour layer: one table per kind."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from itertools import groupby
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from kakushi.colour.lab import dark_first
from kakushi.colour.layer_table import kind_of
from kakushi.desktop.document.brush import Brush
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.form import (
    BoundForm,
    Control,
    Line,
    check,
    choice,
    colour,
    colours,
    options,
    push_button,
    slider,
)
from kakushi.desktop.widgets.fields import quiet
from kakushi.desktop.widgets.motif_grid import MotifGrid
from kakushi.model.layers import Band, ColourLayer, GradientLayer, Hand, MixLayer, MotifLayer, Share, Side
from kakushi.model.values import replace

_MOST_LANES = 12


def _lanes(spoken: str) -> Line:
    """Lanes as colours with widths: equal neighbours are one wide lane."""
    return colours(
        "lanes",
        spoken,
        1,
        6,
        lambda lanes: [(key, len(list(run))) for key, run in groupby(lanes)],
        lambda entries: tuple(key for key, wide in entries for _ in range(wide))[:_MOST_LANES],
        " wide",
        6,
    )


_BANDS = colours(
    "bands",
    "band",
    1,
    12,
    lambda bands: [(band.colour, band.rows) for band in bands],
    lambda entries: tuple(Band(colour=key, rows=rows) for key, rows in entries),
    " rows",
    200,
)
_SHARES = colours(
    "shares",
    "part",
    1,
    12,
    lambda shares: [(share.colour, max(round(share.parts), 1)) for share in shares],
    lambda entries: tuple(Share(colour=key, parts=parts) for key, parts in entries),
    " parts",
    100,
)


def _motif_cells(owner: BoundForm, line: Line) -> Control:
    assert isinstance(owner, MotifForm)
    grid = MotifGrid(lambda: owner.brush.colour)
    grid.drawn.connect(lambda cells: owner.give(line.name, cells))
    return Control(grid, lambda cells: grid.show_cells(cells, owner.document.job.palette))


_MOTIF = (
    Line("cells", "", _motif_cells, "Motif"),
    slider("columns", "Columns", 1, 32, spoken="Columns of the motif"),
    slider("lines", "Rows", 1, 32, spoken="Rows of the motif"),
    choice("side", "Laid on", options(Side)),
    slider("tall", "Height", suffix=" %", per=0.01),
    slider("middle", "Middle at", suffix=" %", per=0.01),
    slider("turn_deg", "Turned", suffix="°"),
    check("mirrored", "Mirrored"),
)
_LEAD = slider("lead", "Climbs", suffix=" half slots")
FORMS: Mapping[str, tuple[Line, ...]] = {
    "solid": (colour("colour", "Colour"),),
    "spiral": (
        choice("hand", "Hand", options(Hand, " hand")),
        _lanes("lane"),
        _LEAD,
        slider("reverse_every", "Turns back", high=40, suffix=" rows", zero="never"),
    ),
    "stripes": (_lanes("stripe"),),
    "bands": (_BANDS,),
    "rings": (
        colour("colour", "Colour"),
        slider("every", "Every", high=60, suffix=" rows"),
        slider("high", "Rows each", high=30),
        slider("first", "First at row", high=60),
    ),
    "checks": (
        colours("colours", "colour", 2, 6),
        slider("wide", "Slots wide", high=6),
        slider("high", "Rows high", high=30),
    ),
    "diamonds": (
        colours("colours", "colour", 1, 6),
        slider("around", "Round the piece", high=12),
        slider("high", "Rows tall", high=60),
        check("staggered", "Staggered"),
    ),
    "sizes": (
        colours("large", "large colour", 1, 6),
        colours("small", "small colour", 1, 6),
        slider("lead", "Moves on", high=9, suffix=" a row", zero="never"),
    ),
    "gradient": (colours("colours", "colour", 2, 6), check("dithered", "Balloon by balloon")),
    "mix": (_SHARES,),
    "motif": _MOTIF,
}
"""The fields of every kind of layer, in order. Sliders stop where more is of no use, below the model's limits."""


class MotifForm(BoundForm):
    """The fields of a motif, which is painted with the brush's colour."""

    def __init__(self, document: Document, brush: Brush) -> None:
        self.brush = brush
        super().__init__(document, _MOTIF, "Change motif")


class LayerForm(QWidget):
    """Fields for one layer; `edited` carries the layer as it is to be."""

    edited = pyqtSignal(object)
    problem = pyqtSignal(str)
    picture_wanted = pyqtSignal()
    raise_wanted = pyqtSignal(int)

    def __init__(self, document: Document, brush: Brush) -> None:
        super().__init__()
        self._document, self._brush = document, brush
        self._words = quiet()
        self._layer: ColourLayer | None = None
        self._forms: dict[str, BoundForm] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._words)

    def show_layer(self, layer: ColourLayer | None, place: int = 0) -> None:
        """Show the numbers of the layer at a place; nothing for None."""
        self._layer = layer
        self._words.setText(kind_of(layer).explained if layer else "")
        if layer is not None:
            extra: dict[str, Any] = {}
            if isinstance(layer, MotifLayer):
                extra = {"columns": len(layer.cells[0]), "lines": len(layer.cells)}
            self._form(layer.kind).show_value(layer, place=place, **extra)
        for kind, form in self._forms.items():
            form.setVisible(layer is not None and kind == layer.kind)

    def _form(self, kind: str) -> BoundForm:
        """The form of a kind of layer, made when the first such layer is shown."""
        if kind not in self._forms:
            is_motif = kind == "motif"
            form = (
                MotifForm(self._document, self._brush)
                if is_motif
                else BoundForm(self._document, FORMS[kind], f"Change {kind}")
            )
            for made in self._buttons(kind):
                form.rows.addRow("", made)
            form.changed.connect(self._on_changed)
            form.problem.connect(self.problem)
            self._forms[kind] = form
            if (column := self.layout()) is not None:
                column.addWidget(form)
        return self._forms[kind]

    def _buttons(self, kind: str) -> Sequence[QWidget]:
        if kind == "gradient":
            return (
                push_button("Dark foot", self._put_dark_foot, "Puts the colours in order, the darkest at the foot"),
            )
        if kind == "mix":
            return (push_button("Another mix", self._next_mix, "Draws lots again with the same shares"),)
        if kind == "motif":
            return (
                push_button("From a picture…", self.picture_wanted.emit, "Reads the motif from a PNG or JPEG"),
                push_button("Raise its balloons", partial(self.raise_wanted.emit, 1), "One size larger each"),
                push_button("Level them again", partial(self.raise_wanted.emit, -1), "One size smaller each"),
            )
        return ()

    def _on_changed(self, changes: dict[str, Any]) -> None:
        layer = self._layer
        if layer is None:
            return
        (name, value), *_ = changes.items()
        if isinstance(layer, MotifLayer) and name in ("columns", "lines"):
            changes = {"cells": _resized(layer.cells, **{name: value})}
        self.edited.emit(replace(layer, **changes))

    def _put_dark_foot(self) -> None:
        """Grade from the darkest colour at the foot."""
        if isinstance(self._layer, GradientLayer):
            self._on_changed({"colours": dark_first(self._layer.colours, self._document.job.palette)})

    def _next_mix(self) -> None:
        """Another mix of the same shares."""
        if isinstance(self._layer, MixLayer):
            self._on_changed({"seed": (self._layer.seed + 1) % 1_000_000})


def _resized(
    cells: tuple[tuple[str, ...], ...], columns: int | None = None, lines: int | None = None
) -> tuple[tuple[str, ...], ...]:
    """Resize cells to a number of columns and lines, new ones empty."""
    wide, high = columns or len(cells[0]), lines or len(cells)
    kept = [(*line[:wide], *("",) * (wide - len(line))) for line in cells[:high]]
    return (*kept, *(("",) * wide,) * (high - len(kept)))
