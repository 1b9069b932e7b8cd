"""Gel, peak and demould over the whole plan: of each zone at a few ages of arrival, and between them for every point."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.core.cure.places import PlaceCure, cure_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job

__all__ = ["CureField", "cure_field"]

Floats = npt.NDArray[np.float64]
AGES = 5  # of arrival that are reckoned for each zone


@dataclass(frozen=True, eq=False)
class CureField:
    """At every vertex of the forecast's mesh: when the last of the thickness gels [s], peak [K], demould [s]; nan where dry.

    hottest, slowest, last : the places with the highest peak, the latest gel, and the latest demould.
    """

    job: Job
    gel: Floats
    peak: Floats
    demould: Floats
    hottest: PlaceCure
    slowest: PlaceCure
    last: PlaceCure


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
        raise ValueError("nothing is wet: there is no cure to reckon")
    hottest, slowest, last = (
        max(every, key=lambda p: p.peak), max(every, key=lambda p: p.gel), max(every, key=lambda p: p.demould[1])
    )  # fmt: skip
    ends = cure_of(job, forecast, [(p.x, p.y) for p in (hottest, slowest, last)])
    return CureField(job, gel, peak, demould, ends[0], ends[1], ends[2])


def _sound(job: Job, forecast: Forecast, places: list[tuple[float, float]]) -> list[PlaceCure]:
    """Return the places' cure; those on the rim whose triangle cannot be found are passed over."""
    out = []
    for place in places:
        try:
            forecast.locate(*place)
        except ValueError:
            continue
        out.append(place)
    return cure_of(job, forecast, out, ranges=False) if out else []
