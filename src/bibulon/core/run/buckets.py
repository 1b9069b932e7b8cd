"""When each batch is in the bucket."""

from __future__ import annotations

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.schedule import schedule_of

__all__ = ["bucket_spans"]


def bucket_spans(job: Job, forecast: Forecast, plan: Charge) -> list[tuple[float, float]]:
    """Return when each batch is in the bucket [s], as the schedule has it; one that is not needed is there for no time."""
    made = schedule_of(job, plan, forecast)
    return [(max(b.pour, 0.0), b.gone) if b.used else (made.draw.end, made.draw.end) for b in made.batches]
