"""Runs a recipe's injection on a machine, simulated or real, and keeps what it said."""

from __future__ import annotations

from dataclasses import dataclass, field

from msgspec import Struct

from bibulon.devices.device import Device, Reading

__all__ = ["Injection", "Injector"]


class Injection(Struct, frozen=True):
    """What is set: rate until the pressure [m³/s], then pressure [Pa absolute], stop at a mass [kg], give up after [s]."""

    rate: float
    pressure: float
    mass: float
    longest: float


@dataclass
class Injector:
    """One shot on one machine; ``rows`` are all its readings.  ``look`` is called as often as it is to be watched."""

    machine: Device
    plan: Injection
    rows: list[Reading] = field(default_factory=list)
    ended: str = ""

    def begin(self) -> None:
        """Set the points, then let it run.

        Raises
        ------
        DeviceError : when the machine refuses a point.
        """
        for point, value in (
            ("rate", self.plan.rate),
            ("pressure", self.plan.pressure),
            ("mass", self.plan.mass),
            ("run", 1.0),
        ):
            self.machine.write(point, value)

    def look(self) -> Reading:
        """Read the machine; end the shot when it has tripped, is full, or takes too long."""
        reading = self.machine.read()
        self.rows.append(reading)
        if self.ended:
            return reading
        if reading.alarms:
            self.ended = reading.alarms[-1]
        elif reading.values.get("mass", 0.0) >= self.plan.mass:
            self.ended = "full"
        elif reading.state and reading.state != "injecting":
            self.ended = reading.state
        elif reading.time - self.rows[0].time > self.plan.longest:
            self.ended = "took too long"
        if self.ended:
            self.machine.write("run", 0.0)
        return reading
