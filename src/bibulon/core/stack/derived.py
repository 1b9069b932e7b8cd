"""What a stack of plies comes to beyond its thickness: fibre by angle, symmetry, bulk, ways for resin."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.model.materials import Fabric
from bibulon.core.stack.laminate import VF_LIMITS, LayerState, ZoneStack

__all__ = [
    "Flow",
    "Rosette",
    "fibre_directions",
    "flow_of",
    "imbalance",
    "loose_thickness",
    "rosette",
    "unmatched",
]

MAT_FORMS = frozenset({"mat", "veil"})
EVERY_WAY = None  # the angle of fibre that lies every way


def fibre_directions(ply: Fabric, angle_deg: float) -> list[tuple[float | None, float]]:
    """Return (angle, share) of a ply's fibre on the plan; angles from above −90 to 90, None for every way."""
    if ply.form in MAT_FORMS and not ply.directions:
        return [(EVERY_WAY, 1.0)]
    own = [(d.angle_deg, d.share) for d in ply.directions] or [(0.0, 0.5), (90.0, 0.5)]
    whole = sum(share for _, share in own)
    return [(_folded(angle + angle_deg), share / whole) for angle, share in own]


def _folded(angle: float) -> float:
    """Return an angle [°] as one above −90 and up to 90: fibre has no sense of direction."""
    turned = (round(angle, 3) + 90.0) % 180.0 - 90.0
    return 90.0 if turned == -90.0 else turned


class Rosette(Struct, frozen=True):
    """Shares of the fibre mass by angle [°], and what lies every way; they add up to 1."""

    shares: tuple[tuple[float, float], ...]
    every_way: float


def rosette(stack: ZoneStack, job: Job) -> Rosette:
    """Return the share of fibre by angle; all zero without plies."""
    mass: dict[float | None, float] = {}
    for state in stack.layers:
        ply = job.materials[state.layer.material]
        if isinstance(ply, Fabric):
            for angle, share in fibre_directions(ply, state.layer.angle_deg):
                mass[angle] = mass.get(angle, 0.0) + share * ply.areal_mass
    whole = sum(mass.values()) or 1.0
    told = sorted((a, m / whole) for a, m in mass.items() if a is not None)
    return Rosette(tuple(told), mass.get(EVERY_WAY, 0.0) / whole)


def imbalance(fibre: Rosette) -> float:
    """Return the share of fibre at some +θ that no fibre at −θ balances: 0 for a balanced stack."""
    by_angle = dict(fibre.shares)
    return sum(
        max(share - by_angle.get(-angle, 0.0), 0.0)
        for angle, share in fibre.shares
        if abs(angle) not in {0.0, 90.0}
    )


def unmatched(stack: ZoneStack, job: Job) -> tuple[int, int] | None:
    """Return the first two layers, counted from outside in, that do not mirror each other; None if all do.

    Plies, core and coats count; the numbers are places in ``stack.layers``.
    """
    kept = [(k, s) for k, s in enumerate(stack.layers) if s.kind in {"fabric", "porous", "core"}]
    for (i, low), (j, high) in zip(kept[: len(kept) // 2], reversed(kept), strict=False):
        if low.layer.material != high.layer.material or not _alike(low, high, job):
            return i, j
    return None


def _alike(low: LayerState, high: LayerState, job: Job) -> bool:
    ply = job.materials[low.layer.material]
    if not isinstance(ply, Fabric):
        return True
    a, b = (dict(fibre_directions(ply, s.layer.angle_deg)) for s in (low, high))
    return a.keys() == b.keys() and all(abs(a[k] - b[k]) < 1e-6 for k in a)


def loose_thickness(stack: ZoneStack, job: Job) -> float:
    """Return the thickness of plies and core as laid by hand [m], plies at the rule's hand pressure."""
    total = 0.0
    for state in stack.layers:
        ply = job.materials[state.layer.material]
        if isinstance(ply, Fabric):
            vf = ply.vf_ref * (job.rules.hand_pressure / ply.p_ref) ** ply.compaction_exponent
            total += ply.areal_mass / (ply.fibre_density * min(max(vf, VF_LIMITS[0]), VF_LIMITS[1]))
        elif state.kind in {"core", "porous", "coat"}:
            total += state.thickness
    return total


class Flow(Struct, frozen=True):
    """How a stack's plies and core lead resin.

    k_main, k_across : thickness-weighted in-plane permeability along its main direction and across [m²].
    angle_deg : of the main direction on the plan.
    permeance : 1/Σ(h/K3) through the plies and core [m]; 0 where a layer passes nothing.
    """

    k_main: float
    k_across: float
    angle_deg: float
    permeance: float


def flow_of(stack: ZoneStack) -> Flow | None:
    """Return how a stack leads resin; None without plies."""
    layers = [s for s in stack.layers if s.kind in {"fabric", "porous", "core"}]
    thick = sum(s.thickness for s in layers)
    if thick <= 0:
        return None
    mean = sum((s.k_plane * s.thickness for s in layers), np.zeros((2, 2))) / thick
    values, vectors = np.linalg.eigh(mean)
    angle = _folded(math.degrees(math.atan2(vectors[1, 1], vectors[0, 1])))
    resistance = sum(s.thickness / s.k_through if s.k_through > 0 else math.inf for s in layers)
    return Flow(float(values[1]), float(values[0]), angle, 1 / resistance)
