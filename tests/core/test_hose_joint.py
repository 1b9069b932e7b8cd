"""Where a hose joins its line, and lines that run round: what the pull loses on the way, by hand and by symmetry."""

from __future__ import annotations

import math
from collections import Counter

import numpy as np
import pytest
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from shapely.geometry import Point

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.graphs.timeline import draw_clock, strip_for
from bibulon.core.drawing.kit.look import Mark, PlanLook
from bibulon.core.drawing.kit.scene import Area, Label, View
from bibulon.core.drawing.kit.tokens import DAY, LETTER
from bibulon.core.drawing.plan.plan import _label_places, draw_resin
from bibulon.core.drawing.plan.signs import draw_mark
from bibulon.core.edit.edit import change, change_line, lay_along
from bibulon.core.edit.shape import trimmed
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.build.builder import build, feed_pressure
from bibulon.core.flow.fields import line_flows
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.geometry.paths import inlet_of, share_near
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.geometry.zones import regions
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.linelist import cuts
from bibulon.core.lines.starters import lay_lines, usual_plan
from bibulon.core.model.job import Conditions, Corner, FlowLine, Job, Layer, Part
from bibulon.core.model.materials import ConstantViscosity, PorousLayer, Resin
from bibulon.core.outlook.outlook import look_ahead

VISCOSITY = 0.1
LONG, WIDE = 3.0, 0.3
PLAN = Resolution(1500, 1, 16, air=False)


def box(x0, y0, x1, y1):
    return tuple(Corner(x=x, y=y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def job_of(outline, *lines, **more):
    cloth = PorousLayer(name="cloth", thickness=0.004, porosity=0.5, k1=2e-10, k2=2e-10, k3=2e-10)
    return Job(**{
        "part": Part(outline=outline), "materials": {"cloth": cloth}, "stack": (Layer(id="L", material="cloth"),),
        "resin": Resin(name="oil", density=1000.0, viscosity=ConstantViscosity(value=VISCOSITY), gel_time=7200.0),
        "lines": lines, "conditions": Conditions(vacuum=0.0, bucket_below=0.0, mixed_before_start=0.0)
    , **more})  # fmt: skip


def long_feed(bore=0.008, **more):
    """A strip fed all along one long side and drawn all along the other."""
    return job_of(
        box(0, 0, LONG, WIDE),
        FlowLine(id="F1", label="F1", role="feed", path=((0, 0), (LONG, 0)), bore=bore, hose_length=0.5, **more),
        FlowLine(id="V1", label="V1", role="vacuum", path=((0, WIDE), (LONG, WIDE)), bore=0.0),
    )  # fmt: skip


def ring_fed(bore=0.005):
    """A square fed from a ring on its edge, whose hose joins in the middle of the left side; drawn in its midst."""
    ring = ((0, 0.5), (0, 0), (1, 0), (1, 1), (0, 1), (0, 0.5))
    return job_of(
        box(0, 0, 1, 1),
        FlowLine(id="F1", label="F1", role="feed", path=ring, bore=bore, hose_length=0.5),
        FlowLine(id="V1", label="V1", role="vacuum", path=((0.5, 0.5),)),
    )


def along_feed(job, share=0.6):
    """Return a forecast, a late moment of it [s], and places [m] and pressures [Pa] along its feed then."""
    found = forecast(job, PLAN)
    when = share * found.fill_time
    vertices = found.model.lines["F1"]
    return found, when, found.model.mesh.points[vertices], found.pressure(when)[vertices, -1]


@pytest.mark.parametrize(("share", "times"), [(0.0, 1.0), (1.0, 1.0), (0.5, 0.25)])
def test_a_feed_drawn_from_evenly_loses_half_of_what_all_its_flow_would(share, times):
    # dp/dx = 128 μ q(x) / (π d⁴), q falling evenly to nought over the run: R q L / 2 of each, and a quarter from the middle.
    job = long_feed(bore=0.012, hose_at=share)
    found, when, _, pressure = along_feed(job)
    flow = next(x.flow for x in line_flows(found, when) if x.line == "F1") / found.density
    most = 128 * VISCOSITY * flow * LONG / (math.pi * 0.012**4) / 2
    assert np.ptp(pressure) < 0.1 * feed_pressure(job)  # else it is not drawn from evenly
    assert np.ptp(pressure) == pytest.approx(most * times, rel=0.08)


def test_resin_enters_where_the_hose_joins():
    for share in (0.0, 0.3, 1.0):
        _, _, places, pressure = along_feed(long_feed(hose_at=share), 0.5)
        assert places[np.argmax(pressure), 0] == pytest.approx(share * LONG, abs=0.05)


def test_a_ring_leads_both_ways_round():
    _, _, places, pressure = along_feed(ring_fed())
    up, down = (float(pressure[np.argmin(np.hypot(*(places - p).T))]) for p in ((0, 0.9), (0, 0.1)))
    lost = float(np.ptp(pressure))
    assert lost > 0.1 * feed_pressure(ring_fed())
    assert up == pytest.approx(down, abs=0.03 * lost)  # the part is the same on both sides of its hose
    assert places[np.argmin(pressure)] == pytest.approx(
        (1, 0.5), abs=0.06
    )  # what is farthest both ways round


def test_an_open_gap_runs_round_the_edge_and_the_hole():
    job = ring_fed()
    job = change(job, part=job.part.replaced(holes=(box(0.3, 0.3, 0.4, 0.4),)))

    def links(gap):
        network = build(change(job, conditions=job.conditions.replaced(edge_gap=gap)), 800).network
        return Counter(zip(network.a.tolist(), network.b.tolist(), strict=True))

    added = list((links(0.001) - links(0.0)).elements())
    ends = Counter(node for link in added for node in link)
    assert set(ends.values()) == {2}  # each place has a neighbour on both sides
    nodes = {node: k for k, node in enumerate(ends)}
    a, b = ([nodes[link[k]] for link in added] for k in (0, 1))
    joined = coo_array((np.ones(len(added)), (a, b)), shape=(len(nodes), len(nodes)))
    assert connected_components(joined, directed=False)[0] == 2


def test_a_line_crosses_a_place_without_cloth():
    job = long_feed()
    ply = job.stack[0]
    left = ply.replaced(id="A", outline=box(0, 0, 1.2, WIDE))
    right = ply.replaced(id="B", outline=box(1.5, 0, LONG, WIDE))
    found = forecast(change(job, stack=(left, right)), PLAN)
    assert found.filled


# -- what is said of it


def told(job):
    return {f.kind: f for f in find(evidence_of(job, forecast(job, PLAN)))}


def test_a_feed_that_loses_its_pull_is_mended_by_its_hose_in_the_middle():
    job = long_feed(bore=0.0065)
    finding = told(job)["along"]
    assert finding.places[0] == pytest.approx((LONG, 0), abs=0.05)
    assert finding.remedy is not None
    mended = finding.remedy.apply(job)
    assert inlet_of(mended.lines[0]) == pytest.approx((LONG / 2, 0))
    assert "along" not in told(mended)


def test_a_ring_that_loses_its_pull_tells_half_its_way_round_and_needs_no_other_place():
    finding = told(ring_fed(bore=0.004))["along"]
    assert finding.remedy is None
    assert "2.00" in finding.worded("metric").number  # m: half of the four that it is round
    assert finding.places[0] == pytest.approx((1, 0.5), abs=0.06)


def test_the_hose_comes_through_the_bag_beside_the_place_that_it_joins():
    job = demo_job()
    walk = bag_of(job).walk
    for share in (0.0, 0.4, 1.0):
        moved = change_line(job, "F1", hose_at=share)
        tube = next(t for t in bag_of(moved).tubes if t.line == "F1")
        assert tube.at == pytest.approx(walk.along(*inlet_of(moved.lines[0])) % walk.length)


def test_a_hose_in_the_midst_of_a_line_takes_a_tee():
    def fittings(job):
        return next(c.fittings for c in cuts(job) if c.name == "F1")

    assert "tee" not in fittings(long_feed()) + fittings(long_feed(hose_at=1.0))
    assert "one tee in the line" in fittings(long_feed(hose_at=0.5))
    assert "one tee in the line" in fittings(ring_fed())


# -- edits keep it where it was


def test_a_line_cut_short_keeps_its_hose_in_its_place():
    job = long_feed(hose_at=0.5)
    shorter = lay_along(job, "F1", ((1.0, 0.0), (LONG, 0.0)))
    assert inlet_of(shorter.lines[0]) == pytest.approx((LONG / 2, 0))
    gone = lay_along(job, "F1", ((2.0, 0.0), (LONG, 0.0)))  # the place itself is cut off
    assert inlet_of(gone.lines[0]) == pytest.approx((2.0, 0))
    narrow = trimmed(change(job, part=Part(outline=box(0, 0, 2.0, WIDE))))
    assert inlet_of(narrow.lines[0]) == pytest.approx((LONG / 2, 0))


def test_a_share_is_that_of_the_length():
    path = ((0.0, 0.0), (1.0, 0.0), (1.0, 3.0))
    assert share_near(path, (1.2, 1.0)) == pytest.approx(0.5)
    assert share_near(((2.0, 1.0),), (0.0, 0.0)) == 0.0


# -- drawings


def test_times_of_contours_stand_on_the_part_and_not_in_its_hole():
    start = STARTERS["ring"]
    outline, holes = start.make(**{n: v * (3 if n != "corner_radius" else 1) for n, v in start.sizes.items()})
    job = demo_job()
    stack = tuple(x.replaced(zones=(), seams=()) for x in job.stack if not x.material.startswith("foam"))
    job = change(job, part=Part(outline=outline, holes=holes), stack=stack, lines=(), mesh=None)
    job = lay_lines(job, usual_plan(job, "perimeter in"), "net-green")
    outlook = look_ahead(job, Resolution(900, 1, 12, air=False), fine=True)
    view = View(100.0, 20.0, 500.0)
    found = _label_places(job.part, outlook.contours["wet through"], job.lines, (), view)
    assert len(found) > 1
    whole = regions(job.part).whole
    assert all(whole.contains(Point(view.back(x, y))) for _, x, y in found)


def test_names_of_batches_stay_off_the_boxes_in_which_the_next_is_mixed():
    job = demo_job()
    job = change(job, charge=job.charge.replaced(count=9))
    outlook = look_ahead(job, Resolution(400, 1, 10, air=False), fine=True)
    charge = outlook.evidence.charge
    strip = strip_for(1180.0, outlook.forecast)
    items = list(draw_clock(job, outlook.forecast, charge, 0.0, strip, 120.0, DAY, "metric"))
    mixing = [float(x.rings[0][:, 0].min()) for x in items if isinstance(x, Area) and x.dash == (3, 2)]
    names = [x for x in items if isinstance(x, Label) and x.text.startswith("batch")]
    assert names
    assert len(mixing) > 2
    for name in names:
        after = [x for x in mixing if x > name.x]
        assert not after or name.x + LETTER * len(name.text) <= min(after) + 1e-9


@pytest.fixture(scope="module")
def outlook():
    return look_ahead(demo_job(), Resolution(400, 1, 10, air=False), fine=True)


@pytest.mark.parametrize("scale", [90.0, 130.0, 170.0, 260.0])
@pytest.mark.parametrize("up", [False, True])
def test_times_of_contours_keep_off_the_words_of_what_closes_last(outlook, scale, up):
    job = outlook.job
    look = PlanLook(View(scale, 40.0, 300.0), DAY)
    for place in ((2.25, 0.7), (1.6, 0.75), (1.0, 0.75)):
        last = Mark(place, "last", "last 24:58", up=up)
        (words,) = [x for x in draw_mark(look, last) if isinstance(x, Label)]
        times = [
            x for x in draw_resin(job, look, outlook.contours["wet through"], (last,)) if isinstance(x, Label)
        ]
        assert times
        x, y = look.view.to(np.array([place]))[0]
        for time in times:
            apart = (
                abs(time.x - words.x) > 7 * 5.5 + 4 or abs(time.y - words.y) > 12
            )  # ten letters and five, half of each
            assert apart, (time.text, time.x, time.y, words.x, words.y)
            assert math.hypot(time.x - x, time.y - y) > 12
