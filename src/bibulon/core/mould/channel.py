"""The resin channel round the cavity: how evenly it feeds, how soon it is full round, what stays in it.

Along a channel of conductance C a metre resin is lost into a front that has come x inwards, p K H/(μ x) a metre:
λ² = C x/(K H) and p(S)/p_0 = 1/cosh(S/λ) at the end of half the perimeter S.  Hydraulics of ducts: Shah and London,
*Laminar Flow Forced Convection in Ducts*.
"""

from __future__ import annotations

import math

__all__ = ["SHAPES", "bore_for", "conductance", "evenness"]

# Poiseuille number f Re of a duct's shape, and its area and hydraulic diameter for one measure d across.
SHAPES = {
    "round": (16.0, math.pi / 4, 1.0),
    "square": (14.227, 1.0, 1.0),
    "half round": (15.767, math.pi / 8, math.pi / (math.pi + 2)),
}


def conductance(bore: float, shape: str = "round") -> float:
    """Return a channel's conductance a metre C = A D_h²/(2 Po) [m⁴]: Q = −(C/μ) dp/ds; ``bore`` is its measure across [m]."""
    number, area, hydraulic = SHAPES[shape]
    return area * bore**2 * (hydraulic * bore) ** 2 / (2 * number)


def evenness(along: float, permeability: float, gap: float, half: float, front: float) -> float:
    """Return p(S)/p_0 at the far end of half the perimeter [m], once the front has come so far inwards [m]."""
    return 1 / math.cosh(half * math.sqrt(permeability * gap / (along * front)))


def bore_for(
    share: float, permeability: float, gap: float, half: float, front: float, shape: str = "round"
) -> float:
    """Return the bore [m] with which the far end has a share of the pressure once the front has come so far in [m]."""
    wanted = permeability * gap * half**2 / (front * math.acosh(1 / share) ** 2)
    return float((wanted / conductance(1.0, shape)) ** 0.25)
