"""What if: the job with its inputs moved, and how far each of them may be off."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from bibulon.core.edit.edit import change, remove_line
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import AtTime, Job
from bibulon.core.model.materials import (
    CastroMacosko,
    Confidence,
    ConstantViscosity,
    Fabric,
    FlowMesh,
    Material,
    PorousLayer,
    Resin,
    TabulatedViscosity,
)

__all__ = ["SPREADS", "Beside", "Spread", "WhatIf", "apply", "beside", "drawn", "spread_of"]

NEVER = 1e8  # s

# The factor either way that two values in three lie within, by how far a figure is to be trusted.
SPREADS: dict[Confidence, float] = {"measured": 1.12, "data sheet": 1.25, "typical": 1.5, "guess": 2.0}


class WhatIf(Struct, frozen=True):
    """How inputs are moved.

    vacuum : added to the vacuum's absolute pressure [Pa]; warmth : added to resin and mould [K]; viscosity, cloth,
    mesh : factors; gap : along core edges and the rim [m]; leak : of the bag [Pa m³/s]; unopened : feeds left shut.
    """

    vacuum: float = 0.0
    warmth: float = 0.0
    viscosity: float = 1.0
    cloth: float = 1.0
    mesh: float = 1.0
    gap: float = 0.0
    leak: float = 0.0
    unopened: frozenset[str] = field(default_factory=frozenset)

    @property
    def plain(self) -> bool:
        """Whether nothing is moved."""
        return self == WhatIf()


class Beside(Struct, frozen=True):
    """What moved inputs come to, told beside the plan's own answer.

    filled : whether all gets wet; fill_time : when [s], inf when never; later : than planned [s], nan where either stays dry;
    dry_area [m²]; last : place that is wet last, or a dry one [m]; gel [s]; pace : by which times of the rough mesh are
    multiplied.
    """

    filled: bool
    fill_time: float
    later: float
    dry_area: float
    last: tuple[float, float]
    gel: float
    pace: float


def beside(plan: Forecast, rough: Forecast, moved: Forecast) -> Beside:
    """Return what moved inputs come to: plan and moved inputs differ as they do on one rough mesh.

    plan : the plan's own answer; rough : the plan on the rough mesh; moved : the same with its inputs moved.  With nothing
    moved it tells the plan's figures, whatever the rough mesh makes of them.
    """
    both = plan.filled and rough.filled
    pace = plan.fill_time / rough.fill_time if both and rough.fill_time > 0 else 1.0
    gel = moved.clock.gel
    if moved is rough:
        later = 0.0 if plan.filled else math.nan
        return Beside(plan.filled, plan.fill_time, later, plan.dry_area, plan.last_wet[:2], gel, pace)
    # What stays dry of the plan and not on the rough mesh, which holds no air, is not told to fill by moving an input.
    fills = moved.filled and (plan.filled or not rough.filled)
    time = moved.fill_time * pace if fills else math.inf
    later = time - plan.fill_time if both and fills else math.nan
    went = math.dist(moved.last_wet[:2], rough.last_wet[:2])
    last = plan.last_wet if went < rough.model.mesh.size else moved.last_wet
    dry = max(plan.dry_area + moved.dry_area - rough.dry_area, 0.0)
    return Beside(fills, time, later, dry, last[:2], gel, pace)


def apply(job: Job, what: WhatIf) -> Job:
    """Return the job with its inputs moved; a leak raises the vacuum by q/S of the pump."""
    c = job.conditions
    vacuum = c.vacuum + what.vacuum + what.leak / job.pump.speed
    conditions = c.replaced(
        vacuum=min(max(vacuum, 0.0), 0.98 * c.atmosphere),
        resin_temperature=c.resin_temperature + what.warmth,
        mould_temperature=None if c.mould_temperature is None else c.mould_temperature + what.warmth,
        edge_gap=min(c.edge_gap + what.gap, 0.02),
    )
    materials = {k: _moved(m, what) for k, m in job.materials.items()}
    resin = _thicker(job.resin, what.viscosity) if job.resin else None
    job = change(job, conditions=conditions, materials=materials, resin=resin)
    for line in [x.id for x in job.lines if x.id in what.unopened]:
        job = _left_shut(job, line)
    return job


def _left_shut(job: Job, line: str) -> Job:
    """Return the job with a feed that is never opened; what waits for it still waits for the front there."""
    lines = tuple(x.replaced(opens=AtTime(time=NEVER)) if x.id == line else x for x in job.lines)
    if not any(x.role == "feed" and x.opens != AtTime(time=NEVER) for x in lines):
        return remove_line(job, line)
    return change(job, lines=lines)


def _moved(material: Material, what: WhatIf) -> Material:
    factor = what.mesh if isinstance(material, FlowMesh) else what.cloth
    if factor == 1.0 or not isinstance(material, Fabric | PorousLayer | FlowMesh):
        return material
    return material.replaced(**{k: getattr(material, k) * factor for k in ("k1", "k2", "k3")})


def _thicker(resin: Resin, factor: float) -> Resin:
    law = resin.viscosity
    match law:
        case ConstantViscosity():
            moved = law.replaced(value=law.value * factor)
            return resin.replaced(viscosity=moved)
        case TabulatedViscosity():
            values = tuple(v * factor for v in law.values)
            return resin.replaced(viscosity=law.replaced(values=values))
        case CastroMacosko():
            return resin.replaced(viscosity=law.replaced(mu0=law.mu0 * factor))


class Spread(Struct, frozen=True):
    """How far the inputs may be off: factors either way, and additions [Pa, K, m], at one standard deviation."""

    cloth: float = 1.5
    mesh: float = 1.5
    viscosity: float = 1.15
    vacuum: float = 500.0
    warmth: float = 1.5
    gap: float = 0.0004


def spread_of(job: Job) -> Spread:
    """Return the spread that the job's own figures have, by their confidence or their told limits."""
    cloth = [_factor(m) for m in job.materials.values() if isinstance(m, Fabric | PorousLayer)]
    mesh = [_factor(m) for m in job.materials.values() if isinstance(m, FlowMesh)]
    return Spread(cloth=max(cloth, default=1.5), mesh=max(mesh, default=1.5))


def _factor(material: Material) -> float:
    told = material.about.get("k1")
    if told is None:
        return SPREADS["typical"]
    if told.low and told.high and told.high > told.low:
        # Limits that nine values in ten lie within: 1.645 standard deviations either way.
        return math.exp(math.log(told.high / told.low) / (2 * 1.645))
    return SPREADS[told.confidence]


def drawn(spread: Spread, rng: np.random.Generator) -> WhatIf:
    """Return inputs drawn at random: factors lognormal, additions normal, the gap half normal."""

    def factor(wide: float) -> float:
        return float(np.exp(rng.normal(0.0, math.log(wide)))) if wide > 1 else 1.0

    return WhatIf(
        vacuum=float(rng.normal(0.0, spread.vacuum)),
        warmth=float(rng.normal(0.0, spread.warmth)),
        viscosity=factor(spread.viscosity),
        cloth=factor(spread.cloth),
        mesh=factor(spread.mesh),
        gap=float(abs(rng.normal(0.0, spread.gap))),
    )


def without(what: WhatIf, line: str) -> WhatIf:
    """Return the same with one more feed left shut, or opened again."""
    return replace(what, unopened=what.unopened ^ {line})
