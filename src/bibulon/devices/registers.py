"""Which registers of a controller hold what: a small file a controller, read with checks that name the place at fault."""

from __future__ import annotations

import json
import math
import struct
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Frozen, Positive, checked
from bibulon.core.model.invalid import Invalid
from bibulon.core.units.words import tr

__all__ = ["Register", "RegisterMap", "read_map", "shipped_map"]

Address = Annotated[int, Meta(ge=0, le=65535)]


class Register(Frozen):
    """One value: where, how it is written, and by what its raw figure is multiplied to be SI."""

    address: Address
    kind: Literal["float32", "int16", "uint16"] = "float32"
    scale: Positive = 1.0
    unit: str = ""

    @property
    def count(self) -> int:
        """How many registers it takes."""
        return 2 if self.kind == "float32" else 1

    def decode(self, raw: list[int]) -> float:
        """Return the SI value of raw registers, high word first; nan where they hold none."""
        if self.kind == "float32":
            return float(struct.unpack(">f", struct.pack(">HH", *raw))[0]) * self.scale
        value = raw[0] - 65536 if self.kind == "int16" and raw[0] > 32767 else raw[0]
        return value * self.scale

    def encode(self, value: float) -> list[int]:
        """Return raw registers of an SI value.

        Raises
        ------
        ValueError : when it does not fit.
        """
        raw = value / self.scale
        if not math.isfinite(raw):
            raise ValueError(tr("it is no number"))
        if self.kind == "float32":
            return list(struct.unpack(">HH", struct.pack(">f", raw)))
        low, high = (-32768, 32767) if self.kind == "int16" else (0, 65535)
        if not low <= round(raw) <= high:
            raise ValueError(tr("{0:g} does not fit into {1}", value, self.kind))
        return [round(raw) & 0xFFFF]


class _State(Frozen):
    address: Address
    words: dict[str, str]


class _Alarms(Frozen):
    address: Address
    words: Annotated[tuple[str, ...], Meta(max_length=16)]


class RegisterMap(Frozen):
    """A controller's registers; alarms are the bits of one, the lowest first."""

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    readings: dict[str, Register]
    points: dict[str, Register] = {}
    state: _State | None = None
    alarms: _Alarms | None = None

    def __post_init__(self) -> None:
        taken: dict[int, str] = {}
        every = [(tr("reading {}", k), r) for k, r in self.readings.items()] + [
            (tr("point {}", k), r) for k, r in self.points.items()
        ]
        for name, register in every:
            for at in range(register.address, register.address + register.count):
                if at in taken:
                    raise ValueError(tr("{0} and {1} share register {2}", name, taken[at], at))
                taken[at] = name

    @property
    def size(self) -> int:
        """One more than the highest register used."""
        ends = [r.address + r.count for r in (*self.readings.values(), *self.points.values())]
        ends += [x.address + 1 for x in (self.state, self.alarms) if x is not None]
        return max(ends)


def read_map(path: Path) -> RegisterMap:
    """Read a map from a file.

    Raises
    ------
    ValueError : when it is no such file; the text says what and where.
    OSError : when it cannot be read.
    """
    return _parsed(path.read_text(encoding="utf-8"), path.name)


def _parsed(text: str, name: str) -> RegisterMap:
    try:
        return checked(RegisterMap, json.loads(text))
    except json.JSONDecodeError as error:
        raise ValueError(tr("{0}, line {1}: this is no JSON.", name, error.lineno)) from error
    except Invalid as error:
        first = error.faults[0]
        where = " · ".join(str(x) for x in first.place) or tr("the whole")
        raise ValueError(f"{name}: {where}: {first}.") from error


def shipped_map() -> RegisterMap:
    """Return the map of the simulated machine, to copy for a real one."""
    text = files("bibulon.devices").joinpath("maps/injection-machine.json").read_text(encoding="utf-8")
    return _parsed(text, "injection-machine.json")
