"""Drawings as plain shapes: what stands where, without a window."""

from __future__ import annotations

import itertools
import re

import numpy as np
import pytest
from msgspec.structs import replace

from bibulon.core.drawing.graphs.timeline import (
    Lane,
    clock_height,
    draw_clock,
    milestones,
    strip_for,
    valve_bars,
)
from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.field import Sampler, nice_step
from bibulon.core.drawing.kit.look import Mark, PlanLook
from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.kit.scene import Area, Clip, Label, Line, Texture, View, hatch, spoken
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.breaks import draw_breaks
from bibulon.core.drawing.plan.plan import draw_base, draw_filled, draw_lines, draw_resin
from bibulon.core.drawing.section.section import cut_through, draw_cut
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.edit.edit import change, cut_mesh_back, inset_mesh
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Corner, Part
from bibulon.core.resin.charge import charge
from bibulon.core.run.calls import calls
from bibulon.core.run.journal import Entry, run_state
from bibulon.core.run.schedule import schedule_of
from bibulon.core.stack.mesh_cover import laid_mesh


@pytest.fixture(scope="module")
def result(demo):
    return forecast(demo, Resolution(500, 1, 12))


@pytest.fixture(scope="module")
def contours(result):
    return Sampler(result.model.mesh, 120).contours(result.wet_through)


def texts(items) -> list[str]:
    return [i.text for i in items if isinstance(i, Label)]


def shoelace(rings) -> float:
    return sum(
        abs(np.dot(r[:, 0], np.roll(r[:, 1], -1)) - np.dot(r[:, 1], np.roll(r[:, 0], -1))) / 2 for r in rings
    )


def test_a_view_goes_there_and_back():
    view = View.fit((0, 0, 2.3, 1.5), 700, 400)
    x, y = view.to(np.array([[1.1, 0.4]]))[0]
    assert view.back(x, y) == pytest.approx((1.1, 0.4))
    low, high = view.to(np.array([[0, 0], [2.3, 1.5]]))
    assert 0 < low[0] < high[0] < 700
    assert 0 < high[1] < low[1] < 400


def test_contours_of_a_plane_lie_where_they_must(result):
    mesh = result.model.mesh
    plane = Sampler(mesh, 160).contours(mesh.points[:, 0] * 100)
    line = plane.at(100.0)[0]
    inside = line[(line[:, 1] > 0.3) & (line[:, 1] < 1.2)]
    assert len(inside) > 20
    assert np.abs(inside[:, 0] - 1.0).max() < 0.002


def test_the_wet_region_grows_with_the_clock(contours):
    areas = [shoelace(contours.between(-1, t)) for t in (120, 400, 900)]
    assert areas[0] < areas[1] < areas[2]


@pytest.mark.parametrize(("top", "step"), [(0, 60), (50, 10), (1700, 240), (7000, 900), (1e6, 126000)])
def test_steps_are_round(top, step):
    assert nice_step(top) == step


def test_bands_at_a_moment_stop_at_it(demo, contours):
    view = View.fit((0, 0, 2.3, 1.5), 700, 400)
    early, late = (list(draw_resin(demo, PlanLook(view, DAY, time=t), contours)) for t in (200.0, 1000.0))
    filled = [
        shoelace([r for a in items[0].items if isinstance(a, Area) for r in a.rings])
        for items in (early, late)
    ]
    assert filled[0] < filled[1]
    assert isinstance(early[0], Clip)
    assert any(t.endswith("min") for t in texts(late))


def test_plan_names_its_lines_and_marks(demo):
    look = PlanLook(View.fit((0, 0, 2.3, 1.5), 700, 400), DAY, states={"F2": "shut"})
    told = texts(
        draw_lines(demo, look, [Mark((1.0, 0.7), "front", "4:10"), Mark((2.0, 0.7), "finding", "1")])
    )
    assert {"F1", "F2 shut", "V1", "4:10", "1", "A"} <= set(told)
    assert {i.kind for i in draw_base(demo, look) if isinstance(i, Texture)} >= {"weave"}


def test_a_line_where_the_cut_runs_is_wet_as_the_probe_says(demo, result):
    section = cut_through(result, np.array(demo.cut.path))
    k = int(np.argmin(np.abs(section.where - 1.04)))
    there = result.probe(section.where[k] - 0.04, 0.75)
    for sheet, name in enumerate(result.model.slots):
        assert section.wet_at[k, sheet] == pytest.approx(there[name], rel=1e-6)
    assert section.column[0] == -1  # the cut begins outside the part


def test_the_cut_shows_its_scale_and_grows_wetter(demo, result):
    section = cut_through(result, np.array(demo.cut.path))
    box = (0.0, 0.0, 700.0, 180.0)

    def amber(time: float) -> float:
        dry = {DAY.cloth, DAY.core, DAY.tool, None}
        items = draw_cut(demo, result, section, time, box, DAY, "metric")
        return sum(shoelace(i.rings) for i in items if isinstance(i, Area) and i.fill not in dry)

    assert amber(60) < amber(600) < amber(1500)
    told = texts(draw_cut(demo, result, section, 600, box, DAY, "metric"))
    assert any(t.startswith("mould · thickness ×") for t in told)


def test_the_clock_maps_both_ways_and_tells_its_lanes(demo, result):
    strip = strip_for(1280, result)
    for t in (0.0, 300.0, 1200.0):
        assert strip.time(strip.x(t)) == pytest.approx(t)
    told = texts(draw_clock(demo, result, charge(demo), 300.0, strip, 124, DAY, "metric"))
    assert {"valves", "bucket", "front", "gel", "5:00", "all wet", "F1", "F2"} <= set(told)
    assert [m.time for m in milestones(demo, result)] == sorted(m.time for m in milestones(demo, result))


@pytest.mark.parametrize("feeds", [1, 2, 3, 5, 9])
def test_the_lane_of_valves_grows_with_the_feeds_and_the_others_stand_below_it(demo, result, feeds):
    rows = tuple(demo.lines[0].replaced(id=f"F{k + 1}", label=f"F{k + 1}") for k in range(feeds))
    job = demo.replaced(lines=(*rows, demo.lines[-1]))
    opened = {x.id: 0.0 for x in rows}
    flow = replace(result, history=replace(result.history, opened=opened))
    flow = replace(flow, model=replace(flow.model, lines={x.id: flow.model.lines["F1"] for x in job.lines}))
    height = clock_height(job)
    bars = valve_bars(job, flow)
    assert len(bars) == feeds
    assert all(a.bottom <= b.top for a, b in itertools.pairwise(bars))
    drawn = list(draw_clock(job, flow, None, 0.0, strip_for(1280, flow), height, DAY, "metric"))
    named = {i.text: i.y for i in drawn if isinstance(i, Label)}
    assert bars[-1].bottom < named["bucket"] - 8 < named["front"] - 16 < named["gel"] - 24 < height - 24
    if feeds <= 5:  # each can be read
        sizes = [i.size for i in drawn if isinstance(i, Label) and i.text in opened]
        assert len(sizes) == feeds
        assert min(sizes) >= 9
    else:  # rows are too low for names: one beside the first, and beside each that opens later
        assert [x for x in opened if x in named] == ["F1"]
        later = replace(
            flow, history=replace(flow.history, opened={x: 100.0 * k for k, x in enumerate(opened)})
        )
        drawn = list(draw_clock(job, later, None, 0.0, strip_for(1280, later), height, DAY, "metric"))
        assert set(opened) <= {i.text for i in drawn if isinstance(i, Label)}
    assert height == 124 if feeds == 1 else height > 124


def test_words_on_the_clock_stand_behind_the_signs_of_what_happens_in_the_same_breath(demo, result):
    strip = strip_for(1280, result)
    first = 0.3 * strip.end
    near = first + 9 / (strip.x(1.0) - strip.x(0.0))  # nine px later
    done = (Lane(first, "reaches V3"), Lane(near, "reaches V4"))
    drawn = list(draw_clock(demo, result, charge(demo), 0.0, strip, 124, DAY, "metric", done))
    (label,) = [i for i in drawn if isinstance(i, Label) and i.text in {"reaches V3", "reaches V4"}]
    assert label.text == "reaches V3"  # one has room
    assert label.x >= strip.x(near) + 5


def test_batches_follow_one_another_in_the_bucket(demo, result):
    spans = [(max(b.pour, 0.0), b.gone) for b in schedule_of(demo, charge(demo), result).batches if b.used]
    assert spans[0][0] == 0
    assert all(
        a[0] < b[0] < a[1] < b[1] for a, b in itertools.pairwise(spans)
    )  # poured before the heel is reached
    assert spans[-1][1] == pytest.approx(result.fill_time)


@pytest.mark.parametrize("count", [2, 5, 12])
def test_words_of_boxes_in_which_batches_are_mixed_do_not_lie_on_each_other(demo, result, count):
    job = demo.replaced(charge=demo.charge.replaced(count=count))
    strip = strip_for(900, result)
    items = list(draw_clock(job, result, charge(job), 0.0, strip, 124, DAY, "metric"))
    at = sorted(i.x for i in items if isinstance(i, Label) and i.text == "mix")
    assert all(b - a > 22 for a, b in itertools.pairwise(at))
    assert len(at) >= 1


def test_calls_come_in_order_and_fall_away_when_done(demo, result):
    plan = charge(demo)
    rows = [Entry("r", 0, "start", {"began": 0.0}), Entry("r", 0, "open", {"line": "F1"})]
    first = calls(demo, result, plan, run_state(rows), "metric")
    assert [c.time for c in first] == sorted(c.time for c in first)
    assert {"Open F2", "Mix batch 2", "Look at the last place"} == {c.text for c in first}
    rows += [Entry("r", 430, "open", {"line": "F2"}), Entry("r", 440, "batch")]
    assert [c.text for c in calls(demo, result, plan, run_state(rows), "metric")] == [
        "Look at the last place"
    ]
    rows += [Entry("r", 1500, "wet")]
    assert calls(demo, result, plan, run_state(rows), "metric")[0].text == "Shut the feeds, hold the vacuum"


def test_the_card_keeps_to_its_pages(demo, result):
    evidence = evidence_of(demo, result)
    journal = [Entry("r", float(k), "front", {"x": 0.5, "y": 0.5}) for k in range(90)]
    pages = card_pages(demo, evidence, find(evidence), journal)
    assert len(pages) >= 3  # ninety marks turn the page
    for page in pages:
        for item in page.items:
            if isinstance(item, Label):
                assert 0 < item.x < PAGE[0]
                assert 0 < item.y < PAGE[1]
    assert sum(t == "front seen" for page in pages for t in texts(page.items)) == 90


@pytest.mark.parametrize("kind", ["weave", "net", "cells", "ply"])
def test_textures_stay_near_their_box(kind):
    lines = hatch(kind, (10, 10, 110, 60), 8)
    assert lines
    assert hatch(kind, (10, 10, 10, 60), 8) == []
    for line in lines:  # slanted ones begin up to the box's height beside it, and are clipped
        assert ((line >= np.array([10 - 100, 10 - 12])) & (line <= np.array([110 + 100, 60 + 12]))).all()


def test_a_drawing_is_told_by_its_words_from_the_top_down():
    items = [
        Label(300, 40, "right", "#000"), Label(10, 41, "left", "#000"), Label(5, 10, "Title.", "#000"), Label(5, 90, "12.5", "#000"),
        Clip([], (Label(5, 60, "inside", "#000"),)), Label(9, 95, "left", "#000"), Area([]),
    ]  # fmt: skip
    assert spoken(items) == "Title; left; right; inside"
    long = spoken([Label(0, 20.0 * k, f"row number {k}", "#000") for k in range(200)])
    assert len(long) < 910
    assert long.endswith("…")
    assert spoken([]) == ""


def test_a_sign_with_no_room_behind_it_has_its_words_before_it(demo, result):
    strip = strip_for(1280, result)
    done = (Lane(result.fill_time - 30 / (strip.x(1.0) - strip.x(0.0)), "batch in, done"),)
    drawn = list(draw_clock(demo, result, charge(demo), 0.0, strip, 124, DAY, "metric", done))
    (label,) = [i for i in drawn if isinstance(i, Label) and i.text == "batch in, done"]
    assert label.anchor == "r"
    assert label.x < strip.x(done[0].time)
    (last,) = [i for i in drawn if isinstance(i, Label) and i.text == "all wet"]
    assert last.anchor == "l"


def test_a_line_is_shown_in_the_cut_wherever_it_is_crossed():
    """The lid's feed is a ring: the cut through its middle meets it at both ends, and its vent between."""
    job = mould_demo_job()
    result = forecast(job, Resolution(400, 1, 5))
    section = cut_through(result, np.array(job.cut.path))
    items = list(draw_cut(job, result, section, 60.0, (0.0, 0.0, 800.0, 200.0), DAY, "metric"))
    feeds = sorted(x.x for x in items if isinstance(x, Label) and x.text == "F1")
    (vent,) = [x.x for x in items if isinstance(x, Label) and x.text == "V1"]
    assert len(feeds) == 2
    assert feeds[0] < vent - 200
    assert feeds[1] > vent + 200
    assert vent == pytest.approx(sum(feeds) / 2, abs=5)


def test_words_of_a_break_hide_no_line_and_no_name_of_one(demo):
    """A leg a hand wide, with a feed a hand from its vacuum line: the words go where there is room, or are left out."""
    part = Part(outline=tuple(Corner(x=x, y=y) for x, y in ((0, 0), (0, 1.5), (0.5, 1.5), (0.5, 0))))
    vacuum, feed = demo.lines[-1], demo.lines[0]
    lines = (
        vacuum.replaced(path=((0.0, 1.5), (0.5, 1.5))),
        feed.replaced(path=((0.03, 1.25), (0.47, 1.25))),
        vacuum.replaced(id="V2", label="V2", path=((0.0, 1.0), (0.5, 1.0))),
    )
    job = inset_mesh(change(demo, part=part, stack=(), lines=lines), "net-green", 0.04)
    for scale in (120.0, 190.0, 260.0, 400.0, 700.0):
        items = list(draw_lines(job, PlanLook(View(scale, 40.0, 40.0 + 1.5 * scale), DAY, "metric")))
        labels = [x for x in items if isinstance(x, Label)]
        told = [x for x in labels if x.text.startswith("break")]
        names = [x for x in labels if x.text in {"F1", "V1", "V2"}]
        assert len(names) == 3
        for word in told:
            half = (len(word.text) * 5.8 / 2, 7)
            for name in names:
                assert abs(word.x - name.x) > half[0] + 9 or abs(word.y - name.y) > half[1] + 9, scale
            for line in lines:
                y = 40.0 + (1.5 - line.path[0][1]) * scale
                assert abs(word.y - y) > half[1], scale
    assert told  # where there is room they are there


@pytest.mark.parametrize(("scale", "words"), [(200.0, ["break 90 mm"]), (60.0, ["90 mm"]), (30.0, [])])
def test_a_break_is_told_as_fully_as_there_is_room(demo, scale, words):
    look = PlanLook(View(scale, 20.0, 20.0 + 1.5 * scale), DAY, "metric")
    drawn = list(draw_breaks(demo, look, laid_mesh(demo.mesh)))
    assert [i.text for i in drawn if isinstance(i, Label)] == words
    assert len([i for i in drawn if isinstance(i, Line)]) == 1  # the dimension stands in any case


def test_words_of_breaks_side_by_side_do_not_lie_over_each_other(demo):
    vacuum = demo.lines[-1]
    rows = tuple(
        vacuum.replaced(id=f"V{k}", label=f"V{k}", path=((0.2 + 0.1 * k, 0.3), (0.2 + 0.1 * k, 1.2)))
        for k in range(8)
    )
    job = demo.replaced(lines=rows)
    for row in rows:
        job = cut_mesh_back(job, row.id)
    look = PlanLook(View(300.0, 40.0, 480.0), DAY, "metric")
    told = [x for x in draw_lines(job, look) if isinstance(x, Label) and x.text.startswith("break")]
    assert told
    assert all(abs(a.x - b.x) > 70 or abs(a.y - b.y) > 12 for a, b in itertools.combinations(told, 2))


@pytest.mark.parametrize("standing", ["", "open"])
@pytest.mark.parametrize("scale", [150.0, 210.0, 240.0, 300.0, 420.0])
def test_times_of_contours_lie_off_names_and_off_the_words_of_breaks(demo, result, scale, standing):
    states = dict.fromkeys([x.id for x in demo.lines], standing) if standing else {}
    look = PlanLook(View(scale, 40.0, 500.0), DAY, "metric", time=300.0, states=states)
    contours = Sampler(result.model.mesh).contours(result.wet_through)
    times = [x for x in draw_resin(demo, look, contours) if isinstance(x, Label)]
    others = [x for x in draw_lines(demo, look) if isinstance(x, Label)]
    assert len(times) >= 3
    for a in times:
        for b in (x for x in others if x.text.startswith(("break", "F", "V"))):
            left = b.x - {"m": 0.5, "l": 0.0, "r": 1.0}[b.anchor] * 6 * len(b.text)
            off = max(left - a.x, a.x - left - 6 * len(b.text))
            assert off > 3 * len(a.text) or abs(a.y - b.y) > 12, (a.text, b.text)


def test_no_line_strikes_through_the_times_of_contours(demo, result):
    """Mesh and lines are drawn over the resin; its words over them."""
    look = PlanLook(View(240.0, 40.0, 500.0), DAY, "metric", time=300.0)
    contours = Sampler(result.model.mesh).contours(result.wet_through)
    items = list(draw_filled(demo, look, contours))
    times = {x.text for x in draw_resin(demo, look, contours) if isinstance(x, Label)}
    at = [k for k, x in enumerate(items) if isinstance(x, Label) and x.text in times]
    assert len(at) >= 3
    assert min(at) > max(k for k, x in enumerate(items) if isinstance(x, Area | Line))
    assert {id(x) for x in draw_filled(demo, look, None) if isinstance(x, Label) and x.text in times} == set()


@pytest.mark.parametrize(
    ("path", "seals"),
    [(((0.1, 0.45), (0.9, 0.45)), 0), (((-0.2, 0.45), (0.5, 0.45)), 1), (((-0.2, 0.45), (1.3, 0.45)), 2)],
)
def test_the_cut_of_a_closed_mould_has_two_halves_a_seal_where_it_leaves_and_no_film(path, seals):
    job = mould_demo_job()
    result = forecast(job, COARSE)
    section = cut_through(result, np.array(path))
    items = list(draw_cut(job, result, section, 60.0, (0.0, 0.0, 800.0, 200.0), DAY, "metric"))
    halves = [i for i in items if isinstance(i, Area) and i.fill == DAY.tool]
    assert len(halves) == 2
    upper, lower = sorted(halves, key=lambda a: float(a.rings[0][:, 1].min()))
    assert upper.rings[0][:, 1].max() < lower.rings[0][:, 1].min()  # the part between them
    assert (
        len([i for i in items if isinstance(i, Area) and i.fill == DAY.accent and i.stroke is None]) == seals
    )
    assert [i for i in items if isinstance(i, Line) and i.stroke == DAY.accent] == []  # no film
    assert any(t.startswith("both halves") for t in texts(items))


@pytest.mark.parametrize(("end", "form"), [(5_900.0, r"\d+:\d\d"), (11_400.0, r"\d h \d\d")])
def test_an_axis_tells_all_its_times_in_one_form(end, form):
    chart = Chart(700.0, 200.0, (0.0, end), (0.0, 1.0), "", "", DAY, seconds=True)
    told = [item.text for item in chart.axes(lambda _: "") if isinstance(item, Label) and item.text]
    assert len(told) > 4
    assert all(re.fullmatch(form, text) for text in told), told
    assert re.fullmatch(form, chart.clock(2_700.0))
