"""Lines: kinds, plumbing in the network, starters, search, what-if, how sure, calls, and their findings."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from shapely.affinity import rotate
from shapely.geometry import LineString, Point, Polygon

from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.callpages import call_pages, call_rows
from bibulon.core.edit.edit import change, change_line, inset_mesh
from bibulon.core.edit.plumb import (
    add_bucket,
    add_bypass,
    add_manifold,
    add_pot,
    change_hose,
    change_pot,
    drop_node,
    set_kind,
)
from bibulon.core.findings.base import Evidence
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.build.builder import BuildError, build
from bibulon.core.flow.forecast import COARSE, FINE, Resolution, forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.geometry.zones import regions
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import blank_job, demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.lines.outlets import WAIT
from bibulon.core.lines.reach import reach_of, window_of
from bibulon.core.lines.starters import STRATEGIES, LinePlan, lay_lines, suited_plan, usual_plan
from bibulon.core.model.job import (
    AtTime,
    Bucket,
    ByHand,
    Bypass,
    CatchPot,
    Conditions,
    Corner,
    Drawn,
    FlowLine,
    Hose,
    Job,
    Layer,
    Manifold,
    MeshExtent,
    OnFront,
    Part,
    PouredBatch,
    Zone,
)
from bibulon.core.model.line_kinds import KINDS, bore_of_channel, bore_of_net
from bibulon.core.model.materials import About, ConstantViscosity, PorousLayer, Resin
from bibulon.core.outlook.outlook import look_ahead
from bibulon.core.plans.suggest import FINALISTS, Score, suggest
from bibulon.core.plans.sure import Run, Sure, how_sure
from bibulon.core.plans.variants import compared, keep_variant
from bibulon.core.plans.whatif import Spread, WhatIf, apply, beside, drawn, spread_of, without
from bibulon.core.plans.work import each
from bibulon.core.run.callsheet import call_sheet, front_words

QUICK = Resolution(300, 1, 8, air=False)


def box(x0, y0, x1, y1):
    return tuple(Corner(x=x, y=y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def strip(length=1.0, width=0.3, bore=0.0, **more):
    """A strip of porous cloth fed along x = 0, drawn along the far side."""
    cloth = PorousLayer(name="cloth", thickness=0.004, porosity=0.5, k1=2e-10, k2=2e-10, k3=2e-10)
    lines = (
        FlowLine(id="F1", label="F1", role="feed", path=((0, 0), (0, width)), bore=bore),
        FlowLine(id="V1", label="V1", role="vacuum", path=((length, 0), (length, width)), bore=bore),
    )
    fields = {
        "part": Part(outline=box(0, 0, length, width)), "materials": {"cloth": cloth}, "stack": (Layer(id="L", material="cloth"),),
        "resin": Resin(name="oil", density=1000.0, viscosity=ConstantViscosity(value=0.1), gel_time=7200.0), "lines": lines,
        "conditions": Conditions(vacuum=0.0, bucket_below=0.0, mixed_before_start=0.0),
    }  # fmt: skip
    return Job(**{**fields, **more})


def titles(job, resolution=QUICK):
    return [f.title for f in find(evidence_of(job, forecast(job, resolution)))]


# -- kinds and the network of hoses


def test_a_net_and_a_channel_lead_as_much_as_their_bores():
    d = bore_of_net(1e-8, 0.05, 0.002)
    assert math.pi * d**4 / 128 == pytest.approx(1e-8 * 0.05 * 0.002)
    w, h = 0.012, 0.004
    # A slit far wider than deep: w h³ / 12.
    assert math.pi * bore_of_channel(1.0, h) ** 4 / 128 == pytest.approx(1.0 * h**3 / 12, rel=0.01)
    assert bore_of_channel(w, h) == bore_of_channel(h, w)
    assert KINDS["membrane"].membrane


def test_kinds_set_bore_and_membrane():
    job = set_kind(strip(bore=0.01), "V1", "membrane")
    assert job.lines[1].membrane
    assert not set_kind(job, "V1", "braid").lines[1].membrane
    assert set_kind(job, "F1", "cut channel").lines[0].bore == KINDS["cut channel"].bore


def test_a_vacuum_hose_to_a_pot_takes_its_share_of_the_pull():
    """Once full: cloth, then hose in series; Q = Δp / (μ (L/KA + 128 l/π d⁴))."""
    job = strip(bore=0.05)
    job = change_line(add_pot(job), "V1", hose_bore=0.002, hose_length=3.0)
    job = change_line(job, "F1", hose_bore=0.05, hose_length=0.01)
    model = build(job, 300)
    vent = model.network.vents[0]
    assert len(vent.nodes) == 1
    assert model.network.vertex[vent.nodes[0]] == -1  # it lies at the pot, not on the part
    assert model.network.volume[vent.nodes[0]] == pytest.approx(math.pi / 4 * 0.002**2 * 3.0)
    joined = np.flatnonzero((model.network.a == vent.nodes[0]) | (model.network.b == vent.nodes[0]))
    assert model.network.conductance[joined].sum() == pytest.approx(math.pi * 0.002**4 / (128 * 3.0))
    loose = change(job, lines=tuple(x.replaced(pot=None) for x in job.lines))
    slow, free = forecast(job, QUICK), forecast(loose, QUICK)
    assert slow.fill_time == pytest.approx(
        free.fill_time, rel=0.02
    )  # until the line is wet the hose passes air
    assert not [p for p in slow.pockets if p.area > 1e-3]


def test_a_bucket_of_its_own_height_pulls_as_much_less():
    job = add_bucket(strip())
    low = job.replaced(buckets=(job.buckets[0].replaced(below=2.0),))
    ports = [build(x, 300).network.ports[0].pressure for x in (job, low)]
    assert ports[0] - ports[1] == pytest.approx(1000 * 9.80665 * 2.0)


def test_resin_races_along_a_gap():
    """Two plates H apart by g lead H g³/12: on a strip with a gap at its rim the edges run ahead."""
    job = strip()
    gap = change(job, conditions=job.conditions.replaced(edge_gap=0.002))
    plain, raced = forecast(job, QUICK), forecast(gap, QUICK)
    half = plain.fill_time / 4  # the front of the plain strip stands at half its length
    points = raced.model.mesh.points
    edge = (points[:, 1] < 1e-6) & (points[:, 0] > 0.6)
    assert (raced.wet_through[edge] < half).any()
    assert not (plain.wet_through[edge] < half).any()
    added = build(gap, 300).network.volume.sum() - build(job, 300).network.volume.sum()
    assert added == pytest.approx(0.002 * 0.004 * 2.6, rel=0.02)


def test_the_diagram_is_built_and_taken_apart():
    bare = change(change_line(demo_job(), "V1", pot=None), pots=())
    job = add_pot(add_bucket(add_manifold(bare)))
    assert {x.manifold for x in job.lines if x.role == "feed"} == {"M1"}
    assert job.lines[2].pot == "P1"
    job = add_bypass(job)
    assert (job.bypasses[0].feed, job.bypasses[0].pot) == ("M1", "P1")
    job = change_pot(job, "P1", regulated=50_000.0)
    assert job.lines[2].pull == 50_000.0
    assert change_hose(job, "M1", notch=0.01).manifolds[0].hose.notch == 0.01
    for kind, key in (("manifold", "M1"), ("pot", "P1"), ("bucket", "B1"), ("feed", "F2")):
        job = drop_node(job, kind, key)
    assert job.manifolds == job.pots == job.buckets == job.bypasses == ()
    assert [x.id for x in job.lines] == ["F1", "V1"]
    with pytest.raises(ValueError, match="add both first"):
        add_bypass(job)
    with pytest.raises(ValueError, match="no catch pot for it"):
        change_line(job, "V1", pot="P9")


def test_a_second_bucket_takes_a_feed_of_its_own():
    job = add_bucket(add_bucket(demo_job()))
    assert job.buckets[0].feeds == ("F1",)
    assert job.buckets[1].feeds == ("F2",)
    with pytest.raises(ValueError, match="every feed stands in a bucket already"):
        add_bucket(job)


# -- starters and reach


def test_reach_is_that_of_the_strip_law():
    job = strip()
    reach = reach_of(job, 1000.0)
    assert reach.bare == pytest.approx(math.sqrt(2 * 2e-10 * 101325.0 * 1000 / (0.5 * 0.1)))
    assert window_of(job) == pytest.approx(0.85 * 7200)
    assert reach_of(change(job, resin=None), 1000.0) is None


SHAPES = {
    "petal": lambda: demo_job(),
    "strip": lambda: strip(1.6, 0.5),
    "ring": lambda: change(
        strip(), part=Part(outline=STARTERS["ring"].make(1.2, 0.5)[0], holes=STARTERS["ring"].make(1.2, 0.5)[1]), lines=()
    ),
    "disc": lambda: change(strip(), part=Part(outline=STARTERS["ring"].make(1.0, 0.1)[0]), lines=()),
}  # fmt: skip


@pytest.mark.parametrize("strategy", list(STRATEGIES))
@pytest.mark.parametrize("shape", list(SHAPES))
def test_every_starter_lies_on_every_part_and_fills_it(strategy, shape):
    job = SHAPES[shape]()
    mesh = job.mesh.material if job.mesh else None
    laid = lay_lines(job, usual_plan(job, strategy), mesh)
    whole = regions(job.part).whole.buffer(1e-3)
    for line in laid.lines:
        path = LineString(line.path) if len(line.path) > 1 else Point(line.path[0])
        assert whole.covers(path) or path.length - path.intersection(whole).length < 0.02
    roles = {x.role for x in laid.lines}
    assert roles == {"feed", "vacuum"}
    result = forecast(laid, QUICK)
    assert result.never_wet_area < 0.15 * result.model.vertex_areas().sum()


def flow_of(points):
    """Three plies under mesh and peel ply, slow epoxy: resin reaches some 1.9 m before it gels."""
    part = Part(outline=tuple(Corner(x=x, y=y) for x, y in points))
    shelf, names = library(), ("biax-600", "biax-600", "biax-600", "peel-85")
    job = change(
        blank_job(), part=part, resin=shelf["epoxy-slow"], materials={k: shelf[k] for k in (*names, "net-green")},
        stack=tuple(Layer(id=f"L{k}", material=m) for k, m in enumerate(names)),
    )  # fmt: skip
    return inset_mesh(job, "net-green", 0.04)


def sheet(length, width):
    return (0, 0), (length, 0), (length, width), (0, width)


def round_of(across):
    turns = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    return tuple((across / 2 * math.cos(t), across / 2 * math.sin(t)) for t in turns)


def canoe(length, width):
    """A pointed shape, both ends alike."""
    xs = np.linspace(0, length, 13)
    half = width / 2 * np.sin(np.pi * xs / length) ** 0.8
    return (*zip(xs, -half, strict=True), *zip(xs[-2:0:-1], half[-2:0:-1], strict=True))


# What people lay on such parts, with a resin that reaches some 1.9 m.
SUITED = {
    "a locker lid": (sheet(1.0, 0.6), "edge to edge"),
    "a strip for coupons": (sheet(0.6, 0.1), "edge to edge"),
    "a door": (sheet(2.0, 0.9), "centre out"),
    "a table top": (sheet(2.4, 1.2), "centre out"),
    "a round hatch": (round_of(1.1), "centre out"),  # its ends are points: no broad front starts there
    "a canoe": (canoe(4.2, 0.84), "parallel feeds"),
    "a long strip": (sheet(6.0, 0.3), "parallel feeds"),
    "a deck": (sheet(8.0, 3.0), "parallel feeds"),
    "an L of some size": (((0, 0), (1.8, 0), (1.8, 0.6), (0.6, 0.6), (0.6, 1.8), (0, 1.8)), "perimeter in"),
    "a U": (
        ((0, 0), (2, 0), (2, 1.6), (1.6, 1.6), (1.6, 0.4), (0.4, 0.4), (0.4, 1.6), (0, 1.6)),
        "perimeter in",
    ),
    "a paddle": (
        ((0, 0.2), (1.5, 0.2), (1.7, 0), (2.2, 0.05), (2.2, 0.45), (1.7, 0.5), (1.5, 0.3), (0, 0.3)),
        "perimeter in",
    ),
    "a tray unfolded": (
        (
            (0.2, 0),
            (1.0, 0),
            (1.0, 0.2),
            (1.2, 0.2),
            (1.2, 0.7),
            (1.0, 0.7),
            (1.0, 0.9),
            (0.2, 0.9),
            (0.2, 0.7),
            (0, 0.7),
            (0, 0.2),
            (0.2, 0.2),
        ),
        "perimeter in",
    ),
}


@pytest.mark.parametrize("name", list(SUITED))
def test_the_plan_that_suits_a_part_is_the_trades_and_fills_it_before_gel(name):
    points, strategy = SUITED[name]
    job = flow_of(points)
    plan = suited_plan(job)
    assert plan.strategy == strategy
    laid = lay_lines(job, plan, "net-green")
    found = look_ahead(laid, Resolution(1200, 1, 8), fine=True, drawn=False)
    assert found.forecast.filled
    assert found.forecast.fill_time < window_of(job)
    assert [f.title for f in found.findings if f.weight == "blocking"] == []


def test_lines_lie_square_to_a_part_whose_narrowest_box_is_askew_by_a_hair():
    points = np.array(canoe(4.2, 0.84)) + [0, 0.01]
    points[3] += [0, -0.004]  # enough to tilt the narrowest box
    laid = lay_lines(flow_of(map(tuple, points)), LinePlan("parallel feeds", 2), "net-green")
    for line in laid.lines:
        assert np.ptp([x for x, _ in line.path]) < 1e-3, line.id
    leaning = rotate(Polygon(sheet(3.0, 1.0)), 4.0)
    part = flow_of(leaning.exterior.coords[:-1])
    feed = next(x for x in lay_lines(part, LinePlan("centre out", 1)).lines if x.role == "feed")
    (x0, y0), (x1, y1) = feed.path[0], feed.path[-1]
    assert abs(math.degrees(math.atan2(y1 - y0, x1 - x0))) % 180 == pytest.approx(94.0, abs=0.1)


def test_a_light_closed_mould_is_fed_by_the_channel_round_its_cavity():
    mould = mould_demo_job()
    plan = suited_plan(mould)
    assert plan.strategy == "perimeter in"
    laid = lay_lines(mould, plan)
    feeds, vents = ([x for x in laid.lines if x.role == role] for role in ("feed", "vacuum"))
    assert [x.is_ring for x in feeds] == [True]
    middle = regions(mould.part).whole.centroid
    assert all(Point(v.path[0]).distance(middle) < 0.1 for v in vents)


def test_without_a_resin_a_plan_suits_all_the_same():
    """Nothing gels yet: the usual pitch stands for the reach."""
    job = change(flow_of(sheet(2.0, 1.0)), resin=None)
    assert suited_plan(job).strategy == "parallel feeds"
    assert suited_plan(change(flow_of(sheet(0.6, 0.4)), resin=None)).strategy == "edge to edge"


def plied(part):
    """Three plies under mesh, for a part."""
    demo = demo_job()
    stack = tuple(Layer(id=f"L{k}", material="biax-600") for k in range(3))
    return demo.replaced(part=part, lines=(), mesh=demo.mesh, stack=stack, variants=())


@pytest.mark.parametrize("count", [2, 3, 4, 5])
def test_feeds_side_by_side_have_one_vacuum_line_between_each_two_whatever_their_number(count):
    """Three on an L: the line between two of them falls on the shoulder, which has no second one."""
    laid = lay_lines(plied(SHOULDERED["L"]), LinePlan("parallel feeds", count), "net-green")
    paths = [LineString(x.path) for x in laid.lines if x.role == "vacuum"]
    assert all(a.buffer(5e-3).intersection(b).length < 0.01 for a, b in itertools.combinations(paths, 2))
    heights = sorted({round(p.centroid.y, 3) for p in paths})
    assert {0.0, 1.5} <= set(heights)  # the foot, and the top of the leg
    assert any(p.distance(Point(1.4, 0.5)) < 0.13 for p in paths)  # the shoulder, or just under it
    assert len(heights) <= count + 2


def ring_of(*corners):
    return Part(outline=tuple(Corner(x=x, y=y) for x, y in corners))


# A leg goes on beside a shoulder that is wider than it; a bay between legs; a point that goes on past two shoulders.
SHOULDERED = {
    "L": ring_of((0, 0), (0, 1.5), (0.5, 1.5), (0.5, 0.5), (1.5, 0.5), (1.5, 0)),
    "T": ring_of((0, 0), (0, 0.4), (0.6, 0.4), (0.6, 1.4), (1.0, 1.4), (1.0, 0.4), (1.6, 0.4), (1.6, 0)),
    "house": ring_of((0, 0), (0, 1.0), (1.2, 1.0), (1.2, 0.8), (2.2, 0.5), (1.2, 0.2), (1.2, 0)),
}


@pytest.mark.parametrize("strategy", ["edge to edge", "centre out", "parallel feeds", "stepped"])
@pytest.mark.parametrize("shape", list(SHOULDERED))
def test_every_end_of_a_part_has_its_vacuum_and_no_place_two(shape, strategy):
    part = SHOULDERED[shape]
    plan = replace(usual_plan(plied(part), strategy), turned=shape == "T")  # from its bar into its stem
    laid = lay_lines(plied(part), plan, "net-green")
    lines = [x for x in laid.lines if x.role == "vacuum"]
    paths = [LineString(x.path) if len(x.path) > 1 else Point(x.path[0]) for x in lines]
    for a, b in itertools.combinations(paths, 2):
        assert a.buffer(5e-3).intersection(b).length < 0.01
    whole = regions(part).whole
    tops = {"L": (0.25, 1.5), "T": (0.8, 1.4), "house": (2.2, 0.5)}
    assert min(p.distance(Point(tops[shape])) for p in paths) < 0.02
    # What is passed on the way is shut once it runs clear; what lies at an end stays open.
    ends = [x.id for x in lines if x.shuts is None]
    assert ends
    assert {x.shuts for x in lines if x.id not in ends} <= {OnFront(line=x.id, delay=WAIT) for x in lines}
    box_ = whole.minimum_rotated_rectangle.exterior
    assert all(p.distance(box_) < 0.02 for x, p in zip(lines, paths, strict=True) if x.id in ends)


@pytest.mark.parametrize("strategy", ["parallel feeds", "stepped"])
@pytest.mark.parametrize("shape", list(SHOULDERED))
def test_a_plan_for_a_part_with_shoulders_leaves_nothing_dry(shape, strategy):
    job = plied(SHOULDERED[shape])
    plan = replace(usual_plan(job, strategy), turned=shape == "T")
    told = forecast(lay_lines(job, plan, "net-green"), FINE)
    assert told.filled
    assert told.dry_area < 10e-4
    assert told.resin_to_catch_pot < 0.25 * told.resin_in_part


@pytest.mark.parametrize(
    ("kind", "sizes", "vacuum"),
    [
        # Fronts from all round meet along the ridge of a roof of 45 degrees over the plan.
        ("panel", {"length": 1.2, "width": 0.8}, [(0.4, 0.4), (0.8, 0.4)]),
        ("panel", {"length": 0.8, "width": 0.8}, [(0.4, 0.4)]),
        ("panel", {"length": 0.5, "width": 1.5}, [(0.25, 0.25), (0.25, 1.25)]),
    ],
)
def test_a_ring_of_feed_has_its_vacuum_where_the_fronts_meet(kind, sizes, vacuum):
    outline, holes = STARTERS[kind].make(**{**STARTERS[kind].sizes, **sizes})
    laid = lay_lines(plied(Part(outline=outline, holes=holes)), LinePlan("perimeter in"), "net-green")
    (line,) = [x for x in laid.lines if x.role == "vacuum"]
    found = sorted(line.path)
    np.testing.assert_allclose(found, vacuum, atol=0.02)
    told = {f.key for f in find(evidence_of(laid, forecast(laid, COARSE))) if f.weight == "blocking"}
    assert not told & {"mesh-vacuum:V1", "dry"}


def test_a_ring_of_feed_round_a_ring_has_its_vacuum_round_the_hole():
    outline, holes = STARTERS["ring"].make(1.2, 0.7)
    laid = lay_lines(plied(Part(outline=outline, holes=holes)), LinePlan("perimeter in"), "net-green")
    (line,) = [x for x in laid.lines if x.role == "vacuum"]
    away = [math.hypot(x - 0.6, y - 0.6) for x, y in line.path]
    assert min(away) == pytest.approx(0.35, abs=0.01)
    assert max(away) == pytest.approx(0.35, abs=0.01)
    assert forecast(laid, COARSE).filled


@pytest.mark.parametrize("strategy", ["centre out", "parallel feeds", "stepped", "pairs from the middle"])
def test_a_part_round_a_hole_is_fed_on_both_sides_of_it(strategy):
    outline, holes = STARTERS["ring"].make(1.2, 0.7)
    part = Part(outline=outline, holes=holes)
    laid = lay_lines(plied(part), LinePlan(strategy, 3), "net-green")
    feeds = [LineString(x.path) for x in laid.lines if x.role == "feed"]
    assert all(regions(part).whole.buffer(1e-3).covers(f) for f in feeds)
    # A line through the middle of the hole, along the plan's direction, has as many feeds on either side.
    around = [math.atan2(f.centroid.y - 0.6, f.centroid.x - 0.6) for f in feeds]
    balance = np.hypot(sum(map(math.cos, around)), sum(map(math.sin, around)))
    assert len(feeds) >= 2
    assert balance < 1.1  # of unit vectors all round; on one side alone they would add up
    own = [x.opens.line == x.id for x in laid.lines if isinstance(x.opens, OnFront)]
    assert all(own)
    assert forecast(laid, COARSE).filled


def test_a_stepped_plan_opens_on_the_front_and_runs_from_the_wide_end():
    job = lay_lines(demo_job(), LinePlan("stepped", 3, beyond=0.02, delay=30), "net-green")
    feeds = [x for x in job.lines if x.role == "feed"]
    assert feeds[0].opens == AtTime()
    assert feeds[1].opens == OnFront(line="F2", beyond=0.02, delay=30)
    assert feeds[0].path[0][0] < 0.2  # the petal is widest at x = 0
    flipped = lay_lines(demo_job(), LinePlan("stepped", 3, flipped=True), "net-green")
    assert flipped.lines[0].path[0][0] > 2.0


def test_pairs_open_outwards_from_the_middle_each_when_the_front_has_passed_it():
    job = lay_lines(strip(3.0, 1.0), LinePlan("pairs from the middle", 5, delay=20.0), None)
    feeds = sorted((x for x in job.lines if x.role == "feed"), key=lambda x: x.path[0][0])
    assert [x.opens for x in feeds[2:3]] == [AtTime()]
    assert all(x.opens == OnFront(line=x.id, delay=20.0) for k, x in enumerate(feeds) if k != 2)
    ends = sorted(LineString(x.path).centroid.x for x in job.lines if x.role == "vacuum")
    assert ends == pytest.approx([0.0, 3.0], abs=0.01)  # where the last pair's fronts come to
    opened = forecast(job, QUICK).history.opened
    inner, outer = (sorted(opened[feeds[k].id] for k in pair) for pair in ((1, 3), (0, 4)))
    assert 0 < inner[0] <= inner[1] < outer[0]
    even = lay_lines(strip(3.0, 1.0), LinePlan("pairs from the middle", 4), None)
    assert sum(x.opens == AtTime() for x in even.lines if x.role == "feed") == 2


def test_a_branched_plan_has_its_vacuum_at_the_corners_and_between_branches():
    """Three branches across a panel: the rim is furthest from them at its corners and halfway between each two."""
    laid = lay_lines(strip(2.4, 1.0), LinePlan("branched", 3), None)
    vacuum = [x for x in laid.lines if x.role == "vacuum"]
    shapes = [LineString(x.path) if len(x.path) > 1 else Point(x.path[0]) for x in vacuum]
    found = {(round(g.centroid.x, 1), round(g.centroid.y, 1)): x for g, x in zip(shapes, vacuum, strict=True)}
    halfway = {(x, y) for x in (0.8, 1.6) for y in (0.0, 1.0)}
    corners = {(x, y) for x in (0.0, 2.4) for y in (0.0, 1.0)}
    assert set(found) == halfway | corners
    assert all(g.length < 0.25 for g in shapes)
    assert {place for place, x in found.items() if x.shuts is None} >= corners
    told = forecast(laid, COARSE)
    assert told.filled
    assert told.resin_to_catch_pot < 0.1 * told.resin_in_part


@pytest.mark.parametrize("shape", [*SHAPES, *SHOULDERED])
def test_plans_with_many_feeds_pass_little_to_the_pot(shape):
    """Vacuum all round the rim passed as much as the part takes, and more, while its corners filled."""
    job = plied(SHOULDERED[shape] if shape in SHOULDERED else SHAPES[shape]().part)
    for strategy in ("branched", "pairs from the middle"):
        told = forecast(lay_lines(job, usual_plan(job, strategy), "net-green"), COARSE)
        assert told.resin_to_catch_pot < 0.3 * told.resin_in_part, strategy


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0.2, 1.0), st.floats(0.15, 1.0)), min_size=1, max_size=5),
    st.floats(0.15, 5.0),
    st.booleans(),
)
def test_whatever_the_part_lines_lie_on_it_or_it_says_that_there_is_no_room(steps, size, turned):
    """Parts of steps of any width and height: a skyline, as narrow as a hand and as long as a boat."""
    x, corners = 0.0, [(0.0, 0.0)]
    for wide, high in steps:
        corners += [(x, high * size), (x + wide * size, high * size)]
        x += wide * size
    corners = [c for k, c in enumerate(corners) if c != corners[k - 1]] + [(x, 0.0)]
    job = plied(ring_of(*corners))
    whole = regions(job.part).whole.buffer(2e-3)
    for strategy in STRATEGIES:
        try:
            laid = lay_lines(job, replace(usual_plan(job, strategy), turned=turned), "net-green")
        except OutlineError:
            continue
        vacuum = [x for x in laid.lines if x.role == "vacuum"]
        assert any(x.shuts is None for x in vacuum)  # one holds the bag until it gels
        for line in laid.lines:
            assert whole.covers(LineString(line.path) if len(line.path) > 1 else Point(line.path[0]))


def test_a_thick_zone_gets_an_outlet_of_its_own():
    part = Part(
        outline=box(0, 0, 2, 1),
        zones=(Zone(id="t", name="Boss", area=Drawn(outline=box(0.8, 0.4, 1, 0.6)), kind="thick"),),
    )
    laid = lay_lines(strip(part=part, lines=()), LinePlan("edge to edge", 1))
    assert any(
        x.role == "vacuum" and len(x.path) == 1 and shapely.box(0.8, 0.4, 1, 0.6).contains(Point(x.path[0]))
        for x in laid.lines
    )


def two_feeds(hose):
    """A strip fed at its end, with a second feed half way that opens when the front has passed it."""
    job = strip()
    second = FlowLine(
        id="F2",
        label="F2",
        role="feed",
        path=((0.5, 0), (0.5, 0.3)),
        bore=0.003,
        hose_bore=0.01,
        hose_length=hose,
        opens=OnFront(line="F2"),
    )
    return change(job, lines=(*job.lines, second))


@pytest.mark.parametrize("hose", [0.5, 4.0])
def test_a_feed_that_waits_for_the_front_does_not_wait_for_its_hose_to_fill(hose):
    """The front of a strip is at x after φ μ x² / (2 K Δp); what the hose behind the place holds is no part of the cloth."""
    job = two_feeds(hose)
    result = forecast(job, COARSE)
    passes = 0.5 * 0.1 * 0.5**2 / (2 * 2e-10 * job.conditions.atmosphere)
    assert result.history.opened["F2"] == pytest.approx(
        passes, rel=0.08
    )  # half a cell, and what the line itself holds
    held = math.pi / 4 * (0.01**2 * hose + 0.003**2 * 0.3)
    assert result.resin_in_lines == pytest.approx(held * 1000, rel=1e-6)


def test_a_place_that_fills_ever_more_slowly_is_not_chased_through_short_steps():
    """The last node of a line in a corner is foretold too early by every step, however short."""
    demo = demo_job()
    assert demo.mesh is not None
    outline, _ = STARTERS["strip"].make(length=1.8, width=0.3)
    stack = tuple(x.replaced(zones=()) for x in demo.stack if not x.zones or "quad" in x.material)
    long = demo.replaced(part=Part(outline=outline), lines=(), mesh=None, stack=stack, variants=())
    laid = lay_lines(long, usual_plan(long, "pairs from the middle"), demo.mesh.material)
    history = forecast(laid, COARSE).history
    assert len(history.opened) == 7
    assert len(history.frames) < 60
    assert history.solves < 300


# -- search


def test_a_search_says_how_many_it_tried_and_keeps_what_nothing_beats():
    seen = []
    found = suggest(
        strip(1.6, 0.5), most=14, workers=0, progress=lambda done, most: seen.append((done, most))
    )
    assert found.tried == 14
    assert seen[13] == (14, 14 + FINALISTS)
    assert seen[-1][0] > 14  # the fine forecasts count too
    assert 1 <= len(found.kept) <= 5
    for a in found.kept:
        assert not any(b.score.beats(a.score) for b in found.kept)
    assert len({(x.plan.strategy, x.plan.count, x.plan.turned) for x in found.kept}) == len(found.kept)
    # The least of all is no worse than the one line that anybody would lay first.
    plain = min(x.score.weight for x in found.kept)
    usual = forecast(lay_lines(strip(1.6, 0.5), LinePlan("edge to edge", 1)), FINE)
    assert min(x.score.time for x in found.kept) <= usual.fill_time
    assert plain < 5
    again = suggest(strip(1.6, 0.5), most=14, workers=0)
    assert [x.plan for x in again.kept] == [x.plan for x in found.kept]


def test_a_search_is_stopped():
    count = []

    def stop():
        count.append(1)
        return len(count) > 3

    found = suggest(strip(), most=50, workers=0, cancelled=stop)
    assert found.tried == 3
    assert found.kept
    assert all(x.fronts is None for x in found.kept)


def test_a_search_that_is_stopped_among_the_fine_forecasts_tells_rough_figures_as_such():
    done = []
    found = suggest(
        strip(1.6, 0.5),
        most=10,
        workers=0,
        progress=lambda so_far, _: done.append(so_far),
        cancelled=lambda: bool(done) and done[-1] > 10,
    )
    assert done[-1] == 11
    assert len(found.kept) > 1
    assert all(x.fronts is None for x in found.kept)


def test_figures_of_what_is_suggested_are_those_of_the_plan_once_it_is_laid():
    job = strip(1.6, 0.5)
    found = suggest(job, most=8, workers=0)
    best = found.kept[0]
    laid = look_ahead(change(job, lines=best.job.lines, mesh=best.job.mesh), FINE, fine=True)
    np.testing.assert_allclose(best.fronts.wet_at, laid.forecast.wet_through, rtol=1e-12)
    assert best.score.time == pytest.approx(laid.forecast.fill_time, rel=1e-12)
    assert best.score.lead == pytest.approx(laid.lead, rel=1e-12)
    assert best.score.dry == pytest.approx(laid.forecast.dry_area, abs=1e-12)
    told = laid.forecast.resin_in_lines + laid.forecast.resin_to_catch_pot
    assert best.score.waste == pytest.approx(told, rel=1e-12)


def test_a_plan_that_never_fills_is_told_so():
    """Gelled long before the far edge."""
    early = strip(3.0, 0.5)
    early = early.replaced(resin=early.resin.replaced(gel_time=60.0))
    found = suggest(early, most=2, workers=0, strategies=("edge to edge",))
    assert found.kept
    assert all(x.score.never and x.score.dry > 0.1 for x in found.kept)


def test_plans_beside_each_other_have_the_figures_of_the_window():
    job = strip(1.6, 0.5)
    told = look_ahead(job, FINE, fine=True)
    assert told.forecast is not None
    other = change(job, lines=lay_lines(job, LinePlan("edge to edge", 1, turned=True)).lines)
    rows = compared(keep_variant(job, "Across", other), [told.forecast])
    assert rows[0].forecast is told.forecast  # worked out once
    assert rows[0].to_settle == sum(f.weight != "note" for f in told.findings)
    assert rows[1].fill_time == pytest.approx(
        look_ahead(other, FINE, fine=True).forecast.fill_time, rel=1e-12
    )
    again = compared(keep_variant(job, "Across", other), [r.forecast for r in rows if r.forecast])
    assert [r.forecast for r in again] == [r.forecast for r in rows]


def test_beating_needs_all_to_be_no_worse():
    a = Score(0.0, 0.0, 100.0, 1000.0, 0.01, 0.5, 3)
    assert a.beats(Score(0.0, 0.0, 120.0, 1000.0, 0.01, 0.5, 3))
    assert not a.beats(a)
    assert not a.beats(Score(0.0, 0.0, 90.0, 1000.0, 0.01, 0.6, 3))
    assert Score(0.1, 0, 100, 1000, 0, 0, 2).weight > a.weight


def _square(x):
    return x * x


def _slow(x):
    import time

    time.sleep(30)
    return x


def test_work_is_spread_over_processes_and_ended_when_cancelled():
    assert sorted(r for _, r in each(_square, range(6), 2)) == [0, 1, 4, 9, 16, 25]
    asked = []

    def stop():
        asked.append(1)
        return len(asked) > 8

    assert list(each(_slow, range(4), 2, stop)) == []  # ends long before 30 s are over


# -- what if, and how sure


def test_what_if_moves_what_it_says():
    job = demo_job()
    moved = apply(job, WhatIf(vacuum=3000, warmth=5, viscosity=2.0, cloth=0.5, mesh=3.0, gap=0.001, leak=2.8))
    assert moved.conditions.vacuum == pytest.approx(2000 + 3000 + 2.8 / 0.0028)
    assert moved.conditions.resin_temperature == pytest.approx(300.15)
    assert moved.resin.viscosity.mu0 == pytest.approx(2 * job.resin.viscosity.mu0)
    assert moved.materials["biax-600"].k1 == pytest.approx(0.5 * job.materials["biax-600"].k1)
    assert moved.materials["net-green"].k1 == pytest.approx(3 * job.materials["net-green"].k1)
    assert moved.conditions.edge_gap == 0.001
    assert apply(job, WhatIf()) == job


def test_factors_scale_the_time_as_the_strip_law_says():
    job = strip()
    plain = forecast(job, QUICK).fill_time
    assert forecast(apply(job, WhatIf(cloth=2.0)), QUICK).fill_time == pytest.approx(plain / 2, rel=1e-6)
    assert forecast(apply(job, WhatIf(viscosity=1.5)), QUICK).fill_time == pytest.approx(
        1.5 * plain, rel=1e-6
    )
    half = forecast(apply(job, WhatIf(vacuum=0.5 * 101325.0)), QUICK).fill_time
    assert half == pytest.approx(2 * plain, rel=1e-6)


def test_a_feed_left_shut():
    job = demo_job()
    what = without(WhatIf(), "F2")
    assert without(what, "F2") == WhatIf()
    result = forecast(apply(job, what), QUICK)
    assert "F2" not in result.history.opened or result.history.opened["F2"] > 1e6
    assert result.fill_time > forecast(job, QUICK).fill_time


def test_the_spread_follows_trust_and_told_limits():
    job = demo_job()
    assert spread_of(job).cloth == 1.5
    sure = job.materials["biax-600"].replaced(about={"k1": About(confidence="measured")})
    limits = job.materials["net-green"].replaced(about={"k1": About(low=1e-9, high=4e-9)})
    told = change(job, materials={**job.materials, "biax-600": sure, "net-green": limits})
    assert spread_of(told).mesh == pytest.approx(math.exp(math.log(4) / 3.29))
    rng = np.random.default_rng(0)
    cloth = [math.log(drawn(Spread(cloth=1.5), rng).cloth) for _ in range(4000)]
    assert np.std(cloth) == pytest.approx(math.log(1.5), rel=0.05)
    assert np.mean(cloth) == pytest.approx(0.0, abs=0.02)


def test_how_sure_has_the_range_that_the_strip_law_has():
    """Times of a strip go with 1/K alone: their 5 % and 95 % points are those of the draws."""
    job = strip()
    only = Spread(cloth=1.5, mesh=1.0, viscosity=1.0, vacuum=0.0, warmth=0.0, gap=0.0)
    sure = how_sure(job, runs=24, workers=0, spread=only)
    plain = forecast(job, Resolution(900, 1, 10)).fill_time
    expected = np.sort([plain / r.what.cloth for r in sure.runs])
    early, middle, late = sure.fill_range
    assert early == pytest.approx(expected[0], rel=1e-3)
    assert middle == pytest.approx(expected[11], rel=1e-3)
    assert late == pytest.approx(expected[23], rel=1e-3)
    assert sure.share_filled == 1.0
    assert sure.dry_share.max() == 0.0
    again = how_sure(job, runs=24, workers=0, spread=only)
    assert again.fill_range == sure.fill_range


@pytest.mark.parametrize("runs", [8, 20, 40, 59])
def test_ranges_hold_the_truth_as_often_as_they_say(runs):
    """Truths drawn as the runs are, three thousand times over."""
    rng = np.random.default_rng(runs)
    where, mesh = (0.0, 0.0), forecast(strip(), QUICK).model.mesh
    held = []
    for _ in range(3000):
        *times, truth = np.exp(rng.normal(7.0, 0.4, runs + 1))
        of = tuple(Run(WhatIf(), t, where, 0.0, (), mesh, np.zeros(0)) for t in times)
        sure = Sure(of, runs, Spread())
        early, _, late = sure.fill_range
        held.append(early <= truth <= late)
    assert np.mean(held) == pytest.approx(sure.held, abs=0.016)  # three standard deviations
    assert (sure.held >= 0.9) == (runs >= 19)


def test_a_plan_that_may_not_fill_says_how_often():
    slow = strip().resin.replaced(gel_time=0.9 * forecast(strip(), QUICK).fill_time)
    sure = how_sure(
        strip(resin=slow),
        runs=12,
        workers=0,
        spread=Spread(cloth=1.4, viscosity=1.0, vacuum=0, warmth=0, gap=0),
    )
    assert 0 < sure.share_filled < 1
    assert math.isinf(sure.fill_range[2])
    far = sure.runs[0].mesh.points[:, 0] > 0.95
    near = sure.runs[0].mesh.points[:, 0] < 0.3
    assert sure.dry_share[far].mean() > 0.3
    assert sure.dry_share[near].max() == 0.0


# -- calls


def test_the_calling_sheet_is_in_order_and_says_where_the_front_is():
    job = change_line(demo_job(), "F2", opens=ByHand(about=500.0), shuts=AtTime(time=900.0))
    result = forecast(job, COARSE)
    rows = call_sheet(job, result, evidence_of(job, result).charge)
    assert [r.time for r in rows] == sorted(r.time for r in rows)
    by_words = {r.say: r for r in rows}
    assert by_words["Open F2"].sign == "by hand, about 8:20"
    assert by_words["Open F2"].time == pytest.approx(500.0)
    assert by_words["Shut F2"].time == pytest.approx(900.0)
    assert "mm from F1" in by_words["Open F2"].front
    assert by_words["Open F1"].front == "no resin yet"
    assert rows[-1].say.startswith("Gel")
    assert rows[-1].front == "past everything, 100 % wet through"
    pages = call_pages(job.name, rows)
    assert all(0 < i.y < PAGE[1] for p in pages for i in p.items if hasattr(i, "y"))
    assert call_rows(rows)[0][0] == "when"


def test_each_front_is_told_by_the_feed_that_it_runs_from():
    """Two feeds 0.9 m apart with vacuum between and at both ends: no front is ever farther from its own than half of that."""
    part = Part(outline=box(0, 0, 1.8, 0.5))
    lines = (
        *(FlowLine(id=f"F{k}", label=f"F{k}", role="feed", path=((x, 0.02), (x, 0.48))) for k, x in ((1, 0.45), (2, 1.35))),
        *(FlowLine(id=f"V{k}", label=f"V{k}", role="vacuum", path=((x, 0.0), (x, 0.5))) for k, x in ((1, 0), (2, 0.9), (3, 1.8))),
    )  # fmt: skip
    mesh = MeshExtent(material="net-green", outline=box(0, 0, 1.8, 0.5))
    job = change(meshed(), part=part, mesh=mesh, lines=lines)
    result = forecast(job, COARSE)
    assert result.filled
    assert front_words(job, result, 0.0, "metric") == "no resin yet"
    first = np.nanmin(
        np.where(result.model.node_at >= 0, result.wet_at, np.nan), axis=1
    ).max()  # all wet on top
    told = [front_words(job, result, share * first, "metric") for share in (0.1, 0.25, 0.5, 0.9)]
    far = [int(words.split(" mm")[0]) for words in told]
    assert all("from F1" in words or "from F2" in words for words in told)
    assert far == sorted(far)
    assert far[0] > 50
    assert far[-1] <= 450
    assert front_words(job, result, 1.01 * first, "metric").startswith("past everything")


# -- findings


def meshed(gap=0.06, **more):
    """A long strip under mesh that ends a gap short of the vacuum."""
    job = demo_job()
    outline = box(0, 0, 1.5, 0.5)
    lines = (
        FlowLine(id="F1", label="F1", role="feed", path=((0.03, 0.02), (0.03, 0.48))),
        FlowLine(id="V1", label="V1", role="vacuum", path=((1.5, 0.0), (1.5, 0.5))),
    )
    stack = tuple(x.replaced(zones=(), seams=()) for x in job.stack if not x.material.startswith("foam"))
    mesh = MeshExtent(material="net-green", outline=box(0.02, 0.02, 1.5 - gap, 0.48))
    return change(job, part=Part(outline=outline), stack=stack, mesh=mesh, lines=lines, **more)


def with_hose(**fields):
    return lambda: change_line(meshed(), "F1", hose=Hose(**fields))


CASES = [
    ("Tee and hose of F1 do not fit", with_hose(tee_bore=0.012)),
    ("F1 cannot be shut: hard tube", with_hose(tube="hard", clamp="lever clamp")),
    ("The feed joint of F1 is not sealed", with_hose(sealed=False)),
    ("The hose of F1 kinks", with_hose(bend_radius=0.03)),
    ("The notch of F1 leaves more than the heel", with_hose(notch=0.02)),
    ("Bypass Y1 has no good clamp", lambda: change(add_pot(meshed()), bypasses=(Bypass(id="Y1", label="Y1", feed="F1", pot="P1", clamp="lever clamp"),))),
    ("“V1” cannot be called", lambda: change_line(meshed(), "F1", label="v1")),
    ("pot 1 is small", lambda: change_pot(add_pot(meshed()), "P1", volume=2e-4)),
    ("stands above the part", lambda: meshed(conditions=demo_job().conditions.replaced(bucket_below=-0.3))),
    ("Loose mesh leads from F1 to V1", lambda: meshed(breather=box(-0.05, -0.06, 1.55, 0.01))),
    ("longer than resin reaches", lambda: change(meshed(), resin=demo_job().resin.replaced(viscosity=ConstantViscosity(value=0.4), gel_time=2500.0), mesh=None)),
    ("break before V1 is too long", lambda: change(meshed(0.6), resin=demo_job().resin.replaced(viscosity=ConstantViscosity(value=0.3), gel_time=2200.0))),
    ("F2 opens long after", lambda: change(meshed(), lines=(*meshed().lines, FlowLine(
        id="F2", label="F2", role="feed", path=((0.4, 0.1), (0.4, 0.4)), opens=OnFront(line="F2", delay=1500.0))))),
    ("runs into a widening shape", lambda: change(meshed(), mesh=None, part=Part(outline=(
        Corner(x=0, y=0.2), Corner(x=1.5, y=0.0), Corner(x=1.5, y=0.5), Corner(x=0, y=0.3))), lines=(
        FlowLine(id="F1", label="F1", role="feed", path=((0.02, 0.2), (0.02, 0.3))), meshed().lines[1]))),
    ("is thick and has no vacuum outlet", lambda: change(meshed(), part=Part(outline=box(0, 0, 1.5, 0.5), zones=(
        Zone(id="t", name="Boss", area=Drawn(outline=box(0.4, 0.2, 0.6, 0.35)), kind="thick"),)), stack=(
        *meshed().stack, *(Layer(id=f"T{k}", material="quad-1200", zones=("t",)) for k in range(6))))),
]  # fmt: skip


@pytest.mark.parametrize(("told", "job"), CASES, ids=[c[0] for c in CASES])
def test_each_fault_of_the_lines_is_found(told, job):
    made = job()
    found = [f for f in find(evidence_of(made, forecast(made, QUICK))) if told in f.title]
    assert len(found) == 1, [f.title for f in find(Evidence(made))]
    assert found[0].number
    assert found[0].limit
    if found[0].remedy is not None:
        assert told not in " ".join(titles(found[0].remedy.apply(made)))


def test_too_fast_to_soak_counts_the_lead_against_the_break():
    """A net that leads a hundred times better over thick, tight cloth leaves the tool side behind."""
    job = meshed(0.09)
    tight = {k: m.replaced(k3=m.k3 / 60) if m.kind == "fabric" else m for k, m in job.materials.items()}
    assert not any("Too fast to soak" in t for t in titles(job, COARSE))
    assert any("Too fast to soak" in t for t in titles(change(job, materials=tight), COARSE))


def test_sound_lines_have_no_finding_of_plumbing():
    job = add_pot(meshed())
    words = (
        "Tee",
        "shut:",
        "sealed",
        "kinks",
        "notch",
        "Bypass",
        "called",
        "small",
        "above",
        "Loose",
        "thick",
    )
    assert not [t for t in titles(job) if any(w in t for w in words)]


def test_plumbing_is_kept_in_the_job_file(tmp_path):
    from bibulon.store.jobfile import load, save

    job = add_bypass(add_pot(add_bucket(add_manifold(demo_job()))))
    job = change_line(job, "F2", opens=ByHand(about=300), hose=Hose(tube="hard", notch=0.01))
    save(job, tmp_path / "p.bibulon")
    assert load(tmp_path / "p.bibulon").job == job
    assert isinstance(job.manifolds[0], Manifold)
    assert isinstance(job.pots[0], CatchPot)
    assert isinstance(job.buckets[0], Bucket)
    assert isinstance(job.buckets[0].batches[0], PouredBatch)


def test_the_line_list_adds_up_and_is_written(tmp_path):
    from bibulon.core.lines.linelist import cuts, line_rows
    from bibulon.store.exports.lists import write_list

    job = add_bypass(add_manifold(demo_job()))
    found = {c.name: c for c in cuts(job)}
    assert found["F1"].length == pytest.approx(1.34)
    assert found["F1"].cut == pytest.approx(1.44)
    assert found["F1"].price == pytest.approx(1.44 * 2.4 + 2.0 * 1.3 + 3 * 1.8)
    assert found["M1"].kind == "2 ways"
    rows = line_rows(job)
    assert float(rows[-1][-1]) == pytest.approx(sum(c.price for c in found.values()), abs=0.01)
    for kind, start in (("csv", b"name,"), ("pdf", b"%PDF")):
        write_list(job, "line-list", tmp_path / f"l.{kind}")
        assert (tmp_path / f"l.{kind}").read_bytes().startswith(start)


def test_a_drawing_goes_out_as_dxf_and_is_read_back(tmp_path):
    import ezdxf

    from bibulon.core.drawing.graphs.diagram import draw_diagram
    from bibulon.core.drawing.kit.tokens import PAPER
    from bibulon.store.exports.dxf_items import write_items

    write_items(list(draw_diagram(demo_job(), 900, 420, PAPER, "metric")), (900, 420), tmp_path / "d.dxf")
    space = ezdxf.readfile(tmp_path / "d.dxf").modelspace()
    assert {"F1", "F2", "V1", "pot 1"} <= {t.dxf.text for t in space.query("TEXT")}
    assert len(space.query("LWPOLYLINE")) > 10


def test_height_and_bore_against_closed_forms():
    """A bucket 3 m below: t goes with 1/(Δp − ρ g h).  A hose in series: t = φμL²/2KΔp + φμ A L/(g Δp), to 1 %."""
    job = strip()
    low = change(job, conditions=job.conditions.replaced(bucket_below=3.0))
    pull = 101325.0
    ratio = forecast(low, COARSE).fill_time / forecast(job, COARSE).fill_time
    assert ratio == pytest.approx(pull / (pull - 1000 * 9.80665 * 3.0), rel=0.01)
    job = change(job, resin=job.resin.replaced(gel_time=None))
    hosed = change_line(change_line(job, "F1", bore=0.03, hose_bore=0.0015, hose_length=4.0), "V1", bore=0.0)
    g = math.pi * 0.0015**4 / (128 * 4.0)
    section, length, mu = 0.3 * 0.004, 1.0, 0.1
    in_hose = math.pi / 4 * 0.0015**2 * 4.0 + math.pi / 4 * 0.03**2 * 0.3
    t = (
        0.5 * mu * length**2 / (2 * 2e-10 * pull)
        + 0.5 * mu * section * length / (g * pull)
        + mu * in_hose / (g * pull)
    )
    assert forecast(hosed, COARSE).fill_time == pytest.approx(t, rel=0.01)


MOVED = {
    "thicker": WhatIf(viscosity=1.3), "tighter cloth": WhatIf(cloth=0.7), "opener mesh": WhatIf(mesh=1.5),
    "worse vacuum": WhatIf(vacuum=10_000.0), "all at once": WhatIf(viscosity=0.8, cloth=1.4, vacuum=5_000.0),
}  # fmt: skip


@pytest.fixture(scope="module")
def planned(demo):
    """The plan on a fine mesh and on two rough ones, of which the second is too rough for its last corner."""
    return tuple(forecast(demo, Resolution(points, 1, 12, air=False)) for points in (1500, 500, 380))


@pytest.mark.parametrize("moved", MOVED)
def test_a_what_if_tells_what_a_fine_forecast_of_it_would(demo, planned, moved):
    """Moved inputs, carried over from the rough mesh, against a forecast of their own on the fine one."""
    plan, rough, _ = planned
    job = apply(demo, MOVED[moved])
    told = beside(plan, rough, forecast(job, Resolution(500, 1, 12, air=False)))
    true = forecast(job, Resolution(1500, 1, 12, air=False))
    assert told.filled == true.filled
    assert told.fill_time == pytest.approx(true.fill_time, rel=0.03)
    assert told.later == pytest.approx(told.fill_time - plan.fill_time)
    assert told.dry_area == pytest.approx(true.dry_area, abs=4 * rough.model.mesh.size**2)  # its grain
    assert math.dist(told.last, true.last_wet[:2]) < rough.model.mesh.size


def test_nothing_moved_tells_the_plan_whatever_the_rough_mesh_makes_of_it(planned):
    plan, *roughs = planned
    for rough in roughs:
        told = beside(plan, rough, rough)
        assert (told.filled, told.fill_time, told.later) == (True, plan.fill_time, 0.0)
        assert (told.dry_area, told.last) == (plan.dry_area, plan.last_wet[:2])


def test_what_stays_dry_is_never_told_as_later(demo, planned):
    plan, rough, _ = planned
    shut = forecast(apply(demo, WhatIf(unopened=frozenset({"F1", "F2"}))), Resolution(500, 1, 5, air=False))
    told = beside(plan, rough, shut)
    assert not told.filled
    assert told.fill_time == math.inf
    assert math.isnan(told.later)
    assert told.dry_area == pytest.approx(plan.dry_area + shut.dry_area - rough.dry_area)
    assert beside(shut, shut, rough).filled  # of a plan that stays dry, one that would not
    assert math.isnan(beside(shut, shut, rough).later)
    blind = beside(
        shut, plan, rough
    )  # the rough mesh fills what the plan does not: it cannot tell what would
    assert (blind.filled, blind.fill_time) == (False, math.inf)


@pytest.mark.parametrize("off", [3e-5, 0.004])
def test_a_line_just_beside_the_edge_counts_as_on_it(off):
    """Rounded to a tenth of a millimetre, or drawn by hand, it may lie off: it fills as on the edge does."""
    job = strip()
    beside = change_line(job, "V1", path=((1.0 + off, 0.0), (1.0 + off, 0.3)))
    there, here = (forecast(j, QUICK).fill_time for j in (beside, job))
    assert there == pytest.approx(here, rel=0.01)
    assert "V1 leaves the part" not in titles(beside)
    with pytest.raises(BuildError, match="V1 lies outside"):
        forecast(change_line(job, "V1", path=((1.006, 0.0), (1.006, 0.3))), QUICK)


@pytest.mark.parametrize("strategy", STRATEGIES)
@pytest.mark.parametrize("scale", [0.2, 0.37, 0.6, 1.0, 1.7])
def test_lines_laid_on_a_taper_of_any_size_can_be_forecast(strategy, scale):
    start = STARTERS["gore"]
    outline, holes = start.make(**{n: v * (scale if n != "gores" else 1) for n, v in start.sizes.items()})
    job = demo_job()
    stack = tuple(x.replaced(zones=(), seams=()) for x in job.stack if not x.material.startswith("foam"))
    job = change(job, part=Part(outline=outline, holes=holes), stack=stack, lines=(), mesh=None)
    job = lay_lines(job, usual_plan(job, strategy), "net-green")
    build(job, 300)


@pytest.mark.parametrize("strategy", ["edge to edge", "stepped", "centre out", "parallel feeds"])
def test_a_part_that_comes_to_a_point_has_a_port_in_it(strategy):
    """A deck from its transom to the stem, bowed on both sides."""
    deck = (Corner(x=0, y=0), Corner(x=0, y=1.2), Corner(x=3, y=0.6))
    deck = (deck[0].replaced(bow=0.0), deck[1].replaced(bow=0.12), deck[2].replaced(bow=0.12))
    job = demo_job()
    stack = tuple(x.replaced(zones=(), seams=()) for x in job.stack if not x.material.startswith("foam"))
    job = change(job, part=Part(outline=deck), stack=stack, lines=(), mesh=None)
    job = lay_lines(job, usual_plan(job, strategy), "net-green")
    stem = [x for x in job.lines if x.role == "vacuum" and math.dist(x.path[0], (3, 0.6)) < 0.05]
    assert len(stem) == 1
    assert len(stem[0].path) == 1
    assert stem[0].kind == "point"
    assert regions(job.part).whole.contains(Point(stem[0].path[0]))
    found = forecast(job, Resolution(600, 1, 10, air=False))
    assert found.wet_through[np.isfinite(found.wet_through)].max() > 0


def filled_from_the_rim(*corners, holes=()):
    outline = tuple(Corner(x=x, y=y) for x, y in corners)
    laid = lay_lines(plied(Part(outline=outline, holes=holes)), LinePlan("perimeter in"), "net-green")
    found = forecast(laid, COARSE)
    told = {f.kind for f in find(evidence_of(laid, found)) if f.weight != "note"}
    return laid, found, told


def test_a_ring_of_feed_on_a_bent_part_has_its_vacuum_along_the_bend():
    laid, found, told = filled_from_the_rim((0, 0), (0, 1.5), (0.5, 1.5), (0.5, 0.5), (1.5, 0.5), (1.5, 0))
    (line,) = [x for x in laid.lines if x.role == "vacuum"]
    path = LineString(line.path)
    for place in ((0.25, 1.2), (0.25, 0.6), (0.6, 0.25), (1.2, 0.25)):
        assert path.distance(Point(place)) < 0.02
    assert found.filled
    assert not told & {"pocket", "dry", "gel"}


def test_a_ring_of_feed_on_a_part_with_holes_on_its_middle_has_vacuum_between_and_beside_them():
    holes = (round_hole(0.6, 0.4, 0.2), round_hole(1.4, 0.4, 0.2))
    laid, found, told = filled_from_the_rim((0, 0), (0, 0.8), (2, 0.8), (2, 0), holes=holes)
    vacuums = [x for x in laid.lines if x.role == "vacuum"]
    assert sorted(len(x.path) for x in vacuums) == [1, 1, 2]
    whole = regions(laid.part).whole
    assert all(whole.contains(LineString(x.path) if len(x.path) > 1 else Point(x.path[0])) for x in vacuums)
    assert found.filled
    assert not told & {"pocket", "dry", "outside"}


def round_hole(x, y, r, n=24):
    return tuple(Corner(x=x + r * math.cos(a), y=y + r * math.sin(a)) for a in np.arange(n) * 2 * math.pi / n)


def test_a_part_pointed_at_both_ends_is_fed_as_far_out_as_there_is_room():
    board = tuple(Corner(x=x, y=y, bow=0.13) for x, y in ((0, 0.25), (1.0, 0.5), (2.1, 0.25), (1.0, 0)))
    laid = lay_lines(plied(Part(outline=board)), LinePlan("edge to edge"), "net-green")
    feed, vacuum = laid.lines
    ends = sorted((LineString(feed.path).centroid.x, vacuum.path[0][0]))
    assert ends[0] < 0.25
    assert ends[1] > 1.85
