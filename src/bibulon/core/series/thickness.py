"""Fibre share by zone from thickness measured at points, against the plan.

V_f = m_f/(ρ_f h) with h what the plies take of the thickness: what was measured less core and coat.  The mean of n points has
the spread of the points among themselves; of few points that is drawn towards the usual one (Gelman and others, Bayesian Data
Analysis, section 3.3: scaled inverse χ² prior).  Cloth, density and caliper have their own errors, all points alike.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.series.rows import AFTER
from bibulon.core.series.weighed import USUAL, Range
from bibulon.core.stack.laminate import STAYS, zone_stack
from bibulon.core.units.words import tr

__all__ = [
    "CALIPER",
    "Measured",
    "ZoneShare",
    "measured_of",
    "share_of",
    "thickness_entry",
    "unmeasured_entry",
    "zone_shares",
]

SCATTER, AS_IF = 0.04, 3  # usual spread of points of a zone, as a share, and how many points it weighs
CORE_SCATTER = 0.01  # of the thickness of a core
CALIPER = 0.01  # of the thickness, all points alike: one standard deviation
DRAWS = 4000
THICKEST = 0.5  # m


class Measured(Struct, frozen=True):
    """A point [m] at which the part was measured: its thickness [m]."""

    uid: str
    x: float
    y: float
    thickness: float


class ZoneShare(Struct, frozen=True):
    """A zone: thickness planned and measured [m], fibre share by volume planned, and measured nine times in ten; or why not."""

    zone: str
    name: str
    planned: float
    measured: float
    points: int
    vf_planned: float
    vf: Range | None
    problem: str = ""

    @property
    def off(self) -> bool:
        """Whether the plan lies outside what was measured, nine times in ten."""
        return self.vf is not None and not self.vf.low <= self.vf_planned <= self.vf.high


def thickness_entry(uid: str, x: float, y: float, thickness: float, text: str, now: float) -> Entry:
    """Return the row of a point [m] where the part is so thick [m].

    Raises
    ------
    ValueError : when it is no thickness of a part.
    """
    if not 0 < thickness <= THICKEST:
        raise ValueError(tr("a part is no {:g} mm thick", thickness * 1000.0))
    data: dict[str, object] = {
        "id": uid,
        "x": round(x, 4),
        "y": round(y, 4),
        "thickness": thickness,
        "text": text,
    }
    return Entry(AFTER, 0.0, "thickness", data, now)


def unmeasured_entry(point: Measured, now: float) -> Entry:
    """Return the row that takes a point off."""
    return Entry(AFTER, 0.0, "unmeasured", {"id": point.uid, "text": "point taken off"}, now)


def measured_of(journal: Sequence[Entry]) -> tuple[Measured, ...]:
    """Return the points that stand: a later row of one changes it, or takes it off."""
    out: dict[str, Measured] = {}
    for e in rows_of(journal, "thickness", "unmeasured"):
        key = str(e.data.get("id", ""))
        x, y, h = (number(e.data, k) for k in ("x", "y", "thickness"))
        if e.kind == "thickness" and x is not None and y is not None and h is not None and 0 < h <= THICKEST:
            out[key] = Measured(key, x, y, h)
        elif e.kind == "unmeasured":
            out.pop(key, None)
    return tuple(out.values())


def zone_shares(job: Job, points: Sequence[Measured]) -> tuple[ZoneShare, ...]:
    """Return the zones in which points lie, in the part's order."""
    if not points:
        return ()
    plan = regions(job.part)
    at = plan.zone_at(np.array([(p.x, p.y) for p in points]))
    names = {z.id: z.name for z in job.part.zones}
    out = []
    for k, zone in enumerate(plan.zones):
        here = [p.thickness for p, z in zip(points, at, strict=True) if z == k]
        if here:
            out.append(_zone(job, zone, names.get(zone, job.part.rest_name), here))
    return tuple(out)


def _zone(job: Job, zone: str, name: str, here: Sequence[float]) -> ZoneShare:
    stack = zone_stack(job, zone)
    plies = [s for s in stack.layers if s.kind == "fabric"]
    other = sum(s.thickness for s in stack.layers if s.kind in STAYS and s.kind != "fabric")
    fibre = sum(s.fibre_volume for s in plies)  # m³/m²
    mean = float(np.mean(here))
    told = ZoneShare(zone, name, stack.thickness, mean, len(here), stack.fibre_fraction, None)
    if not plies or fibre <= 0:
        return replace(told, problem=tr("there are no plies"))
    if mean - other <= fibre:
        return replace(told, problem=tr("thinner than its fibre and core: look at the caliper and the stack"))
    return replace(told, vf=share_of(here, fibre, other))


def share_of(here: Sequence[float], fibre: float, other: float = 0.0, seed: int = 5) -> Range:
    """Return the fibre share by volume of thicknesses [m], with so much fibre [m³/m²] and core and coat [m]."""
    h = np.asarray(here, dtype=float)
    rng = np.random.default_rng(seed)
    mean, n = float(h.mean()), len(h)
    freedom = AS_IF + n - 1
    usual = math.hypot(SCATTER * (mean - other), CORE_SCATTER * other)
    spread = math.sqrt((AS_IF * usual**2 + float(((h - mean) ** 2).sum())) / freedom)
    drawn = mean + spread / math.sqrt(n) * rng.standard_t(freedom, DRAWS)
    drawn = drawn * (1 + CALIPER * rng.standard_normal(DRAWS))
    rest = other * (1 + USUAL["core"] * rng.standard_normal(DRAWS))
    off = math.hypot(USUAL["fibre"], USUAL["fibre_density"])
    share = fibre * (1 + off * rng.standard_normal(DRAWS)) / np.maximum(drawn - rest, fibre)
    low, high = np.quantile(share, (0.05, 0.95))
    return Range(float(low), fibre / (mean - other), float(high))
