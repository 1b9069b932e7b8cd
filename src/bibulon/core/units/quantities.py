"""The quantities that people type and read: the units of each, and which of them a system shows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct, field

__all__ = ["IN_HG", "KINDS", "QUANTITIES", "Quantity", "System", "own_units", "system_of"]

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
    "volumes": ("volume", "dose", "uptake", "flow"),
    "pressures": ("pressure", "small pressure", "modulus", "ramp"),
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
        Quantity(
            "flow",
            {"m3/s": 1.0, "L/min": 1e-3 / 60, "mL/s": 1e-6, "gal/min": GALLON / 60},
            ("L/min", 2),
            ("gal/min", 3),
            figures=2,
        ),
        Quantity("force", {"N": 1.0, "kN": 1e3, "lbf": POUND * 9.80665}, ("kN", 1), ("lbf", 0)),
        Quantity(
            "modulus",
            {"Pa": 1.0, "MPa": 1e6, "GPa": 1e9, "psi": 6894.757, "Msi": 6.894757e9},
            ("GPa", 1),
            ("Msi", 2),
        ),
        Quantity(  # how fast a pressure is raised
            "ramp",
            {"Pa/s": 1.0, "bar/min": 1e5 / 60, "psi/min": 6894.757 / 60},
            ("bar/min", 2),
            ("psi/min", 1),
        ),
        Quantity("power", {"W": 1.0, "kW": 1e3}, ("W", 0), ("W", 0)),
        Quantity(  # heat that a volume takes up as it warms
            "stored heat",
            {"J/m3K": 1.0, "kJ/m3K": 1e3, "MJ/m3K": 1e6},
            ("MJ/m3K", 2),
            ("MJ/m3K", 2),
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
