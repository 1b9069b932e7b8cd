"""Triangulation of a plan: a Delaunay mesh whose edges follow outlines, zone borders and lines.

Curves are sampled no coarser than the cell size and the lattice in between keeps clear of every
sample by more than half that size, so that Delaunay's criterion itself keeps the curves' edges
(no lattice point lies in the circle over a sampled edge).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import cached_property, lru_cache

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from msgspec import Struct
from shapely.affinity import affine_transform
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.prepared import within

__all__ = ["TriMesh", "cell_size", "triangulate"]

TOO_NARROW = "The part is too narrow for its length to be worked out: look at its outline."
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


TIGHT = 12.0  # cells across: a ring smaller than that gets cells of FINER the size around it
FINER = 0.5


class TriMesh(Struct, frozen=True, eq=False, dict=True):
    """Points [m], shape (n, 2), and anticlockwise triangles, shape (m, 3).

    ``size`` is the edge length [m], in the map ``stretch`` of the plan when there is one.
    """

    points: Floats
    triangles: Ints
    size: float
    stretch: Floats | None = None

    @property
    def areas(self) -> Floats:
        """Areas of the triangles [m²], shape (m,)."""
        a, b, c = (self.points[self.triangles[:, k]] for k in range(3))
        return ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2

    @property
    def centroids(self) -> Floats:
        """Centres of the triangles [m], shape (m, 2)."""
        return self.points[self.triangles].mean(axis=1)

    @cached_property
    def _centre_tree(self) -> scipy.spatial.cKDTree:
        return scipy.spatial.cKDTree(self.centroids)

    def locate(self, places: Floats, among: int = 12) -> tuple[Ints, Floats]:
        """Return the triangle around each place [m] and the weights of its corners.

        places : shape (k, 2); among : how many triangles near each are tried: needles want more.  Outside the mesh the triangle is −1.  Shapes (k,) and (k, 3).
        """
        _, near = self._centre_tree.query(places, k=min(among, len(self.triangles)))
        near = near.reshape(len(places), -1)
        a, b, c = (self.points[self.triangles[near, k]] for k in range(3))
        x, y = places[:, :1], places[:, 1:]
        double = (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (
            c[..., 0] - a[..., 0]
        )
        v = ((x - a[..., 0]) * (c[..., 1] - a[..., 1]) - (y - a[..., 1]) * (c[..., 0] - a[..., 0])) / double
        w = ((b[..., 0] - a[..., 0]) * (y - a[..., 1]) - (b[..., 1] - a[..., 1]) * (x - a[..., 0])) / double
        inside = np.minimum(np.minimum(v, w), 1 - v - w)
        best = np.argmax(inside, axis=1)
        row = np.arange(len(places))
        v, w, triangle = v[row, best], w[row, best], near[row, best].astype(np.int64)
        triangle[inside[row, best] < -1e-6] = -1
        return triangle, np.column_stack([1 - v - w, v, w])

    def along(self, line: BaseGeometry) -> tuple[Ints, Floats]:
        """Return the points that stand for a line, in its order, and where along it they are [m].

        They lie on it, but where it runs nearer to another curve than cells are wide: there the
        points of that curve stand in.
        """
        apart = self.size * (FINER if _is_tight(line, self.size) else 1.0)
        where = np.linspace(0, line.length, max(2, math.ceil(2 * line.length / apart) + 1))
        _, nearest = self.point_tree.query(
            shapely.get_coordinates(shapely.line_interpolate_point(line, where))
        )
        nearest = np.asarray(nearest)
        kept = np.sort(np.unique(nearest, return_index=True)[1])
        return nearest[kept].astype(np.int64), where[kept]

    @cached_property
    def point_tree(self) -> scipy.spatial.cKDTree:
        """The points, ready to be searched."""
        return scipy.spatial.cKDTree(self.points)


def cell_size(area: float, points: int) -> float:
    """Return the edge length [m] at which equilateral cells fill ``area`` [m²] with so many points."""
    return math.sqrt(2 * area / (math.sqrt(3) * points))


def _samples(curve: BaseGeometry, size: float) -> Floats:
    """Return points along a curve, its own corners among them, no further apart than ``size``."""
    if curve.is_empty:
        return np.zeros((0, 2))
    parts = shapely.get_parts(curve)
    kept = []
    for part in parts:
        if part.geom_type == "Point":
            kept.append(np.array(part.coords))
        elif part.geom_type in {"LineString", "LinearRing"}:
            kept.append(_line_samples(part, size))
    return np.vstack(kept) if kept else np.zeros((0, 2))


@lru_cache(maxsize=512)
def _samples_inside(curve: bytes, region: bytes, size: float) -> Floats:
    """Return the samples of what of a curve lies in a region, both as WKB: borders stay while lines move."""
    return _samples(shapely.intersection(shapely.from_wkb(curve), shapely.from_wkb(region)), size)


def _line_samples(line: BaseGeometry, size: float) -> Floats:
    """Even samples of one line; where it turns sharply, its corner itself."""
    points = np.array(line.coords)
    steps = np.hypot(*np.diff(points, axis=0).T)
    points, steps = points[np.r_[True, steps > 0]], steps[steps > 0]
    where = np.r_[0.0, np.cumsum(steps)]
    closed = float(np.hypot(*(points[0] - points[-1]))) < 1e-9
    heading = np.diff(points, axis=0) / steps[:, None]
    bend = np.abs(heading[:-1, 0] * heading[1:, 1] - heading[:-1, 1] * heading[1:, 0])
    straight = np.einsum("ij,ij->i", heading[:-1], heading[1:])
    corner = np.r_[True, np.abs(np.arctan2(bend, straight)) > 0.3, True]
    fixed = where[corner]
    lengths = np.diff(fixed)
    count = np.maximum(np.ceil(lengths / size - 1e-9), 1).astype(np.int64)
    within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    at = np.repeat(fixed[:-1], count) + within * np.repeat(lengths / count, count)
    if not closed:
        at = np.r_[at, where[-1]]
    return np.c_[np.interp(at, where, points[:, 0]), np.interp(at, where, points[:, 1])]


def _thin(points: Floats, gap: float) -> Floats:
    """Drop each point that lies nearer than ``gap`` to an earlier one."""
    if not len(points):
        return points
    pairs = scipy.spatial.cKDTree(points).query_pairs(gap, output_type="ndarray")
    dropped: set[int] = set()
    for a, b in pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))].tolist():
        if a not in dropped:
            dropped.add(b)
    keep = np.ones(len(points), dtype=bool)
    keep[list(dropped)] = False
    return points[keep]


def _lattice(bounds: tuple[float, float, float, float], size: float) -> Floats:
    """Return an equilateral lattice over a box."""
    x0, y0, x1, y1 = bounds
    rows = np.arange(y0 + size / 2, y1, size * math.sqrt(3) / 2)
    columns = np.arange(x0 + size / 2, x1 + size, size)
    x = columns[None, :] - (np.arange(len(rows)) % 2)[:, None] * size / 2
    points = np.c_[x.ravel(), np.repeat(rows, len(columns))]
    # A touch of disorder: four points on one circle cost Delaunay's code half its time again.
    return points + np.random.default_rng(len(points)).uniform(-1e-4, 1e-4, points.shape) * size


def _is_tight(curve: BaseGeometry, size: float) -> bool:
    """Whether a curve is a ring of a few cells: the flow around it depends on the logarithm of its radius."""
    if curve.geom_type != "LineString" or len(curve.coords) < 4 or curve.coords[0] != curve.coords[-1]:
        return False
    x0, y0, x1, y1 = curve.bounds
    return max(x1 - x0, y1 - y0) < TIGHT * size


def _between(region: Polygon, fixed: Floats, size: float) -> Floats:
    """Return lattice points inside a region that stand off from fixed ones."""
    lattice = _lattice(region.bounds, size)
    distance, _ = scipy.spatial.cKDTree(fixed).query(lattice, distance_upper_bound=0.72 * size)
    lattice = lattice[~np.isfinite(distance)]
    return lattice[within(region, lattice)]


def _with_detail(region: Polygon, points: Floats, rings: list[BaseGeometry], size: float) -> Floats:
    """Return points with those around tight rings replaced by ones that stand closer together."""
    fine = FINER * size
    around = shapely.intersection(shapely.union_all([shapely.buffer(r, 2 * size) for r in rings]), region)
    held = _thin(
        np.vstack([_samples(shapely.intersection(r, region), fine) for r in rings]).reshape(-1, 2),
        0.45 * fine,
    )
    if not len(held):
        return points
    inside = [_between(part, held, fine) for part in shapely.get_parts(around) if part.geom_type == "Polygon"]
    detail = np.vstack([held, *inside])
    distance = np.asarray(scipy.spatial.cKDTree(detail).query(points)[0])
    border = shapely.distance(shapely.boundary(region), shapely.points(points)) < 1e-9
    kept = distance > np.where(border, 0.45 * fine, 0.72 * size)  # the region keeps its outline
    return np.vstack([detail, points[kept]])


def triangulate(
    region: Polygon,
    curves: Sequence[BaseGeometry],
    size: float,
    stretch: Floats | None = None,
    pause: Callable[[], None] = lambda: None,
) -> TriMesh:
    """Triangulate a region.

    Parameters
    ----------
    region : what to fill [m].
    curves : lines that edges must follow, most important first; parts outside are cut away.
    size : edge length [m].
    stretch : map of the plan, shape (2, 2), in which cells shall be equilateral; for directional
        cloth K^(−1/2) scaled to determinant 1 keeps all links positive.
    pause : called between the longer acts; what it raises ends them.
    """
    if stretch is not None:
        to = [*np.asarray(stretch).ravel(), 0.0, 0.0]
        region, curves = affine_transform(region, to), [affine_transform(c, to) for c in curves]
    edges = [region.exterior, *region.interiors]
    border = [_samples(edge, size) for edge in edges]
    around = shapely.to_wkb(region)
    tight = [curve for curve in curves if _is_tight(curve, size)]
    inner = [_samples_inside(shapely.to_wkb(c), around, size) for c in curves if not _is_tight(c, size)]
    fixed = _thin(np.vstack([*border, *inner]), 0.45 * size)
    points = np.vstack([fixed, _between(region, fixed, size)])
    if tight:
        points = _with_detail(region, points, tight, size)
    pause()
    try:
        triangles = scipy.spatial.Delaunay(points).simplices.astype(np.int64)
    except scipy.spatial.QhullError as error:
        raise OutlineError(TOO_NARROW) from error
    pause()
    mesh = _inside(points, triangles, region, size)
    if not len(mesh.triangles):
        raise OutlineError(TOO_NARROW)
    pause()
    if stretch is None:
        return mesh
    flat = np.ascontiguousarray(mesh.points @ np.linalg.inv(stretch).T)
    return TriMesh(flat, _wind(flat, mesh.triangles), size, np.asarray(stretch))


def _wind(points: Floats, triangles: Ints) -> Ints:
    """Turn every triangle anticlockwise."""
    flip = TriMesh(points, triangles, 0.0).areas < 0
    triangles = triangles.copy()
    triangles[flip] = triangles[flip][:, ::-1]
    return triangles


def _inside(points: Floats, triangles: Ints, region: Polygon, size: float) -> TriMesh:
    """Keep the triangles that lie in the region and the points that they use."""
    triangles = _wind(points, triangles)
    mesh = TriMesh(points, triangles, size)
    centre = mesh.centroids
    kept = (mesh.areas > 1e-3 * size**2) & within(region, centre)
    triangles = triangles[kept]
    used = np.unique(triangles)
    number = np.full(len(points), -1, dtype=np.int64)
    number[used] = np.arange(len(used))
    return TriMesh(points[used], number[triangles], size)
