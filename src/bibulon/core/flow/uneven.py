"""What uneven cloth makes of a plan: where fronts close on each other along a line, some spot shuts first, with air behind it.

A forecast takes cloth as even, so that two fronts which meet head-on close everywhere at once and shut nothing in.  Here its
fronts are made as rough as those in uneven cloth are, and the places that lose their way to a vent are looked for anew.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct

from bibulon.core.flow.build.builder import FlowModel
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.pocket import LASTING, regions_told
from bibulon.core.geometry.paths import shape_of
from bibulon.core.units.remember import kept_with

__all__ = ["OFTEN", "PATCH", "ROUGHNESS", "Uneven", "scattered", "uneven"]

Floats = npt.NDArray[np.float64]

PATCH = 0.10  # m over which cloth is alike
# Of the variation of permeability times the patch: how rough a front becomes, whatever its way.  Found with a solver of its own
# (tests/validation): what lags is drawn on by the steeper pull, so that roughness soon grows no more.
ROUGHNESS = 0.8
TRIES = 10
NONE_YET = 4  # tries without any, after which none is looked for: of a plan that half of all tries shut, 1 in 16 is missed
SEED = 5
WAVES = 60  # of which a scatter is the sum: enough that it is nearly normal


OFTEN = 0.5  # of tries in which something is shut in, from which it matters
# Of the part, and at the most [m²], that is shut in by the mean: between sound plans (0.2 % at the most) and head-on ones (2 % at the least).
PART, AREA = 0.006, 0.008


class Uneven(Struct, frozen=True):
    """What uneven cloth shuts in: the share of tries, the mean area and that of the whole part [m²], where the largest closes last [m]."""

    share: float
    area: float
    whole: float
    place: tuple[float, float]

    @property
    def matters(self) -> bool:
        """Whether it is more than sound plans shut in."""
        return self.share >= OFTEN and self.area >= min(PART * self.whole, AREA)


def scattered(points: Floats, patch: float, rng: np.random.Generator) -> Floats:
    """Return a smooth random field at points: mean 0, variance 1, correlation exp(−r²/2 patch²); shape (n,).

    A sum of plane waves with normal wave numbers (Shinozuka & Deodatis 1991), so that it does not depend on the mesh.
    """
    waves = rng.normal(0.0, 1.0 / patch, (WAVES, 2))
    phases = rng.uniform(0.0, 2.0 * np.pi, WAVES)
    return np.asarray(np.sqrt(2.0 / WAVES) * np.cos(points @ waves.T + phases).sum(axis=1))


@kept_with(0, 1, 4)
def uneven(forecast: Forecast, variation: float) -> Uneven:
    """Return what is shut in when permeability varies by a share from patch to patch; the same for the same forecast."""
    model, filled_at = forecast.model, forecast.history.filled_at
    vertex, areas = model.network.vertex, model.vertex_areas()
    lasting, smallest = LASTING * forecast.history.end, forecast.job.rules.smallest_pocket
    late = variation * _lateness(forecast)
    rng = np.random.default_rng(SEED)
    shut: list[float] = []
    largest, place, whole = 0.0, (0.0, 0.0), float(areas.sum())
    for k in range(TRIES):
        if k == NONE_YET and not any(shut):
            return Uneven(0.0, 0.0, whole, place)
        field = scattered(model.mesh.points, PATCH, rng)
        times = filled_at + late * np.where(vertex >= 0, field[np.maximum(vertex, 0)], 0.0)
        told = regions_told(model, times, smallest, lasting)
        shut.append(sum(_dry_area(model, times, areas, region.closed, real) for region, real, _ in told))
        for region, real, _ in told:
            if region.volume > largest:
                largest = region.volume
                last = real[np.argmax(times[real])]
                x, y = model.mesh.points[vertex[last]]
                place = (float(x), float(y))
    return Uneven(float(np.mean([a > 0 for a in shut])), float(np.mean(shut)), whole, place)


def _dry_area(
    model: FlowModel, times: Floats, areas: Floats, closed: float, nodes: npt.NDArray[np.int64]
) -> float:
    """Return the area of a region that is still dry when it closes [m²].

    A node begins to fill when the first of its neighbours is full: what of it is wet by then is not shut in.
    """
    rows, cols, _ = model.network.entries(nodes)
    begun = times[nodes].copy()
    np.minimum.at(begun, rows, times[cols])
    left = (times[nodes] - closed) / np.maximum(times[nodes] - begun, 1e-12)
    dry = np.zeros(len(areas))
    np.maximum.at(dry, model.network.vertex[nodes], np.clip(left, 0.0, 1.0))
    return float(areas @ dry)


def _lateness(forecast: Forecast) -> Floats:
    """Return by how much each node comes late where its front is rough, over the variation of permeability; shape (n,) [s].

    A front that is δ behind comes |grad t| δ late, and at d from its feed, open since t0, |grad t| = 2 (t − t0)/d
    (t − t0 = φ μ d²/2 K Δp).  Its feed is the nearest that was open by then.
    """
    model, when = forecast.model, forecast.history.filled_at
    vertex = np.maximum(model.network.vertex, 0)
    points = shapely.points(model.mesh.points)
    away, since = np.full(len(when), np.inf), np.zeros(len(when))
    for line in forecast.job.lines:
        opened = forecast.history.opened.get(line.id)
        if line.role != "feed" or opened is None:
            continue
        far = shapely.distance(points, shape_of(line.path))[vertex]
        nearer = (when >= opened) & (far < away)
        away, since = np.where(nearer, far, away), np.where(nearer, opened, since)
    running = np.where(np.isfinite(when) & np.isfinite(away), when - since, 0.0)
    return 2 * ROUGHNESS * PATCH * running / np.maximum(away, PATCH)
