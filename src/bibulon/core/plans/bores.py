"""Which bore a channel should have: the same job forecast with one after another."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.flow.forecast import COARSE, Forecast, Resolution, forecast
from bibulon.core.model.job import Job
from bibulon.core.mould.mould import mould_of

__all__ = ["BORES", "BoreRow", "best_bore", "bore_rows", "with_bore"]

BORES = (0.004, 0.006, 0.008, 0.010, 0.012, 0.014, 0.016)  # m
RING = 0.25  # of the longest way from the vent, at which the front is looked at all round
EVEN = 0.03  # share of the filling time by which a bore may be less even than the most even of them


class BoreRow(Struct, frozen=True):
    """A bore [m]: when all is full, and the channel round [s]; how unevenly the front closes on the vent; resin wasted [kg]."""

    bore: float
    fill_time: float
    channel_full: float
    uneven: float
    waste: float


def with_bore(job: Job, bore: float) -> Job:
    """Return a job whose channels, feed lines with a length, have a bore [m]."""
    lines = tuple(x.replaced(bore=bore) if x.role == "feed" and len(x.path) > 1 else x for x in job.lines)
    return job.replaced(lines=lines)


def bore_rows(
    job: Job,
    bores: Sequence[float] = BORES,
    resolution: Resolution = COARSE,
    cancelled: Callable[[], bool] | None = None,
) -> Iterator[BoreRow]:
    """Yield a row a bore.

    Raises
    ------
    BuildError, OutlineError, Cancelled, FillError : see ``forecast``.
    """
    for bore in bores:
        trial = with_bore(job, bore)
        result = forecast(trial, resolution, cancelled=cancelled)
        mould = mould_of(trial, result)
        yield BoreRow(bore, result.fill_time, mould.channel_full, _uneven(result), mould.waste)


def _uneven(result: Forecast) -> float:
    """Return by how much of the filling time the front comes later to one side of the vent than to the other."""
    vents = [x for x in result.job.lines if x.role == "vacuum"]
    if not vents or not math.isfinite(result.fill_time):
        return math.inf
    at = np.array(vents[0].path).mean(axis=0)
    away = np.hypot(*(result.model.mesh.points - at).T)
    radius = RING * float(away.max())
    ring = np.abs(away - radius) < 1.2 * result.model.mesh.size
    times = result.wet_through[ring]
    times = times[np.isfinite(times)]
    if len(times) < 4:
        return 0.0
    return float(np.quantile(times, 0.95) - np.quantile(times, 0.05)) / max(result.fill_time, 1e-9)


def best_bore(rows: Sequence[BoreRow], ahead: float) -> BoreRow | None:
    """Return the smallest bore whose channel is full round within a share of the filling time and feeds evenly."""
    even = min((r.uneven for r in rows), default=math.inf) + EVEN  # what is left is the part's own shape
    good = [
        r for r in rows
        if math.isfinite(r.fill_time) and r.channel_full <= ahead * r.fill_time and r.uneven <= even
    ]  # fmt: skip
    return min(good, key=lambda r: r.bore) if good else None
