"""The instruments of this window: a simulated bag's until real ones are chosen, all read by one handed-in clock."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PySide6.QtCore import QObject, QSettings, Signal

from bibulon.core.bag.bag import bag_of
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.hunt import places_of
from bibulon.core.leak.volume import bag_volume
from bibulon.core.model.job import Job
from bibulon.core.run.clock import Clock
from bibulon.core.units.words import tr
from bibulon.devices.bagsim import (
    BagTruth,
    Gauge,
    LeakDetector,
    SimulatedBag,
    SimulatedPump,
    Thermometer,
    drawn_truth,
)
from bibulon.devices.device import Reading
from bibulon.devices.kinds import INSTRUMENTS
from bibulon.devices.machine import Fault, PartResistance
from bibulon.devices.watched import Watched

__all__ = ["SIMULATED", "Instruments", "truth_for"]

SIMULATED = "simulated"


def truth_for(job: Job, seed: int, limit: float) -> BagTruth:
    """Return the hidden truth of a job's simulated bag; ``limit`` is what its part can bear [Pa m³/s]."""
    volume = 0.01
    places: list[tuple[float, float, float, float]] = []
    try:
        volume = max(sum(bag_volume(job).values()), 1e-3)
        if job.process == "infusion":
            places = [(p.x, p.y, p.along, p.weight) for p in places_of(job, bag_of(job))]
    except OutlineError:
        pass  # a bag of some size without places: it can still be proven
    return drawn_truth(seed, volume, job.conditions.atmosphere, places, limit)


class MachineTruth(Struct, frozen=True):
    """What the simulated injection machine meets in place of the plan: a part that takes resin as it does, and faults."""

    part: PartResistance
    faults: tuple[Fault, ...] = ()


class Instruments(QObject):
    """Gauge, pump, thermometer and detector; ``changed`` tells that another gauge was chosen, or another bag laid.

    ``changing`` comes before another gauge or another clock takes over: what is being recorded ends with the one it began
    with, whose seconds and readings are not the next one's.
    """

    changed = Signal()
    changing = Signal()

    def __init__(self, settings: QSettings, clock: Clock, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings, self.clock = settings, clock
        self.speed = 1.0
        self._tie = (clock.now().up, 0.0)  # our clock's seconds, and the simulated ones then
        self.bag: SimulatedBag | None = None
        self.pump: SimulatedPump | None = None
        self.thermometer: Watched | None = None
        self.detector: LeakDetector | None = None
        self._simulated: Watched | None = None
        self._real: Watched | None = None
        self._close: Callable[[], object] | None = None
        self.others: dict[
            str, Watched
        ] = {}  # real ones by what they read: temperature of the part, mass of the bucket
        self.machine: MachineTruth | None = None  # None: it injects as the plan says
        self._closers: dict[str, Callable[[], object]] = {}
        self.problem = ""

    # -- time

    def now(self) -> float:
        """Return seconds: of the machine, or of the simulated shop, which may run faster."""
        up = self.clock.now().up
        if self._real is not None:
            return up
        return self._tie[1] + (up - self._tie[0]) * self.speed

    def run_by(self, clock: Clock) -> None:
        """Take another clock; the simulated shop begins at nought."""
        self.changing.emit()
        self.clock = clock
        self._tie = (clock.now().up, 0.0)

    def set_speed(self, speed: float) -> None:
        """Let the simulated shop run faster; real instruments know one speed."""
        self._tie = (self.clock.now().up, self.now())
        self.speed = speed

    # -- what is read

    @property
    def simulated(self) -> bool:
        """Whether the gauge is a simulated one."""
        return self._real is None

    @property
    def gauge(self) -> Watched | None:
        """Return the gauge that is read; None until a bag is laid, or a gauge chosen."""
        return self._real or self._simulated

    def lay(self, truth: BagTruth, seed: int) -> None:
        """Lay a simulated bag."""
        self.bag = bag = SimulatedBag(truth, seed, time=self._simulated_now())
        self.pump = SimulatedPump(bag, self._simulated_now, "simulated pump")
        self._simulated = Watched(Gauge(bag, self._simulated_now, "simulated gauge"))
        self.thermometer = Watched(Thermometer(bag, self._simulated_now, "simulated thermometer"))
        self.detector = LeakDetector(bag, self._simulated_now, "simulated detector")
        self.changed.emit()

    def _simulated_now(self) -> float:
        return self._tie[1] + (self.clock.now().up - self._tie[0]) * self.speed

    @property
    def waits(self) -> bool:
        """Whether the gauge lets wait for its answer: it is not to be read on the interface thread."""
        return self._real is not None and bool(getattr(self._real.device, "waits", False))

    def read(self) -> Reading | None:
        """Return what the gauge says now; None without one."""
        gauge = self.gauge
        return gauge.read(self.now()) if gauge is not None else None

    # -- which gauge

    def choose(self, kind: str, where: str = "", file: Path | None = None, air: float = 101325.0) -> str:
        """Choose a gauge: "simulated", or a kind of ``INSTRUMENTS`` at a port or an address; return why not, or nothing."""
        self.changing.emit()
        self._let_go_of_gauge()
        self.problem = ""
        if kind != SIMULATED:
            try:
                if file is None:
                    raise ValueError(tr("Choose the file that says how this instrument reads."))
                device, close = INSTRUMENTS[kind].opens(where, file, air)
                self._real, self._close = Watched(device), close
            except (OSError, ValueError) as error:
                self.problem = str(error)
        self.changed.emit()
        return self.problem

    def choose_for(self, quantity: str, kind: str, where: str = "", file: Path | None = None) -> str:
        """Choose what reads a temperature (of the part) or a mass (of the bucket), as a gauge is chosen; return why not, or nothing."""
        self._let_go_of(quantity)
        if kind == SIMULATED:
            return ""
        try:
            if file is None:
                raise ValueError(tr("Choose the file that says how this instrument reads."))
            device, close = INSTRUMENTS[kind].opens(where, file, 0.0)
        except (OSError, ValueError) as error:
            return str(error)
        if quantity not in device.units:
            close()
            return tr("{0} reads no {1}.", device.name, quantity)
        self.others[quantity] = Watched(device)
        self._closers[quantity] = close
        return ""

    def _let_go_of(self, quantity: str) -> None:
        if (close := self._closers.pop(quantity, None)) is not None:
            close()
        self.others.pop(quantity, None)

    def close(self) -> None:
        """Let go of real instruments."""
        self._let_go_of_gauge()
        for quantity in tuple(self.others):
            self._let_go_of(quantity)

    def _let_go_of_gauge(self) -> None:
        if self._close is not None:
            self._close()
        self._real = self._close = None
