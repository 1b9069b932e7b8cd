"""What a part came to by weight: fibre share and voids with their intervals, and where the resin went.

V_f = (m_f/ρ_f)/(m_f/ρ_f + m_r/ρ_r) with m_r what the bare laminate weighs over its fibres (ASTM D3171, ISO 1172); by thickness
V_f = m_f/(ρ_f A h), voids v = 1 − V_f − m_r/(ρ_r A h) (ASTM D2734).  Errors are carried by 4,000 seeded draws (GUM, supplement 1).
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from bibulon.core.units.words import tr

__all__ = ["Balance", "Range", "Share", "Weighings", "balance", "fibre_share"]

DRAWS = 4000
HIGHEST, LOWEST_VOIDS = 0.75, -0.02
USUAL = {  # standard deviations, where none is told
    "fibre": 0.02, "fibre_density": 0.004, "resin_density": 0.006, "core": 0.03, "core_uptake": 0.20, "coat": 0.05,
    "thickness": 0.02, "area": 0.01,
}  # fmt: skip
CLOSES = 0.03  # of the resin mixed, that a balance may leave open


class Weighings(Struct, frozen=True):
    """Masses of the bare laminate [kg], densities [kg/m³]; area [m²] and thickness [m] where voids are wanted.

    part : as weighed, less what is not of the laminate but core, its uptake and the coat, which are told here; scale : its
    step [kg].
    """

    part: float
    fibre: float
    fibre_density: float
    resin_density: float
    core: float = 0.0
    core_uptake: float = 0.0
    coat: float = 0.0
    area: float = 0.0
    thickness: float = 0.0
    scale: float = 0.01


class Range(Struct, frozen=True):
    """Nine times in ten between low and high."""

    low: float
    middle: float
    high: float


class Share(Struct, frozen=True):
    """Fibre share by volume and by mass, resin [kg], and voids where area and thickness are known."""

    vf: Range
    mass_share: float
    resin: float
    voids: Range | None


def fibre_share(w: Weighings, errors: Mapping[str, float] | None = None, seed: int = 3) -> Share:
    """Return what the weighings come to.

    Parameters
    ----------
    errors : standard deviations as shares of each figure, by its name; ``USUAL`` where none is told.

    Raises
    ------
    ValueError : when the masses cannot be: it names scale, dry mass or density.
    """
    off = {**USUAL, **(errors or {})}
    rng = np.random.default_rng(seed)
    resin = w.part - w.fibre - w.core - w.core_uptake - w.coat
    if w.fibre <= 0 or w.part <= 0:
        raise ValueError(tr("the dry mass and the part's must be more than nothing"))
    if resin <= 0:
        raise ValueError(
            tr(
                "the part weighs {0:.3f} kg, its fibre, core and coat {1:.3f} kg: no resin is left; "
                "look at scale and dry mass",
                w.part,
                w.part - resin,
            )
        )
    vf = w.fibre / w.fibre_density / (w.fibre / w.fibre_density + resin / w.resin_density)
    if vf > HIGHEST:
        raise ValueError(
            tr("a fibre share of {:.0f} % cannot be: look at scale, dry mass and densities", vf * 100)
        )

    def drawn(name: str, value: float) -> np.ndarray:
        return np.asarray(value * (1 + off[name] * rng.standard_normal(DRAWS)))

    part = w.part + w.scale / np.sqrt(12) * rng.standard_normal(DRAWS)
    fibre, rho_f, rho_r = (
        drawn("fibre", w.fibre),
        drawn("fibre_density", w.fibre_density),
        drawn("resin_density", w.resin_density),
    )
    rest = drawn("core", w.core) + drawn("core_uptake", w.core_uptake) + drawn("coat", w.coat)
    m_r = np.maximum(part - fibre - rest, 1e-9)
    shares = fibre / rho_f / (fibre / rho_f + m_r / rho_r)
    low, high = np.quantile(shares, (0.05, 0.95))
    voids = None
    if w.area > 0 and w.thickness > 0:
        volume = drawn("area", w.area) * drawn("thickness", w.thickness)
        v = 1 - (fibre / rho_f + m_r / rho_r) / volume
        middle = 1 - (w.fibre / w.fibre_density + resin / w.resin_density) / (w.area * w.thickness)
        if middle < LOWEST_VOIDS:
            raise ValueError(
                tr("voids of {:.1f} % cannot be: look at thickness, area, scale and densities", middle * 100)
            )
        a, b = np.quantile(v, (0.05, 0.95))
        voids = Range(float(a), middle, float(b))
    return Share(Range(float(low), vf, float(high)), w.fibre / (w.fibre + resin), resin, voids)


class Balance(Struct, frozen=True):
    """Where the resin that was mixed went [kg]; ``gap`` is what nobody has seen, more than nothing when some is missing."""

    mixed: float
    part: float
    lines: float
    caught: float
    left: float
    gap: float

    @property
    def closes(self) -> bool:
        """Whether what is missing is no more than weighing leaves open."""
        return abs(self.gap) <= CLOSES * self.mixed


def balance(mixed: float, part: float, caught: float, left: float, lines: float) -> Balance:
    """Return the balance of the resin [kg]; ``lines`` what tubes, mesh and peel ply took."""
    return Balance(mixed, part, lines, caught, left, mixed - part - caught - left - lines)
