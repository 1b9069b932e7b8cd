"""Gel, peak and demould over the whole plan: of each zone at a few ages of arrival, and between them for every point."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.cure.places import PlaceCure, cure_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.job import Job
from bibulon.core.units.figures import told_by
from bibulon.core.units.remember import kept_with
from bibulon.core.units.words import tr

__all__ = ["CureField", "cure_field", "field_of", "with_ranges"]

Floats = npt.NDArray[np.float64]
AGES = 4  # of arrival that are reckoned for each zone


class CureField(Struct, frozen=True, eq=False):
    """At every vertex of the forecast's mesh: when the last of the thickness gels [s], peak [K], demould [s]; nan where dry.

    hottest, slowest, last, quickest : the places with the highest peak, the latest gel, the latest demould and the first gel.
    """

    job: Job
    gel: Floats
    peak: Floats
    demould: Floats
    hottest: PlaceCure
    slowest: PlaceCure
    last: PlaceCure
    quickest: PlaceCure


def cure_field(job: Job, forecast: Forecast) -> CureField:
    """Return the field of a job.

    Raises
    ------
    ValueError : when the resin has no cure law, or all stays dry.
    """
    points = forecast.model.mesh.points
    zone = regions(job.part).zone_at(points)
    wet = forecast.wet_through
    there = (forecast.model.node_at >= 0).any(axis=1) & np.isfinite(wet)
    gel, peak, demould = (np.full(len(points), np.nan) for _ in range(3))
    every: list[PlaceCure] = []
    for z in np.unique(zone[there]):
        of = np.flatnonzero(there & (zone == z))
        order = of[np.argsort(wet[of])]
        picks = np.unique(order[np.linspace(0, len(order) - 1, min(AGES, len(order))).astype(int)])
        places = [(float(points[k][0]), float(points[k][1])) for k in picks]
        found = sorted(_sound(job, forecast, places), key=lambda p: p.arrived)
        if not found:
            continue
        every += found
        at = np.array([p.arrived for p in found])
        for values, out in (
            ([p.gel for p in found], gel), ([p.peak for p in found], peak), ([p.demould[1] for p in found], demould)
        ):  # fmt: skip
            out[of] = np.interp(wet[of], at, values)
    if not every:
        raise ValueError(tr("nothing is wet: there is no cure to reckon"))
    hottest, slowest, last = (
        max(every, key=lambda p: p.peak), max(every, key=lambda p: p.gel), max(every, key=lambda p: p.demould[1])
    )  # fmt: skip
    return CureField(job, gel, peak, demould, hottest, slowest, last, min(every, key=lambda p: p.gel))


@kept_with(0, 2, 3)
def field_of(forecast: Forecast, plan: CurePlan) -> CureField | str:
    """Return the field of a forecast's job on a plan for its cure, or why there is none; the same one is reckoned once."""
    try:
        return cure_field(forecast.job.replaced(cure=plan), forecast)
    except ValueError as error:
        return told_by(error)


def with_ranges(field: CureField, forecast: Forecast) -> CureField:
    """Return a field whose places that matter are followed to the end, and tell demould with its range."""
    wanted = (field.hottest, field.slowest, field.last, field.quickest)
    places = list(dict.fromkeys((p.x, p.y) for p in wanted))
    ends = dict(zip(places, cure_of(field.job, forecast, places), strict=True))
    hottest, slowest, last, quickest = (ends[p.x, p.y] for p in wanted)
    return replace(field, hottest=hottest, slowest=slowest, last=last, quickest=quickest)


def _sound(job: Job, forecast: Forecast, places: list[tuple[float, float]]) -> list[PlaceCure]:
    """Return the places' cure; those on the rim whose triangle cannot be found, or is not wet all over, are passed over."""
    out = []
    for place in places:
        try:
            told = forecast.probe(*place)
        except ValueError:
            continue
        if any(math.isfinite(t) for t in told.values()):
            out.append(place)
    return cure_of(job, forecast, out, ranges=False, only_out=True) if out else []
