"""What a device is: it has a name, says readings with their time, takes set points, and tells its state and alarms."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from msgspec import Struct, field

__all__ = ["Device", "DeviceError", "Reading"]


class DeviceError(RuntimeError):
    """A device that does not answer, or answers nonsense; the text says which and what."""


class Reading(Struct, frozen=True):
    """What a device said at a time [s of its clock]: values by name, in SI; ``alarms`` in words; ``state`` in a word.

    A value that could not be read is left out, never made up; ``gap`` says why.
    """

    time: float
    values: Mapping[str, float] = field(default_factory=dict)
    state: str = ""
    alarms: tuple[str, ...] = ()
    gap: str = ""


class Device(Protocol):
    """A device, simulated or real.  ``units`` names what it reads, each with its quantity; ``points`` what can be set."""

    name: str
    units: Mapping[str, str]
    points: Mapping[str, str]

    def read(self) -> Reading:
        """Return what it says now; a gap with its reason where it says nothing."""
        ...

    def write(self, point: str, value: float) -> None:
        """Set a point, in SI.

        Raises
        ------
        DeviceError : when there is no such point, the value is out of its range, or it does not answer.
        """
        ...
