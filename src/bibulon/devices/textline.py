"""Instruments that send lines of text over a serial port, each told by a small file: pattern, unit, rate."""

from __future__ import annotations

import json
import re
import time
from pathlib import Path
from typing import Annotated, Any

from msgspec import Meta

from bibulon.core.model.base import Frozen, checked, said
from bibulon.core.model.invalid import Fault, Invalid
from bibulon.core.units.words import tr
from bibulon.devices.device import DeviceError, Reading

__all__ = ["LineMap", "LineValue", "TextLine", "parse_line_map", "read_line_map"]

LONGEST_LINE = 4096  # bytes without an end, after which they are garbage
QUIET = 5.0  # periods without a line, after which it counts as silent

# To SI: factor and offset of the units that instruments write.
UNITS: dict[str, tuple[str, float, float]] = {
    "pa": ("pressure", 1.0, 0.0),
    "hpa": ("pressure", 100.0, 0.0),
    "mbar": ("pressure", 100.0, 0.0),
    "kpa": ("pressure", 1000.0, 0.0),
    "torr": ("pressure", 133.322368, 0.0),
    "mmhg": ("pressure", 133.3224, 0.0),
    "inhg": ("pressure", 3386.389, 0.0),
    "k": ("temperature", 1.0, 0.0),
    "c": ("temperature", 1.0, 273.15),
    "°c": ("temperature", 1.0, 273.15),
    "f": ("temperature", 5 / 9, 255.37222222222223),
    "g": ("mass", 1e-3, 0.0),
    "kg": ("mass", 1.0, 0.0),
    "lb": ("mass", 0.45359237, 0.0),
    "db": ("loudness", 1.0, 0.0),
}


class LineValue(Frozen):
    """One value of a line: the group of the pattern that holds it, and its unit, or the group that holds that."""

    group: str
    unit: str = ""
    unit_group: str = ""
    below: Annotated[bool, said("reads below today's air")] = False


class LineMap(Frozen):
    """How an instrument's lines read; ``values`` by quantity: pressure, temperature, mass, loudness."""

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    pattern: Annotated[str, Meta(max_length=500)]
    values: dict[str, LineValue]
    baud: Annotated[int, Meta(ge=50, le=4_000_000)] = 9600
    period: Annotated[float, Meta(gt=0, le=3600), said("s between lines")] = 1.0
    ask: Annotated[str, said("what is to be sent for a line; nothing when they come by themselves")] = ""

    def __post_init__(self) -> None:
        try:
            re.compile(self.pattern)
        except re.error as error:
            told = tr("the pattern is wrong at character {0}: {1}", error.pos, error.msg)
            raise Fault(("pattern",), told) from error

    def parse(self, line: str, air: float) -> dict[str, float]:
        """Return the SI values of a line.

        Raises
        ------
        DeviceError : when the line does not read so, or its unit is another.
        """
        found = re.search(self.pattern, line)
        if found is None:
            raise DeviceError(
                tr("{0} sent “{1}”, which does not read as its file says", self.name, line[:40])
            )
        out = {}
        for quantity, value in self.values.items():
            unit = (found[value.unit_group] if value.unit_group else value.unit).strip().lower()
            kind, factor, offset = UNITS.get(unit, ("", 1.0, 0.0))
            if kind != quantity:
                raise DeviceError(
                    tr("{0} sent the unit “{1}”, which is none of {2}", self.name, unit, quantity)
                )
            try:
                read = float(found[value.group].replace(",", ".").replace(" ", ""))
            except ValueError as error:
                raise DeviceError(tr("{0} sent “{1}” for a number", self.name, found[value.group])) from error
            si = read * factor + offset
            out[quantity] = air - abs(si) if value.below else si
        return out


def parse_line_map(text: str, name: str) -> LineMap:
    """Read a map out of JSON.

    Raises
    ------
    ValueError : when it is no such thing; the text says what and where.
    """
    try:
        found: LineMap = checked(LineMap, json.loads(text))
    except json.JSONDecodeError as error:
        raise ValueError(tr("{0}, line {1}: this is no JSON.", name, error.lineno)) from error
    except Invalid as error:
        first = error.faults[0]
        where = " · ".join(str(x) for x in first.place) or tr("the whole")
        raise ValueError(f"{name}: {where}: {first}.") from error
    groups = re.compile(found.pattern).groupindex
    for quantity, value in found.values.items():
        for group in (value.group, value.unit_group):
            if group and group not in groups:
                raise ValueError(
                    tr("{0}: values · {1}: the pattern has no group “{2}”.", name, quantity, group)
                )
        if value.unit and UNITS.get(value.unit.lower(), ("",))[0] != quantity:
            raise ValueError(tr("{0}: values · {1}: “{2}” is no unit of it.", name, quantity, value.unit))
    return found


def read_line_map(path: Path) -> LineMap:
    """Read a map from a file.

    Raises
    ------
    ValueError : when it is no such file; OSError : when it cannot be read.
    """
    return parse_line_map(path.read_text(encoding="utf-8"), path.name)


class TextLine:
    """An instrument on a serial port; it is opened when it is first read, and again after it was pulled out."""

    points: dict[str, str] = {}

    def __init__(self, port: str, lines: LineMap, air: float = 101325.0) -> None:
        self.name, self.port, self.lines, self.air = lines.name, port, lines, air
        self.units = {q: q for q in lines.values}
        self._serial: Any = None
        self._bytes = b""
        self._heard = time.monotonic()

    def read(self) -> Reading:
        """Return what the last whole line says; never waits."""
        now = time.monotonic()
        try:
            lines = self._lines()
        except OSError as error:
            self.close()
            return Reading(
                now,
                {},
                "",
                (),
                tr("{0} does not answer at {1}: {2}", self.name, self.port, error.strerror or error),
            )
        if lines:
            self._heard = now
        elif now - self._heard > QUIET * self.lines.period:
            return Reading(
                now, {}, "", (), tr("{0} has sent nothing for {1:.0f} s", self.name, now - self._heard)
            )
        else:
            return Reading(now)
        try:
            return Reading(now, self.lines.parse(lines[-1], self.air))
        except DeviceError as error:
            return Reading(now, {}, "", (), str(error))

    def _lines(self) -> list[str]:
        import serial  # only where there is such an instrument

        if self._serial is None:
            self._serial = serial.serial_for_url(self.port, self.lines.baud, timeout=0, write_timeout=0.2)
        if self.lines.ask:
            self._serial.write(self.lines.ask.encode())
        self._bytes += self._serial.read(LONGEST_LINE)
        *whole, self._bytes = re.split(rb"[\r\n]+", self._bytes)
        if len(self._bytes) > LONGEST_LINE:
            self._bytes = b""
        return [w.decode("utf-8", "replace") for w in whole if w.strip()]

    def write(self, point: str, value: float) -> None:
        """Refuse: there is nothing to set.

        Raises
        ------
        DeviceError : always.
        """
        raise DeviceError(tr("{} has nothing that can be set.", self.name))

    def close(self) -> None:
        """Let go of the port."""
        if self._serial is not None:
            self._serial.close()
        self._serial = None
        self._bytes = b""
