"""Prep: the inflator, its calibration from trials, practice with simulated devices, prints for the night before."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices, nominal_choices
from kakushi.desktop.forms.form import BoundForm, quantity
from kakushi.desktop.forms.typed import QuantityField, diameter_field
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.stages.prep.rounding_box import RoundingBox
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.cautions import PREPARATION
from kakushi.model.errors import BadInput
from kakushi.model.quantities import COUNT, number
from kakushi.model.units import format_diameter, format_nominal, inches
from kakushi.model.values import replace
from kakushi.model.workshop import Inflator, TrialPoint, Trials
from kakushi.session import edits
from kakushi.sim.inflators import (
    PRACTICE_PUMP,
    PRACTICE_TIMER,
    DeviceFailed,
    InflatorDevice,
    SimulatedPump,
    SimulatedTwinTimer,
    run_once,
)
from kakushi.words.sheet import climate_words
from kakushi.words.wording import thickness
from kakushi.workshop.inflation import InflatorCalibration, calibrate, next_trial, scatter_of

if TYPE_CHECKING:
    from kakushi.desktop.widgets.calibration_chart import CalibrationChart

_MAX_SECONDS = 60.0
"""Longest setting of a timed inflator, s."""
_MAX_POINTS = 200
"""Most trials of one calibration."""
_USUAL_NOMINAL = 11.0
"""Size that trials are begun with, in."""
_PEOPLE = (quantity("helpers", "People", COUNT, "People inflating and tying"),)
_FIRST_TRIAL = {"timed": 1.0, "strokes": 5.0}
"""Setting of the first trial, by kind of inflator."""


class PrepPanel(Panel):
    """Tools of the Prep stage."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self._theme = theme
        self._which, self._nominal = Choices("Inflator"), Choices("Nominal size")
        self.new_pump, self.new_timer = (
            tip_button("New pump…", "A pump whose strokes you count: give it a name"),
            tip_button("New timer…", "An inflator that runs for a set time: give it a name"),
        )
        self._chart_room = QVBoxLayout()
        self._chart: CalibrationChart | None = None
        self._answer = Label()
        self._answer.setWordWrap(True)
        self._setting = QuantityField(document, number(2, 0.01), "Setting of the trial", 0.01, 1000.0)
        self._diameter = diameter_field(document, "measured diameter", 20.0, 1500.0)
        self.add_trial, self.drop_trial = (
            tip_button("Add trial", "Takes setting and measured diameter as a trial"),
            tip_button("Remove trial", "Removes the trial chosen in the list"),
        )
        self.trials = QListWidget()
        self.trials.setAccessibleName("Trials")
        self.trials.setFixedHeight(self.fontMetrics().height() * 6)
        self.practise = tip_button(
            "Practise: fill with a simulated device", "Fills at the setting above and adds what it measures as trials"
        )
        self.cards_button = tip_button("What to tie: the tying cards", "How each row is tied, drawn (Ctrl+Shift+K)")
        self.labels_button = tip_button("Labels for the bags (PDF)…", "A label for every bag of sized balloons")
        self.sheet_button = tip_button("Print…", "Build sheets, lists and cards; you choose which (Ctrl+P)")
        self.rounding = RoundingBox(document)
        self._heat = quiet()
        self._people = BoundForm(document, _PEOPLE)
        self._device: InflatorDevice | None = None
        self._runner = Runner(self)
        self._build()
        self._connect()
        self.finish()

    def _build(self) -> None:
        chosen = form()
        chosen.addRow("Inflator", self._which)
        chosen.addRow("Balloon", self._nominal)
        new = QHBoxLayout()
        new.addWidget(self.new_pump)
        new.addWidget(self.new_timer)
        self.section("Calibration", chosen, first=True)
        self.column.addLayout(new)
        self.column.addLayout(self._chart_room)
        self.column.addWidget(self._answer)
        trial = form()
        trial.addRow("Setting", self._setting)
        trial.addRow("Diameter", self._diameter)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add_trial)
        buttons.addWidget(self.drop_trial)
        self.section("Trials", trial)
        self.column.addLayout(buttons)
        self.column.addWidget(self.problem)
        self.column.addWidget(self.trials)
        self.column.addWidget(self.practise)
        self.section("Round settings", self.rounding)
        self.section("How full, how many hands", self._heat)
        self.column.addWidget(self._people)
        box = QVBoxLayout()
        box.addWidget(self.cards_button)
        box.addWidget(self.sheet_button)
        box.addWidget(self.labels_button)
        self.section("Take along", box)
        self.column.addWidget(quiet("\n".join(PREPARATION)))

    def _connect(self) -> None:
        self._people.changed.connect(lambda changes: self.document.apply(edits.set_pricing(**changes)))
        self.document.dossier_changed.connect(self._show_heat)
        self._which.chosen.connect(self._on_which)
        self._nominal.chosen.connect(lambda _: self._show_trials())
        self.new_pump.clicked.connect(lambda _: self._on_new("strokes"))
        self.new_timer.clicked.connect(lambda _: self._on_new("timed"))
        self.add_trial.clicked.connect(self._on_add)
        self.drop_trial.clicked.connect(self._on_drop)
        for source in (self._setting, self._diameter, self._people, self.rounding):
            source.problem.connect(self.show_problem)
        self.practise.clicked.connect(self._on_practise)
        self._runner.finished.connect(self._on_filled)
        self._runner.failed.connect(self.show_problem)
        self._runner.busy_changed.connect(self._on_busy)
        self.document.studio_changed.connect(self._refresh)
        self.destroyed.connect(self._runner.close)

    def showEvent(self, event: QShowEvent | None) -> None:
        self.warm_up()
        super().showEvent(event)

    def warm_up(self) -> None:
        if self._chart is None:
            from kakushi.desktop.widgets.calibration_chart import CalibrationChart

            self._chart = CalibrationChart(self._theme)
            self._chart_room.addWidget(self._chart)
            self._show_trials()

    def set_theme(self, theme: Theme) -> None:
        """Show in another theme."""
        self._theme = theme
        if self._chart is not None:
            self._chart.set_theme(theme)
            self._show_trials()

    # --- what is chosen ------------------------------------------------------------------------

    @property
    def inflator(self) -> Inflator | None:
        """The inflator that is chosen."""
        known = self.document.studio.inflators
        return next((i for i in known if i.name == self._which.value), None)

    @property
    def nominal(self) -> float:
        """The nominal size that is chosen, in."""
        return float(self._nominal.value or _USUAL_NOMINAL)

    def choose(self, nominal_in: float) -> None:
        """Show the calibration of a nominal size."""
        self._nominal.set_value(nominal_in)
        self._show_trials()

    def _on_which(self) -> None:
        self.document.workshop.set_wishes(inflator=self._which.value)
        self._show_trials()

    def ask_name(self, kind: str) -> str:
        """Ask what a new inflator is called; empty when that is given up."""
        name, ok = QInputDialog.getText(self, f"New {kind}", "Name")
        return name.strip()[:80] if ok else ""

    def _on_new(self, method: str) -> None:
        name = self.ask_name("pump" if method == "strokes" else "timer")
        if name:
            self._add_inflator(
                Inflator.model_validate({"name": name, "method": method, "step": 0.5 if method == "strokes" else 0.01})
            )

    def _add_inflator(self, inflator: Inflator) -> bool:
        studio = self.document.studio
        if any(i.name == inflator.name for i in studio.inflators):
            self.show_problem(f"There is already an inflator called “{inflator.name}”.")
            return False
        self.document.studio_keeper.change(inflators=(*studio.inflators, inflator))
        self.document.workshop.set_wishes(inflator=inflator.name)
        self._refresh()
        return True

    # --- trials ---------------------------------------------------------------------------------

    def _on_add(self) -> None:
        diameter = self._diameter.value
        if self.has_faults(self):
            return
        if self.inflator is None:
            self.show_problem("Name your pump or timer first.")
        elif diameter is None:
            self.show_problem("Measure the balloon and give its diameter.")
        else:
            self._put((*self._points(), TrialPoint(setting=self._setting.value, diameter_mm=diameter)))
            self._diameter.set_value(None)

    def _on_drop(self) -> None:
        row = self.trials.currentRow()
        points = self._points()
        if 0 <= row < len(points):
            self._put((*points[:row], *points[row + 1 :]))

    def _points(self) -> tuple[TrialPoint, ...]:
        return self.inflator.points(self.nominal) if self.inflator else ()

    def _put(self, points: tuple[TrialPoint, ...]) -> None:
        inflator, studio = self.inflator, self.document.studio
        if inflator is None:
            return
        if len(points) > _MAX_POINTS:
            self.show_problem(f"At most {_MAX_POINTS} trials are kept for a size; remove some.")
            return
        others = tuple(t for t in inflator.trials if t.nominal_in != self.nominal)
        changed = replace(inflator, trials=(*others, Trials(nominal_in=self.nominal, points=points)))
        self.document.studio_keeper.change(inflators=tuple(changed if i is inflator else i for i in studio.inflators))
        self._show_trials()

    # --- practice ---------------------------------------------------------------------------------

    def _on_practise(self) -> None:
        """Fill once with a simulated device; what it measures becomes trials."""
        if self._runner.is_busy or self.has_faults(self):
            return
        if self.inflator is None and not self._add_inflator(
            Inflator(name=SimulatedTwinTimer.name, method="timed", step=SimulatedTwinTimer.step)
        ):
            return
        inflator = self.inflator
        if inflator is None:
            return
        timed = inflator.method == "timed"
        if self._device is None or isinstance(self._device, SimulatedTwinTimer) != timed:
            clock = time.monotonic
            self._device = SimulatedTwinTimer(PRACTICE_TIMER, clock) if timed else SimulatedPump(PRACTICE_PUMP, clock)
        device, setting, nominal = self._device, self._setting.value, self.nominal

        def fill(_progress: object, _cancelled: object) -> tuple[str, float, float, list[float]]:
            try:
                run = run_once(device, setting, _MAX_SECONDS, time.monotonic, time.sleep)
            except DeviceFailed as error:
                raise BadInput(str(error)) from error
            return inflator.name, nominal, setting, run

        self._runner.submit(fill)

    def _on_busy(self, busy: bool) -> None:
        self.practise.setText("Filling…" if busy else "Practise: fill with a simulated device")

    def _on_filled(self, answer: tuple[str, float, float, list[float]]) -> None:
        name, nominal, setting, diameters = answer
        if self.inflator is None or (self.inflator.name, self.nominal) != (name, nominal):
            return
        size = self.document.studio.nominal(nominal)
        if max(diameters) > inches(nominal) * 1.02 or (size is None):
            self.show_problem(f"{setting:g} {self.inflator.unit} would burst a {format_nominal(nominal)}: use less.")
            return
        self._put((*self._points(), *(TrialPoint(setting=setting, diameter_mm=round(d, 1)) for d in diameters)))

    # --- showing ------------------------------------------------------------------------------------

    def refresh(self) -> None:
        studio = self.document.studio
        self._people.show_value(self.document.job.pricing)
        self._which.list_choices([(each.name, each.name) for each in studio.inflators] or [("none yet", None)])
        wished = self.document.workshop.wishes.inflator
        self._which.set_value(wished if any(each.name == wished for each in studio.inflators) else self._first_inflator)
        self._nominal.list_choices(nominal_choices(studio.nominals))
        if self._nominal.value is None:
            self._nominal.set_value(_USUAL_NOMINAL)
        self._show_trials()

    @property
    def _first_inflator(self) -> str | None:
        return next((each.name for each in self.document.studio.inflators), None)

    def _show_heat(self) -> None:
        if size := self.document.studio.nominal(self.nominal):
            words = climate_words(size, self.document.dossier.climate)
            self._heat.setText(f"{format_nominal(self.nominal)}. {words}")

    def _show_trials(self) -> None:
        self._show_heat()
        inflator, points, units = self.inflator, self._points(), self.document.units
        kept = self.trials.currentRow()
        self.trials.clear()
        for point in points:
            unit = inflator.unit if inflator else ""
            self.trials.addItem(f"{point.setting:g} {unit}: {format_diameter(point.diameter_mm, units)}")
        self.trials.setCurrentRow(min(kept, len(points) - 1))
        calibration_curve: InflatorCalibration | None = None
        proposed: float | None = None
        size = self.document.studio.nominal(self.nominal)
        if inflator is not None:
            self._setting.suffix, self._setting.step = f" {inflator.unit}", inflator.step
            try:
                calibration_curve = calibrate(points)
                if size is not None:
                    proposed = next_trial(calibration_curve, size.smallest_mm, size.largest_mm, inflator.step)
            except BadInput:
                pass
        if inflator is None:
            self._setting.set_value(_FIRST_TRIAL["timed"])
        elif size is not None and not self._setting.hasFocus():
            self._setting.set_value(proposed if proposed is not None else _FIRST_TRIAL[inflator.method])
        self._answer.setText(self._words(inflator, points, calibration_curve, proposed))
        self._answer.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        if self._chart is not None:
            self._chart.setVisible(bool(points))
        if self._chart is not None and inflator is not None and points:
            self._chart.show_trials(inflator, points, calibration_curve, proposed, units)

    def _words(
        self,
        inflator: Inflator | None,
        points: tuple[TrialPoint, ...],
        curve: InflatorCalibration | None,
        proposed: float | None,
    ) -> str:
        if inflator is None:
            return "Name your pump or timer, fill a few balloons at different settings and measure them."
        if curve is None:
            return "Two different settings are needed; five make it good."
        units = self.document.units
        told = [f"A balloon comes out within ± {thickness(2 * curve.scatter, units)} of the curve (95 of 100)."]
        if (repeats := scatter_of(points)) is not None:
            told.append(f"Repeated settings differ by ± {thickness(2 * repeats, units)}.")
        if size := self.document.studio.nominal(self.nominal):
            step = curve.step_mm(size.smallest_mm, inflator.step)
            told.append(f"The finest step is {thickness(step, units)} at {format_diameter(size.smallest_mm, units)}.")
        if curve.outliers:
            told.append(f"Left out as a mistake: {', '.join(f'trial {i + 1}' for i in curve.outliers)}.")
        if proposed is not None:
            told.append(f"Most worth measuring next: {proposed:g} {inflator.unit}.")
        return " ".join(told)
