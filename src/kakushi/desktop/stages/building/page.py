"""The guided build: one step fills the page, readable from two metres, done with one key or one large button."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QMenu,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kakushi.building.poles import PolesShown, poles_to_cut, poles_to_paint
from kakushi.building.progress import spares_left
from kakushi.building.step import Cutting, Painting, Step
from kakushi.desktop.dialogs.note import NoteDialog
from kakushi.desktop.document.builder import Builder
from kakushi.desktop.document.document import Document
from kakushi.desktop.views.build_picture import BuildPicture
from kakushi.desktop.views.bunches import Bunches
from kakushi.desktop.views.cut_picture import CutPicture
from kakushi.desktop.views.plan_view import PlanView, Shown
from kakushi.desktop.widgets.awake import Awake
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.painting import draw_focus, scaled
from kakushi.desktop.widgets.theme import Theme
from kakushi.plan.values import PiecePlan
from kakushi.words.build_page import copy_words, next_words, no_step_words, spare_words
from kakushi.words.rescue import kind_words
from kakushi.words.step_text import StepText, new_how, text_at_hand
from kakushi.words.wording import Wording, capital

_KEYS = {
    Qt.Key.Key_Space: "done", Qt.Key.Key_Return: "done", Qt.Key.Key_Enter: "done", Qt.Key.Key_P: "pop",
    Qt.Key.Key_Backspace: "back", Qt.Key.Key_L: "later", Qt.Key.Key_N: "note",
    Qt.Key.Key_H: "how",
}  # fmt: skip
_WORDS = 1.55
"""Size of the step's sentence relative to the usual type; it grows further with the width of a large page."""
_LARGE_PX = 1100
_HEADLINE_SHARE, _LINE_SPACING = 12.0, 1.2
"""Lines of the headline that the whole screen is high: read from two metres. Height of a line over its type."""


class BuildPage(QWidget):
    """Page of one step. `full_screen_wanted`: show the page alone, or the window again.

    `ran_out`: a kind of balloon (nominal size, colour) of which no spare is left, and how many are missing.
    """

    ran_out = pyqtSignal(tuple, int)
    full_screen_wanted = pyqtSignal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self._theme = document, theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Guided build")
        self._title, self._count = Label(), Label()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(8)
        self._bar.setAccessibleName("Progress of this copy")
        self.picture = BuildPicture(document)
        self._words, self._note, self._how, self._next, self._told = (Label() for _ in range(5))
        self._shows_how = False
        """Whether how it is done is shown although it was said before."""
        self.bunches = Bunches(theme)
        self.cuts = CutPicture(theme)
        self.plan_view = PlanView(document, theme, shown=self._shown_row)
        self.done, self.pop = QPushButton("Done"), QPushButton("Popped")
        self.back, self.later, self.note = QPushButton("Back"), QPushButton("Later"), QPushButton("Note…")
        self.how, self.full = QPushButton("How"), QPushButton("Full screen")
        self.how.setCheckable(True)
        self._awake = Awake()
        self._build()
        self._connect()

    @property
    def _builder(self) -> Builder:
        return self._document.builder

    def _build(self) -> None:
        for label in (self._words, self._note, self._how, self._next, self._told):
            label.setWordWrap(True)
        self._how.setProperty("role", "quiet")
        self._title.setProperty("role", "title")
        self._next.setProperty("role", "quiet")
        self._told.setProperty("role", "wrong")
        self.done.setProperty("primary", True)
        for button, tip in (
            (self.done, "This step is done (Space or Enter). Undo does not reach ticks: Back does"),
            (self.pop, "A balloon popped: take a spare (P)"),
            (self.back, "Undo last tick (Backspace)"),
            (self.later, "Do this one later (L)"),
            (self.note, "Write something down (N)"),
            (self.how, "How this is done, in full (H)"),
            (self.full, "The page alone, in large type (F11)"),
        ):
            button.setToolTip(tip)
            # The keys belong to the page: Space on a button would press that one.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self._count)
        right = QVBoxLayout()
        right.addWidget(self._note)
        right.addWidget(self.bunches)
        right.addWidget(self._how)
        right.addWidget(self.cuts, 8)
        right.addWidget(self.plan_view, 8)
        right.addStretch(1)
        right.addWidget(self._told)
        right.addWidget(self._next)
        self.plan_view.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        middle = QHBoxLayout()
        middle.addWidget(self.picture, 2)
        middle.addLayout(right, 3)
        small = QHBoxLayout()
        for button in (self.back, self.later, self.note, self.how, self.full):
            small.addWidget(button)
        large = QHBoxLayout()
        for button in (self.done, self.pop):
            button.setProperty("large", True)
        large.addWidget(self.done, 3)
        large.addWidget(self.pop, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 20, 14)
        column.setSpacing(9)
        column.addLayout(head)
        column.addWidget(self._bar)
        column.addWidget(self._words)
        column.addLayout(middle, 1)
        column.addLayout(large)
        column.addLayout(small)
        self._scale_type()

    def _connect(self) -> None:
        self.done.clicked.connect(lambda: self._run("done"))
        self.pop.clicked.connect(lambda: self._run("pop"))
        self.back.clicked.connect(lambda: self._run("back"))
        self.later.clicked.connect(lambda: self._run("later"))
        self.note.clicked.connect(lambda: self._run("note"))
        self.how.toggled.connect(self._on_how)
        self.full.clicked.connect(self.full_screen_wanted)
        self._builder.changed.connect(self._show_if_seen)
        self._document.plan_changed.connect(self._show_if_seen)
        self._document.selection.changed.connect(self._on_selected)
        self._document.preferences_changed.connect(self._show_if_seen)

    def _scale_type(self) -> None:
        """Larger type where there is room for it."""
        factor = _WORDS * max(self.width() / _LARGE_PX, 1.0)
        usual = self.font()
        self._words.setFont(self._headline_font(factor))
        self._note.setFont(scaled(usual, 1.0 + (factor - 1) * 0.6))
        self._how.setFont(scaled(usual, 1.0 + (factor - 1) * 0.4))
        self._next.setFont(scaled(usual, 1.0 + (factor - 1) * 0.4))
        self._count.setFont(scaled(usual, 1.2))
        for button in (self.done, self.pop):
            button.setFont(scaled(usual, 1.5, bold=True))
        self.bunches.setMinimumHeight(round(self.fontMetrics().height() * 3.6 * max(self.width() / _LARGE_PX, 1.0)))

    def _headline_font(self, factor: float) -> QFont:
        """The headline's type; alone on the screen a line of it is a twelfth of the height, to be read from afar."""
        font = scaled(self.font(), factor, bold=True)
        window = self.window()
        if window is not None and window.isFullScreen():
            font.setPixelSize(max(round(self.height() / _HEADLINE_SHARE / _LINE_SPACING), 12))
        return font

    def _on_how(self, on: bool) -> None:
        self._shows_how = on
        self._show_if_seen()

    def resizeEvent(self, event: object) -> None:
        self._scale_type()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        draw_focus(painter, self, self._theme)
        painter.end()

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(620, 560)

    # --- keys -----------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_F11:
            self.full_screen_wanted.emit()
        elif (what := _KEYS.get(Qt.Key(event.key()))) and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            # A key that is held down ticks one step, not twenty.
            if not event.isAutoRepeat():
                self._run(what)
        else:
            super().keyPressEvent(event)

    def _run(self, what: str) -> None:
        builder = self._builder
        if not builder.is_ready:
            return
        match what:
            case "done":
                if builder.step is not None:
                    builder.done()
                elif (copy := builder.next_copy) is not None:
                    builder.choose_copy(copy)
            case "pop":
                self._on_pop()
            case "back":
                builder.back()
            case "later":
                builder.later()
            case "how":
                self.how.toggle()
            case "note":
                if text := self.ask_note():
                    builder.note(text)
        self.setFocus()

    def ask_note(self) -> str:
        """Ask for a note."""
        dialog = NoteDialog(self)
        text = dialog.text() if dialog.exec() == QDialog.DialogCode.Accepted else ""
        dialog.deleteLater()
        return text

    def _on_pop(self) -> None:
        """Which balloon: the only kind of the step, or one chosen."""
        kinds = self._kinds()
        popped = self.ask_popped(kinds) if len(kinds) > 1 else next(iter(kinds), None)
        if popped is None:
            return
        self._builder.popped(*popped)
        left = spares_left(self._document.dossier.supplies.spares, self._builder.progress).get(popped, 0)
        if left < 0:
            self.ran_out.emit(popped, -left)

    def ask_popped(self, kinds: list[tuple[float, str]]) -> tuple[float, str] | None:
        """Ask which balloon popped."""
        menu = QMenu(self)
        menu.setFont(scaled(self.font(), 1.5))
        actions = {menu.addAction(kind_words(kind, self._wording)): kind for kind in kinds}
        chosen = menu.exec(self.pop.mapToGlobal(self.pop.rect().topLeft()))
        return actions.get(chosen) if chosen is not None else None

    def _kinds(self) -> list[tuple[float, str]]:
        """Nominal sizes and colours of the step at hand; of the whole copy where it has none."""
        now = self._builder.at_hand
        steps = now if any(use.is_balloon for step in now for use in step.uses) else self._builder.mine
        return list(dict.fromkeys(use.kind for each in steps for use in each.uses if use.is_balloon))

    # --- showing --------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Show in another theme."""
        self._theme = theme
        self.bunches.set_theme(theme)
        self.plan_view.set_theme(theme)
        self.cuts.set_theme(theme)

    def showEvent(self, event: object) -> None:
        self._builder.want(True)
        self._awake.keep(True)
        self._show()

    def hideEvent(self, event: object) -> None:
        self._builder.want(False)
        self._awake.keep(False)

    def take_keyboard(self) -> None:
        """Space and Enter tick from now on."""
        self.setFocus(Qt.FocusReason.OtherFocusReason)

    def _on_selected(self) -> None:
        """A piece chosen on the shelf is built next: its first copy that is not done."""
        piece, copy = self._document.piece, self._builder.copy
        if not self.isVisible() or piece is None or (copy is not None and copy[0] == piece.key):
            return
        copies = [each for each in self._builder.copies if each[0] == piece.key]
        going = (
            each for each in copies if any(s.key not in self._builder.progress.done for s in self._builder.of(each))
        )
        if copies:
            self._builder.choose_copy(next(going, copies[0]))

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self._builder.follow()
            self._select_built()
            self._show()

    def _select_built(self) -> None:
        """Shelf, title and tally tell of the piece that is built."""
        copy, piece = self._builder.copy, self._document.piece
        if copy is not None and copy[0] is not None and (piece is None or piece.key != copy[0]):
            self._document.selection.select_piece(copy[0])

    @property
    def design(self) -> PiecePlan | None:
        """The plan of the copy that is built."""
        copy = self._builder.copy
        piece_plan = self._builder.plan.piece(copy[0]) if copy and copy[0] is not None else None
        if piece_plan is None or copy is None or copy[1] is None:
            return None
        return piece_plan.of_copy(copy[1])

    def _shown_row(self) -> Shown | None:
        step, design = self._builder.step, self.design
        if step is None or step.row is None or design is None:
            return None
        return design, step.row.index, step.row.on

    def _show(self) -> None:
        builder, now = self._builder, self._builder.at_hand
        step = now[0] if now else None
        steps, progress = builder.mine, builder.progress
        ready = builder.is_ready
        other = builder.next_copy if step is None else None
        self.done.setText(f"Go on: {copy_words(builder.plan, other)}" if other is not None else "Done")
        self.done.setEnabled(ready and (step is not None or other is not None))
        self.later.setEnabled(ready and step is not None)
        self.pop.setEnabled(ready and bool(self._kinds()))
        self.back.setEnabled(ready)
        self._title.setText(copy_words(builder.plan, builder.copy) if steps else "Build")
        finished = sum(1 for each in steps if each.key in progress.done)
        self._count.setText(f"{finished} of {len(steps)} done" if steps else "")
        self._bar.setRange(0, max(len(steps), 1))
        self._bar.setValue(finished)
        text = text_at_hand(now, self._wording) if now else None
        self._words.setText(text.headline if text else self._no_step_words())
        self._note.setText("" if text is None else capital(text.bunches) if len(now) > 1 else text.note)
        self._note.setVisible(bool(self._note.text()))
        self._how.setText(self._how_words(text, steps, step))
        self._how.setVisible(bool(self._how.text()))
        self.how.setEnabled(bool(text and text.how))
        self._next.setText(next_words(steps, progress, now, self._wording))
        self._told.setText(spare_words(self._document.dossier.supplies.spares, progress, self._wording))
        self._told.setVisible(bool(self._told.text()))
        job = builder.plan.job
        laid = step.laid if step else None
        self.bunches.show_ties(job, laid.ties if laid else tuple(tie for each in now for tie in each.ties), laid)
        self.cuts.show_poles(self._poles(step), self._document.units)
        is_row = step is not None and step.row is not None
        self.plan_view.setVisible(is_row)
        self.plan_view.update()
        # What the other helpers did stands too.
        whole = builder.of(builder.copy) if builder.copy else []
        done = tuple(each for each in whole if each.key in progress.done)
        self.picture.setVisible(self.design is not None)
        self.picture.show_steps(self.design, job, done, now)

    def _poles(self, step: Step | None) -> tuple[PolesShown, ...]:
        """The poles that a step cuts or paints."""
        match step.fact if step is not None else None:
            case Cutting(poles):
                return poles_to_cut(poles)
            case Painting(pieces, _):
                return poles_to_paint(self._builder.plan, pieces)
            case _:
                return ()

    @property
    def _wording(self) -> Wording:
        return Wording(self._builder.plan.job, self._document.units)

    def _no_step_words(self) -> str:
        builder = self._builder
        if not builder.is_ready:
            return "The steps are being worked out…"
        return no_step_words(builder.steps, builder.mine, builder.progress, builder.copy, self._wording)

    def _how_words(self, text: StepText | None, steps: Sequence[Step], step: Step | None) -> str:
        """How it is done: in full on request, else what no earlier step of this copy said."""
        if text is None or step is None or self._shows_how:
            return text.how if text else ""
        return new_how(steps, step, self._wording)
