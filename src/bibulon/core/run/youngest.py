"""Until when the vacuum stays on: the last place to gel, or the youngest resin of the last batch, whichever comes later."""

from __future__ import annotations

import math

from bibulon.core.cure.field import CureField, field_of
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import ChargeError, charge
from bibulon.core.resin.clock import flow_clock
from bibulon.core.run.schedule import schedule_of

__all__ = ["held_until", "vacuum_until", "youngest_gel"]


def youngest_gel(job: Job, forecast: Forecast) -> float | None:
    """Return when the last batch that the part draws from gels in the part [s]; None where there is one batch, or no law.

    Near a feed the last resin to come is the youngest: mixed while the part was filling, it gels as much later.
    """
    if job.resin is None or job.buckets or len(forecast.history.frames) < 3:
        return None
    try:
        made = schedule_of(job, charge(job), forecast)
    except (ChargeError, ValueError):
        return None
    used = [b for b in made.batches if b.used]
    gel = flow_clock(job.resin, part_temperature(job)).gel
    if len(used) < 2 or gel > 1e8:
        return None
    return used[-1].start + made.terms.mixing + float(gel)


def vacuum_until(job: Job, forecast: Forecast, field: CureField) -> float:
    """Return when all of the part has gelled, the youngest resin included [s]; inf when it never does."""
    youngest = youngest_gel(job, forecast)
    return (
        field.slowest.gel
        if youngest is None or not math.isfinite(field.slowest.gel)
        else max(field.slowest.gel, youngest)
    )


def held_until(job: Job, forecast: Forecast) -> float:
    """Return until when the vacuum stays on [s], as Cure tells it; by the pot's clock where no cure can be reckoned, inf where none tells."""
    field = field_of(forecast, job.cure)
    if not isinstance(field, str):
        return vacuum_until(job, forecast, field)
    gel = float(forecast.clock.gel)
    return max(gel, youngest_gel(job, forecast) or 0.0) if gel < 1e8 else math.inf
