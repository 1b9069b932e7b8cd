"""Outlines, meshes and surfaces of any shape, against sums made another way."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import affinity
from shapely.geometry import LineString, Polygon

from bibulon.core.edit.shape import mirrored, round_corners, start_from
from bibulon.core.geometry.outline import OutlineError, area, check, perimeter, trace
from bibulon.core.geometry.starters import STARTERS, rounded
from bibulon.core.geometry.surface import Lift, SurfaceError, areas_in_space, border_rings
from bibulon.core.geometry.trimesh import TriMesh, cell_size, triangulate
from bibulon.core.geometry.unroll import plan_of
from bibulon.core.geometry.zones import regions
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Corner, Drawn, Inset, Part, Zone

# -- outlines


@st.composite
def stars(draw, bowed=True):
    """An outline that is seen whole from its middle: it never crosses itself, however its sides bow a little."""
    count = draw(st.integers(3, 9))
    radii = draw(st.lists(st.floats(0.4, 1.6), min_size=count, max_size=count))
    bows = draw(st.lists(st.floats(-0.06, 0.06), min_size=count, max_size=count)) if bowed else [0.0] * count
    turns = [2 * math.pi * k / count for k in range(count)]
    return tuple(
        Corner(x=r * math.cos(a), y=r * math.sin(a), bow=0.0 if abs(b) < 1e-3 else b)
        for r, a, b in zip(radii, turns, bows, strict=True)
    )


def dense(outline, steps=4000):
    """The outline as a fine polygon, each arc by its circle through the two corners and the point of most rise."""
    points = []
    turn = 1.0 if Polygon([(c.x, c.y) for c in outline]).exterior.is_ccw else -1.0
    for a, b in zip(outline, [*outline[1:], outline[0]], strict=True):
        p, q = np.array([a.x, a.y]), np.array([b.x, b.y])
        if abs(a.bow) < 1e-9:
            points.append(p[None])
            continue
        along = (q - p) / np.linalg.norm(q - p)
        out = turn * np.array([along[1], -along[0]])
        top = (p + q) / 2 + out * a.bow
        # The circle through three points, by its two chords' middle lines.
        rows = np.array([2 * (top - p), 2 * (q - p)])
        centre = np.linalg.solve(rows, np.array([top @ top - p @ p, q @ q - p @ p]))
        radius = np.linalg.norm(p - centre)
        start, middle, end = (math.atan2(*(v - centre)[::-1]) for v in (p, top, q))
        sweep = (end - start) % (2 * math.pi)
        if (middle - start) % (2 * math.pi) > sweep:
            sweep -= 2 * math.pi
        angles = start + sweep * np.arange(steps) / steps
        points.append(centre + radius * np.c_[np.cos(angles), np.sin(angles)])
    return Polygon(np.vstack(points))


@given(stars())
@settings(max_examples=40)
def test_area_and_perimeter_are_those_of_the_circles_through_the_corners(outline):
    fine = dense(outline)
    assert area(outline) == pytest.approx(fine.area, rel=1e-5)
    assert perimeter(outline) == pytest.approx(fine.exterior.length, rel=1e-5)


@given(stars())
@settings(max_examples=30)
def test_the_traced_outline_keeps_within_its_stated_error(outline):
    fine = dense(outline)
    drawn = LineString(np.vstack([trace(outline), trace(outline)[:1]]))
    assert drawn.hausdorff_distance(fine.exterior) < 4e-4  # 0.2 mm and what the fine one itself cuts off
    assert check(outline).area == pytest.approx(fine.area, rel=5e-3)


@given(stars(), st.floats(-3, 3), st.floats(-5, 5), st.floats(-5, 5))
@settings(max_examples=30)
def test_turned_moved_and_walked_the_other_way_it_is_as_large(outline, turn, dx, dy):
    c, s = math.cos(turn), math.sin(turn)
    moved = tuple(p.replaced(x=c * p.x - s * p.y + dx, y=s * p.x + c * p.y + dy) for p in outline)
    assert area(moved) == pytest.approx(area(outline), rel=1e-9)
    # Walked backwards the bow of a side stands with its other corner.
    back = tuple(p.replaced(bow=outline[k - 1].bow) for k, p in reversed(list(enumerate(outline))))
    assert area(back) == pytest.approx(area(outline), rel=1e-9)
    assert perimeter(back) == pytest.approx(perimeter(outline), rel=1e-9)


@given(stars(bowed=False), st.floats(0.005, 0.05))
@settings(max_examples=40)
def test_rounding_takes_and_gives_what_its_circles_do(outline, radius):
    try:
        soft = rounded(outline, radius)
    except OutlineError as told:
        assume(str(told) == "")
    shape = Polygon([(c.x, c.y) for c in outline])
    expected = shape.area
    for k, c in enumerate(outline):
        u = np.array([outline[k - 1].x - c.x, outline[k - 1].y - c.y])
        n = outline[(k + 1) % len(outline)]
        v = np.array([n.x - c.x, n.y - c.y])
        inner = math.acos(np.clip(u @ v / np.linalg.norm(u) / np.linalg.norm(v), -1, 1))
        # Between two tangents at an angle and the circle that touches both: r² (cot(a/2) − (π − a)/2).
        spared = radius**2 * (1 / math.tan(inner / 2) - (math.pi - inner) / 2)
        outward = (u[0] * v[1] - u[1] * v[0] < 0) == shape.exterior.is_ccw
        expected += -spared if outward else spared
    assert area(soft) == pytest.approx(expected, rel=1e-6)


def test_corners_between_arcs_are_not_rounded_and_that_is_said():
    job = demo_job()
    assert area(mirrored(job).part.outline) == pytest.approx(area(job.part.outline), rel=1e-6)
    with pytest.raises(OutlineError, match="between straight sides"):  # its long sides are arcs
        round_corners(job, 0.02)
    square = start_from(job, "panel", {"length": 1.0, "width": 0.5, "corner_radius": 0.0})
    soft = round_corners(square, 0.02)
    assert area(soft.part.outline) == pytest.approx(0.5 - (4 - math.pi) * 0.02**2)


# -- zones


@given(stars(), st.floats(0.02, 0.2), st.floats(0.1, 0.8))
@settings(max_examples=30)
def test_zones_share_the_part_out_without_rest_or_overlap(outline, inset, half):
    square = tuple(Corner(x=x * half, y=y * half) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
    part = Part(
        outline=outline,
        zones=(
            Zone(id="in", name="Inner", area=Inset(distance=inset)),
            Zone(id="sq", name="Square", area=Drawn(outline=square)),
        ),
    )
    try:
        plan = regions(part)
    except OutlineError:
        assume(False)
    shapes = list(plan.zones.values())
    assert sum(z.area for z in shapes) == pytest.approx(plan.whole.area, rel=1e-9)
    for k, a in enumerate(shapes):
        for b in shapes[k + 1 :]:
            assert a.intersection(b).area < 1e-9
    grown = plan.whole.exterior.buffer(inset - 1e-3)
    free = plan.zones["in"].intersection(grown)
    assert free.area < 2e-3 * plan.whole.length  # the inset zone keeps its distance from the edge


# -- meshes


@given(stars(), st.integers(150, 1500), st.booleans())
@settings(max_examples=25)
def test_a_mesh_fills_its_region_with_triangles_that_turn_one_way(outline, points, hollow):
    region = check(outline)
    if hollow:
        region = region.difference(Polygon([(0.1, 0.1), (-0.1, 0.1), (-0.1, -0.1), (0.1, -0.1)]))
    assume(region.geom_type == "Polygon")
    size = cell_size(region.area, points)
    mesh = triangulate(region, [], size)
    assert mesh.areas.min() > 0
    assert mesh.areas.sum() == pytest.approx(region.area, rel=0.02)
    p = mesh.points[mesh.triangles]
    sides = np.linalg.norm(p - np.roll(p, 1, axis=1), axis=2)
    assert np.median(sides) == pytest.approx(size, rel=0.35)
    # No triangle is counted twice: the centroid of each lies in it alone.
    found, weights = mesh.locate(mesh.centroids)
    assert (found == np.arange(len(found))).mean() > 0.999
    assert weights.sum(axis=1) == pytest.approx(1.0)


@given(st.floats(0.2, 1.3), st.integers(300, 900))
@settings(max_examples=20)
def test_a_plane_is_read_off_a_mesh_exactly(slope, points):
    region = check(tuple(Corner(x=x, y=y) for x, y in ((0, 0), (2, 0), (2, 1), (0, 1))))
    mesh = triangulate(region, [LineString([(0.3, 0.2), (1.7, 0.8)])], cell_size(region.area, points))
    field = 3.0 + slope * mesh.points[:, 0] - 2 * mesh.points[:, 1]
    places = np.random.default_rng(points).uniform((0.05, 0.05), (1.95, 0.95), (200, 2))
    triangle, weights = mesh.locate(places)
    assert (triangle >= 0).all()
    read = np.einsum("ni,ni->n", weights, field[mesh.triangles[triangle]])
    assert read == pytest.approx(3.0 + slope * places[:, 0] - 2 * places[:, 1], abs=1e-9)


# -- surfaces


def grid(wide, deep, height, n=24):
    """A surface over a rectangle: its points in space and its triangles."""
    x, y = np.meshgrid(np.linspace(0, wide, n), np.linspace(0, deep, n), indexing="ij")
    space = np.c_[x.ravel(), y.ravel(), height(x, y).ravel()]
    k = np.arange(n * n).reshape(n, n)
    a, b, c, d = k[:-1, :-1].ravel(), k[1:, :-1].ravel(), k[1:, 1:].ravel(), k[:-1, 1:].ravel()
    return space, np.vstack([np.c_[a, b, c], np.c_[a, c, d]])


def test_a_sloped_plane_has_the_area_of_its_slope():
    space, triangles = grid(2.0, 1.0, lambda x, y: 0.75 * x)
    assert areas_in_space(space, triangles).sum() == pytest.approx(2 * 1.25)
    lift = Lift(space, TriMesh(plan_of(space, triangles, False), triangles, 2.0))
    assert lift.area == pytest.approx(2.5)
    assert lift.area_over(shapely.box(0.31, 0.17, 1.23, 0.81)) == pytest.approx(0.92 * 0.64 * 1.25, rel=1e-9)
    assert lift(np.array([[1.0, 0.5]]))[0] == pytest.approx([1.0, 0.5, 0.75])


def test_a_dish_has_the_area_of_its_cap():
    """2πRh of a cap of a sphere, over the disc that it stands on."""
    radius, rim = 1.5, 0.9
    space, triangles = grid(2.0, 2.0, lambda x, y: np.sqrt(radius**2 - (x - 1) ** 2 - (y - 1) ** 2), n=120)
    lift = Lift(space, TriMesh(plan_of(space, triangles, False), triangles, 2.0))
    disc = affinity.translate(shapely.Point(0, 0).buffer(rim, quad_segs=200), 1, 1)
    height = radius - math.sqrt(radius**2 - rim**2)
    assert lift.area_over(disc) == pytest.approx(2 * math.pi * radius * height, rel=1e-3)


@pytest.mark.parametrize("bend", [0.4, 1.2, 2.2])
def test_a_bent_sheet_unrolls_to_the_sheet_that_it_was(bend):
    """A cylinder is developable: every edge keeps its length, however far it is bent."""
    radius = 1.0 / bend
    flat, triangles = grid(1.0, 0.6, lambda x, y: 0 * x)
    turn = flat[:, 0] / radius - bend / 2
    space = np.c_[radius * np.sin(turn), flat[:, 1], radius * np.cos(turn)]
    plan = plan_of(space, triangles, True)
    edges = np.vstack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    there = np.linalg.norm(space[edges[:, 0]] - space[edges[:, 1]], axis=1)
    here = np.linalg.norm(plan[edges[:, 0]] - plan[edges[:, 1]], axis=1)
    assert here == pytest.approx(there, rel=5e-3)
    assert TriMesh(plan, triangles, 1.0).areas.sum() == pytest.approx(0.6, rel=2e-3)


def test_a_surface_that_is_no_sheet_is_refused_in_words():
    space, triangles = grid(1.0, 1.0, lambda x, y: 0 * x, n=6)
    apart = np.vstack([space, space + [3.0, 0, 0]])
    with pytest.raises(SurfaceError, match="in 2 pieces"):
        plan_of(apart, np.vstack([triangles, triangles + len(space)]), False)
    assert len(border_rings(triangles)) == 1
    ball = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], dtype=float)
    closed = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])
    with pytest.raises(SurfaceError):
        plan_of(ball, closed, True)


@pytest.mark.parametrize("kind", sorted(STARTERS))
def test_a_starter_scales_with_its_sizes(kind):
    """Twice the lengths are four times the area, of outline and holes alike."""
    sizes = dict(STARTERS[kind].sizes)
    double = {k: v if k in ("gores", "bottom_angle") else 2 * v for k, v in sizes.items()}

    def net(of):
        outline, holes = STARTERS[kind].make(**of)
        return area(outline) - sum(area(h) for h in holes)

    assert net(double) == pytest.approx(4 * net(sizes), rel=1e-9)
    for name in sizes:
        if name not in ("bottom_angle", "corner_radius", "flange"):
            with pytest.raises(OutlineError):
                STARTERS[kind].make(**{**sizes, name: 0.0})
