"""The build of the open job: its steps, how far it is, and the ticks, put on the disk as they come."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.record import Event, Record, What

if TYPE_CHECKING:
    from kakushi.building.progress import Copy, Progress
    from kakushi.building.step import Step
    from kakushi.plan.values import Plan

_Answer = tuple["Plan", "tuple[Step, ...]"]


class Builder(QObject):
    """Steps that follow the plan once a view needs them. `changed`: steps, progress or the current copy."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(
        self,
        plan: Callable[[], Plan],
        record: Callable[[], Record],
        log: Callable[[Event], None],
        parent: QObject,
        clock: Callable[[], float] = time.time,
    ) -> None:
        super().__init__(parent)
        self._plan, self._record, self._log, self._clock = plan, record, log, clock
        self._steps: _Answer | None = None
        self._progress: tuple[Record, Progress] | None = None
        self._fixed: tuple[Record, tuple[Step, ...], tuple[Step, ...]] | None = None
        self._by_copy: tuple[tuple[Step, ...], dict[Copy, list[Step]]] = (), {}
        self._copy: Copy | None = None
        self._chosen: str | None = None
        self.who = ""
        """Which of the helpers ticks."""
        self._only: frozenset[str] | None = None
        self._is_wanted = False
        self._began: tuple[str, float] | None = None
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_steps)
        self._runner.failed.connect(self.failed)

    # --- what there is ---------------------------------------------------------------------------

    @property
    def is_ready(self) -> bool:
        """Whether the steps are those of the plan as it is now."""
        return self._steps is not None and self._steps[0] is self._plan()

    @property
    def steps(self) -> tuple[Step, ...]:
        """Newest steps that are ready; repairs requested by a check come first."""
        if self._steps is None:
            return ()
        record, (plan, steps) = self._record(), self._steps
        if self._fixed is None or self._fixed[0] is not record or self._fixed[1] is not steps:
            from kakushi.building.fixes import fixes_of

            there = {(piece.piece.key, copy) for piece in plan.pieces for copy in range(len(piece.piece.copies))}
            fixes = tuple(step for step in fixes_of(record) if (step.piece, step.copy) in there)
            self._fixed = record, steps, (*fixes, *steps)
        return self._fixed[2]

    @property
    def plan(self) -> Plan:
        """The plan the steps are of."""
        return self._steps[0] if self._steps else self._plan()

    @property
    def progress(self) -> Progress:
        """How far it is."""
        from kakushi.building.progress import progress_of

        record = self._record()
        if self._progress is None or self._progress[0] is not record:
            self._progress = record, progress_of(record)
        return self._progress[1]

    @property
    def _of_copies(self) -> dict[Copy, list[Step]]:
        """The steps of every copy, sorted out once: a job of 500 copies has ten thousand."""
        steps = self.steps
        if self._by_copy[0] is not steps:
            sorted_out: dict[Copy, list[Step]] = {}
            for step in steps:
                sorted_out.setdefault((step.piece, step.copy), []).append(step)
            self._by_copy = steps, sorted_out
        return self._by_copy[1]

    @property
    def copies(self) -> list[Copy]:
        """Copies to build, after the part that is done once for the whole job."""
        return list(self._of_copies)

    @property
    def copy(self) -> Copy | None:
        """The copy that is built: the chosen one, else the first that is not done."""
        only, copies = self._only, self._of_copies
        if only is not None:
            copies = {copy: steps for copy, steps in copies.items() if any(step.key in only for step in steps)}
        if self._copy in copies:
            return self._copy
        return next((copy for copy in copies if self.next_of(copy)), next(iter(copies), None))

    @property
    def mine(self) -> list[Step]:
        """The steps of the copy that is built; of a helper's, those that are theirs."""
        copy, only = self.copy, self._only
        return [step for step in self.of(copy) if only is None or step.key in only] if copy else []

    def show_only(self, keys: frozenset[str] | None) -> None:
        """Go on with the steps of one helper, by their keys; None: with all."""
        if keys != self._only:
            self._only = keys
            self._begin()
            self.changed.emit()

    def of(self, copy: Copy) -> list[Step]:
        """The steps of a copy."""
        return self._of_copies.get(copy, [])

    @property
    def step(self) -> Step | None:
        """The step at hand: the chosen one where it can be done, else the next one."""
        from kakushi.building.progress import possible

        able = list(possible(self.mine, self.progress))
        return next((step for step in able if step.key == self._chosen), able[0] if able else None)

    @property
    def at_hand(self) -> tuple[Step, ...]:
        """The step at hand with what is done in the same go."""
        from kakushi.building.progress import done_together, possible

        step = self.step
        return done_together(step, list(possible(self.mine, self.progress))) if step is not None else ()

    # --- what is asked --------------------------------------------------------------------------

    def want(self, on: bool) -> None:
        """Whether somebody builds."""
        self._is_wanted = on
        self._began = None
        if on:
            self.follow()

    def follow(self) -> None:
        """The plan changed."""
        plan = self._plan()
        if not self._is_wanted or plan.is_draft or self.is_ready or not plan.pieces:
            return

        def work(_progress: Callable[[float], None], _cancelled: Callable[[], bool]) -> _Answer:
            from kakushi.building.steps import steps_of

            return plan, steps_of(plan)

        self._runner.submit(work)

    def _on_steps(self, answer: _Answer) -> None:
        self._steps = answer
        self._begin()
        self.changed.emit()

    def choose_copy(self, copy: Copy) -> None:
        """Go on with another copy."""
        self._copy, self._chosen = copy, None
        self._begin()
        self.changed.emit()

    def choose_step(self, key: str) -> None:
        """Do another step first, one that can be done now."""
        self._chosen = key
        self._begin()
        self.changed.emit()

    def stay_with(self, copy: Copy, key: str | None = None) -> None:
        """Stay with a copy while its steps change; `key`: the step to do first there, unchanged if None."""
        self._copy, self._chosen = copy, key or self._chosen

    # --- ticks ----------------------------------------------------------------------------------

    def done(self) -> None:
        """The step at hand is done, with what is done in the same go."""
        from kakushi.building.progress import worked_s

        steps, now = self.at_hand, self._clock()
        if not steps:
            return
        elapsed = now - self._began[1] if self._began and self._began[0] == steps[0].key else 0.0
        # It stays with its copy, also when that one is done.
        self._copy = self.copy
        for step in steps:
            seconds = round(worked_s(step, elapsed / len(steps)), 1)
            self._log(Event(what=What.DONE, step=step.key, at=now, seconds=seconds, who=self.who))
        self._go_on()

    def next_of(self, copy: Copy) -> Step | None:
        """The next step of a copy; None where it is done, or waits for another one."""
        from kakushi.building.progress import next_step

        return next_step(self.of(copy), self.progress, copy)

    @property
    def next_copy(self) -> Copy | None:
        """The copy to go on with once this one is done."""
        current = self.copy
        return next((copy for copy in self._of_copies if copy != current and self.next_of(copy)), None)

    def back(self) -> None:
        """Undo the last tick of this copy, with what was ticked in the same go."""
        from kakushi.building.progress import hang_together, taken_back

        copy, now = self.copy, self._clock()
        step = taken_back(self.steps, self.progress, copy) if copy else None
        if copy is None or step is None:
            return
        self._copy = copy
        ticks = {event.step: event.at for event in self._record().events if event.what is What.DONE}
        done, at = self.progress.done, ticks[step.key]
        together = [
            each
            for each in self.of(copy)
            if each is step or (each.key in done and ticks[each.key] == at and hang_together(step, each))
        ]
        for each in together:
            self._log(Event(what=What.UNDONE, step=each.key, at=now))
        self.choose_step(together[0].key)

    def later(self) -> None:
        """Put the step at hand off."""
        if self.step is not None:
            self._tell(Event(what=What.LATER, step=self.step.key, at=self._clock()))

    def popped(self, nominal_in: float, colour: str) -> None:
        """A balloon popped: a spare takes its place."""
        key = self.step.key if self.step else ""
        event = Event(what=What.POP, step=key, at=self._clock(), nominal_in=nominal_in, colour=colour)
        self._tell(event, is_same=True)

    def note(self, text: str) -> None:
        """Write something down."""
        key = self.step.key if self.step else ""
        self._tell(Event(what=What.NOTE, step=key, at=self._clock(), text=text[:2000]), is_same=True)

    def put_right(self, piece: int, copy: int, words: str) -> bool:
        """Request a repair of a piece; False where it was already requested."""
        from kakushi.building.fixes import fix_event, is_asked

        if is_asked(self._record(), piece, copy, words):
            return False
        self._tell(fix_event(self._record(), piece, copy, words, self._clock()))
        return True

    def _tell(self, event: Event, is_same: bool = False) -> None:
        self._log(event)
        if is_same:
            self.changed.emit()
        else:
            self._go_on()

    def _go_on(self) -> None:
        self._chosen = None
        self._begin()
        self.changed.emit()

    def _begin(self) -> None:
        """Start timing the current step."""
        step = self.step
        self._began = (step.key, self._clock()) if step is not None else None

    def forget(self) -> None:
        """Another job is opened."""
        self._runner.cancel()
        self._steps, self._copy, self._chosen, self._began, self._only = None, None, None, None, None

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._runner.close()
