"""What may be wrong in a simulated shop: kinds of faults, how each shows, and a shop drawn by chance from a seed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from bibulon.core.geometry.outline import trace
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.bag import Bridge
from bibulon.core.model.job import Job
from bibulon.core.model.materials import CastroMacosko
from bibulon.core.plans.whatif import Spread, WhatIf, apply, drawn
from bibulon.core.units.words import tr

__all__ = ["KINDS", "Fault", "Hidden", "Kind", "draw_shop", "kinds_for", "true_job"]

DAY = Spread(
    cloth=1.15, mesh=1.1, viscosity=1.06, vacuum=200.0, warmth=0.7, gap=0.0001
)  # of a shop without any fault

LOST = 0.85  # of the air's pressure that a flange which loses its vacuum comes up to


class Kind(Struct, frozen=True):
    """A kind of fault: in words, what shows it, when that is possible at the earliest [s], and what mends it.

    shows : test (leak test), scale, thermometer, zero (of the gauge), hand (on the bucket), front, pump, flange (its gauge).
    """

    words: str
    shows: str
    mends: str


KINDS: dict[str, Kind] = {
    "leak": Kind(tr("a leak at a pleat"), "test", tr("pressed down and taped over")),
    "path": Kind(tr("a path along the core's edge"), "front", tr("the outlet on that side throttled")),
    "slow": Kind(tr("cloth that lets less through"), "front", ""),
    "ratio": Kind(tr("part B short by a third"), "scale", tr("the rest of part B stirred in")),
    "hot": Kind(tr("a bucket that heats itself"), "hand", tr("poured into a tray and used first")),
    "pump": Kind(tr("a pump that has lost a tenth of its vacuum"), "pump", tr("the spare pump")),
    "kink": Kind(tr("a kinked feed hose"), "front", "straightened"),
    "gauge": Kind(tr("a gauge that reads too deep"), "zero", tr("its zero set")),
    "cold": Kind(tr("resin six kelvin too cold"), "thermometer", tr("warmed before it was mixed")),
    "bridge": Kind(tr("a bag that bridges beside a corner"), "front", ""),
    "clamp": Kind(tr("a clamp that leaks"), "hand", tr("a second clamp")),
    "flange": Kind(tr("a flange that loses its vacuum"), "flange", tr("its outer seal seated anew")),
}


class Fault(Struct, frozen=True):
    """A fault of a shop: its kind, where [m] when it has a place, and from when on it is there [s from the first feed]."""

    kind: str
    place: tuple[float, float] | None = None
    began: float = -900.0


class Hidden(Struct, frozen=True):
    """What nobody in the shop knows: faults, and how the day's figures differ from the plan's."""

    faults: tuple[Fault, ...] = ()
    day: WhatIf = field(default_factory=WhatIf)
    seed: int = 0


def kinds_for(job: Job) -> list[str]:
    """Return the kinds of fault that a job's shop can have."""
    return [k for k in KINDS if job.process != "infusion" or k != "flange"]


def draw_shop(job: Job, seed: int, kinds: Sequence[str] | None = None, *, still: bool = False) -> Hidden:
    """Return a shop: the faults asked for, or one or two by chance; ``still`` leaves the day's own scatter out.

    Raises
    ------
    ValueError : when there is no such kind of fault.
    """
    unknown = next((k for k in kinds or () if k not in KINDS), None)
    if unknown is not None:
        raise ValueError(tr("there is no fault “{0}”; there are {1}", unknown, ", ".join(KINDS)))
    rng = np.random.default_rng([seed, 21])
    day = WhatIf() if still else drawn(DAY, rng)
    chosen = (
        list(kinds)
        if kinds is not None
        else list(rng.choice(kinds_for(job), size=int(rng.integers(1, 3)), replace=False))
    )
    ring = trace(job.part.outline)
    faults = []
    for kind in chosen:
        place = None
        if kind in ("leak", "bridge", "path"):
            x, y = ring[int(rng.integers(len(ring)))]
            place = (float(x), float(y))
        feeds = [x for x in job.lines if x.role == "feed"]
        if kind == "kink" and feeds:
            place = inlet_of(feeds[0])
        faults.append(Fault(str(kind), place, 240.0 if kind == "hot" else -900.0))
    return Hidden(tuple(faults), day, seed)


def true_job(job: Job, hidden: Hidden, mended: frozenset[str] = frozenset()) -> Job:
    """Return the job as it really is, less what was mended before resin began."""
    what = hidden.day
    kinds = {f.kind: f for f in hidden.faults if f.kind not in mended}
    if "leak" in kinds:
        what = replace(
            what, leak=what.leak + 6.0 * job.pump.speed * 100
        )  # 6 mbar at the pump's speed, 40 in the bag
        what = replace(what, vacuum=what.vacuum + 3400.0)
    if "pump" in kinds:
        what = replace(what, vacuum=what.vacuum + 0.1 * job.conditions.atmosphere)
    if "flange" in kinds:
        lost = LOST * job.conditions.atmosphere
        job = job.replaced(closed=job.closed.replaced(flange=max(job.closed.flange, lost)))
    if "path" in kinds:
        what = replace(what, gap=what.gap + 0.0025)
    if "slow" in kinds:
        what = replace(what, cloth=what.cloth * 0.6, mesh=what.mesh * 0.8)
    if "cold" in kinds:
        what = replace(what, warmth=what.warmth - 6.0)
    job = apply(job, what)
    if "kink" in kinds:
        lines = tuple(
            x.replaced(hose_bore=max(x.hose_bore * 0.45, 0.002))
            if x.role == "feed" and inlet_of(x) == kinds["kink"].place
            else x
            for x in job.lines
        )
        job = job.replaced(lines=lines)
    if "bridge" in kinds and job.process == "infusion" and kinds["bridge"].place:
        x, y = kinds["bridge"].place
        bridges = (*job.bag.bridges, Bridge(id="practice", x=x, y=y, width=0.05, gap=0.004))
        job = job.replaced(bag=job.bag.replaced(bridges=bridges))
    if "ratio" in kinds and job.resin is not None and isinstance(job.resin.viscosity, CastroMacosko):
        law = job.resin.viscosity
        slower = law.cure.replaced(a1=law.cure.a1 * 0.35, a2=law.cure.a2 * 0.35)
        job = job.replaced(resin=job.resin.replaced(viscosity=law.replaced(cure=slower)))
    return job
