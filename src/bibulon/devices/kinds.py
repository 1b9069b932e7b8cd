"""Kinds of instrument that can be read: a row each, with its name and how one is opened."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec import Struct

from bibulon.core.units.words import tr

__all__ = ["INSTRUMENTS", "InstrumentKind"]

Opened = tuple[Any, Callable[[], object]]


class InstrumentKind(Struct, frozen=True):
    """A name, and what opens one.

    opens : told where it is (a port, or an address), the file that says how it reads, and today's air [Pa];
        returns the device with what lets go of it.  It raises OSError or ValueError, with a sentence, when it can't.
    """

    name: str
    opens: Callable[[str, Path, float], Opened]


def _serial(where: str, file: Path, air: float) -> Opened:
    from bibulon.devices.textline import TextLine, read_line_map

    line = TextLine(where, read_line_map(file), air)
    return line, line.close


def _modbus(where: str, file: Path, air: float) -> Opened:
    from bibulon.devices.modbus import ModbusDevice
    from bibulon.devices.registers import read_map

    host, _, port = where.partition(":")
    try:
        number = int(port) if port else 9600 if "/" in host else 502
    except ValueError as error:
        raise ValueError(tr("“{}” is no port and no rate: host:502, or /dev/ttyUSB0:9600", port)) from error
    found = ModbusDevice(read_map(file), host, number, timeout=0.4)
    return found, found.close


INSTRUMENTS: dict[str, InstrumentKind] = {
    "serial": InstrumentKind(tr("text lines over a serial port"), _serial),
    "modbus": InstrumentKind(tr("Modbus, TCP or RTU"), _modbus),
}
