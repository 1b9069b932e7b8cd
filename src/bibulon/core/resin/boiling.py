"""Under what pressure a resin's own vapour makes bubbles (Clausius–Clapeyron, Raoult)."""

from __future__ import annotations

import math

from bibulon.core.model.materials import Resin

__all__ = ["boils_under", "vapour_pressure"]

GAS = 8.314
ROOM = 293.15  # K
# Styrene: 6 mbar at 20 °C, 43 kJ/mol; nine molecules in ten of a polyester or vinyl ester as it is sold.
STYRENE, STYRENE_HEAT, STYRENE_SHARE = 600.0, 43e3, 0.9


def vapour_pressure(at_room: float, heat: float, temperature: float) -> float:
    """Return a vapour pressure [Pa] at a temperature [K], from that at 20 °C [Pa] and the heat of vaporization [J/mol]."""
    return at_room * math.exp(-heat / GAS * (1 / temperature - 1 / ROOM))


def boils_under(resin: Resin, temperature: float) -> float | None:
    """Return the absolute pressure [Pa] under which a resin boils at a temperature [K]; None where nothing in it does.

    Resins that a peroxide cures are taken to hold styrene; those of two parts to hold nothing that boils by itself.
    """
    if resin.cures != "peroxide":
        return None
    return STYRENE_SHARE * vapour_pressure(STYRENE, STYRENE_HEAT, temperature)
