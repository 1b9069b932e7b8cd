"""The youngest resin, of the last batch: until when the vacuum stays on for it, and when the part may leave the mould."""

from __future__ import annotations

import math

import numpy as np

from bibulon.core.cure.field import CureField, field_of
from bibulon.core.cure.places import PlaceCure, cure_of
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.fields import line_flows
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import ChargeError, charge
from bibulon.core.resin.clock import flow_clock
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.remember import kept_with

__all__ = ["held_until", "out_last", "vacuum_until", "youngest_cure", "youngest_gel"]

LATE = 0.8  # of the fill, from when on what a feed passes tells which feeds in the end
TRIED = 8  # places along a feed


def _last_batch(job: Job, forecast: Forecast) -> float | None:
    """Return when the last of several batches that the part draws from is mixed [s]; None where there is one, or none can be told."""
    if job.resin is None or job.buckets or len(forecast.history.frames) < 3:
        return None
    try:
        made = schedule_of(job, charge(job), forecast)
    except (ChargeError, ValueError):
        return None
    used = [b for b in made.batches if b.used]
    return used[-1].start + made.terms.mixing if len(used) > 1 else None


def youngest_gel(job: Job, forecast: Forecast) -> float | None:
    """Return when the last batch that the part draws from gels in the part [s]; None where there is one batch, or no law.

    Near a feed the last resin to come is the youngest: mixed while the part was filling, it gels as much later.
    """
    mixed = _last_batch(job, forecast)
    if mixed is None or job.resin is None:
        return None
    gel = float(flow_clock(job.resin, part_temperature(job)).gel)
    return mixed + gel if gel < 1e8 else None


@kept_with(1, 2, 2)
def youngest_cure(job: Job, forecast: Forecast, ranges: bool = True) -> PlaceCure | None:
    """Return what the youngest resin comes to, beside the feed that passes most in the end.

    None where all is of one batch, or the resin has no cure law.
    """
    mixed = _last_batch(job, forecast)
    feeds = [x for x in job.lines if x.role == "feed" and x.id in forecast.model.lines]
    if mixed is None or not feeds:
        return None
    passed = {x.line: x.total for x in line_flows(forecast, forecast.end)}
    for x in line_flows(forecast, LATE * forecast.end):
        passed[x.line] -= x.total
    line = max(feeds, key=lambda x: passed[x.id])  # one on a manifold has its own valve's
    model, inlet = forecast.model, np.array(inlet_of(line))
    along = model.lines[line.id]
    along = along[np.isfinite(forecast.wet_through[along])]
    for k in along[np.argsort(np.hypot(*(model.mesh.points[along] - inlet).T))][:TRIED]:
        place = (float(model.mesh.points[k][0]), float(model.mesh.points[k][1]))
        try:
            return cure_of(job, forecast, [place], came=(mixed, forecast.end), ranges=ranges)[0]
        except ValueError:  # on the rim, in no triangle that is wet all over
            continue
    return None


def out_last(job: Job, forecast: Forecast, field: CureField, ranges: bool = True) -> PlaceCure:
    """Return the place that may leave the mould last: the slowest, or the youngest resin of the last batch."""
    young = youngest_cure(job, forecast, ranges)
    return young if young is not None and young.demould[1] > field.last.demould[1] else field.last


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
