"""Weighing out: to the step of the scale, by weight and by volume, and how far a step moves the ratio."""

from __future__ import annotations

from msgspec import Struct

from bibulon.core.model.job import ChargePlan
from bibulon.core.model.materials import Resin
from bibulon.core.resin.dose import parts_of

__all__ = ["Mix", "mix_of", "weighed"]

TOLERANCE = 0.02  # of the ratio, where no sheet says otherwise


class Mix(Struct, frozen=True):
    """A batch weighed out: parts [kg] as wanted and as the scale shows them, volumes [m³], ratio and its error.

    worst : by how much the ratio may be off when each part is off by half a step; off : by rounding as weighed.
    """

    mass_a: float
    mass_b: float
    shown_a: float
    shown_b: float
    volume_a: float
    volume_b: float
    ratio: float
    off: float
    worst: float
    tolerance: float

    @property
    def too_coarse(self) -> bool:
        """Whether the scale's step may move the ratio out of its tolerance."""
        return self.worst > self.tolerance


def weighed(
    mass: float, ratio: float, density_a: float, density_b: float, step: float, tolerance: float = TOLERANCE
) -> Mix:
    """Return a mix of a mass [kg] with so much B for one of A by weight, on a scale of a step [kg]; densities [kg/m³].

    m_A = M/(1 + r); the ratio is off by ½ step/m_A + ½ step/m_B at worst.
    """
    a = mass / (1 + ratio)
    b = mass - a
    shown_a, shown_b = (round(m / step) * step for m in (a, b))
    made = shown_b / shown_a if shown_a > 0 else 0.0
    off = abs(made / ratio - 1) if ratio > 0 else 0.0
    worst = step / 2 / a + (step / 2 / b if b > 0 else 0.0) if a > 0 else 0.0
    return Mix(a, b, shown_a, shown_b, a / density_a, b / density_b, ratio, off, worst, tolerance)


def mix_of(resin: Resin, plan: ChargePlan, mass: float) -> Mix:
    """Return a batch of a resin [kg], weighed out.  Part A's density follows from that of the mix and of part B.

    1/ρ = w_A/ρ_A + w_B/ρ_B.  An accelerator is weighed apart; it is too little to move the densities.
    """
    made = parts_of(resin, plan, mass)
    both = made.resin + made.b
    ratio = made.b / made.resin
    share_b = ratio / (1 + ratio)
    left = 1 / resin.density - share_b / resin.density_b
    density_a = (1 - share_b) / left if left > 0 else resin.density
    return weighed(both, ratio, density_a, resin.density_b, plan.scale_step, resin.ratio_tolerance)
