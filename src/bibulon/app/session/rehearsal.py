"""A rehearsal in a window: a simulated shop under the same board, on a faster clock; nothing else knows of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, QTimer, Signal

from bibulon.app.session.instruments import MachineTruth, truth_for
from bibulon.app.session.session import Session
from bibulon.app.work.ask import Ask
from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.flow.forecast import forecast
from bibulon.core.leak.hunt import places_of
from bibulon.core.model.job import Job
from bibulon.core.mould.recipe import course_of
from bibulon.core.plans.rehearsal.crews import Noticed
from bibulon.core.plans.rehearsal.debrief import Debrief, debrief
from bibulon.core.plans.rehearsal.faults import Hidden, draw_shop, true_job
from bibulon.core.plans.rehearsal.followed import Seen, follow, heard, look
from bibulon.core.plans.rehearsal.shop import BIAS, TEST_RISE, Shop
from bibulon.core.plans.rehearsal.training import Trained, trained_of, training_line
from bibulon.core.run.clock import RunClock
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr
from bibulon.devices.bagsim import BagTruth, SimulatedLeak
from bibulon.devices.bucketsim import SimulatedScale
from bibulon.devices.machine import Fault as MachineFault
from bibulon.devices.machine import FaultKind, PartResistance
from bibulon.devices.scaled import ScaledClock
from bibulon.devices.watched import Watched

__all__ = ["Rehearsal"]

TICK_MS = 700
MACHINE_FAULTS: dict[str, FaultKind] = {"ratio": "ratio drift", "kink": "blocked filter"}
FAR = 1e7  # s
SPEED = 10.0


class Rehearsal(QObject):
    """``changed`` tells that it began or ended, ``told`` brings the debrief; what is seen of the resin goes to the session."""

    changed = Signal()
    told = Signal(object)
    hissed = Signal(float)  # from where, −1 at the left to 1 at the right

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.shop: Shop | None = None
        self.noticed = Noticed()
        self.now: Seen | None = None
        self.clock: ScaledClock | None = None
        self._real = session.run_clock
        self._scales: tuple[Watched | None, Watched] | None = None  # the one for real shots, and the shop's
        self._sampler: Sampler | None = None
        self._rows = 0
        self._job: Job | None = None
        self.ask = Ask(self, lambda: session.number)
        self.ask.ready.connect(self._show)
        self.ask.failed.connect(lambda error: session.said.emit(tr("The rehearsal stopped: {}", error), True))
        self.making = Ask(self, lambda: session.number)
        self.making.ready.connect(self._lay)
        self.making.failed.connect(
            lambda error: session.said.emit(tr("The rehearsal stopped: {}", error), True)
        )
        self.ending = Ask(self, lambda: session.number)
        self.ending.ready.connect(self._told)
        self.ending.failed.connect(
            lambda error: session.said.emit(tr("The rehearsal stopped: {}", error), True)
        )
        self._tick = QTimer(self)
        self._tick.setInterval(TICK_MS)
        self._tick.timeout.connect(self.step)
        session.job_opened.connect(self._opened)
        session.closing.connect(self._tick.stop)

    @property
    def running(self) -> bool:
        """Whether a rehearsal is under way."""
        return self._job is not None

    def begin(self, job: Job, seed: int, faults: Sequence[str] | None) -> None:
        """Begin with a job, which becomes one of its own without a file."""
        hidden = draw_shop(job, seed, faults)
        name = job.name.removeprefix("Rehearsal of ")  # of one that was rehearsed, it is no second one
        self._job = job.replaced(name=f"Rehearsal of {name}"[:120])
        self.clock = ScaledClock(self._real.clock, SPEED)
        # First of all: a leak test that runs ends by the clock it began with.
        self.session.instruments.run_by(self.clock)
        self.session.run_clock = RunClock(self.clock)
        self.session.new(self._job)
        self.noticed, self.shop, self._rows = Noticed(), None, 0
        self.making.want(lambda: _made(job, hidden))
        self._tick.start()
        self.changed.emit()

    def _lay(self, answer: tuple[Shop, BagTruth, MachineTruth | None]) -> None:
        self.shop, truth, machine = answer
        instruments = self.session.instruments
        instruments.lay(truth, self.shop.hidden.seed)
        instruments.machine = machine
        scale = SimulatedScale(
            lambda: self.now.bucket if self.now else None, self.session.elapsed, self.shop.hidden.seed
        )
        own = self._scales[0] if self._scales else instruments.others.get("mass")
        self._scales = own, Watched(scale)
        instruments.others["mass"] = self._scales[1]

    def _opened(self) -> None:
        """Another job than the one that is rehearsed was opened: it is over, and the clock is the real one again."""
        if self._job is None or self.session.job is self._job:
            return
        self._leave()

    def _leave(self) -> None:
        self._job = self.shop = self.now = self._sampler = None
        self._see(None)
        self._tick.stop()
        self.ask.drop()
        self.making.drop()
        self.ending.drop()
        self.session.instruments.run_by(self._real.clock)
        self.session.run_clock = self._real
        self.session.instruments.machine = None
        self._put_scale_back()
        self.changed.emit()

    def _put_scale_back(self) -> None:
        """Put back the scale that was chosen for real shots, or none, unless another was chosen meanwhile."""
        others = self.session.instruments.others
        if self._scales is None:
            return
        own, simulated = self._scales
        if others.get("mass") is simulated:
            del others["mass"]
            if own is not None:
                others["mass"] = own
        self._scales = None

    def set_speed(self, speed: float) -> None:
        """Run the clock so many times as fast; 0 stands still."""
        if self.clock is not None:
            self.clock.set_speed(speed)

    def step(self) -> None:
        """Let the shop live on, off the interface thread."""
        shop, session = self.shop, self.session
        if shop is None or self.ask.busy or self.ending.busy:
            return
        rows = session.journal[self._rows :]
        self._rows = len(session.journal)
        now, sampler, noticed = session.elapsed(), self._sampler, self.noticed
        bag = session.instruments.bag
        pressed = bag is not None and bool(bag.mended)

        def live() -> tuple[Shop, Sampler, Seen, Contours]:
            if pressed and shop.has("leak"):
                noticed.see(shop, "leak")
            found = follow(shop, rows, now, noticed)
            raster = sampler or Sampler(shop.plan.model.mesh, 200)
            # What is not wet yet lies far ahead, so that nothing of what is to come shows.
            ahead = np.where(np.isfinite(found.wet), found.wet, now + FAR)
            return shop, raster, found, replace(raster.contours(ahead), top=max(now, 1.0))

        self.ask.want(live)

    def _show(self, answer: tuple[Shop, Sampler, Seen, Contours]) -> None:
        self.shop, self._sampler, self.now, contours = answer
        self._see(contours)
        if self.now.happened:
            self.session.said.emit(tr("In the shop: {}.", ", ".join(self.now.happened)), True)

    def _see(self, contours: Contours | None) -> None:
        self.session.seen = contours
        self.session.seen_changed.emit()

    def look(self, which: str) -> None:
        """Look at one thing in the shop, and say what is found."""
        shop = self.shop
        if shop is None or self.ask.busy:
            self.session.said.emit(tr("The shop is just being looked at; once more."), False)
            return
        pan = heard(shop) if which == "listen" else None
        found = look(shop, self.noticed, which)
        if pan is not None:
            self.hissed.emit(pan)
        self.session.said.emit(found, found.startswith("Found"))

    def end(self) -> None:
        """End it and tell what was hidden; one line goes into the training log."""
        shop = self.shop
        if self.ending.busy:
            return
        if shop is None or self.ask.busy:
            self.session.said.emit(tr("The shop is just being looked at; once more."), False)
            return
        state = self.session.run_state()
        if state.running:
            now = self.session.elapsed()
            self.session.stamp(
                Entry(state.run, now, "stop", {"text": "end of the rehearsal"}, self.session.run_clock.wall())
            )
        self._tick.stop()
        rows, now, noticed = (
            self.session.journal[self._rows :],
            self.session.elapsed(),
            dict(self.noticed.when),
        )

        def told() -> tuple[Shop, Debrief]:
            follow(shop, rows, now)
            if shop.released_at is None:
                shop.release()
            return shop, debrief(shop, noticed)

        self.ending.want(told)
        self.session.said.emit(tr("Working out what each decision came to …"), False)

    def _told(self, answer: tuple[Shop, Debrief]) -> None:
        self._log(answer[1])
        self._leave()
        self.told.emit(answer)

    @property
    def person(self) -> str:
        """Return who practises."""
        return self.session.person

    @property
    def _training(self) -> Path:
        return self.session.state_folder / "training.jsonl"

    def trained(self) -> tuple[Trained, ...]:
        """Return what this person rehearsed so far, the latest first."""
        try:
            lines = self._training.read_text(encoding="utf-8", errors="replace").splitlines()
        except OSError:
            return ()
        return trained_of(lines, self.person)

    def _log(self, told: Debrief) -> None:
        line = training_line(self.person, self.session.job.name, self._real.wall(), told)
        try:
            self.session.state_folder.mkdir(parents=True, exist_ok=True)
            with self._training.open("a", encoding="utf-8") as log:
                log.write(line + "\n")
        except OSError as error:
            self.session.said.emit(
                tr("The training log could not be written: {}.", error.strerror or error), True
            )


def _made(job: Job, hidden: Hidden) -> tuple[Shop, BagTruth, MachineTruth | None]:
    """Return the shop, the bag on which Prove's instruments read what is hidden in it, and what a closed mould's machine meets."""
    truth = truth_for(
        job, hidden.seed, 1e-3
    )  # with leaks of its own, in whose place come those that are hidden
    kinds = {f.kind: f for f in hidden.faults}
    leaks: tuple[SimulatedLeak, ...] = ()
    if "leak" in kinds and kinds["leak"].place is not None:
        x, y = kinds["leak"].place
        leaks = (SimulatedLeak(x, y, _along(job, x, y), TEST_RISE * truth.volume),)
    shop = Shop(job, hidden)
    return shop, replace(
        truth, leaks=leaks, bias=-BIAS if "gauge" in kinds else 0.0, freezes=math.inf, lost=0.0,
        floor=truth.floor + (0.1 * job.conditions.atmosphere if "pump" in kinds else 0.0),
    ), _machine(shop)  # fmt: skip


def _machine(shop: Shop) -> MachineTruth | None:
    """Return what the simulated machine injects into: the part as it is, and what of the hidden faults is the machine's."""
    if shop.job.process == "infusion":
        return None
    job = true_job(shop.job, shop.hidden)
    course = course_of(job, forecast(job, shop.resolution))
    faults = tuple(
        MachineFault(kind, 0.25 * float(course.time[-1]), 0.9)
        for key, kind in MACHINE_FAULTS.items()
        if shop.has(key)
    )
    return MachineTruth(PartResistance.of(course, shop.plan.density, job.conditions.vacuum), faults)


def _along(job: Job, x: float, y: float) -> float:
    """Return where along the walk-round a place [m] lies."""
    if job.process != "infusion":
        return 0.0
    return min(places_of(job, bag_of(job)), key=lambda p: math.dist((p.x, p.y), (x, y))).along
