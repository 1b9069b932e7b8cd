"""A device as it is believed: what it did not say stays a gap, with the reason in words, and never an invented value."""

from __future__ import annotations

import math
from collections.abc import Mapping

from bibulon.core.units.words import tr
from bibulon.devices.device import Device, Reading

__all__ = ["Watched"]

RANGES = {
    "pressure": (0.0, 2.5e5, tr("is no pressure that a bag has")),
    "temperature": (233.0, 623.0, tr("is no temperature of a shop or an oven")),
    "mass": (-5.0, 5e3, tr("is no mass of a bucket")),
    "loudness": (-50.0, 200.0, tr("is no loudness")),
}
STANDS = 900.0  # s without any change after which a gauge counts as frozen
JUMP = 5.0  # s by which a device's clock may go off ours between two readings


class Watched:
    """Reads a device and checks what it says; ``note`` says what is odd though it may be true.

    Times are those of the clock that is handed in, never the device's own.
    """

    def __init__(self, device: Device, stands: float = STANDS) -> None:
        self.device, self.stands, self.note = device, stands, ""
        self._said: dict[str, tuple[float, float]] = {}  # value, since when [s]
        self._off: float | None = None

    @property
    def name(self) -> str:
        """Return the device's name."""
        return self.device.name

    @property
    def units(self) -> Mapping[str, str]:
        """Return what it reads."""
        return self.device.units

    def read(self, now: float) -> Reading:
        """Return what it says at a time [s of our clock]; a gap with its reason where that cannot be believed."""
        try:
            said = self.device.read()
        except Exception as error:  # a driver may fail in any way; the record goes on
            return Reading(now, {}, "", (), f"{self.name}: {error}")
        self.note = ""
        if said.gap:
            self._off = None
            return Reading(now, {}, said.state, said.alarms, said.gap)
        off = said.time - now
        if self._off is not None and abs(off - self._off) > JUMP:
            self.note = tr("the clock of {0} jumped by {1:.0f} s; ours goes on", self.name, off - self._off)
        self._off = off
        kept, gap = {}, ""
        for name, value in said.values.items():
            low, high, why = RANGES.get(name, (-math.inf, math.inf, "is no number"))
            if not math.isfinite(value) or not low <= value <= high:
                gap = tr("{0}: {1:g} {2}; check the unit it sends", self.name, value, why)
                continue
            kept[name] = value
            before = self._said.get(name)
            if before is None or before[0] != value:
                self._said[name] = (value, now)
            elif now - before[1] > self.stands:
                self.note = tr(
                    "{0} has shown the same for {1:.0f} min: is it frozen?", self.name, (now - before[1]) / 60
                )
        return Reading(now, kept, said.state, said.alarms, "" if kept or not said.values else gap)
