"""The balloons of a ball, coloured one by one or so that no two alike touch."""

from __future__ import annotations

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QListWidget, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import ColourChooser
from kakushi.desktop.widgets.fields import chip_icon, form, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.dress.ball_colours import alike, colours_apart, touching
from kakushi.model.groups import BallGroup
from kakushi.packing.ball import BallGeometry
from kakushi.session import group_edits


class BallBox(QWidget):
    """The first ball of the selected piece."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._balloons = QListWidget()
        self._balloons.setAccessibleName("Balloons of the ball")
        self._balloons.setFixedHeight(self.fontMetrics().height() * 6)
        self._colour = ColourChooser("Colour of this balloon of the ball")
        self.apart = tip_button("No two alike touching", "Places the colours again, the same number of each")
        self._told = Label()
        self._told.setWordWrap(True)
        fields = form()
        fields.addRow("Colour", self._colour)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._balloons)
        column.addLayout(fields)
        column.addWidget(self.apart)
        column.addWidget(self._told)
        self._balloons.currentRowChanged.connect(lambda _: self._show_colour())
        self._colour.chosen.connect(self._on_colour)
        self.apart.clicked.connect(self._on_apart)

    @property
    def ball(self) -> tuple[int, BallGroup] | None:
        """The ball and its place among the groups."""
        piece = self._document.piece
        groups = enumerate(piece.groups) if piece else ()
        return next(((place, group) for place, group in groups if isinstance(group, BallGroup)), None)

    def _colours(self, group: BallGroup) -> list[str]:
        fallback = self._document.job.palette[0].key
        return [slot.colour or fallback for slot in group.slots]

    def _geometry(self, group: BallGroup) -> BallGeometry | None:
        piece_plan = self._document.piece_plan
        balls = piece_plan.assembly.balls if piece_plan else ()
        return balls[0] if balls and len(balls[0].radii) == len(group.slots) else None

    def _on_colour(self, key: str) -> None:
        piece, ball, chosen = self._document.piece, self.ball, self._balloons.currentRow()
        if piece and ball and 0 <= chosen < len(ball[1].slots):
            colours = self._colours(ball[1])
            colours[chosen] = key
            self._document.apply(group_edits.set_ball_colours(piece.key, ball[0], colours))

    def _on_apart(self) -> None:
        piece, ball = self._document.piece, self.ball
        geometry = self._geometry(ball[1]) if ball else None
        if piece and ball and geometry is not None:
            colours = colours_apart(self._colours(ball[1]), touching(geometry))
            self._document.apply(group_edits.set_ball_colours(piece.key, ball[0], colours))

    def refresh(self) -> None:
        """Show the ball's balloons."""
        ball = self.ball
        if ball is None:
            return
        kept, colours = max(self._balloons.currentRow(), 0), self._colours(ball[1])
        with QSignalBlocker(self._balloons):
            self._balloons.clear()
            for number, key in enumerate(colours, 1):
                colour = self._document.job.colour(key)
                self._balloons.addItem(f"{number}: {colour.name}")
                if (item := self._balloons.item(number - 1)) is not None:
                    item.setIcon(chip_icon(colour))
            self._balloons.setCurrentRow(min(kept, len(colours) - 1))
        geometry = self._geometry(ball[1])
        pairs = alike(colours, touching(geometry)) if geometry is not None else 0
        told = "1 pair of one colour touches." if pairs == 1 else f"{pairs} pairs of one colour touch."
        self._told.setText(told if pairs else "No two alike touch.")
        self._show_colour()

    def _show_colour(self) -> None:
        ball, chosen = self.ball, self._balloons.currentRow()
        if ball and 0 <= chosen < len(ball[1].slots):
            self._colour.show_colours(self._document.job.palette, self._colours(ball[1])[chosen])
