"""The middle of a shape: the lines along which it is deep."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from shapely.geometry import LineString, Polygon

from bibulon.core.geometry.prepared import within

__all__ = ["middle_lines"]

Floats = npt.NDArray[np.float64]

FACETS = 12  # pieces as long as the depth into which the edge is cut
STEEP = 0.5  # by which depth falls along the middle into a corner
APART, BRANCH = 0.5, 1.0  # of the depth: from the lines before, and in length, from which on there is another
SMOOTH = 0.08  # of the depth, by which the line may be smoothed


def middle_lines(shape: Polygon, least: float) -> list[LineString]:
    """Return lines along the middle where a shape is at least a share of its depth deep [m], the longest first, then what branches off.

    Depth is the distance from the outline, holes left out; the middle is its medial axis (Blum 1967), from the Voronoi
    diagram of points along the outline.  None where it is deep at one place.
    """
    filled = Polygon(shape.exterior)
    edge = filled.exterior
    depth = float(shapely.maximum_inscribed_circle(filled, tolerance=0.01 * edge.length / 8).length)
    points = shapely.get_coordinates(edge.segmentize(depth / FACETS))[:-1]
    # Jogged: no four points lie on a circle.
    diagram = scipy.spatial.Voronoi(points, qhull_options="QJ Qbb Qc")
    vertices = shapely.points(diagram.vertices)
    left = within(filled, diagram.vertices) & (shapely.distance(vertices, edge) >= least * depth)
    found: list[LineString] = []
    while True:
        sides = np.array([p for p in diagram.ridge_vertices if min(p) >= 0 and left[p].all()], dtype=np.int64)
        line = _longest(diagram.vertices, sides, edge) if len(sides) else LineString()
        if line.is_empty or (found and line.length < BRANCH * depth):
            return found
        found.append(line.simplify(SMOOTH * depth))
        left &= shapely.distance(vertices, line) > APART * depth


def _longest(vertices: Floats, sides: npt.NDArray[np.int64], edge: LineString) -> LineString:
    """Return the longest way along sides between vertices that is level; empty where none is."""
    far = np.hypot(*(vertices[sides[:, 0]] - vertices[sides[:, 1]]).T)
    n, dijkstra = len(vertices), scipy.sparse.csgraph.dijkstra
    net = scipy.sparse.coo_array((np.maximum(far, 1e-9), sides.T), shape=(n, n)).tocsr()
    _, piece = scipy.sparse.csgraph.connected_components(net, directed=False)
    longest = LineString()
    for k in np.unique(piece[sides[:, 0]]):
        begin = int(sides[piece[sides[:, 0]] == k][0, 0])
        # From anywhere in a tree the farthest place is an end of its longest way.
        start = _farthest(dijkstra(net, directed=False, indices=[begin])[0])
        away, before = dijkstra(net, directed=False, indices=[start], return_predecessors=True)
        way = [_farthest(away[0])]
        while way[-1] != start:
            way.append(int(before[0, way[-1]]))
        kept = _level(vertices[way], shapely.distance(shapely.points(vertices[way]), edge))
        if len(kept) > 1:
            longest = max(longest, LineString(kept), key=lambda g: g.length)
    return longest


def _level(line: Floats, depth: Floats) -> Floats:
    """Return a line without its ends that run up a slope, into a corner."""
    step = np.hypot(*np.diff(line, axis=0).T)
    level = np.flatnonzero(np.abs(np.diff(depth)) <= STEEP * step)
    return line[level[0] : level[-1] + 2] if len(level) else line[:0]


def _farthest(away: Floats) -> int:
    return int(np.argmax(np.where(np.isfinite(away), away, -1.0)))
