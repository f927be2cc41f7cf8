"""Build: which copy is built, by whom, what comes in it, what was noted."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSignalBlocker, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QListWidget, QListWidgetItem

from kakushi.building.progress import Copy, copies_of, minutes_left, possible, shared_out
from kakushi.building.step import Step
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import count_field
from kakushi.desktop.stages.building.rescue_box import RescueBox
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.model.cautions import STAND
from kakushi.model.units import UnitSystem
from kakushi.plan.values import PiecePlan, Plan
from kakushi.words.build_page import copy_words
from kakushi.words.step_text import step_text
from kakushi.words.steps import too_early_words
from kakushi.words.wording import Wording, hours_words

_NOTES_SHOWN = 20
"""Most notes shown, the newest."""
_SHORT = 64
_ALL = "all steps"
_MOST_PEOPLE = 12
"""Most people that work is shared among."""


class BuildPanel(Panel):
    """Tools of the Build stage. `chosen`: a copy or a step was clicked; the page takes the keyboard again."""

    chosen = pyqtSignal()

    def __init__(self, document: Document, design: Callable[[], PiecePlan | None]) -> None:
        super().__init__(document)
        self._copies, self._steps = QListWidget(), QListWidget()
        self._copies.setAccessibleName("Copies to build")
        self._steps.setAccessibleName("Steps of this copy")
        lines = self.fontMetrics().height()
        self._copies.setFixedHeight(lines * 10)
        self._steps.setFixedHeight(lines * 13)
        for box in (self._copies, self._steps):
            box.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            box.setTextElideMode(Qt.TextElideMode.ElideRight)
            box.setUniformItemSizes(True)
            box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._people = count_field("People who build", 1, _MOST_PEOPLE, " at work")
        self._people.set_value(1)
        self._who = Choices("Whose steps are shown")
        self._shares, self._told, self._notes = Label(), Label(), Label()
        for label in (self._shares, self._told, self._notes):
            label.setWordWrap(True)
        self._earlier = tip_button("Move up", "Do the marked step before the one above it (Alt+Up)")
        self._later = tip_button("Move down", "Do the marked step after the one below it (Alt+Down)")
        self._usual = tip_button("Usual order", "Do the steps of this piece in the usual order again")
        self._steps.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        for keys, by in (("Alt+Up", -1), ("Alt+Down", 1)):
            shortcut = QShortcut(QKeySequence(keys), self._steps)
            shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
            shortcut.activated.connect(lambda by=by: self._move(by))
        self.lists = tip_button("Print the lists…", "The steps, for each helper")
        self.rescue = RescueBox(document, design)
        self._said_of: tuple[Plan, UnitSystem] = document.plan, document.units
        self._said: dict[str, str] = {}
        self._shared: tuple[tuple[Step, ...], int, list[list[Step]]] = (), 0, []
        self._marked, self._at_hand = "", ""
        """Keys of the step that is marked to be moved, and of the one at hand when it was."""
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        self.section("What is built", self._copies, first=True)
        self.column.addWidget(self._told)
        self.section("Steps", self._steps)
        self.column.addWidget(
            quiet("Steps that can be done now are in ink: click one to do it first. Drag steps into your own order.")
        )
        moves = QHBoxLayout()
        for button in (self._earlier, self._later, self._usual):
            moves.addWidget(button)
        moves.addStretch(1)
        self.column.addLayout(moves)
        self.section("When it goes wrong", self.rescue)
        self.column.addWidget(self.problem)
        helpers = form()
        helpers.addRow("People", self._people)
        helpers.addRow("Show", self._who)
        self.section("Helpers", helpers)
        self.column.addWidget(self._shares)
        self.column.addWidget(self.lists)
        self.section("Notes", self._notes)
        self.section("Cautions", quiet("\n\n".join(STAND)))

    def _connect(self) -> None:
        builder = self.document.builder
        builder.changed.connect(self._show_if_seen)
        self._copies.currentRowChanged.connect(self._on_copy)
        self._steps.currentRowChanged.connect(self._on_step)
        self._earlier.clicked.connect(lambda _: self._move(-1))
        self._later.clicked.connect(lambda _: self._move(1))
        self._usual.clicked.connect(lambda _: self.document.step_order.take_usual())
        if (model := self._steps.model()) is not None:
            # Once the list has done with the drop: it is filled anew.
            model.rowsMoved.connect(
                lambda _parent, first, _last, _to, before: QTimer.singleShot(0, lambda: self._on_dropped(first, before))
            )
        self.rescue.problem.connect(self.show_problem)
        self.document.rescuer.failed.connect(self.show_problem)
        self._people.entered.connect(lambda _: self._on_people())
        self._people.problem.connect(self.show_problem)
        self._who.chosen.connect(lambda _: self._on_who())
        self._on_people()

    @property
    def people(self) -> int:
        """How many build."""
        return int(self._people.value)

    def _on_people(self) -> None:
        """Set how many people share the work: each can see their own steps alone."""
        helpers = [f"helper {number}" for number in range(1, self.people + 1)]
        self._who.list_choices([(_ALL, ""), *((name, name) for name in helpers)])
        if self._who.value is None:
            self._who.set_value("")
        self._on_who()

    def _on_who(self) -> None:
        self.document.builder.who = self._who.value
        self._show_if_seen()

    @property
    def _shown(self) -> list[Copy]:
        """The copies that are listed: all, or those of one helper."""
        return self.document.builder.copies if self._share is None else copies_of(self._share)

    @property
    def _share(self) -> list[Step] | None:
        """The steps of the helper who is shown; None: all."""
        who = self._who.currentIndex()
        return self._of_helpers[who - 1] if who > 0 else None

    @property
    def _of_helpers(self) -> list[list[Step]]:
        """The steps of every helper: shared out once, as a tick does not share them anew."""
        steps, people = self.document.builder.steps, self.people
        if self._shared[0] is not steps or self._shared[1] != people:
            self._shared = steps, people, shared_out(steps, people)
        return self._shared[2]

    def _on_copy(self, row: int) -> None:
        copies = self._shown
        if 0 <= row < len(copies) and copies[row] != self.document.builder.copy:
            self.document.builder.choose_copy(copies[row])
            self._hand_on(self._copies)

    def _on_step(self, row: int) -> None:
        steps = self.document.builder.mine
        step = self.document.builder.step
        if not 0 <= row < len(steps) or steps[row] is step:
            return
        self._mark(steps[row])
        progress = self.document.builder.progress
        if steps[row].key in {each.key for each in possible(steps, progress)}:
            self.document.builder.choose_step(steps[row].key)
            self._hand_on(self._steps)

    # --- the order of the steps ---

    def _mark(self, step: Step) -> None:
        now = self.document.builder.step
        self._marked, self._at_hand = step.key, now.key if now is not None else ""

    def _move(self, by: int) -> None:
        """Move the marked step among those of its copy."""
        builder, row = self.document.builder, self._steps.currentRow()
        if 0 <= row < len(builder.mine) and 0 <= row + by < len(builder.mine):
            self._move_to(builder.mine[row], row + by)

    def _on_dropped(self, first: int, before: int) -> None:
        """A step was dragged from its place to before another one."""
        steps = self.document.builder.mine
        if 0 <= first < len(steps):
            self._move_to(steps[first], before - (before > first))
        self.refresh()

    def _move_to(self, step: Step, to: int) -> None:
        self._mark(step)
        builder = self.document.builder
        # A helper sees some of the steps: to the place of the one that is there now.
        conflict = self.document.step_order.move(step.key, builder.of((step.piece, step.copy)).index(builder.mine[to]))
        self.show_problem(too_early_words(conflict, self.document.wording) if conflict else "")

    def _hand_on(self, box: QListWidget) -> None:
        """After a click the keys belong to the page; by Tab somebody is in the list to stay."""
        if not box.hasFocus():
            self.chosen.emit()

    def _show_if_seen(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        builder, share = self.document.builder, self._share
        builder.show_only(frozenset(step.key for step in share) if share is not None else None)
        self._show_copies()
        self._show_steps()
        minutes = minutes_left(builder.steps, builder.progress)
        self._told.setText(f"About {hours_words(minutes)} of work left in all." if builder.steps else "")
        self._show_shares()
        self.rescue.refresh()
        told = builder.progress.notes[-_NOTES_SHOWN:]
        names = {step.key: step for step in builder.steps} if told else {}
        self._notes.setText("\n".join(f"{self._heading(names.get(key))}: {text}" for key, text in told) or "None yet.")

    def _heading(self, step: Step | None) -> str:
        return self._step_words(step)[:_SHORT].partition(":")[0] if step else ""

    def _step_words(self, step: Step) -> str:
        # A tick changes no words.
        plan, units = self.document.builder.plan, self.document.units
        if self._said_of[0] is not plan or self._said_of[1] is not units:
            self._said_of, self._said = (plan, units), {}
        if step.key not in self._said:
            self._said[step.key] = step_text(step, Wording(plan.job, units)).words
        return self._said[step.key]

    def _show_copies(self) -> None:
        builder = self.document.builder
        shown = self._shown
        words = [self._copy_words(copy) for copy in shown]
        with QSignalBlocker(self._copies):
            if self._copies.count() != len(words):
                self._copies.clear()
                self._copies.addItems(words)
            for row, line in enumerate(words):
                # A tick changes a line or two of hundreds.
                item = self._copies.item(row)
                if item is not None and item.text() != line:
                    item.setText(line)
            self._copies.setCurrentRow(shown.index(builder.copy) if builder.copy in shown else -1)

    def _copy_words(self, copy: Copy) -> str:
        """A copy and how far it is."""
        builder = self.document.builder
        steps, name = builder.of(copy), copy_words(builder.plan, copy)
        keys = builder.progress.done
        done = sum(1 for step in steps if step.key in keys)
        if done == len(steps):
            return f"{name}: done"
        return f"{name}: {done} of {len(steps)}{'' if builder.next_of(copy) else ', waits'}"

    def _show_steps(self) -> None:
        builder = self.document.builder
        steps, progress = builder.mine, builder.progress
        able = {step.key for step in possible(steps, progress)}
        with QSignalBlocker(self._steps):
            self._steps.clear()
            for step in steps:
                done = step.key in progress.done
                mark = "✓ " if done else "… " if step.key in progress.later else ""
                words = self._step_words(step)
                item = QListWidgetItem(f"{mark}{words[:_SHORT]}")
                item.setToolTip(words)
                if done:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                elif step.key not in able:
                    # It can be moved all the same.
                    item.setForeground(self.palette().placeholderText())
                self._steps.addItem(item)
            self._usual.setEnabled(self.document.step_order.is_own)
            at_hand = builder.step.key if builder.step is not None else ""
            # What was marked stays marked until the work goes on.
            shown = self._marked if at_hand == self._at_hand else at_hand
            row = next((place for place, step in enumerate(steps) if step.key == shown), -1)
            if row < 0 and builder.step in steps:
                row = steps.index(builder.step)
            self._steps.setCurrentRow(row)
            if (marked := self._steps.currentItem()) is not None:
                self._steps.scrollToItem(marked)

    def _show_shares(self) -> None:
        builder = self.document.builder
        people = self.people
        if people == 1 or not builder.steps:
            self._shares.setText("")
            return
        lines = []
        for number, steps in enumerate(self._of_helpers, 1):
            names = list(dict.fromkeys(self._name(step.piece) for step in steps))
            minutes = hours_words(sum(step.minutes for step in steps))
            lines.append(f"{number}: {', '.join(names) or 'nothing'}, {minutes}")
        self._shares.setText("\n".join(lines))

    def _name(self, key: int | None) -> str:
        piece = self.document.builder.plan.piece(key) if key is not None else None
        return piece.piece.name if piece else "poles"
