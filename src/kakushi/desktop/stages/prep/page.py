"""The inflation sheet as one works through it: what is next in large type, the list below, ticked off as work goes."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.document import Document
from kakushi.desktop.widgets.fields import chip_icon, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import restyle, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.units import format_diameter, format_nominal
from kakushi.model.workshop import Inflator
from kakushi.session import edits
from kakushi.words.sheet import advice_words, kind_words, used_for_words
from kakushi.words.wording import capital, hours_words
from kakushi.workshop.fill import FillAdvice
from kakushi.workshop.sheet import CoarseSetting, SheetLine, minutes_left

_ORDERS = ("largest first", "row order")
_HEADS = ("Ready", "Balloons", "Size", "Setting", "For", "Notes")
_SETTING = _HEADS.index("Setting")


class PrepPage(QWidget):
    """Inflation sheet with progress; Space or Enter ticks one duplet off."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.lines: tuple[SheetLine, ...] = ()
        title = Label("Inflation sheet")
        title.setProperty("role", "title")
        self._progress = Label()
        self._orders = QButtonGroup(self)
        self._next = Label()
        self._next.setWordWrap(True)
        self._how = Label()
        self._how.setWordWrap(True)
        self.one = QPushButton("One ready")
        self.one.setToolTip("One more duplet of this line is inflated and tied (Space)")
        self.whole = tip_button("Whole line ready", "All duplets of this line are inflated and tied")
        self.back = tip_button("Take one back", "One duplet of this line is not ready after all")
        self.table = QTableWidget()
        self._build(title)
        self._connect()

    def _build(self, title: QLabel) -> None:
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        for index, order in enumerate(_ORDERS):
            choice = QToolButton()
            choice.setText(order.capitalize())
            choice.setToolTip(f"The lines to inflate, {order}")
            choice.setCheckable(True)
            choice.setChecked(index == 0)
            self._orders.addButton(choice, index)
            head.addWidget(choice)
        self._next.setFont(scaled(self.font(), 1.7, bold=True))
        self._how.setFont(scaled(self.font(), 1.25))
        buttons = QHBoxLayout()
        self.one.setProperty("primary", True)
        self.one.setMinimumWidth(self.fontMetrics().horizontalAdvance("m") * 14)
        for button in (self.one, self.whole, self.back):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.table.setAccessibleName("Inflation sheet")
        self.table.setColumnCount(len(_HEADS))
        self.table.setHorizontalHeaderLabels(_HEADS)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.installEventFilter(self)
        self.table.setAlternatingRowColors(True)
        self.table.setIconSize(QSize(30, 20))
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        if (header := self.table.verticalHeader()) is not None:
            header.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 14, 20, 14)
        layout.setSpacing(8)
        layout.addLayout(head)
        layout.addWidget(self._progress)
        self._progress.setWordWrap(True)
        self._progress.setToolTip("Balloons are inflated two at a time, as the duplets they are tied in.")
        layout.addWidget(self._next)
        layout.addWidget(self._how)
        layout.addLayout(buttons)
        layout.addWidget(self.table, 1)

    def _connect(self) -> None:
        self._orders.idClicked.connect(lambda index: self._document.workshop.set_wishes(order=_ORDERS[index]))
        self.one.clicked.connect(lambda _: self._tick(1))
        self.back.clicked.connect(lambda _: self._tick(-1))
        self.whole.clicked.connect(lambda _: self._tick(None))
        self.table.currentCellChanged.connect(lambda *_: self._show_next())
        self._document.dossier_changed.connect(self._show_if_seen)
        self._document.job_changed.connect(self._show_progress)
        self._document.preferences_changed.connect(self._show_if_seen)

    def set_theme(self, theme: Theme) -> None:
        """Show in another theme."""
        self._theme = theme
        self._show_if_seen()

    def showEvent(self, event: object) -> None:
        self._show()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._show()

    # --- progress -------------------------------------------------------------------------------

    @property
    def line(self) -> SheetLine | None:
        """The line that is worked on."""
        row = self.table.currentRow()
        return self.lines[row] if 0 <= row < len(self.lines) else None

    def _done(self) -> dict[str, int]:
        return {done.line: done.count for done in self._document.job.done}

    def _tick(self, by: int | None) -> None:
        """Mark more of the line as ready (None for all), then move to the next that is not."""
        line = self.line
        if line is None:
            return
        now = min(self._done().get(line.key, 0), line.count)
        count = line.count if by is None else min(max(now + by, 0), line.count)
        if count != now:
            self._document.apply(edits.set_done(line.key, count))
        if count == line.count and (by is None or by > 0):
            self._to_next_open()

    def _to_next_open(self) -> None:
        done = self._done()
        rows = [*range(self.table.currentRow() + 1, len(self.lines)), *range(len(self.lines))]
        for row in rows:
            line = self.lines[row]
            if done.get(line.key, 0) < line.count:
                self.table.setCurrentCell(row, 0)
                return
        self._show_next()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space and Enter on the list tick off, instead of selecting."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            by = {Qt.Key.Key_Space: 1, Qt.Key.Key_Return: 1, Qt.Key.Key_Enter: 1, Qt.Key.Key_Backspace: -1}
            if (step := by.get(Qt.Key(event.key()))) is not None:
                self._tick(step)
                return True
        return super().eventFilter(watched, event)

    # --- showing --------------------------------------------------------------------------------

    def _show(self) -> None:
        dossier = self._document.dossier
        kept = self.line
        self.lines = dossier.sheet
        job, units = dossier.plan.job, self._document.units
        wording = self._document.wording
        self.table.setRowCount(len(self.lines))
        for row, line in enumerate(self.lines):
            sizes = " / ".join(
                dict.fromkeys(
                    format_nominal(b.nominal_in)
                    + (f" to {format_diameter(b.diameter_mm, units)}" if b.diameter_mm else "")
                    for b in line.balloons
                )
            )
            words = (
                "",
                kind_words(line.balloons, wording),
                sizes,
                setting_words(line, dossier.inflator),
                used_for_words(line, dossier.plan),
                self._advice(line),
            )
            for place, text in enumerate(words):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.table.setItem(row, place, item)
            if (named := self.table.item(row, 1)) is not None:
                named.setIcon(chip_icon(job.colour(line.balloons[0].colour)))
        self._arrange()
        self._show_progress()
        keys = [line.key for line in self.lines]
        if kept is not None and kept.key in keys:
            self.table.setCurrentCell(keys.index(kept.key), 0)
        elif self.lines:
            self.table.setCurrentCell(len(self.lines) - 1, 0)
            self._to_next_open()
        self._show_next()

    def _arrange(self) -> None:
        header = self.table.horizontalHeader()
        if header is None:
            return
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        inflator = self._document.dossier.inflator
        self.table.setColumnHidden(_SETTING, not any(setting_words(line, inflator) for line in self.lines))
        self.table.resizeColumnsToContents()
        em = self.fontMetrics().horizontalAdvance("m")
        for place, most in ((0, 6), (2, 11), (3, 7), (5, 10)):
            header.resizeSection(place, min(max(header.sectionSize(place) + 6, em * 4), em * most))
        for head in ("Balloons", "For"):
            header.setSectionResizeMode(_HEADS.index(head), QHeaderView.ResizeMode.Stretch)

    def _show_progress(self) -> None:
        if not self.isVisible():
            return
        done, studio = self._done(), self._document.studio
        quiet_ink, ink = QColor(self._theme.quiet), QColor(self._theme.ink)
        ready = 0
        for row, line in enumerate(self.lines):
            count = min(done.get(line.key, 0), line.count)
            ready += count
            if (item := self.table.item(row, 0)) is not None:
                item.setText("✓" if count == line.count else f"{count} / {line.count}")
            for place in range(len(_HEADS)):
                if (item := self.table.item(row, place)) is not None:
                    item.setForeground(quiet_ink if count == line.count else ink)
        total = sum(line.count for line in self.lines)
        left = minutes_left(self.lines, done, studio.working_rates, self._document.job.pricing.helpers)
        if not total:
            self._progress.setText("Nothing to inflate yet: choose rows for a piece first.")
        elif ready == total:
            self._progress.setText(f"All {total} are ready.")
        else:
            self._progress.setText(f"{ready} of {total} ready · about {hours_words(left)} left")
        self._show_next()

    def _show_next(self) -> None:
        line = self.line
        for button in (self.one, self.whole, self.back):
            button.setEnabled(line is not None)
        if line is None:
            self._next.setText("")
            self._how.setText("")
            return
        dossier, units = self._document.dossier, self._document.units
        done = min(self._done().get(line.key, 0), line.count)
        left = line.count - done
        self._next.setText(capital(kind_words(line.balloons, self._document.wording)))
        sizes = " and ".join(
            dict.fromkeys(
                f"{format_nominal(b.nominal_in)} to {format_diameter(b.diameter_mm, units)}"
                for b in line.balloons
                if b.diameter_mm
            )
        )
        how = setting_words(line, dossier.inflator) or ("the first by template, the rest by comparing" if sizes else "")
        told = [sizes or "inflate by hand", how, f"{left} of {line.count} to do"]
        self._how.setText(" · ".join(t for t in told if t) + ("\n" + self._advice(line) if line.advice else ""))
        restyle(self._how, "role", "wrong" if any(_is_too_full(each) for each in line.advice) else "")

    def _advice(self, line: SheetLine) -> str:
        return "; ".join(advice_words(each, self._document.units) for each in line.advice)

    def focus_sheet(self) -> None:
        """Put the keyboard on the sheet."""
        self.table.setFocus()


def _is_too_full(advice: FillAdvice | CoarseSetting) -> bool:
    return isinstance(advice, FillAdvice) and advice.what in ("pops", "too full")


def setting_words(line: SheetLine, inflator: Inflator | None) -> str:
    """Strokes, seconds or the sizer's hole of a line."""
    told = []
    for setting in line.settings:
        if setting.setting is not None and inflator is not None:
            number = f"{setting.setting:.2f}" if inflator.method == "timed" else f"{setting.setting:g}"
            told.append(f"{number} {inflator.unit}")
        elif setting.hole is not None:
            told.append(f"hole {setting.hole}")
    return " / ".join(dict.fromkeys(told))
