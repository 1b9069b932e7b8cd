import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import ConvexHull, Delaunay
from shapely.geometry import LineString, Point, Polygon

from bibulon.core.geometry.flip import flipped
from bibulon.core.geometry.outline import OutlineError, area, check, perimeter, trace
from bibulon.core.geometry.trimesh import triangulate
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Corner, Drawn, Inset, Part, Zone


def corners(*points):
    return tuple(Corner(x=x, y=y) for x, y in points)


SQUARE = corners((0, 0), (1, 0), (1, 1), (0, 1))


def disc(radius=0.5, turn=1):
    return tuple(Corner(x=radius * math.cos(a), y=turn * radius * math.sin(a), bow=radius * (1 - math.sqrt(0.5)))
                 for a in (0, math.pi / 2, math.pi, 3 * math.pi / 2))  # fmt: skip


@pytest.mark.parametrize("turn", [1, -1])
def test_arcs_make_a_circle_either_way_round(turn):
    assert area(disc(turn=turn)) == pytest.approx(math.pi / 4, rel=1e-9)
    assert perimeter(disc(turn=turn)) == pytest.approx(math.pi, rel=1e-9)
    assert Polygon(trace(disc(turn=turn))).area == pytest.approx(math.pi / 4, rel=2e-3)


def test_an_inward_bow_takes_area_away():
    assert (
        area(tuple(c.replaced(bow=-0.1) for c in SQUARE))
        < 1
        < area(tuple(c.replaced(bow=0.1) for c in SQUARE))
    )


def test_a_crossed_outline_says_where():
    with pytest.raises(OutlineError, match="crosses itself near x 500 mm, y 500 mm") as error:
        check(corners((0, 0), (1, 1), (1, 0), (0, 1)))
    assert error.value.place == pytest.approx((0.5, 0.5))


def test_a_double_corner_says_where():
    with pytest.raises(OutlineError, match="on each other at x 1000 mm"):
        check(corners((0, 0), (1, 0), (1, 0), (0, 1)))


def test_zones_tile_the_part_and_the_later_one_counts():
    part = Part(outline=SQUARE, zones=(
        Zone(id="field", name="Field", area=Inset(distance=0.1)),
        Zone(id="patch", name="Patch", area=Drawn(outline=corners((-1, 0.4), (0.5, 0.4), (0.5, 0.6), (-1, 0.6)))),
    ))  # fmt: skip
    plan = regions(part)
    assert sum(z.area for z in plan.zones.values()) == pytest.approx(1)
    assert plan.zones["patch"].area == pytest.approx(0.5 * 0.2)
    assert plan.zones["field"].area == pytest.approx(0.8 * 0.8 - 0.4 * 0.2)
    assert plan.zone_at(np.array([[0.05, 0.05], [0.3, 0.3], [0.3, 0.5]])).tolist() == [0, 1, 2]


def test_an_inset_that_leaves_nothing_is_refused():
    with pytest.raises(OutlineError, match="leaves nothing"):
        regions(Part(outline=SQUARE, zones=(Zone(id="f", name="Field", area=Inset(distance=0.6)),)))


@given(st.floats(0.02, 0.2), st.floats(0.1, 0.9), st.floats(-0.3, 0.3))
def test_a_mesh_covers_its_region_and_follows_its_lines(size, x, slant):
    region = check(SQUARE)
    line = LineString([(x, 0), (min(max(x + slant, 0.02), 0.98), 1)])
    mesh = triangulate(region, [line], size)
    assert mesh.areas.min() > 0
    assert mesh.areas.sum() == pytest.approx(1, rel=1e-6)
    on, where = mesh.along(line)
    assert where[0] == 0
    assert np.diff(where).max() < 1.6 * size
    away = [line.distance(Point(p)) for p in mesh.points[on]]
    assert max(away) < 0.75 * size  # on it, or where another curve is nearer than a cell, on that


def test_locate_gives_weights_and_says_outside():
    mesh = triangulate(check(SQUARE), [], 0.05)
    places = np.array([[0.31, 0.77], [1.2, 0.5]])
    triangle, weights = mesh.locate(places)
    assert triangle[1] == -1
    np.testing.assert_allclose(weights[0] @ mesh.points[mesh.triangles[triangle[0]]], places[0], atol=1e-12)


def test_edges_turned_to_a_metric_leave_no_negative_link():
    """Delaunay in the metric of the cloth: cotangents of the angles over every inner edge add up to no less than 0."""
    rng = np.random.default_rng(5)
    points = rng.uniform(0, 1, (400, 2))
    triangles = Delaunay(points).simplices.astype(np.int64)
    a, b, c = (points[triangles[:, k]] for k in range(3))
    anti = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]) < 0
    triangles[anti] = triangles[anti][:, ::-1]
    turn = np.array([[np.cos(0.6), np.sin(0.6)], [-np.sin(0.6), np.cos(0.6)]])
    metric = np.diag([1.0, 4.0]) @ turn
    out = flipped(
        points, triangles, np.zeros(len(triangles), dtype=int), metric[None], np.zeros((0, 2), dtype=int)
    )
    moved = points @ metric.T
    weight: dict[tuple[int, int], list[float]] = {}
    area = 0.0
    for t in out:
        for k in range(3):
            i, j, apex = t[k], t[(k + 1) % 3], t[(k + 2) % 3]
            u, v = moved[i] - moved[apex], moved[j] - moved[apex]
            weight.setdefault((min(i, j), max(i, j)), []).append(
                float(u @ v / abs(u[0] * v[1] - u[1] * v[0]))
            )
        p, q, r = points[t]
        area += ((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])) / 2
    assert min(sum(w) for w in weight.values() if len(w) == 2) > -1e-6
    assert area == pytest.approx(ConvexHull(points).volume)


def test_edges_along_lines_and_between_zones_stay():
    points = np.array([[0.0, 0.0], [4.0, 0.0], [2.0, 0.3], [2.0, -0.3]])
    triangles = np.array([[0, 1, 2], [1, 0, 3]])
    none = np.zeros((0, 2), dtype=int)
    alike, apart = np.array([0, 0]), np.array([0, 1])
    even = np.array([np.eye(2), np.eye(2)])
    edge = {frozenset((0, 1))}

    def edges(t):
        return {frozenset((int(x[k]), int(x[(k + 1) % 3]))) for x in t for k in range(3)}

    assert not edge & edges(flipped(points, triangles, alike, even, none))
    assert edge <= edges(flipped(points, triangles, apart, even, none))
    assert edge <= edges(flipped(points, triangles, alike, even, np.array([[1, 0]])))
