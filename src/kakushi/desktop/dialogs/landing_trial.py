"""Landing trial: wrap one cluster of all-different colours your own way and click where each landed."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QWidget

from kakushi.colour.landing import crossed_groups, laid_groups, usual_landing
from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.form import options
from kakushi.desktop.forms.typed import count_field
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import draw_focus, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.catalogue import Studio, TaughtLanding
from kakushi.model.piece import LandingSchool
from kakushi.model.values import replace

_RING, _BALLOON, _POLE = 78.0, 28.0, 11.0


class PlacesFromAbove(QWidget):
    """The places round the pole from above; click them in the order of the balloons' numbers."""

    changed = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.count = 4
        self.taken: list[int] = []
        self._cursor = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Places round the pole, seen from above")
        self.setFixedSize(self.sizeHint())

    def sizeHint(self) -> QSize:
        return QSize(270, 262)

    def begin(self, count: int) -> None:
        """Show empty places for a number of balloons."""
        self.count, self.taken, self._cursor = count, [], 0
        self._tell()

    def take_back(self) -> None:
        """Forget the last click."""
        if self.taken:
            self.taken.pop()
            self._tell()

    def _tell(self) -> None:
        self.setAccessibleDescription(f"{len(self.taken)} of {self.count} balloons placed.")
        self.update()
        self.changed.emit()

    def middle_of(self, place: int) -> QPointF:
        """Where a place is drawn: you stand at the bottom, the gap for the pole faces you, at the back of the cluster.

        Place 0 is the first anticlockwise of that gap.
        """
        angle = 2 * math.pi * (place + 0.5) / self.count + math.pi
        return QPointF(self.width() / 2 + _RING * math.sin(angle), self.height() / 2 - 8 + _RING * math.cos(angle))

    def put(self, place: int) -> None:
        """The next balloon landed at a place."""
        if place not in self.taken and len(self.taken) < self.count:
            self.taken.append(place)
            self._tell()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre = QPointF(self.width() / 2, self.height() / 2 - 8)
        painter.setPen(QPen(theme.colour("ink"), 1))
        painter.setBrush(theme.colour("quiet"))
        painter.drawEllipse(centre, _POLE, _POLE)
        radius = min(_BALLOON, 0.9 * _RING * math.sin(math.pi / max(self.count, 3)))
        for place in range(self.count):
            middle = self.middle_of(place)
            is_here = self.hasFocus() and place == self._cursor
            painter.setPen(QPen(theme.colour("accent" if is_here else "ink"), 3 if is_here else 1.2))
            painter.setBrush(theme.colour("accent_soft") if place in self.taken else QColor(theme.field))
            painter.drawEllipse(middle, radius, radius)
            if place in self.taken:
                painter.setPen(theme.colour("ink"))
                painter.setFont(scaled(self.font(), 1.2, bold=True))
                box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(self.taken.index(place) + 1))
        painter.setFont(self.font())
        painter.setPen(theme.colour("quiet"))
        box = QRectF(0, self.height() - 22, self.width(), 20)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "you stand here")
        box.moveTop(0)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "the gap that took the pole")
        draw_focus(painter, self, theme)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for place in range(self.count):
            offset = event.position() - self.middle_of(place)
            if math.hypot(offset.x(), offset.y()) <= _BALLOON:
                self.put(place)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._cursor = (self._cursor + (1 if event.key() == Qt.Key.Key_Right else -1)) % self.count
            self.update()
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.put(self._cursor)
        elif event.key() == Qt.Key.Key_Backspace:
            self.take_back()
        else:
            super().keyPressEvent(event)


class LandingTrialDialog(Dialog):
    """Teaches the studio how clusters land in one sculptor's hands; `keep` stores changed settings of it, by name."""

    def __init__(
        self,
        studio: Studio,
        school: LandingSchool,
        keep: Callable[..., None],
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__("Landing trial: how a cluster lands in your hands", parent)
        self.studio, self._keep = studio, keep
        self._school = Choices("How clusters are brought to the pole", options(LandingSchool))
        self._school.set_value(school)
        self._count = count_field("Balloons in the cluster", 3, 8, " balloons")
        self._count.set_value(4)
        self._locked = QCheckBox("With the lock")
        self.places = PlacesFromAbove(theme)
        self._how, self._asked = quiet(), Label()
        self._asked.setProperty("role", "heading")
        self._asked.setWordWrap(True)
        self._back, self._again = (
            tip_button("Back", "Forgets the last click"),
            tip_button("Begin again", "Empties all places"),
        )
        self._forget = tip_button("Forget it", "The derivation is used again")
        fields = form()
        fields.addRow("School", self._school)
        fields.addRow("Cluster", self._count)
        fields.addRow("", self._locked)
        self.column.addLayout(fields)
        self.column.addWidget(self._how)
        self.column.addWidget(self._asked)
        self.column.addWidget(self.places, 0, Qt.AlignmentFlag.AlignHCenter)
        line = QHBoxLayout()
        for button in (self._back, self._again, self._forget):
            line.addWidget(button)
        line.addStretch(1)
        self.column.addLayout(line)
        self.keep_button = self.add_main(
            "Keep and write all cards from it", "The studio remembers how clusters land in your hands"
        )
        self.add_close()
        self._school.chosen.connect(lambda _: self._begin())
        self._count.entered.connect(lambda _: self._begin())
        self._count.problem.connect(self.say)
        self._locked.toggled.connect(lambda _: self._begin())
        self._back.clicked.connect(lambda _: self.places.take_back())
        self._again.clicked.connect(lambda _: self._begin())
        self._forget.clicked.connect(lambda _: self._on_forget())
        self.places.changed.connect(self._show)
        self.keep_button.clicked.connect(lambda _: self._on_keep())
        self._begin()
        self.open_at(480, 600)

    @property
    def _chosen(self) -> tuple[LandingSchool, int, bool]:
        return self._school.value, self._count.value, self._locked.isChecked()

    def _begin(self) -> None:
        self.places.begin(self._count.value)

    def _show(self) -> None:
        school, count, locked = self._chosen
        laid = school is LandingSchool.DUPLETS_LAID_ON
        groups = laid_groups(count) if laid else crossed_groups(count)
        tied = ", ".join(" + ".join(str(number + 1) for number in group) for group in groups)
        done = len(self.places.taken)
        crossed = f"Cross them: 1 to {count} anticlockwise from above. Pole between {count} and 1"
        wrap = "Lay them on side by side" if laid else crossed
        self._how.setText(
            f"Number {count} balloons of different colours. Tie together {tied}. {wrap}; then wrap your own way."
        )
        self._asked.setText(
            f"Where did balloon {done + 1} land? Click its place, seen from above." if done < count else self._found()
        )
        self._back.setEnabled(bool(done))
        self._forget.setEnabled(self.studio.landing(school.value, count, locked) is not None)
        self.keep_button.setEnabled(done == count)

    def _order(self) -> tuple[int, ...]:
        """Balloon at each place."""
        return tuple(self.places.taken.index(place) for place in range(self.places.count))

    def _found(self) -> str:
        school, count, _ = self._chosen
        for turns in (1, 2):
            if self._order() == usual_landing(school, count, turns).order:
                return f"As our derivation says for {turns} half turn{'s' if turns > 1 else ''}."
        return "Your hands differ from our derivation: keep this, and the cards will be yours."

    def _on_keep(self) -> None:
        school, count, locked = self._chosen
        taught = TaughtLanding(school=school.value, count=count, locked=locked, order=self._order())
        self._store((*self._others(), taught))
        self.accept()

    def _on_forget(self) -> None:
        self._store(self._others())
        self._show()

    def _others(self) -> tuple[TaughtLanding, ...]:
        school, count, locked = self._chosen
        return tuple(t for t in self.studio.landings if (t.school, t.count, t.locked) != (school.value, count, locked))

    def _store(self, landings: tuple[TaughtLanding, ...]) -> None:
        self._keep(landings=landings)
        self.studio = replace(self.studio, landings=landings)
