"""What people type and read, to and from SI.

Inside the program every figure is an SI float; this module is the only door.  A quantity has a
unit it is shown in for each unit system, and takes every unit listed for it when typed.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Literal

from msgspec import Struct, field

from bibulon.core.units.words import tr

__all__ = [
    "IN_HG",
    "KINDS",
    "QUANTITIES",
    "Quantity",
    "System",
    "UnitError",
    "cell_of",
    "clock",
    "decimals_in",
    "heading_of",
    "own_units",
    "parse",
    "settled_commas",
    "show",
    "show_value",
    "system_of",
    "unit_of",
]

System = Literal["metric", "us"]

INCH = 0.0254
POUND = 0.45359237
OUNCE = POUND / 16
YARD2 = 0.9144**2
IN_HG = 3386.389
GALLON = 3.785411784e-3


# What goes by one choice where somebody has units of one system for some things, and of the other for the rest.
KINDS: dict[str, tuple[str, ...]] = {
    "lengths": ("length", "distance", "thickness", "area", "small area", "speed"),
    "masses": ("mass", "weighed", "areal mass", "density"),
    "volumes": ("volume", "dose", "uptake"),
    "pressures": ("pressure", "small pressure"),
    "temperatures": ("temperature", "warming"),
}
_own: dict[str, System] = {}


def own_units(kinds: Mapping[str, System]) -> None:
    """Say which of ``KINDS`` go by a system of their own, whatever is asked for; the others go by what is asked."""
    _own.clear()
    _own.update({quantity: system for kind, system in kinds.items() for quantity in KINDS[kind]})


def system_of(quantity: str, system: System) -> System:
    """Return the system that a quantity goes by where another is asked for."""
    return _own.get(quantity, system)


class UnitError(ValueError):
    """What was typed is not a value of the wanted quantity; the text says what is accepted."""


class Quantity(Struct, frozen=True):
    """One kind of figure: its units with their SI factors, and which unit each system shows.

    ``offsets`` holds, for the few units whose zero differs, what is added after scaling; ``figures`` how many a small value
    shows at least, zeros at its end left out, and ``finer`` how many places more it takes for them: what a fine scale tells
    is not rounded to nothing.
    """

    name: str
    units: dict[str, float]
    metric: tuple[str, int]
    us: tuple[str, int]
    offsets: dict[str, float] = field(default_factory=dict)
    figures: int = 0
    finer: int = 3

    def shown_in(self, system: System) -> tuple[str, int]:
        """Return the unit and the decimals that ``system`` shows, or the one that this person has for the quantity."""
        return self.metric if system_of(self.name, system) == "metric" else self.us


_LENGTH = {"m": 1.0, "mm": 1e-3, "cm": 1e-2, "in": INCH, '"': INCH, "ft": 12 * INCH, "'": 12 * INCH}
_MASS = {"kg": 1.0, "g": 1e-3, "lb": POUND, "oz": OUNCE}
_VOLUME = {
    "m3": 1.0,
    "L": 1e-3,
    "l": 1e-3,
    "mL": 1e-6,
    "ml": 1e-6,
    "cm3": 1e-6,
    "gal": GALLON,
    "qt": GALLON / 4,
    "floz": GALLON / 128,
    "tbsp": GALLON / 256,
    "tsp": GALLON / 768,
}
_PRESSURE = {"Pa": 1.0, "mbar": 100.0, "hPa": 100.0, "kPa": 1e3, "bar": 1e5, "psi": 6894.757, "inHg": IN_HG}
_TIME = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}

QUANTITIES: dict[str, Quantity] = {
    q.name: q
    for q in (
        Quantity("length", _LENGTH, ("mm", 0), ("in", 2)),
        Quantity("distance", _LENGTH, ("m", 2), ("ft", 2)),
        Quantity("thickness", _LENGTH, ("mm", 2), ("in", 3)),
        Quantity(
            "area",
            {"m2": 1.0, "cm2": 1e-4, "mm2": 1e-6, "ft2": 0.09290304, "in2": INCH**2, "yd2": YARD2},
            ("m2", 2),
            ("ft2", 2),
        ),
        Quantity("small area", {"m2": 1.0, "cm2": 1e-4, "in2": INCH**2}, ("cm2", 0), ("in2", 1)),
        Quantity("mass", _MASS, ("kg", 2), ("lb", 2)),
        Quantity("weighed", _MASS, ("g", 0), ("oz", 2), figures=2),
        Quantity(
            "areal mass",
            {"kg/m2": 1.0, "g/m2": 1e-3, "gsm": 1e-3, "oz/yd2": OUNCE / YARD2, "oz/ft2": OUNCE / 0.09290304},
            ("g/m2", 0),
            ("oz/yd2", 1),
            figures=2,
        ),
        Quantity("volume", _VOLUME, ("L", 2), ("gal", 2)),
        Quantity("dose", _VOLUME, ("mL", 1), ("mL", 1)),
        Quantity("pressure", _PRESSURE, ("mbar", 0), ("inHg", 1)),
        # What a gauge gains in a minute, what a pump leaves: a thousandth of an inch of mercury decides there.
        Quantity("small pressure", _PRESSURE, ("mbar", 1), ("inHg", 2), figures=2, finer=1),
        Quantity(
            "temperature",
            {"K": 1.0, "°C": 1.0, "C": 1.0, "degC": 1.0, "°F": 5 / 9, "F": 5 / 9, "degF": 5 / 9},
            ("°C", 1),
            ("°F", 0),
            {
                "°C": 273.15,
                "C": 273.15,
                "degC": 273.15,
                "°F": 459.67 * 5 / 9,
                "F": 459.67 * 5 / 9,
                "degF": 459.67 * 5 / 9,
            },
        ),
        Quantity(  # how much warmer, not how warm
            "warming", {"K": 1.0, "C°": 1.0, "F°": 5 / 9}, ("K", 0), ("F°", 0)
        ),
        Quantity("time", _TIME, ("min", 1), ("min", 1)),
        Quantity(
            "viscosity",
            {"Pa.s": 1.0, "Pas": 1.0, "mPa.s": 1e-3, "mPas": 1e-3, "cP": 1e-3, "P": 0.1},
            ("mPa.s", 0),
            ("cP", 0),
        ),
        Quantity(
            "speed", {"m/s": 1.0, "mm/s": 1e-3, "in/s": INCH, "ft/s": 12 * INCH}, ("mm/s", 1), ("in/s", 2)
        ),
        Quantity("permeability", {"m2": 1.0, "mm2": 1e-6, "darcy": 9.869233e-13}, ("m2", 13), ("m2", 13)),
        Quantity(
            "density",
            {"kg/m3": 1.0, "g/cm3": 1e3, "kg/L": 1e3, "lb/ft3": POUND / 0.028316846592},
            ("kg/m3", 0),
            ("lb/ft3", 1),
        ),
        Quantity("leak", {"Pa.m3/s": 1.0, "mbar.L/s": 0.1}, ("mbar.L/s", 4), ("mbar.L/s", 4)),
        Quantity("angle", {"deg": 1.0, "°": 1.0}, ("°", 0), ("°", 0)),
        Quantity("share", {"": 1.0, "%": 0.01}, ("%", 0), ("%", 0)),
        Quantity("small share", {"": 1.0, "%": 0.01}, ("%", 0), ("%", 0), figures=3, finer=1),
        Quantity("uptake", {"L/m2": 1e-3, "m3/m2": 1.0, "gal/ft2": 0.0407458}, ("L/m2", 3), ("gal/ft2", 5)),
        Quantity("number", {"": 1.0}, ("", 3), ("", 3)),
        Quantity("count", {"": 1.0}, ("", 0), ("", 0)),
        Quantity("money", {"": 1.0}, ("", 2), ("", 2)),
    )
}

_PRETTY = {
    "m2": "m²",
    "cm2": "cm²",
    "ft2": "ft²",
    "in2": "in²",
    "g/m2": "g/m²",
    "oz/yd2": "oz/yd²",
    "kg/m2": "kg/m²",
    "kg/m3": "kg/m³",
    "lb/ft3": "lb/ft³",
    "mPa.s": "mPa·s",
    "Pa.s": "Pa·s",
    "mbar.L/s": "mbar·L/s",
    "L/m2": "L/m²",
    "gal/ft2": "gal/ft²",
}
_DIGITS = (
    r"(?:[1-9]\d{0,2}(?:,\d{3})+(?:\.\d*)?(?![\d,])|[1-9]\d{0,2}(?:\.\d{3})+,\d+|\d+(?:[.,]\d*)?|[.,]\d+)"
)
# Patterns as text: ``re`` compiles one when it is first asked for, and keeps it.
_NUMBER = rf"(?a)^\s*([+-]?{_DIGITS}(?:[eE][+-]?\d+)?)\s*(.*?)\s*$"
_CLOCK = r"(?a)^\s*(-?)(?:(\d{1,6}):)?(\d{1,6}):(\d{2}(?:\.\d{1,9})?)\s*$"
_HOURS = r"(?a)^\s*(-?)(\d{1,6}) h (\d{2})\s*$"  # as ``clock`` writes long ones
_EITHER = r"(?a)[+-]?[1-9]\d{0,2},\d{3}"  # a thousand, or one and a bit
_GROUPED = r"(?a)[+-]?[1-9]\d{0,2}(?:,\d{3})+(?:\.\d*)?"
LONGEST = 200  # characters of a figure that is typed


def _plain(unit: str) -> str:
    """Bring the spellings of a unit to the one in the tables."""
    table = str.maketrans({"²": "2", "³": "3", "·": ".", "*": ".", "^": None, " ": None, "″": '"', "′": "'"})
    return unit.translate(table)


def parse(text: str, quantity: str, system: System = "metric") -> float:
    """Read a typed value into SI.

    Parameters
    ----------
    text : what was typed: "36 in", "1.2 m", "20 oz/yd2", "26 inHg", "4:30"; without a unit, the unit shown.
    quantity : a name in ``QUANTITIES``.
    system : decides the unit when none was typed.

    Raises
    ------
    UnitError : when it is no number or the unit does not belong to the quantity.

    >>> round(parse("36 in", "length"), 4)
    0.9144
    """
    kind = QUANTITIES[quantity]
    if len(text) > LONGEST:
        raise UnitError(tr("“{0}” is too long for {1} {2}", _echo(text), _article(quantity), quantity))
    text = text.replace("−", "-")
    if quantity == "time" and (match := re.match(_CLOCK, text)):
        sign, hours, minutes, seconds = match.groups()
        return (int(hours or 0) * 3600.0 + int(minutes) * 60.0 + float(seconds)) * (-1 if sign else 1)
    if quantity == "time" and (match := re.match(_HOURS, text)):
        return (int(match[2]) * 3600.0 + int(match[3]) * 60.0) * (-1 if match[1] else 1)
    match = re.match(_NUMBER, text)
    if not match:
        raise UnitError(
            tr(
                "“{0}” is not {1} {2}: type a number and a unit, such as {3}",
                _echo(text),
                _article(quantity),
                quantity,
                _example(kind, system),
            )
        )
    number = _number(match[1])
    unit = _plain(match[2]) or kind.shown_in(system)[0]
    found = unit if unit in kind.units else _by_case(unit, kind)
    if found is None:
        known = ", ".join(u for u in kind.units if u)
        raise UnitError(tr("“{0}” is not a unit of {1}: use one of {2}", _echo(match[2]), quantity, known))
    value = number * kind.units[found] + kind.offsets.get(found, 0.0)
    if not math.isfinite(value):
        raise UnitError(tr("“{}” is too large", _echo(text)))
    return value


def _number(digits: str) -> float:
    """Return a typed number; commas part thousands where nothing else fits, else they are the decimal mark."""
    mantissa, e, exponent = digits.replace("E", "e").partition("e")
    if re.fullmatch(_EITHER, mantissa):
        plain = mantissa.replace(",", "")
        raise UnitError(
            tr("“{0}” can be read in two ways: type {1}, or {2}", mantissa, plain, mantissa.replace(",", "."))
        )
    if re.fullmatch(_GROUPED, mantissa):
        mantissa = mantissa.replace(",", "")
    elif "," in mantissa:
        mantissa = mantissa.replace(".", "").replace(",", ".")
    return float(f"{mantissa}{e}{exponent}")


def settled_commas(cells: Iterable[str]) -> Callable[[str], str]:
    """Return what makes cells such as “1,200” plain, by the other cells of their table.

    One “12,5” among them says that the comma is the decimal mark, one “1,200.5” that it parts thousands;
    where no cell tells, they stay as they are, and ``parse`` asks.
    """
    found = [m[1] for c in cells if "," in c and (m := re.match(_NUMBER, c.replace("−", "-")))]
    sure = [f for f in found if not re.fullmatch(_EITHER, f)]
    if any(re.fullmatch(_GROUPED, f) for f in sure):
        return lambda cell: re.sub(r"(?<=\d),(?=\d{3})", "", cell)
    if sure:
        return lambda cell: cell.replace(",", ".")
    return lambda cell: cell


def _echo(text: str) -> str:
    """Return what was typed as part of a sentence: on one line, and not too long."""
    plain = " ".join("".join(c if c.isprintable() else " " for c in text).split())
    return plain if len(plain) <= 40 else f"{plain[:38]}…"


def _article(word: str) -> str:
    return "an" if word[0] in "aeiou" else "a"


def _by_case(unit: str, kind: Quantity) -> str | None:
    """Find a unit whatever its capitals, when only one fits."""
    fits = [u for u in kind.units if u.lower() == unit.lower()]
    return fits[0] if len(fits) == 1 else None


def _example(kind: Quantity, system: System) -> str:
    unit, _ = kind.shown_in(system)
    return f"“12 {unit}”" if unit else "“12”"


def unit_of(quantity: str, system: System = "metric") -> str:
    """Return the unit that a system shows for a quantity, written for people."""
    unit = QUANTITIES[quantity].shown_in(system)[0]
    return _PRETTY.get(unit, unit)


def heading_of(name: str, quantity: str, system: System = "metric") -> str:
    """Return a column's heading with its unit, in letters that every spreadsheet reads."""
    return f"{name} {QUANTITIES[quantity].shown_in(system)[0]}"


def cell_of(value: float, quantity: str, system: System = "metric", decimals: int | None = None) -> str:
    """Return an SI value as a cell under ``heading_of``; ``decimals`` are those of the metric unit."""
    return show_value(value, quantity, system, decimals_in(quantity, system, decimals)).replace("−", "-")


def decimals_in(quantity: str, system: System, decimals: int | None) -> int | None:
    """Return how many decimals a system shows where metric shows so many: as many more as it does by habit."""
    if decimals is None or system_of(quantity, system) == "metric":
        return decimals
    kind = QUANTITIES[quantity]
    return max(0, kind.us[1] + decimals - kind.metric[1])


def show_value(value: float, quantity: str, system: System = "metric", decimals: int | None = None) -> str:
    """Write an SI value without its unit; a value that is not finite reads as a dash.

    >>> show_value(0.0046, "weighed"), show_value(0.005, "weighed"), show_value(0.0461, "weighed")
    ('4.6', '5', '46')
    """
    if not math.isfinite(value):
        return "—"
    kind = QUANTITIES[quantity]
    unit, places = kind.shown_in(system)
    number = (value - kind.offsets.get(unit, 0.0)) / kind.units[unit]
    if quantity == "permeability":
        return f"{number:.2e}"
    text = f"{number:.{places if decimals is None else decimals}f}"
    if kind.figures and decimals is None and 0 < abs(number) < 10 ** (kind.figures - 1 - places):
        more = min(kind.figures - 1 - math.floor(math.log10(abs(number))), places + kind.finer)
        whole, _, part = f"{number:.{more}f}".partition(".")
        part = part[:places] + part[places:].rstrip("0")
        text = f"{whole}.{part}" if part else whole
    return text.lstrip("-") if float(text) == 0 else text.replace("-", "−")


def show(value: float, quantity: str, system: System = "metric", decimals: int | None = None) -> str:
    """Write an SI value with its unit.

    >>> show(0.9144, "length", "us")
    '36.00 in'
    """
    text = show_value(value, quantity, system, decimals)
    unit = unit_of(quantity, system)
    return text if text == "—" else f"{text}{'' if unit in {'°', ''} else ' '}{unit}"


def clock(seconds: float, beside: float = 0.0) -> str:
    """Write a duration as minutes and seconds, with hours from 100 minutes on; like one that stands beside it, where that is longer.

    >>> clock(2334)
    '38:54'
    >>> clock(5119, beside=11460)
    '1 h 25'
    """
    if not math.isfinite(seconds):
        return "—"
    sign, whole = ("−" if seconds <= -0.5 else ""), round(abs(seconds))
    if whole < 6000 and not 5999.5 <= abs(beside) < math.inf:
        return f"{sign}{whole // 60}:{whole % 60:02d}"
    return f"{sign}{whole // 3600} h {whole % 3600 // 60:02d}"
