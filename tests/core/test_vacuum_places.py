"""Where starters lay vacuum lines and mesh on parts of many shapes: where fronts close, and nowhere else."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.affinity import rotate
from shapely.geometry import LineString, Point, Polygon
from tests.validation.layouts import SHELF, MeshExtent, box, job, ring, round_

from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.geometry.middle import middle_lines
from bibulon.core.geometry.paths import shape_of
from bibulon.core.lines.starters import LinePlan, lay_lines, suited_plan
from bibulon.core.model.job import Drawn, Part, Zone
from bibulon.core.stack.mesh_cover import mesh_cover


def bare(outline):
    """A part of a shape, with cloth and mesh and no lines."""
    mesh = MeshExtent(material="net-green", outline=outline)
    return job(part=Part(outline=outline), lines=(), mesh=mesh, resin=SHELF["epoxy-slow"])


def drawn(shape):
    return ring(*shape.exterior.coords[:-1])


def dumbbell(neck):
    lobes = [shapely.box(0, 0, 0.5, 0.6), shapely.box(1.3, 0, 1.8, 0.6)]
    return drawn(shapely.union_all([*lobes, shapely.box(0.4, 0.3 - neck / 2, 1.4, 0.3 + neck / 2)]))


SHAPES = {
    "triangle": ring((0, 0), (1.6, 0), (0.2, 1.1)),
    "kite": ring((0, 0.4), (0.5, 0), (1.6, 0.4), (0.5, 0.8)),
    "six corners": ring((0, 0.3), (0.4, 0), (1.6, 0), (2, 0.3), (1.6, 0.6), (0.4, 0.6)),
    "half disc": drawn(Point(0, 0).buffer(0.6).intersection(shapely.box(-1, 0, 1, 1))),
    "T": ring((0, 0), (1.6, 0), (1.6, 0.4), (1.0, 0.4), (1.0, 1.2), (0.6, 1.2), (0.6, 0.4), (0, 0.4)),
    "L": ring((0, 0), (1.6, 0), (1.6, 0.5), (0.5, 0.5), (0.5, 1.4), (0, 1.4)),
    "cross": drawn(shapely.union_all([shapely.box(0, 0.5, 1.4, 0.9), shapely.box(0.5, 0, 0.9, 1.4)])),
    "open ring": drawn(Point(0, 0).buffer(0.6).difference(Point(0, 0).buffer(0.3)).difference(shapely.box(0, -0.2, 1, 0.2))),
    "star": ring(*((r * math.cos(math.pi * k / 5), r * math.sin(math.pi * k / 5)) for k in range(10) for r in [0.7 - 0.35 * (k % 2)])),
    "dumbbell": dumbbell(0.2),
    "disc": round_(0, 0, 0.5, 30),
    "wedge": ring((0, 0), (1.2, 0.3), (1.2, 0.9), (0, 1.0)),
}  # fmt: skip


@pytest.mark.parametrize(
    ("name", "plan"),
    [
        *((name, "as suits") for name in SHAPES),
        *((name, "perimeter in") for name in ("disc", "wedge", "half disc")),
    ],
)
def test_no_plan_that_is_laid_shuts_air_in(name, plan):
    """What the program lays must not end in its own warnings of pockets, of fronts that meet head-on, of resin past the vent."""
    made = bare(SHAPES[name])
    laid = lay_lines(made, suited_plan(made) if plan == "as suits" else LinePlan(plan), "net-green")
    flow = forecast(laid, COARSE)
    assert flow.filled
    told = {f.kind for f in find(evidence_of(laid, flow)) if f.weight != "note"}
    assert not told & {"pocket", "meets", "runs", "dry", "gel", "mesh-vacuum", "early-feed", "widens"}


def test_a_slanted_end_has_one_vacuum_line_whatever_its_slope():
    """Slopes of 3 in 4 lie just at the limit from which an edge faces an end: by rounding a piece of it did, the next did not."""
    laid = lay_lines(bare(SHAPES["six corners"]), LinePlan("centre out"), "net-green")
    vacuums = [LineString(x.path) for x in laid.lines if x.role == "vacuum"]
    assert [v.length for v in vacuums] == pytest.approx([1.0, 1.0], abs=0.01)


@pytest.mark.parametrize("neck", [0.2, 0.06])
def test_each_lobe_behind_a_neck_has_a_vacuum_when_it_is_fed_round_its_rim(neck):
    laid = lay_lines(bare(dumbbell(neck)), LinePlan("perimeter in"), "net-green")
    vacuums = [shape_of(x.path) for x in laid.lines if x.role == "vacuum"]
    for middle in ((0.25, 0.3), (1.55, 0.3)):
        assert min(v.distance(Point(middle)) for v in vacuums) < 0.1


def test_a_triangle_is_fed_round_its_rim_and_a_wedge_from_its_broad_end():
    """Along a triangle's long side resin would be at the vacuum's near end long before its far."""
    assert suited_plan(bare(SHAPES["triangle"])).strategy == "perimeter in"
    wedge = ring((0, 0), (0.7, 0.15), (0.7, 0.45), (0, 0.6))
    assert suited_plan(bare(wedge)).strategy == "edge to edge"


def test_mesh_runs_on_under_feeds_to_the_edge_behind_them():
    laid = lay_lines(bare(box(0, 0, 1, 0.6)), LinePlan("edge to edge"), "net-green")
    mesh = mesh_cover(laid)
    feed, vacuum = (LineString(x.path) for x in laid.lines)
    assert mesh.covers(feed)
    behind = 0.0 if feed.centroid.x < 0.5 else 1.0
    assert mesh.distance(Point(behind, 0.3)) < 1e-9
    assert mesh.distance(vacuum) >= laid.rules.break_shortest


@pytest.mark.parametrize(
    ("corners", "middle"),
    [
        ([(0, 0), (3, 0), (3, 1), (0, 1)], [(0.5, 0.5), (2.5, 0.5)]),  # the ridge of a hipped roof
        ([(0, 0), (1, 0), (1, 1), (0, 1)], []),
    ],
)
def test_the_middle_of_a_shape_is_the_ridge_of_its_roof(corners, middle):
    found = middle_lines(Polygon(corners), 0.84)
    if not middle:
        assert sum(line.length for line in found) < 0.02
    else:
        (line,) = found
        np.testing.assert_allclose(sorted(line.coords), middle, atol=0.03)


def test_the_middle_of_a_shape_with_arms_has_a_line_in_each():
    """By hand: bars 0.4 m wide have their middles 0.2 m in, from 0.2 m before their ends; the crossing is deeper."""
    cross = shapely.union_all([shapely.box(0, 0.5, 1.4, 0.9), shapely.box(0.5, 0, 0.9, 1.4)])
    found = shapely.union_all(middle_lines(cross, 0.6))
    for end in ((0.22, 0.7), (1.18, 0.7), (0.7, 0.22), (0.7, 1.18)):
        assert found.distance(Point(end)) < 0.03
    # The way through the crossing is a metre; the other two come to where the crossing is deeper than its arms.
    deeper = 0.2 * math.sqrt(2)
    assert 1 + 2 * (0.5 - deeper) - 0.05 < found.length < 1 + 2 * (0.5 - deeper / 2) + 0.05


@given(st.floats(0.1, 0.9), st.floats(0, math.pi))
@settings(max_examples=20, deadline=None)
def test_a_middle_turns_with_its_shape_and_keeps_its_depth(wide, turn):
    shape = rotate(Polygon([(0, 0), (2, 0), (2, wide), (0, wide)]), turn, use_radians=True)
    (found,) = middle_lines(shape, 0.84)
    assert found.length == pytest.approx(2 - wide, abs=0.08 * wide + 0.02)
    for place in found.coords:
        assert Point(place).distance(shape.exterior) == pytest.approx(wide / 2, rel=0.2)


def test_a_bare_patch_bars_mesh_where_it_is_drawn_and_not_only_over_cloth():
    """Round a hole, and past an edge where mesh hangs over: by the areas of squares."""
    hole = box(0.2, 0.1, 0.3, 0.2)
    zone = Zone(id="b", name="Bare", kind="no-mesh", area=Drawn(outline=box(0.15, 0.05, 0.35, 0.25)))
    part = Part(outline=box(0, 0, 0.5, 0.5), holes=(hole,), zones=(zone,))
    made = bare(box(0, 0, 0.5, 0.5)).replaced(part=part)
    assert mesh_cover(made).area == pytest.approx(0.25 - 0.04)
    past = zone.replaced(area=Drawn(outline=box(0.4, 0.4, 0.6, 0.6)))
    wide = MeshExtent(material="net-green", outline=box(-0.1, -0.1, 0.6, 0.6))
    made = made.replaced(part=part.replaced(zones=(past,)), mesh=wide)
    assert mesh_cover(made).area == pytest.approx(0.49 - 0.04)
