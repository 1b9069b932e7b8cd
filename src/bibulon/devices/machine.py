"""A simulated injection machine: the part pushes back as the forecast says, and faults play as they do in shops.

Resin and pressure at the inlet: c dp/dt = Q_pump − (p − p_vac)/R(m), with the part's resistance R by the mass that is in it
and a little give c of the hose.  The machine keeps to its limit by itself: it goes from flow to pressure, a relief valve
opens at the limit, and it trips on what it should not see: pump off, inlet clamped.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.mould.recipe import Course
from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading

__all__ = ["FAULTS", "Fault", "PartResistance", "SimulatedMachine"]

Floats = npt.NDArray[np.float64]
FaultKind = Literal["blocked filter", "ratio drift", "pressure spike", "empty tank"]
FAULTS: tuple[FaultKind, ...] = ("blocked filter", "ratio drift", "pressure spike", "empty tank")

GIVE = 4e-12  # m³/Pa of hose and gun
HIGHEST_FLOW = 2e-4  # m³/s that its pump gives at most
STARVED = 0.25  # share of the flow asked for, under which for ``WAIT`` s it trips
WAIT = 8.0
RATIO = 0.05  # share by which the ratio may be off for ``WAIT`` s
SUBSTEP = 0.05  # s


class Fault(Struct, frozen=True):
    """A fault that plays from a time on [s of injection]; ``size`` 0 to 1, how bad it is."""

    kind: FaultKind
    at: float
    size: float = 0.7


class PartResistance(Struct, frozen=True, eq=False):
    """What a part takes at a pressure, by the mass that is in: resistances [Pa s/m³] at masses [kg], and when it is full."""

    mass: Floats
    resistance: Floats
    density: float
    vacuum: float

    @classmethod
    def of(cls, course: Course, density: float, vacuum: float) -> PartResistance:
        """Return the resistance behind a forecast course."""
        flow = np.maximum(course.flow / density, 1e-12)
        found = np.maximum(course.pressure - vacuum, 1.0) / flow
        kept = course.time > 0
        return cls(course.mass[kept], found[kept], density, vacuum)

    def at(self, mass: float) -> float:
        """Return the resistance once so much is in [kg]; a full part takes nothing more."""
        if mass >= self.mass[-1]:
            return math.inf
        return float(np.interp(mass, self.mass, self.resistance))


class SimulatedMachine:
    """A machine on a part.  Pressures are absolute [Pa]; ``limit`` is what neither part nor hose may see more than."""

    units: Mapping[str, str] = {
        "pressure": "pressure",
        "flow": "flow",
        "mass": "mass",
        "ratio_error": "share",
    }
    points: Mapping[str, str] = {"rate": "flow", "pressure": "pressure", "mass": "mass", "run": "number"}

    def __init__(
        self,
        part: PartResistance,
        limit: float,
        faults: Sequence[Fault] = (),
        name: str = "simulated machine",
    ) -> None:
        self.name, self.part, self.limit, self.faults = name, part, limit, tuple(faults)
        self.time = self.ran = 0.0
        self.inlet = part.vacuum
        self.mass = self.flow = self.ratio_error = 0.0
        self.running = False
        self.tripped: list[str] = []
        self.set = {"rate": 1e-5, "pressure": min(1.0e5, limit), "mass": 0.0, "run": 0.0}
        self._starved = self._off = 0.0
        self._spiked: set[int] = set()

    # -- the protocol

    def read(self) -> Reading:
        """Return pressure, flow, mass in the part and error of the ratio."""
        values = {
            "pressure": self.inlet,
            "flow": self.flow,
            "mass": self.mass,
            "ratio_error": self.ratio_error,
        }
        state = "tripped" if self.tripped else "injecting" if self.running else "clamped"
        return Reading(self.time, values, state, tuple(self.tripped))

    def write(self, point: str, value: float) -> None:
        """Set rate [m³/s], pressure [Pa], mass at which to stop [kg], or ``run`` 1 or 0.

        Raises
        ------
        DeviceError : when there is no such point, or the value is out of its range.
        """
        if point not in self.points:
            raise DeviceError(tr("{0} has no “{1}”: {2}.", self.name, point, ", ".join(self.points)))
        if not math.isfinite(value) or value < 0:
            raise DeviceError(tr("{0}: {1} is no less than nothing.", self.name, point))
        if point == "pressure" and value > self.limit:
            raise DeviceError(
                tr(
                    "{0}: {1:.0f} kPa are over its limit of {2:.0f} kPa.",
                    self.name,
                    value / 1000.0,
                    self.limit / 1000.0,
                )
            )
        if point == "rate" and value > HIGHEST_FLOW:
            raise DeviceError(
                tr("{0}: its pump gives {1:.0f} L/min at most.", self.name, HIGHEST_FLOW * 60000.0)
            )
        if point == "run" and value and self.tripped:
            raise DeviceError(
                tr("{0} has tripped: {1}. Look at it, then acknowledge.", self.name, self.tripped[-1])
            )
        self.set[point] = value
        if point == "run":
            self.running = bool(value)

    def stop(self) -> None:
        """Emergency stop: pump off, inlet clamped."""
        self._trip("emergency stop")

    def acknowledge(self) -> None:
        """Take note of what tripped it, so that it may run again."""
        self.tripped.clear()
        self._starved = self._off = 0.0

    @property
    def safe(self) -> bool:
        """Whether pump is off, inlet clamped, and nothing over the limit."""
        return not self.running and self.flow == 0 and self.inlet <= self.limit

    # -- what it does

    def step(self, dt: float) -> None:
        """Let time pass [s]."""
        for _ in range(max(1, math.ceil(dt / SUBSTEP))):
            self._pass(dt / max(1, math.ceil(dt / SUBSTEP)))

    def _pass(self, dt: float) -> None:
        self.time += dt
        if not self.running:
            self.flow = 0.0
            # Clamped: what stands in the hose goes back to the tank.
            self.inlet += (self.part.vacuum - self.inlet) * min(dt / 2.0, 1.0)
            return
        self.ran += dt
        resistance = self.part.at(self.mass)
        wanted = self._wanted(resistance)
        given = wanted * self._gives()
        before = self.inlet
        if math.isinf(resistance):
            self.inlet += dt * given / GIVE
            taken = 0.0
        else:
            stiff = dt / (GIVE * resistance)
            self.inlet = (self.inlet + dt * given / GIVE + stiff * self.part.vacuum) / (1 + stiff)
            taken = max(self.inlet - self.part.vacuum, 0.0) / resistance
        self.inlet += self._spike()
        spiked = self.inlet > self.limit
        self.inlet = min(self.inlet, self.limit)  # the relief valve opens
        self.flow = taken
        self.mass += taken * self.part.density * dt
        self.ratio_error = self._ratio()
        self._watch(dt, wanted, given, spiked and before < 0.999 * self.limit)
        if self.set["mass"] > 0 and self.mass >= self.set["mass"]:
            self.running, self.flow = False, 0.0

    def _wanted(self, resistance: float) -> float:
        """Return what the pump is asked for [m³/s]: its rate, no more than keeps the set pressure."""
        top = self.set["pressure"]
        keeps = 0.0 if math.isinf(resistance) else max(top - self.part.vacuum, 0.0) / resistance
        near = max(top - self.inlet, 0.0) * GIVE / SUBSTEP
        return min(self.set["rate"], HIGHEST_FLOW, keeps + near)

    def _on(self, kind: FaultKind) -> float:
        return max((f.size for f in self.faults if f.kind == kind and self.ran >= f.at), default=0.0)

    def _gives(self) -> float:
        """Return the share that pump and filter give of what is asked."""
        if self._on("empty tank") > 0:
            return 0.0
        return 1.0 - self._on("blocked filter")

    def _spike(self) -> float:
        """Return a knock of pressure [Pa], once a fault."""
        out = 0.0
        for k, fault in enumerate(self.faults):
            if fault.kind == "pressure spike" and self.ran >= fault.at and k not in self._spiked:
                self._spiked.add(k)
                out += fault.size * 5e5
        return out

    def _ratio(self) -> float:
        begun = min((f.at for f in self.faults if f.kind == "ratio drift"), default=math.inf)
        return self._on("ratio drift") * min(max(self.ran - begun, 0.0) / 60.0, 1.0) * 0.4

    def _watch(self, dt: float, wanted: float, given: float, knocked: bool) -> None:
        if knocked:
            self._trip("pressure knocked at the limit")
        self._starved = self._starved + dt if given < STARVED * wanted and wanted > 1e-9 else 0.0
        self._off = self._off + dt if abs(self.ratio_error) > RATIO else 0.0
        if self._starved > WAIT:
            self._trip("no resin comes: tank empty or filter blocked")
        if self._off > WAIT:
            self._trip("ratio out of its band")

    def _trip(self, why: str) -> None:
        self.running, self.flow = False, 0.0
        self.set["run"] = 0.0
        if why not in self.tripped:
            self.tripped.append(why)
