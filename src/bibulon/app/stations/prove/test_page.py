"""The leak test while it records: what the gauge reads, where the curve goes, and what is known of the leak so far."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bibulon.app.kit.appearance import named
from bibulon.app.kit.drawing_view import DrawingView
from bibulon.app.kit.fields import push
from bibulon.app.session.instruments import truth_for
from bibulon.app.session.session import Session
from bibulon.app.stations.prove.gauge_head import GaugeHead
from bibulon.app.stations.prove.limits import borne_leak, limit_now
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.graphs.proof import Known, Proof, draw_proof
from bibulon.core.drawing.kit.tokens import Theme
from bibulon.core.leak.droptest import NINE_IN_TEN, school_of
from bibulon.core.leak.looks import Look, Standing, standing
from bibulon.core.model.drop_test import Reading, Warmth
from bibulon.core.model.job import DropTest, Job
from bibulon.core.model.rules import School
from bibulon.core.run.recording import STAGES, Recorder, stages_done
from bibulon.core.units.words import tr
from bibulon.devices.device import Reading as GaugeReading

__all__ = ["TestPage", "borne_leak"]

TICK_MS = 200
FIT_EVERY = 1.0  # s between fits while it records
WARM_EVERY = 10.0  # s between readings of the thermometer
KEEP = 1500  # readings that the job keeps of a record


@dataclass
class _Live:
    """A recording that runs: since when [s], of which of the jobs opened, its recorder, the looks, what was known when."""

    since: float
    number: int
    stage: str
    recorder: Recorder
    looks: tuple[Look, ...] = ()
    known: list[Known] = field(default_factory=list)
    fitted: float = 0.0
    gaps: list[tuple[float, str]] = field(default_factory=list)
    warmth: list[Warmth] = field(default_factory=list)


class TestPage(QWidget):
    """Gauge, stages, curves; ``told`` says where the test stands, whenever that changes, and which one still runs."""

    __test__ = False
    told = Signal(object, object)  # Standing or None, and the test that runs or None

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.live: _Live | None = None
        self.standing: Standing | None = None
        self._asked: tuple[DropTest, float, School] | None = (
            None  # record, limit and school of the last question
        )
        self.pumping: list[Reading] = []
        self._pump_since: float | None = None
        self.shown: Proof | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(4)
        self.head = GaugeHead(session)
        layout.addWidget(self.head)
        layout.addLayout(self._stages())
        layout.addLayout(self._acts())
        self.view = DrawingView("Leak test as it is recorded", self._items, 260)
        layout.addWidget(self.view, 1)
        self.fits = Ask(session, lambda: session.number, between=True)
        self.fits.ready.connect(self._fitted)
        self.fits.failed.connect(lambda error: session.said.emit(str(error), True))
        self.laying = Ask(session, lambda: session.number)
        self.laying.ready.connect(self._laid)
        self.laying.failed.connect(lambda error: session.said.emit(str(error), True))
        self.reading = Ask(session, lambda: (session.number, session.instruments.gauge))
        self.reading.ready.connect(self._took)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self.tick)
        session.job_opened.connect(self._forget)
        session.closing.connect(self._end_session)
        session.instruments.changing.connect(self._give_over)
        session.instruments.changed.connect(self._show_gauge)
        session.system_changed.connect(lambda _: self._show_gauge())
        self._show_gauge()

    # -- laid out

    def _stages(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.stages = QButtonGroup(self)
        for k, (key, text) in enumerate(STAGES.items()):
            button = QPushButton(tr(text))
            button.setCheckable(True)
            button.setChecked(key == "bag")
            button.setAccessibleName(tr("Stage: {}", text))
            button.setProperty("stage", key)
            self.stages.addButton(button, k)
            row.addWidget(button)
        row.addStretch()
        return row

    def _acts(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.pump = push("Pump down", self.pump_down)
        self.record = named(QPushButton(tr("Shut off and record")), "act")
        self.record.clicked.connect(lambda _=False: self.begin())
        self.stop = push("Stop and keep", self.end)
        for button in (self.pump, self.record, self.stop):
            row.addWidget(button)
        row.addStretch()
        self.source = named(QLabel(""), "soft")
        row.addWidget(self.source)
        self.speed = QComboBox()
        self.speed.setAccessibleName(tr("Speed of the simulated shop"))
        for factor in (1, 10, 60):
            self.speed.addItem(f"× {factor}", factor)
        self.speed.activated.connect(lambda _: self.session.instruments.set_speed(self.speed.currentData()))
        row.addWidget(self.speed)
        return row

    @property
    def stage(self) -> str:
        """Return the stage chosen."""
        chosen = self.stages.checkedButton()
        return str(chosen.property("stage")) if chosen is not None else "bag"

    # -- acts

    def pump_down(self) -> None:
        """Begin to pump, or to log it: a simulated bag is laid when there is none."""
        devices = self.session.instruments
        if devices.simulated and devices.bag is None:
            job = self.session.job
            limit = limit_now(self.session) * job.test.volume
            self.laying.want(lambda: truth_for(job, _seed(job), limit))
            return
        self._pump_on()

    def _laid(self, truth: object) -> None:
        self.session.instruments.lay(truth, _seed(self.session.job))  # type: ignore[arg-type]
        self._pump_on()

    def _pump_on(self) -> None:
        devices = self.session.instruments
        if self.live is not None:
            self.end()
        if devices.gauge is None:
            self.session.said.emit(tr("Choose a gauge first."), True)
            return
        if devices.pump is not None and devices.simulated:
            devices.pump.write("run", 1.0)
        self.pumping, self._pump_since = [], devices.now()
        self._ticker.start()
        self._show_gauge()

    def begin(self) -> None:
        """Shut the bag off and record."""
        devices = self.session.instruments
        if devices.gauge is None:
            self.session.said.emit(tr("Pump down first, or choose a gauge."), True)
            return
        if self.live is not None:
            self.end()
        if devices.pump is not None and devices.simulated:
            devices.pump.write("run", 0.0)
        if len(self.pumping) >= 5:
            readings = tuple(_thinned(self.pumping))
            self.session.edit(
                "Keep the pump-down", lambda job: job.replaced(test=job.test.replaced(pump_down=readings))
            )
        self._pump_since = None
        recorder = Recorder.begun(uuid.uuid4().hex[:8])
        now = self.session.run_clock.wall()
        entry = recorder.start(self.stage, self.session.job.test.volume, devices.gauge.name, now)
        if not self.session.stamp(entry):
            return
        self.live = _Live(devices.now(), self.session.number, self.stage, recorder)
        self.standing = None
        self._ticker.start()
        self.tick()

    def end(self) -> None:
        """Stop recording; what was recorded becomes this job's test."""
        live, self.live = self.live, None
        if live is None:
            return
        self._ticker.stop()
        outcome = self.standing.outcome if self.standing else tr("not yet")
        now = self.session.run_clock.wall()
        for entry in live.recorder.end(outcome, now):
            self.session.stamp(entry)
        readings = tuple(_thinned(live.recorder.kept))
        if len(readings) >= 3:
            changed = {
                "readings": readings,
                "stage": live.stage,
                "recorded_at": now,
                "warmth": tuple(live.warmth),
            }
            self.session.edit(
                "Record a leak test", lambda job: job.replaced(test=job.test.replaced(**changed))
            )
        self.told.emit(self.standing, None)
        self._show_gauge()

    def _give_over(self) -> None:
        """End what runs: another gauge or another clock takes over, whose readings are not of this test."""
        if self.live is not None and self.live.number == self.session.number:
            self.end()
            self.session.said.emit(
                tr("The test ends where its gauge was changed; what it read is kept."), False
            )
        self.live, self.pumping, self._pump_since = None, [], None
        self._ticker.stop()

    # -- what goes on

    def tick(self) -> None:
        """Read the gauge: at once where it answers at once, else off the interface thread."""
        devices = self.session.instruments
        if not devices.waits:
            self._took(devices.read())
        elif not self.reading.busy:
            self.reading.want(devices.read)

    def _took(self, reading: GaugeReading | None) -> None:
        """Note what the gauge said before it is shown."""
        devices, live = self.session.instruments, self.live
        if reading is None:
            return
        pressure = reading.values.get("pressure")
        wall = self.session.run_clock.wall()
        if live is not None:
            at = devices.now() - live.since
            if pressure is not None:
                if (entry := live.recorder.take(at, pressure, wall)) is not None:
                    self.session.log_readings(entry)
            elif reading.gap:
                rows = live.recorder.lost(at, reading.gap, wall)
                for entry in rows:
                    self.session.log_readings(entry)
                if rows:
                    live.gaps.append((at, reading.gap))
                    self.session.said.emit(reading.gap, True)
            self._warm(live, at)
            if at - live.fitted >= FIT_EVERY * max(1.0, at / 300):
                live.fitted = at
                self.refit()
        elif self._pump_since is not None and pressure is not None:
            self.pumping.append(Reading(time=devices.now() - self._pump_since, pressure=pressure))
            if len(self.pumping) > 4 * KEEP:
                self.pumping = list(_thinned(self.pumping))
        self._show_gauge(pressure, reading.gap)

    def _warm(self, live: _Live, at: float) -> None:
        """Read the thermometer on the bag, where there is one, now and then."""
        thermometer = self.session.instruments.thermometer
        if thermometer is None or not self.session.instruments.simulated:
            return
        if not live.warmth or at - live.warmth[-1].time >= max(WARM_EVERY, at / 500):
            said = thermometer.read(self.session.instruments.now()).values.get("temperature")
            if said is not None:
                live.warmth.append(Warmth(time=at, temperature=said))

    def refit(self) -> None:
        """Work out where the test stands, off the interface thread."""
        live, job = self.live, self.session.job
        test, looks = job.test, live.looks if live else ()
        if live is not None:
            test = test.replaced(readings=tuple(live.recorder.kept), warmth=tuple(live.warmth))
        limit = limit_now(self.session)
        if len(test.readings) < 3:
            self._fitted((test, None, live.recorder.run if live else ""))
            return
        asked = None if live is not None else (test, limit, school_of(job))
        if (
            asked is not None
            and self._asked is not None
            and asked[0] is self._asked[0]
            and asked == self._asked
        ):
            return  # what stands of it is known, or on its way
        self._asked = asked
        run = live.recorder.run if live else ""
        self.fits.want(lambda: (test, standing(test, limit, looks), run))

    def _fitted(self, answer: tuple[DropTest, Standing | None, str]) -> None:
        test, now, run = answer
        live = self.live
        if run != (live.recorder.run if live else ""):
            return  # of a record that is over, or of the one before
        self.standing = now
        known: list[Known] = []
        gaps: list[tuple[float, str]] = []
        if now is not None and now.latest is not None:
            low, high = now.latest.spread.quantiles(*NINE_IN_TEN)
            latest = Known(now.latest.duration, low, now.latest.rise, high)
            if live is not None:
                live.looks = now.looks
                if not live.known or latest.time > live.known[-1].time:
                    live.known.append(latest)
                known, gaps = live.known, live.gaps
            else:
                known = [
                    Known(x.time, x.low, x.middle, x.high) for x in now.looks if x.time < latest.time
                ] + [latest]
        school = school_of(self.session.job)
        allowed = (school.minutes * 60, school.allowed_drop) if school.allowed_drop < 1e6 else None
        self.shown = Proof(
            test.readings, now.latest if now else None, known, now.looks if now else (), limit_now(self.session),
            school.name[:1].lower() + school.name[1:], allowed, gaps,
        )  # fmt: skip
        self.view.update()
        self.told.emit(now, test if live is not None else None)

    def _items(self, width: float, height: float, theme: Theme):  # type: ignore[no-untyped-def]
        proof = self.shown or Proof((), None, (), (), 1.0, "", None)
        return draw_proof(proof, width, height, theme, self.session.system)

    def _show_gauge(self, pressure: float | None = None, gap: str = "") -> None:
        session, devices = self.session, self.session.instruments
        test = session.job.test
        if pressure is None and not gap and test.readings and self.live is None and self._pump_since is None:
            pressure = test.readings[-1].pressure
        self.head.set(pressure, gap)
        gauge = devices.gauge
        told = devices.problem or (gauge.note if gauge else "")
        simulated = "simulated" if devices.simulated else (gauge.name if gauge else "")
        self.source.setText(told or tr(simulated))
        self.speed.setVisible(devices.simulated)
        self.record.setEnabled(self.live is None)
        self.stop.setEnabled(self.live is not None)
        self.pump.setEnabled(self._pump_since is None)
        if self.live is None:
            done = stages_done(session.journal)
            for button in self.stages.buttons():
                key = str(button.property("stage"))
                button.setText(("✓ " if key in done else "") + STAGES[key])

    def fill(self) -> None:
        """Follow the job."""
        self._show_gauge()
        if self.live is None:
            self.refit()

    def _forget(self) -> None:
        self.live, self.standing, self.pumping, self._pump_since = None, None, [], None
        self._ticker.stop()
        self.shown = self._asked = None

    def _end_session(self) -> None:
        if self.live is not None:
            self.end()
        self._ticker.stop()
        self.fits.close()
        self.laying.close()
        self.reading.close()

    def set_theme(self, theme: Theme) -> None:
        """Choose the theme."""
        self.view.set_theme(theme)


def _seed(job: Job) -> int:
    """Return the seed of a job's simulated bag: the same job practises on the same one."""
    return sum(ord(c) * (k + 1) for k, c in enumerate(job.name)) % 10_000


def _thinned(readings: list[Reading]) -> list[Reading]:
    """Return at most ``KEEP`` readings, as means of neighbours."""
    n = -(-len(readings) // KEEP)
    if n <= 1:
        return list(readings)
    cut = [readings[k : k + n] for k in range(0, len(readings), n)]
    return [
        Reading(time=sum(r.time for r in c) / len(c), pressure=sum(r.pressure for r in c) / len(c))
        for c in cut
    ]
