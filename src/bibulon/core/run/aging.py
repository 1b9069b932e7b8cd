"""How warm and how thick each batch becomes in its vessel until it is gone."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.model.materials import CastroMacosko
from bibulon.core.resin.bucket import Vessel, bucket_heat, fitted_heat, limit_of
from bibulon.core.resin.clock import thickened
from bibulon.core.run.schedule import Draw, Schedule, fewest, schedule, terms_of

__all__ = ["Aged", "aged", "safe_schedule"]


class Aged(Struct, frozen=True):
    """A batch when it is gone: the hottest that its core came to [K], its viscosity then [Pa s], whether that is too hot."""

    peak: float
    viscosity: float
    hot: bool


def aged(job: Job, made: Schedule) -> tuple[Aged | None, ...]:
    """Return how each batch ages, at rest, its heat fitted to the sheet's pot life; None where no cure law tells it.

    A batch is taken to keep its mass until it is gone: the safe side, since what is left of it has more skin.
    """
    law = job.resin.viscosity if job.resin is not None else None
    if job.resin is None or not isinstance(law, CastroMacosko):
        return (None,) * len(made.batches)
    vessel, plan = Vessel(job.charge.vessel, job.charge.width), job.charge
    resin = job.resin.replaced(heat=fitted_heat(job.resin)[0])
    start = job.conditions.resin_temperature
    out: list[Aged | None] = []
    for batch in made.batches:
        if not batch.used:
            out.append(None)
            continue
        heat = bucket_heat(resin, batch.mass, start, plan.room, vessel)
        held = min(max(batch.gone - batch.start, 0.0), float(heat.time[-1]))
        peak = float(max(heat.core[heat.time <= held].max(), np.interp(held, heat.time, heat.core)))
        cured = np.array([np.interp(held, heat.time, heat.core_cured)])
        warm = float(np.interp(held, heat.time, heat.core))
        out.append(Aged(peak, float(thickened(law, warm, cured)[0]), peak > limit_of(start)))
    return tuple(out)


def safe_schedule(job: Job, draw: Draw, total: float, most: int = 40) -> tuple[Schedule, bool]:
    """Return the schedule with the fewest even batches of a charge [kg] that nothing stands in the way of, heat included.

    The second is whether there is one; where there is none, the first is that with the fewest troubles.
    """
    assert job.resin is not None
    terms = terms_of(job)
    made, sound = fewest(draw, total, job.resin.largest_batch, terms)
    first = made
    for count in range(len(made.batches) + 1, most + 1):
        if not any(a is not None and a.hot for a in aged(job, made)):
            return made, sound
        if total / count <= terms.heel + terms.reserve:
            break
        smaller = schedule(draw, (total / count,) * count, terms)
        if sound and smaller.troubles:
            break
        made = smaller
    return first, False
