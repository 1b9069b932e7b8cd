"""How warm and how thick each batch becomes in its vessel until it is gone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.core.model.job import Job
from bibulon.core.model.materials import CastroMacosko
from bibulon.core.resin.bucket import Vessel, bucket_heat, fitted_heat, limit_of
from bibulon.core.resin.clock import thickened
from bibulon.core.run.schedule import Schedule

__all__ = ["Aged", "aged"]


@dataclass(frozen=True)
class Aged:
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
