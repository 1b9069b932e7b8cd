"""Edges of a triangulation turned to suit a metric that differs from group to group of triangles.

Within a group of one metric the result is its Delaunay triangulation (Lawson 1977), whose links have
no negative conductance there; edges between groups, and those that are kept, stay as they are.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

__all__ = ["flipped"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
ROUNDS = 60
SLACK = 1e-9


def _pairs(triangles: Ints, n: int) -> tuple[Ints, Ints, Ints, Ints, Ints, Ints]:
    """Return (triangle 1, triangle 2, a, b, c, d) of inner edges a–b with c in the first and d in the second."""
    first = np.concatenate([triangles[:, k] for k in range(3)])
    second = np.concatenate([triangles[:, (k + 1) % 3] for k in range(3)])
    third = np.concatenate([triangles[:, (k + 2) % 3] for k in range(3)])
    owner = np.tile(np.arange(len(triangles)), 3)
    key = np.minimum(first, second) * n + np.maximum(first, second)
    order = np.argsort(key, kind="stable")
    twice = np.flatnonzero(key[order][1:] == key[order][:-1])
    i, j = order[twice], order[twice + 1]
    return owner[i], owner[j], first[i], second[i], third[i], third[j]


def _cotangent(apex: Floats, a: Floats, b: Floats) -> Floats:
    """Return the cotangent of the angle at each apex."""
    u, v = a - apex, b - apex
    cross = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    return np.asarray((u * v).sum(axis=1) / np.maximum(np.abs(cross), 1e-300))


def _left(a: Floats, b: Floats, c: Floats) -> Floats:
    """Return twice the area of triangles, positive anticlockwise."""
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))


def flipped(points: Floats, triangles: Ints, group: Ints, maps: Floats, kept: Ints) -> Ints:
    """Return triangles with edges turned.

    Parameters
    ----------
    points : shape (n, 2) [m]; triangles : anticlockwise, shape (m, 3); group : of each, shape (m,).
    maps : of each group the map of the plan in which its triangles shall be Delaunay, shape (g, 2, 2).
    kept : edges that must stay, as pairs of points, shape (k, 2).
    """
    n = len(points)
    triangles = triangles.copy()
    fixed = np.unique(kept.min(axis=1) * n + kept.max(axis=1)) if len(kept) else np.zeros(0, dtype=np.int64)
    for _ in range(ROUNDS):
        t1, t2, a, b, c, d = _pairs(triangles, n)
        free = (group[t1] == group[t2]) & ~np.isin(np.minimum(a, b) * n + np.maximum(a, b), fixed)
        t1, t2, a, b, c, d = (x[free] for x in (t1, t2, a, b, c, d))
        turn = maps[group[t1]]
        pa, pb, pc, pd = (np.einsum("nij,nj->ni", turn, points[x]) for x in (a, b, c, d))
        weight = _cotangent(pc, pa, pb) + _cotangent(pd, pa, pb)
        size = np.maximum(np.abs(_left(points[a], points[b], points[c])), 1e-300)
        convex = (_left(points[c], points[d], points[b]) > SLACK * size) & (
            _left(points[d], points[c], points[a]) > SLACK * size
        )
        bad = np.flatnonzero((weight < -1e-7) & convex)
        if not len(bad):
            break
        # Of flips that touch the same triangle, the worst goes first.
        rank = np.empty(len(bad), dtype=np.int64)
        rank[np.argsort(weight[bad], kind="stable")] = np.arange(len(bad))
        best = np.full(len(triangles), len(bad), dtype=np.int64)
        np.minimum.at(best, t1[bad], rank)
        np.minimum.at(best, t2[bad], rank)
        go = bad[(best[t1[bad]] == rank) & (best[t2[bad]] == rank)]
        triangles[t1[go]] = np.column_stack([c[go], a[go], d[go]])
        triangles[t2[go]] = np.column_stack([c[go], d[go], b[go]])
    return triangles
