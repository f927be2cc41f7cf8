"""What a click on a balloon does while colouring: the tool in hand and its colour."""

from __future__ import annotations

from enum import Enum

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.colour.fill import SlotAt, helix
from kakushi.desktop.document.document import Document
from kakushi.model.layers import Hand
from kakushi.session import colour_edits


class Tool(Enum):
    """Tools: what they paint, in words."""

    BRUSH = "one balloon"
    ROW = "the whole row"
    HELIX_RIGHT = "a right-hand spiral"
    HELIX_LEFT = "a left-hand spiral"
    PICK = "pick a colour"
    ERASE = "back to the pattern"


class Brush(QObject):
    """One brush for skin, panel and keys."""

    changed = pyqtSignal()

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._tool = Tool.BRUSH
        self._colour = ""
        self._stroke = 0
        self._done: set[SlotAt] = set()

    @property
    def tool(self) -> Tool:
        """The tool in hand."""
        return self._tool

    @property
    def colour(self) -> str:
        """Key of the colour on the brush; always one of the palette."""
        palette = self._document.job.palette
        return self._colour if any(c.key == self._colour for c in palette) else palette[0].key

    def take(self, tool: Tool) -> None:
        """Take another tool."""
        if tool is not self._tool:
            self._tool = tool
            self.changed.emit()

    def dip(self, colour: str) -> None:
        """Put a colour on the brush."""
        if colour != self._colour:
            self._colour = colour
            self.changed.emit()

    def begin(self) -> None:
        """A new stroke: what follows until the next one is undone together."""
        self._stroke += 1
        self._done.clear()

    def touch(self, row: int, slot: int) -> None:
        """Use the tool on a balloon (row and slot from 0)."""
        piece_plan, piece = self._document.piece_plan, self._document.piece
        if piece_plan is None or piece is None or (row, slot) in self._done:
            return
        if self._tool is Tool.PICK:
            self.dip(piece_plan.colouring[row][slot])
            self.take(Tool.BRUSH)
            return
        meant = self._slots(row, slot)
        self._done.update(meant)
        colour = None if self._tool is Tool.ERASE else self.colour
        # The plan that is shown may lag behind the job: what is meant are the balloons that are seen.
        shown, counts = piece_plan.piece.rows, {row.key: row.count for row in piece.rows}
        colours = {(shown[r].key, s): colour for r, s in meant if s < counts.get(shown[r].key, 0)}
        self._document.apply(colour_edits.paint(piece.key, colours, (id(self), self._stroke)))

    def _slots(self, row: int, slot: int) -> list[SlotAt]:
        piece_plan = self._document.piece_plan
        assert piece_plan is not None
        match self._tool:
            case Tool.ROW:
                return [(row, s) for s in range(piece_plan.surface.counts[row])]
            case Tool.HELIX_RIGHT:
                return helix(piece_plan.surface, row, slot, Hand.RIGHT)
            case Tool.HELIX_LEFT:
                return helix(piece_plan.surface, row, slot, Hand.LEFT)
            case _:
                return [(row, slot)]
