"""A thermometer on the part: its log, or what it reads live, and what that makes of demould."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QComboBox, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit import files
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.fields import Form, note, push
from bibulon.app.session.session import Session
from bibulon.app.stations.shared.instrument_pick import InstrumentPick
from bibulon.app.work.ask import Ask
from bibulon.core.cure.corrected import Corrected, corrected, read_cell
from bibulon.core.cure.places import LAW, ROOM, course_at
from bibulon.core.edit.edit import change
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.cure import WarmthRead
from bibulon.core.model.job import Job
from bibulon.core.run.warmth import EVERY, warm_entry, with_readings
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr
from bibulon.devices.device import Reading
from bibulon.devices.partsim import PartThermometer
from bibulon.devices.watched import Watched
from bibulon.store.imports.gaugelog import LogError
from bibulon.store.imports.templog import read_temperatures

__all__ = ["ThermometerPanel"]

WHERE = {"bag": tr("on the top face"), "middle": tr("in the middle"), "tool": tr("on the tool")}
TICK_MS = 1000
ANEW = 6  # readings after which the correction is worked out anew


class ThermometerPanel(QWidget):
    """Log, place, instrument and what is read; ``corrected`` is what the readings make of the cure."""

    told = Signal()

    def __init__(self, session: Session, place: Callable[[], tuple[float, float] | None]) -> None:
        super().__init__()
        self.session, self._place = session, place
        self.forecast: Forecast | None = None
        self.corrected: Corrected | None = None
        self.device: Watched | None = None
        self._at: tuple[float, float] | None = None  # where the one that is followed sits
        self._last = -math.inf
        self._new = 0
        side = QVBoxLayout(self)
        side.setContentsMargins(0, 0, 0, 0)
        row = ButtonRow()
        self.log = push("Take a thermometer's log…", self._ask_log)
        self.where = QComboBox()
        self.where.setAccessibleName(tr("Where the thermometer sits"))
        for key, words in WHERE.items():
            self.where.addItem(tr(words), key)
        self.where.activated.connect(lambda _: self._change(read_where=self.where.currentData()))
        row.add(self.log)
        row.add(self.where)
        side.addWidget(row)
        form = Form()
        self.pick = InstrumentPick(
            form, "Thermometer", partial(session.instruments.choose_for, "temperature"), lambda text: session.said.emit(text, True)
        )  # fmt: skip
        side.addWidget(form)
        self.follow = QPushButton(tr("Follow a thermometer there"))
        self.follow.setCheckable(True)
        self.follow.clicked.connect(self._follow)
        side.addWidget(self.follow)
        self.live, self.read = note(), note()
        side.addWidget(self.live)
        side.addWidget(self.read)
        self.correcting = Ask(session, lambda: (session.number, session.job.cure))
        self.correcting.ready.connect(self._on_corrected)
        self.correcting.failed.connect(lambda error: self._tell(tr("The thermometer: {}.", error)))
        self.laying = Ask(session, lambda: session.number)
        self.laying.ready.connect(self._begin)
        self.laying.failed.connect(self._refuse)
        self.reading = Ask(session, lambda: (session.number, self.device))
        self.reading.ready.connect(self._took)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self.tick)
        session.job_opened.connect(self._forget)
        session.closing.connect(self._ticker.stop)

    # -- a log

    def _ask_log(self) -> None:
        path = files.to_read(self, tr("Thermometer's log"), "CSV (*.csv *.txt)")
        if path is not None:
            self.take_log(path)

    def take_log(self, path: Path) -> None:
        """Take a thermometer's log for the place that is chosen: times from opening the first feed."""
        at = self._place()
        if at is None:
            self.session.said.emit(tr("Point first at the place where the thermometer sits."), True)
            return
        try:
            read = tuple(WarmthRead(time=t, temperature=warm) for t, warm in read_temperatures(path))
        except (LogError, ValueError) as error:
            self.session.said.emit(str(error).splitlines()[0], True)
            return
        self._change(read=read, read_at=at)

    def _change(self, **fields: object) -> None:
        self.session.edit("Change cure", lambda job: change(job, cure=job.cure.replaced(**fields)))

    # -- live

    def _follow(self, on: bool) -> None:
        """Read a thermometer from now on, or leave it."""
        self._end()
        at, forecast, run = self._place(), self.forecast, self.session.run_state()
        if not on:
            return
        if at is None or forecast is None or not run.run:
            self.session.said.emit(
                tr("A thermometer is followed from the shot on: start the run in Shoot first.") if not run.run
                else tr("Point first at the place where the thermometer sits."), True,
            )  # fmt: skip
            return
        self._at = at
        self.follow.setChecked(True)
        if (real := self.session.instruments.others.get("temperature")) is not None:
            self._begin(real)
            return
        job, seed, since = self.session.job, int(run.began) % 100_000, self._since
        self.laying.want(lambda: _simulated(job, forecast, at, since, seed))

    def _since(self) -> float:
        """Return seconds since the first feed was opened, by the wall's clock: a run's own stops with its end."""
        return self.session.run_clock.wall() - self.session.run_state().began

    def _begin(self, device: Watched) -> None:
        if not self.follow.isChecked():
            return
        self.device, self._last, self._new = device, -math.inf, 0
        self._ticker.start()
        self.tick()

    def _refuse(self, error: Exception) -> None:
        self._end()
        self.session.said.emit(str(error), True)

    def _end(self) -> None:
        self._ticker.stop()
        self.device = None
        self.follow.setChecked(False)
        self.live.setText("")

    def tick(self) -> None:
        """Read it: off the interface thread where it lets wait for its answer."""
        device = self.device
        if device is None:
            return
        since = self._since()
        if not getattr(device.device, "waits", False):
            self._took(device.read(since))
        elif not self.reading.busy:
            self.reading.want(lambda: device.read(since))

    def _took(self, reading: Reading) -> None:
        """Note what it said, on disk before it is shown; a gap stays a gap."""
        device, at, session = self.device, self._at, self.session
        if device is None or at is None:
            return
        warm = reading.values.get("temperature")
        if warm is None:
            if reading.gap or not self.live.text():  # else it has not said anything new yet
                self.live.setText(reading.gap or tr("{}: waiting for its first reading.", device.name))
            return
        if reading.time - self._last >= EVERY:
            where = session.job.cure.read_where
            run = session.run_state().run
            row = warm_entry(run, max(reading.time, 0.0), warm, at, where, session.run_clock.wall())
            if not session.log_readings(row):
                return
            self._last = reading.time
            self._new += 1
            if self._new % ANEW == 0:
                self.correct(self.forecast)
        words = tr(
            "{0}: {1} at {2}.",
            device.name,
            show(warm, "temperature", session.system, 1),
            clock(max(reading.time, 0.0)),
        )
        self.live.setText(f"{words} {device.note}".strip())

    # -- what it makes of the cure

    def read_job(self) -> Job:
        """Return the job with what was read live as its log, where there is any."""
        return with_readings(self.session.job, self.session.journal)

    def correct(self, forecast: Forecast | None) -> None:
        """Work out what the readings make of a forecast."""
        self.forecast = forecast
        job = self.read_job()
        plan = job.cure
        if forecast is None or not plan.read or plan.read_at is None:
            self.corrected = None
            self._tell()
            return
        at, readings = plan.read_at, [(r.time, r.temperature) for r in plan.read]
        self.correcting.want(lambda: corrected(job, forecast, readings, at))

    def _on_corrected(self, found: Corrected) -> None:
        self.corrected = found
        self._tell()
        self.told.emit()

    def _tell(self, problem: str = "") -> None:
        found, s = self.corrected, self.session.system
        if found is None:
            self.read.setText(
                problem or tr("A thermometer's log corrects the law and tells demould with a narrower range.")
            )
            return
        low, middle, high = found.demould
        off = tr(
            "{0:.0f} % {1}, give or take {2:.0f}",
            abs(found.quicker - 1) * 100,
            "quicker" if found.quicker >= 1 else "slower",
            found.quicker_sd * 165,
        )
        done = (
            tr("demould there {0}, {1} to {2}", clock(middle, high), clock(low, high), clock(high))
            if math.isfinite(middle)
            else tr("not within two days")
        )
        self.read.setText(
            tr(
                "By the thermometer it cures {0}, in a shop {1} {2}; {3}. Off by {4} as a rule.",
                off,
                show(abs(found.warmer), "warming", s),
                "warmer" if found.warmer >= 0 else "colder",
                done,
                show(found.misfit, "warming", s, 1),
            )
        )

    def fill(self, job: Job) -> None:
        """Show where it sits."""
        self.where.setCurrentIndex(list(WHERE).index(job.cure.read_where))

    def _forget(self) -> None:
        self._end()
        self.forecast = self.corrected = self._at = None


def _simulated(
    job: Job, forecast: Forecast, at: tuple[float, float], since: Callable[[], float], seed: int
) -> Watched:
    """Return a thermometer on a part whose law and shop differ from the sheet's by a hidden draw of the usual spread.

    Raises
    ------
    ValueError : when the cure of the place cannot be reckoned.
    """
    law, room = np.random.default_rng([seed, 11]).standard_normal(2)
    course, arrived = course_at(job, forecast, at, math.exp(LAW * law), ROOM * float(room))
    column = course.temperature[:, 0, read_cell(job.cure, course)]
    return Watched(PartThermometer(arrived + course.time, column, since, seed))
