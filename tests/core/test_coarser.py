"""Surfaces with fewer triangles: how far they lie from the ones they were, and what the eye sees of them."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.drawing.plan.solid import MOST, solid_of
from bibulon.core.geometry.coarser import coarser
from bibulon.core.geometry.surface import border_rings
from bibulon.core.model.job import Surface

RADIUS = 1.0


def bowl(rings=90, around=180):
    """A bowl of 60° of a sphere: points and triangles."""
    angle = np.radians(60) * np.arange(1, rings + 1) / rings
    turn = 2 * np.pi * np.arange(around) / around
    a, t = (x.ravel() for x in np.meshgrid(angle, turn, indexing="ij"))
    points = np.vstack(
        [
            [0, 0, -RADIUS],
            RADIUS * np.column_stack([np.sin(a) * np.cos(t), np.sin(a) * np.sin(t), -np.cos(a)]),
        ]
    )
    at = 1 + np.arange(rings * around).reshape(rings, around)
    nxt = np.roll(at, -1, axis=1)
    middle = np.column_stack([np.zeros(around, dtype=int), at[0], nxt[0]])
    low, high, low_next, high_next = (x.ravel() for x in (at[:-1], at[1:], nxt[:-1], nxt[1:]))
    return points, np.vstack(
        [middle, np.column_stack([low, high, high_next]), np.column_stack([low, high_next, low_next])]
    )


def normals(points, triangles):
    p = points[triangles]
    n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return n / np.linalg.norm(n, axis=1)[:, None]


@pytest.mark.parametrize("wanted", [600, 3000])
def test_a_bowl_stays_round_and_its_rim_where_it_was(wanted):
    points, triangles = bowl()
    fewer_points, fewer = coarser(points, triangles, wanted, keep_rim=True)
    assert len(fewer) <= wanted + 2
    assert set(np.unique(fewer)) == set(range(len(fewer_points)))
    # A triangle of side s sinks about s²/(8 R) below its sphere; some are longer than the mean.
    side = 2 * np.sqrt(np.pi * RADIUS**2 / wanted)
    middle = fewer_points[fewer].mean(axis=1)
    for x in (fewer_points, middle):
        off = np.abs(np.linalg.norm(x, axis=1) - RADIUS)
        assert off.mean() < side**2 / 8
        assert off.max() < side**2
    before = {tuple(p) for p in points[border_rings(triangles)[0]].round(6)}
    assert {tuple(p) for p in fewer_points[border_rings(fewer)[0]].round(6)} == before


def test_a_plate_stays_flat():
    x, y = np.meshgrid(np.linspace(0, 2, 40), np.linspace(0, 1, 30), indexing="ij")
    at = np.arange(1200).reshape(40, 30)
    a, b, c, d = at[:-1, :-1].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel(), at[:-1, 1:].ravel()
    points = np.column_stack([x.ravel(), y.ravel(), 0.25 * x.ravel()])
    fewer_points, fewer = coarser(
        points, np.vstack([np.column_stack([a, b, c]), np.column_stack([a, c, d])]), 200, keep_rim=True
    )
    assert fewer_points[:, 2] == pytest.approx(0.25 * fewer_points[:, 0], abs=1e-9)
    p = fewer_points[fewer][:, :, :2]
    (ax, ay), (bx, by) = (p[:, 1] - p[:, 0]).T, (p[:, 2] - p[:, 0]).T
    area = np.abs(ax * by - ay * bx).sum() / 2
    assert area == pytest.approx(2.0, rel=1e-9)


def test_what_the_eye_sees_of_a_fine_bowl_is_smooth():
    """No triangle leans otherwise than the bowl beside it: a dark speck is seen as damage."""
    points, triangles = bowl()
    surface = Surface(
        space=tuple(map(tuple, points.tolist())), plan=tuple(map(tuple, points[:, :2].tolist())), triangles=tuple(map(tuple, triangles.tolist())),
    )  # fmt: skip
    shown = solid_of(surface)
    assert 0.8 * MOST < len(shown.triangles) <= MOST + 2
    middle = shown.space[shown.triangles].mean(axis=1)
    outward = middle / np.linalg.norm(middle, axis=1)[:, None]
    lean = np.degrees(
        np.arccos(np.abs((normals(shown.space, shown.triangles) * outward).sum(axis=1)).clip(0, 1))
    )
    assert lean.max() < 5
