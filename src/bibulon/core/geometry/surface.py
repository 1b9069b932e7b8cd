"""Moulds that are not flat: a surface in space over its plan, its rim and pieces, and what the plan does to lengths."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from msgspec import Struct
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.prepared import prepared, within
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Part, Surface
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = [
    "Lift",
    "SurfaceError",
    "areas_in_space",
    "border_edges",
    "border_rings",
    "lift_of",
    "lift_onto",
    "local_corners",
    "piece_of",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

KEPT = 4  # surfaces held ready
HAIR = 1e-6  # m
AMONG = 150  # triangles tried for places that are not found in the first


class SurfaceError(ValueError):
    """A surface that cannot be laid on a plan; the text says why and where."""


def areas_in_space(space: Floats, triangles: Ints) -> Floats:
    """Return the areas of triangles [m²] with corners in space, shapes (n, 3), (m, 3)."""
    a, b, c = (space[triangles[:, k]] for k in range(3))
    return np.asarray(np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)


def border_rings(triangles: Ints) -> list[Ints]:
    """Return the rings of points along the border of a surface, the longest first.

    Raises
    ------
    SurfaceError : when more than two triangles meet at an edge, or the border touches itself.
    """
    border, most = _border(triangles)
    if most > 2:
        raise SurfaceError(tr("More than two triangles meet at an edge: it is no single skin."))
    if not len(border):
        raise SurfaceError(tr("The surface is closed: cut it open so that it has a rim."))
    if len(np.unique(border[:, 0])) < len(border) or len(np.unique(border[:, 1])) < len(border):
        raise SurfaceError(tr("The rim touches itself, or triangles face both ways."))
    after = dict(border.tolist())
    rings = []
    while after:
        start, at = after.popitem()
        ring = [start]
        while at != start:
            ring.append(at)
            at = after.pop(at)
        rings.append(np.array(ring))
    return sorted(rings, key=len, reverse=True)


def border_edges(triangles: Ints) -> Ints:
    """Return the edges that one triangle alone has, shape (n, 2)."""
    return _border(triangles)[0]


def _border(triangles: Ints) -> tuple[Ints, int]:
    """Return the edges that one triangle alone has, shape (n, 2), and how many triangles meet at most at an edge."""
    half = np.vstack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    n = int(triangles.max()) + 1
    key = np.minimum(half[:, 0], half[:, 1]) * n + np.maximum(half[:, 0], half[:, 1])
    _, first, count = np.unique(key, return_index=True, return_counts=True)
    return half[first[count == 1]], int(count.max())


def piece_of(triangles: Ints, points: int) -> Ints:
    """Return which piece each triangle belongs to, shape (m,): those of one piece share points."""
    links = scipy.sparse.coo_array(
        (np.ones(3 * len(triangles)), (triangles.ravel(), np.roll(triangles, 1, axis=1).ravel())),
        shape=(points, points),
    )
    _, label = scipy.sparse.csgraph.connected_components(links, directed=False)
    return np.unique(label[triangles[:, 0]], return_inverse=True)[1].astype(np.int64)


def local_corners(corners: Floats) -> Floats:
    """Return triangles in space, shape (m, 3, 3), each laid flat with its first side along x, shape (m, 3, 2)."""
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    along = e1 / np.maximum(np.linalg.norm(e1, axis=1), 1e-300)[:, None]
    return _in_frame(e1, e2, along)


def _in_frame(e1: Floats, e2: Floats, along: Floats) -> Floats:
    normal = np.cross(e1, e2)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    across = np.cross(normal, along)
    zero = np.zeros(len(e1))
    return np.stack(
        [
            np.column_stack([zero, zero]),
            np.column_stack([np.einsum("ij,ij->i", e1, along), np.einsum("ij,ij->i", e1, across)]),
            np.column_stack([np.einsum("ij,ij->i", e2, along), np.einsum("ij,ij->i", e2, across)]),
        ],
        axis=1,
    )


class Lift(Struct, frozen=True, eq=False, dict=True):
    """The way from the plan on to a surface: points in space [m] over a triangulated plan."""

    space: Floats
    flat: TriMesh

    def __call__(self, points: Floats) -> Floats:
        """Return places of the plan [m] in space, shapes (n, 2), (n, 3); off the surface, its nearest point."""
        return self.onto(points)[0]

    def onto(self, points: Floats) -> tuple[Floats, Floats]:
        """Return places of the plan [m] in space, as ``self`` does, and what of the plan each stands for, shapes (n, 3), (n, 2)."""
        triangle, weights = self.flat.locate(points)
        missed = np.flatnonzero(triangle < 0)  # beside the surface, or in a needle whose middle is far
        missed = missed[within(self._within_rim, points[missed])] if len(missed) else missed
        if len(missed):
            triangle[missed], weights[missed] = self.flat.locate(points[missed], AMONG)
        out = np.einsum("ni,nij->nj", weights, self.space[self.flat.triangles[triangle]])
        off, foot = triangle < 0, points
        if off.any():
            foot = points.copy()
            out[off], foot[off] = self._nearest(points[off])
        return out, foot

    def _nearest(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the nearest point of the rim, or of the surface where a point of it is nearer: in a needle that was missed."""
        edges, tree = self._rim
        away, near = self.flat.point_tree.query(points)
        edge = edges[tree.nearest(shapely.points(points))]
        a, b = self.flat.points[edge[:, 0]], self.flat.points[edge[:, 1]]
        way = b - a
        share = np.einsum("ij,ij->i", points - a, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
        share = np.clip(share, 0.0, 1.0)[:, None]
        foot = a + share * way
        beside = (np.hypot(*(points - foot).T) <= away)[:, None]
        on_rim = (1 - share) * self.space[edge[:, 0]] + share * self.space[edge[:, 1]]
        return np.where(beside, on_rim, self.space[near]), np.where(beside, foot, self.flat.points[near])

    @cached_property
    def _within_rim(self) -> BaseGeometry:
        """What of the plan lies inside the outermost rim, and a hair more."""
        edges, _ = self._rim
        sides = shapely.union_all(shapely.linestrings(self.flat.points[edges]))
        return shapely.union_all(shapely.get_parts(shapely.polygonize([sides]))).buffer(HAIR)

    @cached_property
    def _rim(self) -> tuple[Ints, shapely.STRtree]:
        edges = border_edges(self.flat.triangles)
        return edges, shapely.STRtree(shapely.linestrings(self.flat.points[edges]))

    @cached_property
    def growth(self) -> Floats:
        """Area on the surface over area on the plan, per triangle."""
        return areas_in_space(self.space, self.flat.triangles) / np.maximum(self.flat.areas, 1e-300)

    @cached_property
    def off_length(self) -> tuple[float, float]:
        """Shortest and longest that a length on the plan comes to, over what it is on the surface, less one.

        In each triangle's worst directions, the singular values of its map; the extreme hundredths of the area are left out,
        where needles lie.
        """
        real = local_corners(self.space[self.flat.triangles])
        drawn = self.flat.points[self.flat.triangles]
        a, b = (np.stack([x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]], axis=2) for x in (real, drawn))
        values = np.linalg.svd(b @ np.linalg.inv(a), compute_uv=False)
        weight = areas_in_space(self.space, self.flat.triangles)
        out = []
        for value, at in ((values[:, 1], 0.01), (values[:, 0], 0.99)):
            order = np.argsort(value)
            share = np.cumsum(weight[order]) / weight.sum()
            out.append(float(value[order][np.searchsorted(share, at)]) - 1)
        return out[0], out[1]

    @property
    def area(self) -> float:
        """Area of the whole surface [m²]."""
        return float(areas_in_space(self.space, self.flat.triangles).sum())

    def area_over(self, region: BaseGeometry) -> float:
        """Return the area on the surface of a region of the plan [m²]."""
        tree = self._tree
        across = np.unique(tree.query(_segments(shapely.boundary(region)), "intersects")[1])
        flat = np.where(within(region, self.flat.centroids), self.flat.areas, 0.0)
        flat[across] = shapely.area(shapely.intersection(prepared(region), tree.geometries[across]))
        return float(flat @ self.growth)

    @cached_property
    def _tree(self) -> shapely.STRtree:
        return shapely.STRtree(shapely.polygons(self.flat.points[self.flat.triangles]))

    def corners(self, mesh: TriMesh) -> Floats:
        """Return a plan mesh's triangles laid flat at their true size, x as the plan's x runs there.

        Shape (m, 3, 2); what lies at an angle on the plan lies at it there.
        """
        lifted = self(mesh.points)[mesh.triangles]
        e1, e2 = lifted[:, 1] - lifted[:, 0], lifted[:, 2] - lifted[:, 0]
        p = mesh.points[mesh.triangles]
        d1, d2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        double = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
        # The plan's x direction carried on to the surface: J e_x with J = [e1 e2] [d1 d2]⁻¹.
        along = (e1 * d2[:, 1:] - e2 * d1[:, 1:]) / double[:, None]
        along /= np.maximum(np.linalg.norm(along, axis=1), 1e-300)[:, None]
        return _in_frame(e1, e2, along)


def _segments(border: BaseGeometry) -> npt.NDArray[np.object_]:
    """Return each straight piece of lines by itself."""
    points, line = shapely.get_coordinates(shapely.get_parts(border), return_index=True)
    pairs = np.stack([points[:-1], points[1:]], axis=1)
    return np.asarray(shapely.linestrings(pairs[line[:-1] == line[1:]]))


def lift_of(part: Part) -> Lift | None:
    """Return the way on to a part's surface; None where it is taken as flat."""
    return lift_onto(part.surface) if part.surface is not None else None


@by_identity(1, KEPT)
def lift_onto(surface: Surface) -> Lift:
    """Return the way from the plan on to a surface; made once."""
    triangles, plan = np.array(surface.triangles, dtype=np.int64), np.array(surface.plan)
    return Lift(np.array(surface.space), TriMesh(plan, triangles, float(np.ptp(plan, axis=0).max())))
