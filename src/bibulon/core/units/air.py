"""Today's air as it is typed: a barometer's pressure, how high the shop lies, or a weather report's figure and that height."""

from __future__ import annotations

import re

from bibulon.core.units.units import System, UnitError, parse, show
from bibulon.core.units.words import tr

__all__ = ["SEA", "air_at", "read_air"]

SEA = 101325.0  # Pa
HEIGHTS = (-400.0, 5000.0)  # m
WEATHER = (87_000.0, 109_000.0)  # Pa, that air at sea level was ever found at
LEAST, MOST = 40_000.0, 110_000.0  # Pa of a shop


def air_at(height: float, sea_level: float = SEA) -> float:
    """Return the air's pressure at a height [m] for a weather report's figure at sea level [Pa] (ISO 2533)."""
    return float(sea_level * (1 - 0.0065 * height / 288.15) ** 5.25588)


def read_air(text: str, system: System = "metric") -> float:
    """Read today's air [Pa]: “940 mbar” as a barometer in the shop shows it, “640 m” above sea, or “1018 mbar at 640 m”.

    A weather report's pressure is that at sea level: it wants the height.

    Raises
    ------
    UnitError : when it is none of these, or no air that a shop has; the text names the range.

    >>> round(read_air("1500 m") / 100)
    846
    """
    said, *more = re.split(r"(?i)\s+at\s+|\s*@\s*", text.strip())
    if len(more) > 1:
        raise UnitError(tr("“{}” has more than one height", text.strip()[:40]))
    if more:
        weather = _within(
            parse(said, "pressure", system), WEATHER, "pressure", tr("air at sea level"), system
        )
        return _held(air_at(_height(more[0], system), weather), system)
    try:
        return _held(parse(said, "pressure", system), system)
    except UnitError:
        if not re.search(r"(?i)[0-9 ](m|km|ft|feet|')\s*$", said):
            raise
    return _held(air_at(_height(said, system)), system)


def _height(text: str, system: System) -> float:
    return _within(parse(text, "distance", system), HEIGHTS, "distance", tr("a shop's height"), system)


def _held(air: float, system: System) -> float:
    return _within(air, (LEAST, MOST), "pressure", tr("today's air"), system)


def _within(value: float, span: tuple[float, float], quantity: str, name: str, system: System) -> float:
    low, high = span
    if not low <= value <= high:
        least, most = (show(v, quantity, system, 0 if quantity == "distance" else None) for v in span)
        raise UnitError(tr("{0} lies between {1} and {2}", name, least, most))
    return value
