"""What people type and read, to and from SI.

Inside the program every figure is an SI float; this module is the only door.  A quantity has a
unit it is shown in for each unit system, and takes every unit listed for it when typed.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterable

from bibulon.core.units.quantities import (
    IN_HG,
    KINDS,
    QUANTITIES,
    Quantity,
    System,
    own_units,
    system_of,
)
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


class UnitError(ValueError):
    """What was typed is not a value of the wanted quantity; the text says what is accepted."""


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
    "MJ/m3K": "MJ/m³K",
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
