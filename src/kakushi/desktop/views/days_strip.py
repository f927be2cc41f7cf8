"""The days until it must stand as a strip: a lane for each person, one for what waits; tasks are dragged."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from kakushi.building.tasks import Schedule, ScheduledTask
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.task_icons import task_icon
from kakushi.desktop.widgets.painting import draw_focus
from kakushi.desktop.widgets.theme import Theme
from kakushi.session.day_edits import pin_task
from kakushi.words.schedule import line_words, short_words, task_words
from kakushi.words.wording import clock, when

_STEP = dt.timedelta(minutes=15)
"""Step by which tasks are dragged."""
_NIGHT = 0.18
"""Width of a night relative to a working day."""
_ICON_GAP_PX = 3
"""Space between an icon and its words."""
_DRAGGED_PX = 4.0
"""Movement, px, from which a press is a drag."""


@dataclass(frozen=True, slots=True)
class _Axis:
    """Times across the strip: working days side by side, nights between them narrow."""

    first: dt.date
    days: int
    from_hour: float
    to_hour: float
    left: float
    wide: float

    @property
    def _unit(self) -> float:
        return self.wide / (self.days + (self.days - 1) * _NIGHT)

    def x(self, at: dt.datetime) -> float:
        """Position of a time, px."""
        day = (at.date() - self.first).days
        hour = at.hour + at.minute / 60
        work = self.to_hour - self.from_hour
        inside = min(max((hour - self.from_hour) / work, 0.0), 1.0)
        night = 0.0
        if hour > self.to_hour:
            night = (hour - self.to_hour) / (24 - work) * _NIGHT
        elif hour < self.from_hour:
            night = -(self.from_hour - hour) / (24 - work) * _NIGHT
        return self.left + (day * (1 + _NIGHT) + inside + night) * self._unit

    def time(self, x: float) -> dt.datetime:
        """The working time at a place, to the quarter of an hour."""
        at = min(max((x - self.left) / self._unit, 0.0), self.days * (1 + _NIGHT))
        day = min(int(at // (1 + _NIGHT)), self.days - 1)
        inside = min(at - day * (1 + _NIGHT), 1.0)
        minutes = (self.from_hour + inside * (self.to_hour - self.from_hour)) * 60
        rounded = round(minutes / 15) * 15
        return dt.datetime.combine(self.first + dt.timedelta(days=day), dt.time()) + dt.timedelta(minutes=rounded)


class DaysStrip(QWidget):
    """`chosen`: another task is looked at."""

    chosen = pyqtSignal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self._selected: str | None = None
        self._drag: tuple[str, float, float] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Days until it must stand")
        document.scheduler.changed.connect(self._on_schedule)

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self._theme = theme
        self.update()

    def _on_schedule(self) -> None:
        schedule = self._document.scheduler.schedule
        words = "; ".join(f"{when(p.start)}: {task_words(p.task)}" for p in schedule.tasks) if schedule else ""
        self.setAccessibleDescription(words[:2000])
        self.updateGeometry()
        self.update()

    @property
    def _lane(self) -> float:
        return self.fontMetrics().height() + 8.0

    def sizeHint(self) -> QSize:
        return QSize(400, round(self._lanes * self._lane + 2.4 * self.fontMetrics().height()))

    @property
    def _schedule(self) -> Schedule | None:
        return self._document.scheduler.schedule

    def _axis(self, schedule: Schedule) -> _Axis:
        days = self._document.job.days
        first = schedule.start.date()
        count = min(max((schedule.deadline.date() - first).days + 1, 1), 60)
        left = float(self.fontMetrics().horizontalAdvance("waits") + 12)
        return _Axis(first, count, days.from_hour, days.to_hour, left, max(self.width() - left - 8.0, 50.0))

    def _box(self, placed: ScheduledTask, axis: _Axis) -> QRectF:
        top = self.fontMetrics().height() * 1.3
        waits = self._document.job.days.people
        lane = placed.people[0] - 1 if placed.people else waits + self._wait_lanes().get(placed.task.key, 0)
        x, end = axis.x(placed.start), axis.x(placed.end)
        return QRectF(x, top + lane * self._lane + 2, max(end - x, 3.0), self._lane - 4)

    def _wait_lanes(self) -> dict[str, int]:
        """Lanes of what waits, by key, from 0: what overlaps in time lies in lanes of its own."""
        lanes: dict[str, int] = {}
        ends: list[dt.datetime] = []
        for placed in self._schedule.tasks if self._schedule else ():
            if not placed.people:
                lane = next((k for k, end in enumerate(ends) if end <= placed.start), len(ends))
                ends[lane : lane + 1] = [placed.end]
                lanes[placed.task.key] = lane
        return lanes

    @property
    def _lanes(self) -> int:
        """Lanes in all: one for each person, and at least one for what waits."""
        return self._document.job.days.people + max(self._wait_lanes().values(), default=0) + 1

    # --- drawing --------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, schedule = QPainter(self), self._schedule
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if schedule is None:
            painter.setPen(self._theme.colour("quiet"))
            words = self._document.scheduler.reason or "The days are being worked out…"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)
        else:
            self._paint(painter, schedule, self._axis(schedule))
        draw_focus(painter, self, self._theme)
        painter.end()

    def _paint(self, painter: QPainter, schedule: Schedule, axis: _Axis) -> None:
        theme, metrics = self._theme, self.fontMetrics()
        lanes, people = self._lanes, self._document.job.days.people
        top, bottom = metrics.height() * 1.3, metrics.height() * 1.3 + lanes * self._lane
        for day in range(axis.days):
            date = axis.first + dt.timedelta(days=day)
            morning = dt.datetime.combine(date, dt.time()) + dt.timedelta(hours=axis.from_hour)
            evening = dt.datetime.combine(date, dt.time()) + dt.timedelta(hours=axis.to_hour)
            box = QRectF(axis.x(morning), top, axis.x(evening) - axis.x(morning), bottom - top)
            painter.fillRect(box, theme.colour("field"))
            painter.setPen(theme.colour("quiet"))
            name = f"{date:%a} {date.day} {date:%b}"
            if metrics.horizontalAdvance(name) > box.width():
                name = str(date.day)
            head = QRectF(box.left(), 0, box.width(), top)
            painter.drawText(head, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        for lane in range(lanes):
            words = f"{lane + 1}" if lane < people else "waits" if lane == people else ""
            box = QRectF(0, top + lane * self._lane, axis.left - 8, self._lane)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        pinned = {pin.task for pin in self._document.job.days.pins}
        for number, placed in enumerate(schedule.tasks, 1):
            self._paint_task(painter, number, placed, self._box(placed, axis), placed.task.key in pinned)
        painter.setPen(QPen(theme.colour("warning"), 2))
        x = axis.x(schedule.deadline)
        painter.drawLine(QPointF(x, top - 3), QPointF(x, bottom + 3))
        painter.drawText(
            QRectF(0, bottom, x, metrics.height() * 1.2), Qt.AlignmentFlag.AlignRight,
            f"stands {clock(schedule.deadline)}",
        )  # fmt: skip

    def _paint_task(self, painter: QPainter, number: int, placed: ScheduledTask, box: QRectF, is_pinned: bool) -> None:
        """A task by its icon and its number in the list below, and its name where there is room for all of it."""
        theme = self._theme
        if self._drag is not None and self._drag[0] == placed.task.key:
            box = box.translated(self._drag[2] - self._drag[1], 0)
        is_chosen = placed.task.key == self._selected
        painter.setPen(QPen(theme.colour("ink" if is_chosen else "accent"), 2 if is_chosen else 1))
        painter.setBrush(theme.colour("line" if placed.task.is_wait else "accent_soft"))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(theme.colour("ink"))
        pin, side = "•" if is_pinned else "", self.fontMetrics().height()
        for words, drawn in (
            (f"{pin}{number} {short_words(placed.task)}", side), (f"{pin}{number}", side), ("", side), (f"{number}", 0),
        ):  # fmt: skip
            wide = self.fontMetrics().horizontalAdvance(words)
            gap = _ICON_GAP_PX if words and drawn else 0
            if drawn + gap + wide <= box.width() - 2:
                left = box.center().x() - (drawn + gap + wide) / 2
                if drawn:
                    at = QRectF(left, box.center().y() - drawn / 2, drawn, drawn).toAlignedRect()
                    task_icon(placed.task, theme.ink).paint(painter, at)
                text = QRectF(left + drawn + gap, box.top(), wide + 2, box.height())
                painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
                break

    # --- choosing and moving ----------------------------------------------------------------------

    def task_at(self, at: QPointF) -> ScheduledTask | None:
        """The task under a point."""
        schedule = self._schedule
        if schedule is None:
            return None
        axis = self._axis(schedule)
        return next(
            (p for p in reversed(schedule.tasks) if self._box(p, axis).adjusted(-1, 0, 1, 0).contains(at)), None
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        placed = self.task_at(event.position())
        self._choose(placed)
        if placed is not None:
            self._drag = placed.task.key, event.position().x(), event.position().x()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if not event.buttons():
            self._drag = None
        if self._drag is not None:
            self._drag = (self._drag[0], self._drag[1], event.position().x())
            self.update()
            return
        placed = self.task_at(event.position())
        QToolTip.showText(event.globalPosition().toPoint(), self.said(placed) if placed else "", self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag, schedule = self._drag, None, self._schedule
        if drag is not None and schedule is not None and abs(drag[2] - drag[1]) > _DRAGGED_PX:
            axis = self._axis(schedule)
            placed = next((p for p in schedule.tasks if p.task.key == drag[0]), None)
            if placed is not None:
                start = axis.time(axis.x(placed.start) + drag[2] - drag[1])
                self._document.apply(pin_task(drag[0], start))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        placed = self.task_at(event.position()) if event is not None else None
        if placed is not None:
            self._document.apply(pin_task(placed.task.key, None))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        schedule = self._schedule
        if event is None or schedule is None or not schedule.tasks:
            super().keyPressEvent(event)
            return
        keys = [placed.task.key for placed in schedule.tasks]
        index = keys.index(self._selected) if self._selected in keys else -1
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self._choose(schedule.tasks[(index + step) % len(keys)])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and index >= 0:
            by = _STEP if event.key() == Qt.Key.Key_Right else -_STEP
            self._document.apply(pin_task(keys[index], schedule.tasks[index].start + by))
        elif event.key() == Qt.Key.Key_Delete and index >= 0:
            self._document.apply(pin_task(keys[index], None))
        else:
            super().keyPressEvent(event)

    def _choose(self, placed: ScheduledTask | None) -> None:
        self._selected = placed.task.key if placed else None
        self.chosen.emit()
        self.update()

    @property
    def selected(self) -> str | None:
        """Key of the task that is looked at."""
        return self._selected

    def select(self, key: str) -> None:
        """Look at a task."""
        schedule = self._schedule
        self._choose(next((p for p in schedule.tasks if p.task.key == key), None) if schedule else None)

    def said(self, placed: ScheduledTask) -> str:
        """A task with its times, as the list says it."""
        schedule = self._schedule
        slack = schedule.slack(placed.task.key) if schedule else 0.0
        return line_words(placed, slack)
