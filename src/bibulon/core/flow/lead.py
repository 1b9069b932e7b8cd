"""By how far the resin on top leads the tool side where the flow mesh ends."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.flow.build.mesh_end import mesh_end, net_covers
from bibulon.core.flow.forecast import Forecast
from bibulon.core.units.remember import kept_with

__all__ = ["lead_at_mesh_end"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

NEAREST = 12  # points under mesh from which the front's moment and way at its end are taken
BESIDE = 2.5  # of the mesh size, within which the front must have come to the end
MOST = 60  # places along the end that are looked at


@kept_with(0, 1, 1)
def lead_at_mesh_end(forecast: Forecast) -> tuple[float, tuple[float, float]]:
    """Return by how far the top leads the tool side where the mesh ends towards the vacuum [m], and where.

    At the moment at which the front on top comes to the mesh's end, the distance back along its way to where
    all layers are wet.  Of all places along that end the one in the middle of their order, since corners stand
    apart.  0 where no mesh ends towards a vacuum line.
    """
    covered = net_covers(forecast.model)
    rim = mesh_end(forecast.job, forecast.model)
    if not len(rim):
        return 0.0, (0.0, 0.0)
    points = forecast.model.mesh.points
    places = (points[rim[:, 0]] + points[rim[:, 1]])[:: max(1, len(rim) // MOST)] / 2
    moment, way = _front(forecast, covered, places)
    good = np.isfinite(moment)
    if not good.any():
        return 0.0, (0.0, 0.0)
    places, moment, way = places[good], moment[good], way[good]
    found = _behind(forecast, places, moment, way)
    if not np.isfinite(found).any():
        return 0.0, (0.0, 0.0)
    found, places = found[np.isfinite(found)], places[np.isfinite(found)]
    k = int(np.argsort(found, kind="stable")[len(found) // 2])
    x, y = places[k]
    return float(found[k]), (float(x), float(y))


def _front(forecast: Forecast, covered: npt.NDArray[np.bool_], places: Floats) -> tuple[Floats, Floats]:
    """Return when the front on top comes to each place [s] and the way it goes, by planes through points under mesh.

    Points on the mesh's rim have cells that are only half under it, and are left out.
    """
    model = forecast.model
    under = np.zeros(len(model.mesh.points), dtype=bool)
    under[model.mesh.triangles[covered].ravel()] = True
    under[model.mesh.triangles[~covered].ravel()] = False
    times = np.where(model.node_at >= 0, forecast.wet_at, np.inf)
    top = times.min(axis=1)
    rows = np.flatnonzero(under & np.isfinite(top))
    moment, way = np.full(len(places), np.nan), np.zeros((len(places), 2))
    if len(rows) < NEAREST:
        return moment, way
    far, near = (
        np.atleast_2d(x) for x in scipy.spatial.cKDTree(model.mesh.points[rows]).query(places, k=NEAREST)
    )
    for k, place in enumerate(places):
        if far[k, 0] > BESIDE * model.mesh.size:
            continue  # the front never came there
        points, when = model.mesh.points[rows[near[k]]] - place, top[rows[near[k]]]
        fit, *_ = np.linalg.lstsq(np.c_[points, np.ones(NEAREST)], when, rcond=None)
        slope = math.hypot(float(fit[0]), float(fit[1]))
        if slope > 0:
            moment[k], way[k] = fit[2], fit[:2] / slope
    return moment, way


def _behind(forecast: Forecast, places: Floats, moment: Floats, way: Floats) -> Floats:
    """Return how far behind each place all layers are wet at its moment [m]; nan where that is not found."""
    model = forecast.model
    all_wet = np.where(np.isfinite(forecast.wet_through), forecast.wet_through, np.inf)
    step = model.mesh.size / 3
    reach = float(np.hypot(*np.ptp(model.mesh.points, axis=0)))
    found = np.full(len(places), np.nan)
    last = np.full(len(places), np.inf)
    open_ = np.ones(len(places), dtype=bool)
    for n in range(int(reach / step) + 1):
        rows = np.flatnonzero(open_)
        if not len(rows):
            break
        triangle, weights = model.mesh.locate(places[rows] - way[rows] * (n * step + 1e-9))
        inside = triangle >= 0
        when = np.full(len(rows), np.inf)
        corner = all_wet[model.mesh.triangles[triangle[inside]]]
        when[inside] = np.where(
            np.isfinite(corner).all(axis=1), (corner * weights[inside]).sum(axis=1), np.inf
        )
        done = inside & (when <= moment[rows])
        share = np.ones(int(done.sum()))
        before, now = last[rows[done]], when[done]
        between = np.isfinite(before) & (before > now)
        share[between] = ((moment[rows[done]] - now) / np.where(between, before - now, 1.0))[between]
        share = np.where(between, share, 0.0)
        found[rows[done]] = np.maximum(n - share, 0.0) * step
        open_[rows[done | ~inside]] = False
        last[rows] = when
    return found
