"""When places are wet: the front inside cells, whatever way the mesh lies to it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from examples.make import UNIT, WIDTH, across, corners, line, textbook
from shapely.geometry import LineString, Polygon

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.fill.arrivals import passed
from bibulon.core.flow.forecast import FINE, Resolution, forecast
from bibulon.core.geometry.trimesh import FINER, triangulate
from bibulon.core.model.part import Part


def row(count, apart=0.01):
    """A row of nodes, each linked to the next."""
    a = np.arange(count - 1)
    return Network(
        np.ones(count),
        a,
        a + 1,
        np.ones(count - 1),
        np.arange(count),
        np.zeros(count, dtype=np.int64),
        np.arange(count),
        (),
        (),
        place=np.c_[np.arange(count) * apart, np.zeros(count)],
    )


def test_a_cell_is_full_when_the_front_is_half_way_to_the_next_and_at_a_wall_when_it_is_there():
    """Even speed, 10 s from point to point: full 5 s after the front has passed; the last, half a cell, as it does."""
    passes = 10.0 * np.arange(8)
    full = passes + 5.0
    full[-1] = passes[-1]
    assert passed(row(8), full, np.arange(1, 8)) == pytest.approx(
        passes[1:], abs=2.6
    )  # the last slope is half
    assert passed(row(8), full, np.array([2, 3, 4])) == pytest.approx(passes[2:5], abs=1e-3)
    assert passed(row(8), full, np.array([7]))[0] == full[7]


def test_a_front_that_stood_still_takes_no_time_from_the_place_where_it_stood():
    full = np.array([0.0, 10.0, 20.0, 30.0, 1030.0, 1040.0])
    assert passed(row(6), full, np.array([3]))[0] == pytest.approx(25.0, abs=0.1)


def test_what_never_gets_wet_stays_so_and_its_neighbour_counts_from_behind():
    full = np.array([0.0, 10.0, 20.0, math.inf])
    assert passed(row(4), full, np.arange(4))[3] == math.inf
    assert passed(row(4), full, np.array([2]))[0] == pytest.approx(15.0, abs=0.1)


def turned(points, angle):
    c, s = math.cos(angle), math.sin(angle)
    return [(c * x - s * y, s * x + c * y) for x, y in points]


@pytest.mark.parametrize("degrees", [0, 7, 15, 23, 30, 90, 180])
def test_a_strip_fills_alike_whatever_way_it_lies(degrees):
    """T = φ μ x² / 2 K Δp, also near the feed, on a plan turned under the mesh's rows."""
    angle = math.radians(degrees)
    job = textbook(
        "turned",
        part=Part(outline=corners(*turned([(0, 0), (1, 0), (1, WIDTH), (0, WIDTH)], angle))),
        lines=(
            line("F1", "feed", *turned([(0, 0), (0, WIDTH)], angle)),
            line("V1", "vacuum", *turned([(1, 0), (1, WIDTH)], angle)),
        ),
    )
    result = forecast(job, Resolution(FINE.points, 1, FINE.frames))
    layer = result.model.slots[0]
    for x, within in ((0.15, 0.015), (0.3, 0.01), (0.6, 0.01), (0.9, 0.01)):
        told = np.mean([result.probe(*p)[layer] for p in turned(across(x), angle)])
        assert told == pytest.approx(UNIT * x * x / 2, rel=within), x


def test_cells_are_smaller_around_a_small_ring_and_only_there():
    square = Polygon([(0, 0), (1, 0), (1, 1), (0, 1)])
    t = np.linspace(0, 2 * math.pi, 61)
    size = 0.03
    small = LineString(np.c_[0.5 + 0.06 * np.cos(t), 0.5 + 0.06 * np.sin(t)])
    mesh = triangulate(square, [small], size)
    edges = np.hypot(*(mesh.points[mesh.triangles[:, 0]] - mesh.points[mesh.triangles[:, 1]]).T)
    off = np.hypot(*(mesh.centroids - 0.5).T)
    assert np.median(edges[np.abs(off - 0.06) < size]) == pytest.approx(FINER * size, rel=0.25)
    assert np.median(edges[off > 0.25]) == pytest.approx(size, rel=0.2)
    assert mesh.areas.sum() == pytest.approx(1.0, rel=1e-6)
    on, _ = mesh.along(small)
    assert np.abs(np.hypot(*(mesh.points[on] - 0.5).T) - 0.06).max() < 0.02 * size
    wide = LineString(np.c_[0.5 + 0.3 * np.cos(t), 0.5 + 0.3 * np.sin(t)])
    assert len(triangulate(square, [wide], size).points) < len(mesh.points)
