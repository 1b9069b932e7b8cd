"""When each batch is in the bucket."""

from __future__ import annotations

import numpy as np

from bibulon.core.flow.forecast import Forecast
from bibulon.core.resin.charge import Charge

__all__ = ["bucket_spans"]


def bucket_spans(forecast: Forecast, plan: Charge) -> list[tuple[float, float]]:
    """Return when each batch is in the bucket [s]: a batch is gone when so much has been drawn."""
    times = [f.time for f in forecast.history.frames]
    drawn = [sum(f.fed) * plan.density for f in forecast.history.frames]
    spans, start, cum = [], 0.0, 0.0
    for k, batch in enumerate(plan.batches):
        cum += batch.mass
        last = k == len(plan.batches) - 1
        stop = forecast.end if last or cum >= drawn[-1] else float(np.interp(cum, drawn, times))
        spans.append((start, stop))
        start = stop
    return spans
