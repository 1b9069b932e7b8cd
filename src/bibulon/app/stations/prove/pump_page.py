"""Pump: how fast it draws this bag down, what it ends at, and which of pump, hose and bag is at fault."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.app.kit import files
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import FigureGrid, Form, UnitEdit, VacuumEdit, heading, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.base import SidedPage, titled
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.pumpdown import draw_pump_down
from bibulon.core.drawing.kit.scene import Item
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.edit.edit import change
from bibulon.core.leak.droptest import LeakError
from bibulon.core.leak.pumpdown import Pumping, fit_pump_down, time_to
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import read_log

__all__ = ["PumpPage"]


class PumpPage(SidedPage):
    """The pump-down with its fit; at the side what it says of the pump."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.pumping: Pumping | None = None
        self.wanted = 2000.0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 8)
        self.view = DrawingView("Pump-down", self._items, 260)
        layout.addWidget(titled("Pressure while the pump draws, a decade a line", None, self.view))
        self.fits = Ask(session, lambda: session.number)
        self.fits.ready.connect(self._show)
        self.fits.failed.connect(self._fail)
        self.reader = Ask(session, lambda: session.number)
        self.reader.ready.connect(lambda readings: self._change(tr("Load pump-down"), pump_down=readings))
        self.reader.failed.connect(lambda error: session.said.emit(str(error), True))
        self.side = QWidget()
        side = QVBoxLayout(self.side)
        side.setContentsMargins(16, 12, 16, 8)
        self.figures = FigureGrid(("draws", "ends at", "to the vacuum wanted", "speed left when deep"))
        side.addWidget(self.figures)
        self.blame = heading("")
        side.addWidget(self.blame)
        self.why = note()
        side.addWidget(self.why)
        form = Form()
        self.want = VacuumEdit("Vacuum wanted", lambda: session.job.conditions.atmosphere)
        self.want.committed.connect(self._wanted)
        self.want.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Vacuum wanted", self.want)
        self.rated = UnitEdit("number", "Pump is sold with, m³/h", 0.0, 10_000.0)
        self.rated.committed.connect(lambda v: self._change(tr("Change pump speed"), pump_speed=v / 3600))
        self.rated.refused.connect(lambda text: session.said.emit(text, True))
        form.add("Sold with, m³/h", self.rated)
        side.addWidget(form)
        load = push("Load pump-down log…", self._load)
        side.addWidget(load)
        side.addWidget(
            note("“Pump down” on Test records one. A pump runs hot: follow its papers on oil and exhaust.")
        )
        side.addStretch()

    def _change(self, name: str, **fields: object) -> bool:
        return self.session.edit(name, lambda job: change(job, test=job.test.replaced(**fields)))

    def _wanted(self, value: float) -> None:
        self.wanted = value
        self._show(self.pumping)

    def _load(self) -> None:
        path = files.to_read(self, tr("Load pump-down"), "Gauge logs (*.csv *.txt *.tsv)")
        if path is not None:
            self.load_log(path)

    def load_log(self, path: Path) -> None:
        """Take a pump-down out of a gauge's log."""
        air = self.session.job.conditions.atmosphere
        self.reader.want(lambda: read_log(path, None, air))

    def fill(self) -> None:
        """Follow the job."""
        job, s = self.session.job, self.session.system
        self.want.set_value(self.wanted, s)
        self.rated.set_value(job.test.pump_speed * 3600, s)
        readings = job.test.pump_down
        if len(readings) < 5:
            self._show(None)
            return
        evidence = self.session.outlook.evidence if self.session.outlook else None
        leak = evidence.leak.leak if evidence and evidence.leak else None
        volume, rated = job.test.volume, job.test.pump_speed or None
        self.fits.want(lambda: fit_pump_down(readings, volume, rated, leak))

    def _fail(self, error: Exception) -> None:
        self._show(None)
        self.why.setText(str(error) if isinstance(error, LeakError) else "")

    def _show(self, pumping: Pumping | None) -> None:
        self.pumping = pumping
        s = self.session.system
        if pumping is None:
            for name in self.figures.figures:
                self.figures.set(name, "—")
            self.blame.setText("")
            self.why.setText(tr("No pump-down yet."))
        else:
            reached = time_to(pumping, self.wanted)
            self.figures.set("draws", f"{pumping.speed * 3600:.1f} m³/h")
            self.figures.set("ends at", show(pumping.floor, "small pressure", s))
            self.figures.set("to the vacuum wanted", clock(reached) if reached < 1e7 else "never")
            self.figures.set("speed left when deep", f"{pumping.speed_late / pumping.speed * 100:.0f} %")
            self.blame.setText(
                tr("Look at the {}", pumping.blame) if pumping.blame else tr("Pump, hose and bag are sound")
            )
            self.why.setText(pumping.why)
        self.view.update()

    def _items(self, width: float, height: float, theme: Theme) -> Iterator[Item]:
        test = self.session.job.test
        return draw_pump_down(
            test.pump_down, self.pumping, self.wanted, width, height, theme, self.session.system
        )

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)
