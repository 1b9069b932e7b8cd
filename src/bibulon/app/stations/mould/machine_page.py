"""Machine: the recipe of the shot, what the machine is forecast to do, and the cycle of a series."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.app.kit import files
from bibulon.app.kit.appearance import named
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, heading, note
from bibulon.app.kit.rows import Rows
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.stations.mould.against import AgainstInfusion
from bibulon.app.stations.mould.shot_run import ShotRun
from bibulon.app.stations.mould.views import mould_now
from bibulon.app.stations.shared.figures_form import FiguresForm, Row
from bibulon.core.drawing.graphs.recipe import draw_course
from bibulon.core.drawing.kit.scene import Item, Label
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.mould.recipe import Course, course_of, cycle_of, recipe_of
from bibulon.core.run.journal import Entry
from bibulon.core.run.recording import is_reading
from bibulon.core.run.shots import shots_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr
from bibulon.devices.injector import Injection
from bibulon.devices.machine import FAULTS, Fault, PartResistance, SimulatedMachine
from bibulon.store.exports.recipe import write_recipe

__all__ = ["MachinePage"]

FREE = tr(
    "The simulated machine runs twenty times as fast as a clock, and leaves no record; what a controller does is kept, row by row."
)
BY_CLOCK = tr("The simulated machine goes by the clock, and what it does is kept, row by row.")

MACHINE = (
    Row("closed.machine.rate", tr("It gives"), "flow", 1e-9, 0.01),
    Row("closed.machine.most", tr("Rated to"), "pressure", 0.0, 1.1e6),
    Row("closed.machine.ramp", tr("Pressure raised by"), "ramp", 0.0, 1e5),
    Row("closed.machine.stroke", tr("A stroke"), "dose", 1e-7, 0.1),
    Row("closed.machine.power", tr("Heater"), "power", 0.0, 1e5),
    Row("closed.machine.loss", tr("It loses, W/K"), "number", 0.0, 1e4),
    Row("closed.machine.flush_within", tr("Flush within"), "time", 1.0, 86_400.0),
)
CYCLE = (
    Row("closed.cycle.loading", tr("Loading takes"), "time", 0.0, 86_400.0),
    Row("closed.cycle.closing", tr("Closing takes"), "time", 0.0, 86_400.0),
    Row("closed.cycle.demould_after_gel", tr("Gel to demould"), "time", 0.0, 864_000.0),
    Row("closed.cycle.cleaning", tr("Cleaning takes"), "time", 0.0, 86_400.0),
    Row("closed.cycle.moulds", tr("Moulds"), "count", 1.0, 100.0),
    Row("closed.cycle.shift", tr("A shift"), "time", 60.0, 86_400.0),
)


class MachinePage(SidedPage):
    """Stages at the left, the course at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.course: Course | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.list = Rows()
        self.list.setAccessibleName(tr("Recipe, stage by stage"))
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(titled("Recipe", None, self.list), 5)
        self.chart = DrawingView("Pressure, flow and mass over the shot", self._items, 240)
        layout.addWidget(titled("What the machine does, by the forecast", None, self.chart), 6)
        self._lay_side()

    def _lay_side(self) -> None:
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("shot", "strokes", "a cycle", "parts a shift"))
        side.addWidget(self.figures)
        self._lay_run(side)
        side.addWidget(heading("Machine"))
        self.machine = FiguresForm(self.session, MACHINE)
        side.addWidget(self.machine)
        side.addWidget(heading("Cycle"))
        self.cycle = FiguresForm(self.session, CYCLE)
        side.addWidget(self.cycle)
        self.against = AgainstInfusion(self.session)
        side.addWidget(self.against)
        row = ButtonRow()
        for text, ending in (
            (tr("Save as PDF…"), "pdf"),
            (tr("Save as CSV…"), "csv"),
            (tr("Save as JSON…"), "json"),
        ):
            button = QPushButton(tr(text))
            button.clicked.connect(lambda _=False, e=ending: self.save(e))
            row.add(button)
        side.addWidget(row)
        side.addWidget(
            note(
                "Relief valve open to nobody, hoses tied, eyes and hands covered; the machine's own papers come first. Solvent: air, no flame."
            )
        )
        side.addStretch()

    def _lay_run(self, side: QVBoxLayout) -> None:
        side.addWidget(heading("Try it"))
        self.shot = ShotRun(self, self._keep, lambda: self.session.run_clock.clock.now())
        self.session.closing.connect(self.shot.close)
        self.session.job_opened.connect(self.shot.forget)
        self.shot.changed.connect(self._ran)
        self.shot.refused.connect(lambda text: self.session.said.emit(text, True))
        form = Form()
        self.fault = QComboBox()
        self.fault.setAccessibleName(tr("Fault that plays"))
        self.fault.addItem(tr("nothing goes wrong"), "")
        for kind in FAULTS:
            self.fault.addItem(tr(kind), kind)
        form.add("With", self.fault)
        self.where = QLineEdit()
        self.where.setAccessibleName(tr("Controller's address"))
        self.where.setPlaceholderText(tr("simulated, or HOST:PORT"))
        form.add("Machine", self.where)
        side.addWidget(form)
        row = ButtonRow()
        self.go, self.halt = QPushButton(tr("Inject")), QPushButton(tr("EMERGENCY STOP"))
        named(self.go, "act")
        self.go.clicked.connect(lambda _=False: self.inject())
        self.halt.clicked.connect(lambda _=False: self.shot.stop())
        self.halt.setEnabled(False)
        row.add(self.go)
        row.add(self.halt)
        side.addWidget(row)
        self.told = note(FREE)
        side.addWidget(self.told)

    def inject(self) -> None:
        """Run the shot as planned, on the simulated machine or on the controller at the address typed."""
        mould, outlook = mould_now(self.session), self.session.outlook
        forecast = outlook.forecast if outlook else None
        if self.course is None or mould is None or forecast is None:
            self.session.said.emit(
                tr("There is no forecast yet: the shot's mass and pressure come from it."), True
            )
            return
        job = self.session.job
        limit = min(mould.closing.most_injection, job.closed.machine.most)
        pressure = min(job.closed.injection or job.conditions.atmosphere, limit)
        plan = Injection(
            job.closed.machine.rate,
            pressure,
            float(self.course.mass[-1]),
            3 * float(self.course.time[-1]) + 120,
        )
        kind = self.fault.currentData()
        faults = (Fault(kind, 0.25 * float(self.course.time[-1]), 0.9),) if kind else ()
        met = self.session.instruments.machine
        if met is not None and self.where.text().strip():
            # What is hidden in a simulated shop must never set a real machine going.
            self.session.said.emit(
                tr("The machine is a simulated one now: clear the controller's address."), True
            )
            return
        part = met.part if met else PartResistance.of(self.course, forecast.density, job.conditions.vacuum)
        machine = SimulatedMachine(part, limit, (*faults, *(met.faults if met else ())))
        self.shot.begin(plan, machine, self.where.text().strip(), by_clock=met is not None)

    def _say_how(self) -> None:
        """Say how the simulated machine runs, before anything has run."""
        if self.shot.last is None:
            self.told.setText(BY_CLOCK if self.session.instruments.machine else FREE)

    def _ran(self) -> None:
        """Show what the machine said last."""
        s, run = self.session.system, self.shot
        self.go.setEnabled(not run.going)
        self.halt.setEnabled(run.going)
        last = run.last
        if last is None:
            self._say_how()
        elif last.values:
            told = tr(
                "{0} in, {1} at the inlet.",
                show(last.values["mass"], "mass", s),
                show(last.values["pressure"], "pressure", s),
            )
            self.told.setText(
                f"{run.ended[:1].upper()}{run.ended[1:]}. {told}"
                if run.ended
                else f"{clock(run.time)}: {told}"
            )
        elif last.gap:
            self.told.setText(f"{last.gap[:1].upper()}{last.gap[1:]}")
        self.chart.update()

    def fill(self) -> None:
        """Show recipe, course and figures."""
        job, s, outlook = self.session.job, self.session.system, self.session.outlook
        self._say_how()
        self.machine.fill()
        self.cycle.fill()
        forecast = outlook.forecast if outlook else None
        self.list.clear()
        self.course = None
        if forecast is None or job.resin is None or len(forecast.history.frames) < 3:
            self.chart.update()
            return
        self.course = course_of(job, forecast)
        for stage in recipe_of(job, forecast):
            lasts = (
                clock(stage.seconds) if math.isfinite(stage.seconds) else tr("never: the heater is too weak")
            )
            caution = f"\n⚠ {stage.caution}" if stage.caution else ""
            item = QListWidgetItem(
                tr("{0}\nuntil {1} · {2}{3}", worded(stage.words, s), worded(stage.until, s), lasts, caution)
            )
            item.setData(Qt.ItemDataRole.UserRole, stage.key)
            self.list.addItem(item)
        self.against.fill()
        cycle = cycle_of(job, forecast)
        self.figures.set("shot", show(cycle.shot, "mass", s))
        self.figures.set("strokes", f"{cycle.shot / (forecast.density * job.closed.machine.stroke):.0f}")
        self.figures.set("a cycle", clock(cycle.seconds))
        self.figures.set("parts a shift", str(cycle.per_shift))
        told = tr(
            "{0} in {1}, at {2} absolute at most",
            show(cycle.shot, "mass", s),
            clock(float(self.course.time[-1])),
            show(float(self.course.pressure.max()), "pressure", s),
        )
        self.chart.setAccessibleDescription(tr(told))
        self.chart.update()

    def _items(self, width: float, height: float, theme: Theme) -> list[Item]:
        mould = mould_now(self.session)
        if self.course is None or mould is None or len(self.course.time) < 3:
            return [
                Label(
                    width / 2,
                    height / 2,
                    self.session.problem or tr("Waiting for the forecast …"),
                    theme.soft,
                    14,
                )
            ]
        return list(
            draw_course(
                self.course,
                mould.closing.most_injection,
                (width, height),
                theme,
                self.session.system,
                self.shot.course or self._kept(),
            )
        )

    def _keep(self, row: Entry) -> bool:
        """Write a row of a shot; readings go without a word to those who follow what people did."""
        return self.session.log_readings(row) if is_reading(row) else self.session.stamp(row)

    def _kept(self) -> Course | None:
        """Return the course of the last shot on record."""
        outlook = self.session.outlook
        shots = shots_of(self.session.journal)
        if not shots or outlook is None or outlook.forecast is None:
            return None
        return shots[-1].course(outlook.forecast.density)

    def save(self, ending: str) -> None:
        """Write the recipe."""
        outlook = self.session.outlook
        forecast = outlook.forecast if outlook else None
        if forecast is None:
            self.session.said.emit(tr("There is no forecast yet: the recipe's times come from it."), True)
            return
        name = tr("{} recipe", self.session.job.name)
        path = files.to_write(self, tr("Save recipe"), name, f"{ending.upper()} (*.{ending})")
        if path is None:
            return
        self.session.errands.begin(
            partial(write_recipe, self.session.job, forecast, path, self.session.system),
            tr("Written: {}", path),
            lambda error: tr("The recipe was not written: {}", error),
        )

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.chart.set_theme(theme)
        self.against.set_theme(theme)
