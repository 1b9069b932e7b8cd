"""How a vacuum is typed and told: absolute, or below today's air, which are read off different gauges."""

from __future__ import annotations

import re

from bibulon.core.units.units import IN_HG, System, UnitError, parse, show, system_of
from bibulon.core.units.words import tr

__all__ = ["read", "read_vacuum", "show_vacuum", "shown", "vacuum_words"]

# Patterns as text: ``re`` compiles one when it is first asked for, and keeps it.
_ABSOLUTE = r"(?i)\babs(?:olute)?\b\.?"
_BELOW = r"(?i)\b(?:below|under|vac(?:uum)?|gauge|g)\b\.?(?:\s+(?:the\s+|today's\s+)?air)?"
_DIAL = r"(?i)in\s*\.?\s*hg|[″\"]\s*hg"


def read_vacuum(text: str, air: float, system: System = "metric") -> float:
    """Read a typed vacuum into an absolute pressure [Pa].

    "absolute" says so; "below", a minus, or inches of mercury, which dials count down from the air, are below
    today's ``air`` [Pa]; everything else is absolute, but for a bare number where the US units are shown, whose
    field tells inches below.

    Raises
    ------
    UnitError : when it is no pressure, or deeper than there is air.

    >>> round(read_vacuum("26 inHg", 101325.0) / 100)
    133
    """
    plain = text.replace("−", "-").strip()
    absolute, below = re.search(_ABSOLUTE, plain), re.search(_BELOW, plain)
    if absolute and below:
        raise UnitError(tr("“{}” is both absolute and below: say one", text.strip()[:40]))
    bare = re.sub(_BELOW, "", re.sub(_ABSOLUTE, "", plain)).strip(" ,")
    value = parse(bare, "pressure", system)
    dial = bool(re.search(_DIAL, bare)) or (
        system_of("pressure", system) == "us" and not re.search(r"[A-Za-z]", bare)
    )
    if absolute or not (below or value < 0 or dial):
        if value < 0:
            raise UnitError(tr("an absolute pressure is not below zero"))
        return value
    if abs(value) > air:
        raise UnitError(
            tr(
                "{0} below is deeper than today's air, {1}, goes",
                show(abs(value), "pressure", system),
                show(air, "pressure", system),
            )
        )
    return air - abs(value)


def show_vacuum(pressure: float, air: float, system: System = "metric") -> str:
    """Write an absolute pressure [Pa] as its field tells it, which ``read_vacuum`` reads back."""
    if system_of("pressure", system) == "us":
        return tr("{} below", show(air - pressure, "pressure", system, 2))
    return tr("{} abs", show(pressure, "pressure", system, 0 if pressure >= 1000 or pressure == 0 else 1))


def vacuum_words(pressure: float, air: float) -> str:
    """Say a vacuum both ways, so that nobody mistakes how it was read."""
    return tr(
        "{0} absolute, {1} below today's air",
        f"{pressure / 100:.0f} mbar",
        f"{(air - pressure) / IN_HG:.1f} inHg".replace("-", "−"),
    )


def read(text: str, quantity: str, system: System, air: float) -> float:
    """Read a typed value of any quantity; a pressure is a vacuum under today's air [Pa].

    Raises
    ------
    UnitError : see ``read_vacuum`` and ``parse``.
    """
    return read_vacuum(text, air, system) if quantity == "pressure" else parse(text, quantity, system)


def shown(value: float, quantity: str, system: System, air: float) -> str:
    """Write a value of any quantity, a pressure as the vacuum that it is."""
    return show_vacuum(value, air, system) if quantity == "pressure" else show(value, quantity, system)
