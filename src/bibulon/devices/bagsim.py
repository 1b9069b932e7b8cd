"""A simulated bag on a pump, and the instruments on it: for practice, for tests, and until real ones are fitted.

V dp/dt = q(p) + G(t) − S (p − p_ult), with holes that are choked or fine paths, gas that the dry pack gives off and that
dies away, and a pump that is on or shut off.  Everything that is drawn by chance comes from one seed, at times of a fixed
grid: the same seed is the same bag, whatever the speed and however often it is read.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from msgspec import Struct

from bibulon.core.leak.after import share_of_choked
from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading

__all__ = [
    "BagTruth",
    "Gauge",
    "LeakDetector",
    "Scale",
    "SimulatedBag",
    "SimulatedLeak",
    "SimulatedPump",
    "Thermometer",
]

SUBSTEP = 0.5  # s
GRID = 0.1  # s between the moments for which noise is drawn
FLOOR_DB = 22.0  # of a shop
LOUD_DB = 62.0  # of 0.1 Pa m³/s, heard at the near distance
NEAR = 0.03  # m


class SimulatedLeak(Struct, frozen=True):
    """A leak: where on the plan [m], where along the walk-round [m], and how much while choked [Pa m³/s]."""

    x: float
    y: float
    along: float
    leak: float
    fine: bool = False


class BagTruth(Struct, frozen=True):
    """What nobody in the shop knows: leaks, gas given off, the pump, the shop's warmth, and how good the gauge is."""

    volume: float
    air: float = 101325.0
    leaks: tuple[SimulatedLeak, ...] = ()
    gas: float = 400.0  # Pa that come in all
    gas_time: float = 150.0  # s
    speed: float = 8e-4  # m³/s
    floor: float = 700.0  # Pa
    temperature: float = 294.0
    drift: float = 0.0  # K an hour
    noise: float = 8.0  # Pa
    wander: float = 4.0  # Pa
    step: float = 10.0  # Pa
    lost: float = 0.0  # share of readings that are lost
    bias: float = 0.0  # Pa
    freezes: float = math.inf  # s from when on the gauge stands still


def _draw(seed: int, kind: int, moment: int) -> float:
    """Return a normal number that belongs to a moment of the grid."""
    return float(np.random.default_rng([seed, kind, moment]).standard_normal())


@dataclass
class SimulatedBag:
    """The bag at a time [s]; ``advance`` lets time pass.  ``clamped`` is the part of the walk that is shut off with the gauge."""

    truth: BagTruth
    seed: int = 0
    time: float = 0.0
    pressure: float = field(init=False)
    pumping: bool = False
    mended: set[int] = field(default_factory=set)
    clamped: tuple[float, float] | None = None
    under_vacuum: float = 0.0  # s for which it has been so

    def __post_init__(self) -> None:
        self.pressure = self.truth.air

    def leak(self) -> float:
        """Return what comes in now [Pa m³/s]."""
        out = 0.0
        air, p = self.truth.air, self.pressure
        for k, leak in enumerate(self.truth.leaks):
            if k in self.mended or not self._reached(leak):
                continue
            out += leak.leak * ((1 - (p / air) ** 2) if leak.fine else share_of_choked(p / air))
        return out

    def _reached(self, leak: SimulatedLeak) -> bool:
        if self.clamped is None:
            return True
        start, end = self.clamped
        return start <= leak.along <= end if start <= end else leak.along >= start or leak.along <= end

    def advance(self, to: float) -> None:
        """Let time pass until a moment [s]; one that is past is passed over."""
        while self.time < to - 1e-9:
            self._pass(min(SUBSTEP, to - self.time))

    def _pass(self, dt: float) -> None:
        truth = self.truth
        self.time += dt
        given = 0.0
        if self.pressure < 0.3 * truth.air:
            self.under_vacuum += dt
            given = truth.gas / truth.gas_time * math.exp(-self.under_vacuum / truth.gas_time)
        rise = self.leak() / truth.volume + given
        if self.pumping:
            rate = truth.speed / truth.volume
            rest = truth.floor + rise / rate
            self.pressure = rest + (self.pressure - rest) * math.exp(-rate * dt)
        else:
            self.pressure = min(self.pressure + rise * dt, truth.air)

    def temperature(self) -> float:
        """Return how warm bag and shop are [K]."""
        return self.truth.temperature + self.truth.drift * self.time / 3600

    def press(self, x: float, y: float, near: float = 0.15) -> bool:
        """Press the bag down near a place [m]; whether a leak there is shut by it."""
        there = [
            k
            for k, q in enumerate(self.truth.leaks)
            if k not in self.mended and math.hypot(q.x - x, q.y - y) < near
        ]
        self.mended.update(there)
        return bool(there)

    def loudness(self, x: float, y: float) -> float:
        """Return what a detector hears at a place [dB]."""
        power = 10 ** (FLOOR_DB / 10)
        for k, leak in enumerate(self.truth.leaks):
            if k not in self.mended:
                far = max(math.hypot(leak.x - x, leak.y - y), NEAR) / NEAR
                power += 10 ** ((LOUD_DB + 10 * math.log10(max(leak.leak, 1e-9) / 0.1)) / 10) / far**2
        return 10 * math.log10(power)


class _OnBag:
    """A device on a simulated bag, whose time a clock hands in [s]."""

    points: Mapping[str, str] = {}
    units: Mapping[str, str] = {}

    def __init__(self, bag: SimulatedBag, clock: Callable[[], float], name: str) -> None:
        self.bag, self.clock, self.name = bag, clock, name

    def _now(self) -> int:
        """Bring the bag up to now; return the moment's number on the grid."""
        self.bag.advance(self.clock())
        return round(self.bag.time / GRID)

    def write(self, point: str, value: float) -> None:
        """Refuse: there is nothing to set.

        Raises
        ------
        DeviceError : always.
        """
        raise DeviceError(tr("{} has nothing that can be set.", self.name))


class Gauge(_OnBag):
    """An absolute gauge that is noisy, wanders, rounds, loses readings and may stand still."""

    units: Mapping[str, str] = {"pressure": "pressure"}

    def read(self) -> Reading:
        """Return the pressure [Pa] as the gauge shows it."""
        moment = self._now()
        truth, seed = self.bag.truth, self.bag.seed
        if np.random.default_rng([seed, 9, moment]).random() < truth.lost:
            return Reading(self.bag.time, {}, "", (), "the gauge sent nothing")
        shown = self.bag.pressure * self.bag.temperature() / truth.temperature
        if self.bag.time > truth.freezes:
            shown = getattr(self, "_stood", shown)
        self._stood = shown
        slow = moment / 600  # a minute each, joined by straight lines: a wander without a memory to carry
        whole = math.floor(slow)
        wander = _draw(seed, 2, whole) * (1 - slow + whole) + _draw(seed, 2, whole + 1) * (slow - whole)
        still = self.bag.time > truth.freezes
        shown += 0.0 if still else truth.noise * _draw(seed, 1, moment) + truth.wander * wander + truth.bias
        return Reading(self.bag.time, {"pressure": max(round(shown / truth.step) * truth.step, 0.0)})


class Thermometer(_OnBag):
    """A thermometer on the bag, of a tenth of a degree."""

    units: Mapping[str, str] = {"temperature": "temperature"}

    def read(self) -> Reading:
        """Return the temperature [K]."""
        moment = self._now()
        warm = self.bag.temperature() + 0.03 * _draw(self.bag.seed, 3, moment)
        return Reading(self.bag.time, {"temperature": round(warm, 1)})


class Scale(_OnBag):
    """A scale under the bucket, of 5 g; ``mass`` tells what stands on it [kg] at a time [s]."""

    units: Mapping[str, str] = {"mass": "mass"}

    def __init__(
        self, bag: SimulatedBag, clock: Callable[[], float], name: str, mass: Callable[[float], float]
    ) -> None:
        super().__init__(bag, clock, name)
        self.mass = mass

    def read(self) -> Reading:
        """Return the mass [kg]."""
        moment = self._now()
        shown = self.mass(self.bag.time) + 0.003 * _draw(self.bag.seed, 4, moment)
        return Reading(self.bag.time, {"mass": max(round(shown / 0.005) * 0.005, 0.0)})


class LeakDetector(_OnBag):
    """An ultrasonic detector, held at a place [m]."""

    units: Mapping[str, str] = {"loudness": "dB"}
    points: Mapping[str, str] = {"x": "length", "y": "length"}

    def __init__(self, bag: SimulatedBag, clock: Callable[[], float], name: str) -> None:
        super().__init__(bag, clock, name)
        self.place = {"x": 0.0, "y": 0.0}

    def write(self, point: str, value: float) -> None:
        """Hold it elsewhere.

        Raises
        ------
        DeviceError : when there is no such point, or the place is none.
        """
        if point not in self.place or not math.isfinite(value):
            raise DeviceError(tr("{} is held at x and y, in metres.", self.name))
        self.place[point] = value

    def read(self) -> Reading:
        """Return the loudness [dB]."""
        moment = self._now()
        heard = self.bag.loudness(**self.place) + 0.8 * _draw(self.bag.seed, 5, moment)
        return Reading(self.bag.time, {"loudness": round(heard, 1)})


class SimulatedPump(_OnBag):
    """The pump with its valve: ``run`` 1 draws, 0 is shut off."""

    units: Mapping[str, str] = {}
    points: Mapping[str, str] = {"run": "number"}

    def write(self, point: str, value: float) -> None:
        """Open or shut.

        Raises
        ------
        DeviceError : when there is no such point.
        """
        if point != "run":
            raise DeviceError(tr("{0} has no “{1}”: run.", self.name, point))
        self._now()
        self.bag.pumping = bool(value)

    def read(self) -> Reading:
        """Return its state."""
        self._now()
        return Reading(self.bag.time, {}, "drawing" if self.bag.pumping else tr("shut off"))


def drawn_truth(
    seed: int, volume: float, air: float, places: Sequence[tuple[float, float, float, float]], limit: float
) -> BagTruth:
    """Return a bag as a shop meets one: tight six times in ten, else with one leak, or two, at likely places.

    Parameters
    ----------
    places : (x, y, along, weight) of where it may leak [m].
    limit : what the part can bear [Pa m³/s]: leaks are drawn about it.
    """
    rng = np.random.default_rng([seed, 40])
    weights = np.array([p[3] for p in places])
    count = int(rng.choice([0, 1, 2], p=[0.6, 0.3, 0.1])) if len(places) else 0
    leaks = (
        [
            SimulatedLeak(x, y, along, limit * float(rng.uniform(2, 12)), bool(rng.random() < 0.3))
            for x, y, along, _ in (
                places[int(k)] for k in rng.choice(len(places), count, p=weights / weights.sum())
            )
        ]
        if count
        else []
    )
    seep = SimulatedLeak(1e3, 1e3, math.inf, limit * float(rng.uniform(0.05, 0.3)))
    return BagTruth(
        volume, air, (*leaks, seep), float(rng.uniform(100, 700)), float(rng.uniform(60, 240)),
        drift=float(rng.normal(0, 0.3)),
    )  # fmt: skip
