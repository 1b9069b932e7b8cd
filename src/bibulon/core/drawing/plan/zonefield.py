"""A field over the part in bands, each zone by its own values: where stacks meet it jumps, and the border shows it sharp."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import scipy
from shapely.geometry.base import BaseGeometry

from bibulon.core.drawing.kit.field import Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.geometry.zones import regions
from bibulon.core.model.part import Part
from bibulon.core.units.remember import kept_with

__all__ = ["prepare_zones", "zone_bands", "zone_legend"]

Floats = npt.NDArray[np.float64]
TONES = 7
WIDE = 62  # px of a tone in the legend


@kept_with(0, 1, 1)
def _sampler(mesh: TriMesh) -> Sampler:
    return Sampler(mesh, 160)


@kept_with(0, 2, 4)
def _own(mesh: TriMesh, part: Part, finite: bytes) -> list[tuple[BaseGeometry, npt.NDArray[np.intp]]]:
    """Return each zone with any value, and by vertex the vertex of its own nearest to it, shape (v,)."""
    shape, points = regions(part), mesh.points
    zone, there = shape.zone_at(points), np.frombuffer(finite, dtype=bool)
    own = []
    for z, region in enumerate(shape.zones.values()):
        of = np.flatnonzero((zone == z) & there)
        if len(of) and not region.is_empty:
            own.append((region, of[scipy.spatial.cKDTree(points[of]).query(points)[1]]))
    return own


def prepare_zones(forecast: Forecast, values: Floats) -> None:
    """Work out, off the interface thread, what the bands of values at the vertices, shape (v,), take long to find."""
    _sampler(forecast.model.mesh)
    _own(forecast.model.mesh, forecast.job.part, np.isfinite(values).tobytes())


def zone_bands(forecast: Forecast, values: Floats, low: float, high: float, look: PlanLook) -> Iterator[Item]:
    """Yield the bands of values at the vertices, shape (v,), nan where there are none, from a low to a high one."""
    mesh = forecast.model.mesh
    step = max((high - low) / TONES, 1e-6)
    for region, nearest in _own(mesh, forecast.job.part, np.isfinite(values).tobytes()):
        # A zone's own values carried on beyond its border, which then cuts them: no stairs of the mesh.
        contours = _sampler(mesh).contours(values[nearest])
        bands = []
        for k in range(TONES):
            a = low + k * step if k else -1e9
            b = low + (k + 1) * step if k + 1 < TONES else 1e12
            rings = [look.view.to(r) for r in contours.between(a, b)]
            bands.append(Area(rings, look.theme.tone(k / (TONES - 1)), None))
        yield Clip(rings_of(region, look.view), tuple(bands))


def zone_legend(low: str, high: str, height: float, look: PlanLook) -> Iterator[Item]:
    """Yield the tones at the foot of a drawing so high [px], with words for their ends."""
    for k in range(TONES):
        x = 16 + k * WIDE
        box = np.array(
            [[x, height - 26], [x + WIDE - 2, height - 26], [x + WIDE - 2, height - 14], [x, height - 14]]
        )
        yield Area([box], look.theme.tone(k / (TONES - 1)), None)
    yield Label(16, height - 36, low, look.theme.soft, 12, anchor="l")
    yield Label(16 + TONES * WIDE, height - 36, high, look.theme.soft, 12, anchor="r")
