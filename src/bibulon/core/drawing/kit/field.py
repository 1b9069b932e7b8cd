"""A field on the plan's points as a raster that contours are cut from.

Outside the part the raster carries the nearest point's value on, so that contours run out under
the outline, which then clips them exactly.
"""

from __future__ import annotations

import math
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow import kernel
from bibulon.core.geometry.trimesh import TriMesh

if TYPE_CHECKING:
    from contourpy import ContourGenerator

__all__ = ["Contours", "Sampler", "nice_step"]

Floats = npt.NDArray[np.float64]


INSIDE = 1e-9  # by which a point on a triangle's side counts as inside it


class Sampler:
    """Maps values at the points of a mesh to a raster over it; made once a mesh."""

    def __init__(self, mesh: TriMesh, columns: int = 280) -> None:
        low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
        step = max(float((high - low).max()) / columns, mesh.size / 4)
        self.x = np.arange(low[0] - step, high[0] + 2 * step, step)
        self.y = np.arange(low[1] - step, high[1] + 2 * step, step)
        cells = len(self.x) * len(self.y)
        self._vertices = np.full((cells, 3), -1, dtype=np.int64)
        self._weights = np.zeros((cells, 3))
        kernel.raster(
            mesh.points[mesh.triangles], mesh.triangles, self.x, self.y, INSIDE, self._vertices, self._weights
        )
        bare = np.flatnonzero(self._vertices[:, 0] < 0)
        places = np.c_[self.x[bare % len(self.x)], self.y[bare // len(self.x)]]
        self._vertices[bare] = np.asarray(scipy.spatial.cKDTree(mesh.points).query(places)[1])[:, None]
        self._weights[bare] = (1.0, 0.0, 0.0)

    def contours(self, values: Floats) -> Contours:
        """Return contours of values at the points, shape (v,); never-reached places lie above all."""
        finite = np.isfinite(values)
        top = float(values[finite].max()) if finite.any() else 0.0
        beyond = top * 1.02 + 1.0
        filled = np.where(np.isnan(values), np.inf, values)
        filled = np.where(np.isfinite(filled), filled, beyond)
        raster = (filled[self._vertices] * self._weights).sum(axis=1).reshape(len(self.y), len(self.x))
        return Contours(self.x, self.y, raster, top)


class Contours(Struct, frozen=True, eq=False, dict=True):
    """A raster, shape (len(y), len(x)), and its highest finite value."""

    x: Floats
    y: Floats
    raster: Floats
    top: float

    def paced(self, factor: float) -> Contours:
        """Return the same with all times multiplied."""
        return Contours(self.x, self.y, self.raster * factor, self.top * factor)

    def between(self, low: float, high: float) -> list[Floats]:
        """Return rings [m] around where low ≤ value < high, for filling by the even-odd rule."""
        if not high > low:
            return []
        rings: list[Floats] = []
        for points, offsets in zip(*self._maker.filled(low, high)[:2], strict=True):
            if points is not None and offsets is not None:
                rings += [points[a:b] for a, b in pairwise(offsets.tolist())]
        return rings

    def at(self, level: float) -> list[Floats]:
        """Return lines [m] along which the value is ``level``."""
        return [np.asarray(line) for line in self._maker.lines(level)]

    @cached_property
    def _maker(self) -> ContourGenerator:
        from contourpy import FillType, LineType, contour_generator  # when fronts are first drawn

        return contour_generator(
            self.x, self.y, self.raster, fill_type=FillType.OuterOffset, line_type=LineType.Separate
        )

    @cached_property
    def bands(self) -> list[tuple[float, float, list[Floats]]]:
        """(low, high, rings) between all round levels, from below the lowest."""
        edges = [-1.0, *self.levels()[0].tolist()]
        return [(low, high, self.between(low, high)) for low, high in pairwise(edges)]

    @cached_property
    def lines(self) -> list[tuple[float, list[Floats]]]:
        """(level, lines) at all round levels."""
        return [(float(level), self.at(float(level))) for level in self.levels()[0]]

    def levels(self, wanted: int = 8) -> tuple[Floats, float]:
        """Return round levels below the highest value, and their step."""
        step = nice_step(self.top, wanted)
        return np.arange(step, self.top, step), step


def nice_step(top: float, wanted: int = 8) -> float:
    """Return a round step in seconds that cuts ``top`` into about ``wanted`` parts."""
    if top <= 0:
        return 60.0
    steps = [1, 2, 5, 10, 15, 20, 30, 60, 120, 240, 300, 600, 900, 1200, 1800, 3600, 7200, 14400, 28800]
    fits = [s for s in steps if top / s <= wanted]
    return float(fits[0]) if fits else float(3600 * math.ceil(top / wanted / 3600))
