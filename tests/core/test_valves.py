"""Valves in a shot: the sheet and the board tell the same acts, and what was stamped is not called again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.drawing.graphs.runclock import events_of
from bibulon.core.edit.edit import change_line
from bibulon.core.findings.base import Finding
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import AtTime, OnFront, ValveTurn
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.plans.refit.live import as_opened, off_plan
from bibulon.core.plans.refit.moved import moved_calls
from bibulon.core.plans.refit.prior import prior_of
from bibulon.core.plans.refit.refit import refit
from bibulon.core.plans.refit.watch import RunEvidence, run_findings
from bibulon.core.plans.rehearsal.faults import Hidden
from bibulon.core.plans.rehearsal.followed import follow
from bibulon.core.plans.rehearsal.shop import Shop
from bibulon.core.run.calls import calls
from bibulon.core.run.callsheet import call_sheet
from bibulon.core.run.journal import Entry, FrontMark, Stamped, run_state
from bibulon.core.run.valves import end_words, left_to_do, valve_acts

SMALL = Resolution(400, 1, 10)
START = [Entry("r", 0, "start", {"began": 0.0}), Entry("r", 0, "open", {"line": "F1"})]


@pytest.fixture(scope="module")
def turned():
    """The demo, whose vacuum is throttled at 2:00, weaker at 3:00 and clamped at 5:00, and whose second feed is shut at 8:00."""
    job = demo_job()
    moves = (
        ValveTurn(when=AtTime(time=120.0), share=0.4),
        ValveTurn(when=AtTime(time=180.0), pressure=20000.0),
    )
    job = change_line(job, "V1", shuts=AtTime(time=300.0), turns=moves)
    job = change_line(job, "F2", opens=AtTime(time=240.0), shuts=AtTime(time=480.0))
    return job, forecast(job, SMALL)


def said(job, flow, rows):
    return [
        (round(c.time), c.text) for c in calls(job, flow, None, run_state([*START, *rows]), "metric") if c.act
    ]


def row(time, kind, line, **data):
    return Entry("r", time, kind, {"line": line, **data})


def test_the_board_calls_what_the_sheet_says_before(turned):
    job, flow = turned
    wanted = [
        (120, "Throttle V1 to 40 %"),
        (180, "Set V1 to 200 mbar"),
        (240, "Open F2"),
        (300, "Clamp V1"),
        (480, "Shut F2"),
    ]
    assert said(job, flow, []) == wanted
    sheet = [(round(r.time), r.say) for r in call_sheet(job, flow, None) if r.to == "valves"]
    assert sheet[:6] == [(0, "Open F1"), *wanted]


def test_what_was_stamped_is_not_called_again_nor_what_came_before_it(turned):
    job, flow = turned
    throttled = row(121, "turned", "V1", act="throttle", share=0.4)
    assert (120, "Throttle V1 to 40 %") not in said(job, flow, [throttled])
    clamped = [row(130, "shut", "V1")]
    assert [t for _, t in said(job, flow, clamped)] == ["Open F2", "Shut F2"]
    assert [t for _, t in said(job, flow, [*clamped, row(245, "open", "F2"), row(490, "shut", "F2")])] == []


def test_a_feed_that_stands_otherwise_than_planned_is_called_until_all_is_wet(turned):
    job, flow = turned
    pinched = calls(job, flow, None, run_state([*START, row(60, "shut", "F1")]), "metric")[0]
    assert (pinched.text, pinched.why) == ("Open F1", "planned at 0:00; shut at 1:00 by hand")
    opened = row(245, "open", "F2")
    pinched = said(job, flow, [opened, row(300, "shut", "F2")])
    assert pinched[2:] == [(240, "Open F2"), (300, "Clamp V1"), (480, "Shut F2")]
    assert "Open F2" not in {t for _, t in said(job, flow, [opened, row(400, "shut", "F2")])}
    again = [opened, row(400, "shut", "F2"), row(410, "open", "F2")]
    assert (480, "Shut F2") in said(job, flow, again)
    assert [t for _, t in said(job, flow, [*again, Entry("r", 900, "wet")])][:1] == ["Throttle V1 to 40 %"]


def test_a_feed_that_is_said_to_stay_shut_is_called_no_more_until_it_is_opened(turned):
    job, flow = turned
    shut = [row(245, "open", "F2"), row(300, "shut", "F2")]
    stays = [*shut, row(310, "turned", "F2", act="stays")]
    assert "Open F2" in {t for _, t in said(job, flow, shut)}
    assert [t for _, t in said(job, flow, stays) if "F2" in t] == []
    assert [t for _, t in said(job, flow, stays)] == [t for _, t in said(job, flow, shut) if "F2" not in t]
    opened = [*stays, row(330, "open", "F2")]  # judged anew: its planned end is called again
    assert [t for _, t in said(job, flow, opened) if "F2" in t] == ["Shut F2"]
    assert run_state([*START, *stays]).open == frozenset({"F1"})


def test_after_all_is_wet_and_the_feeds_are_shut_no_feed_is_opened_and_nothing_mixed(demo):
    flow = forecast(demo, SMALL)
    rows = [*START, row(430, "open", "F2"), Entry("r", 1500, "wet")]
    told = calls(demo, flow, None, run_state(rows), "metric")
    assert [c.text for c in told] == ["Shut the feeds, hold the vacuum"]
    rows += [row(1510, "shut", "F1"), row(1512, "shut", "F2")]
    assert calls(demo, flow, None, run_state(rows), "metric") == ()


def test_a_vacuum_opened_by_judgement_is_not_called_shut_again(turned):
    job, flow = turned
    told = said(job, flow, [row(310, "shut", "V1"), row(400, "open", "V1")])
    assert not [t for _, t in told if "V1" in t]


KINDS = st.sampled_from(["open", "shut", "throttle", "set", "stays"])


@given(st.lists(KINDS, max_size=8))
def test_what_is_left_is_never_more_than_the_plan_and_one_to_put_right(turned_, kinds):
    acts, line = turned_
    left = left_to_do(acts, [Stamped(10.0 * k, kind) for k, kind in enumerate(kinds)], line)
    own = [act for act, why in left if not why]
    if kinds and kinds[-1] == "stays":
        assert not {act.kind for act, _ in left} & {"open", "shut"}
        return
    assert own == list(acts[len(acts) - len(own) :])
    assert len(left) - len(own) <= (1 if line.role == "feed" else 0)


@pytest.fixture(scope="module", params=["F2", "V1"])
def turned_(turned, request):
    job, flow = turned
    line = next(x for x in job.lines if x.id == request.param)
    return valve_acts(job, flow, line, "metric"), line


@pytest.fixture(scope="module")
def bound():
    """The demo with its second feed opened, and its vacuum clamped, by the front; and what its shots may be."""
    job = change_line(demo_job(), "V1", shuts=OnFront(line="V1", delay=30.0))
    job = change_line(job, "F2", opens=OnFront(line="F2"))
    return job, forecast(job, SMALL), prior_of(job, runs=16, workers=0, shots=4)


@pytest.mark.parametrize("pace", [0.6, pytest.param(1.8, marks=pytest.mark.slow)])
def test_calls_bound_to_the_front_come_when_the_marks_have_it_there(bound, pace):
    """A front so much slower, or faster, is at each line about so much later, or sooner: marks near the feed leave some of it open."""
    job, flow, prior = bound
    before = {c.text: c for c in calls(job, flow, None, run_state(START), "metric")}
    top, points = prior.planned.top, prior.mesh.points
    seen = [int(np.argmin(abs(top - t))) for t in (40.0, 80.0, 120.0, 160.0)]
    marks = [FrontMark(float(points[v, 0]), float(points[v, 1]), pace * float(top[v])) for v in seen]
    told = refit(prior, marks, marks[-1].time)
    after = {c.text: c for c in moved_calls(job, flow, told, list(before.values()), "metric")}
    for text in ("Open F2", "Clamp V1"):
        assert (after[text].time > before[text].time) is (pace > 1)
        assert "moved from" in after[text].why
        assert ("later" if pace > 1 else "sooner") in after[text].why
    assert 0.7 < (after["Open F2"].time / before["Open F2"].time - 1) / (pace - 1) < 1.5


def test_one_of_two_outlets_of_one_dry_space_costs_nothing_when_throttled_and_both_do():
    """Air goes by the other one; with both at half of their pull the front has half of its drive."""
    demo = demo_job()
    (x, low), (_, high) = demo.lines[-1].path[0], demo.lines[-1].path[-1]
    middle = (low + high) / 2
    first = demo.lines[-1].replaced(path=((x, low), (x, middle - 0.01)))
    second = first.replaced(id="V2", label="V2", path=((x, middle + 0.01), (x, high)))
    thin = demo.resin.replaced(viscosity=ConstantViscosity(value=0.1))
    level = demo.conditions.replaced(bucket_below=0.0)
    job = demo.replaced(lines=(demo.lines[0], first, second), resin=thin, conditions=level)
    half = (ValveTurn(when=AtTime(time=1.0), share=0.5),)
    one = change_line(job, "V1", turns=half)
    flows = [forecast(j, SMALL) for j in (job, one, change_line(one, "V2", turns=half))]
    there = int(np.argmin(np.abs(flows[0].model.mesh.points - (1.2, 0.7)).sum(axis=1)))
    times = [float(f.wet_through[there]) for f in flows]
    assert times[1] == pytest.approx(times[0], rel=0.01)
    assert times[2] == pytest.approx(2 * times[0], rel=0.05)


def test_valves_that_were_moved_stand_beside_when_they_were_to_be(turned):
    job, flow = turned
    rows = [*START, row(350, "shut", "V1"), row(245, "open", "F2")]
    told = {what: (a, b) for what, a, b in events_of(job, flow, rows)}
    assert told["V1 shut"] == (300.0, 350.0)
    assert told["V1 throttled"] == (120.0, None)
    assert told["F2 shut"] == (480.0, None)
    assert told["F2 opens"] == (240.0, 245.0)


@pytest.mark.parametrize(
    ("rows", "off"),
    [
        ([], False),
        ([row(150, "turned", "V1", act="throttle", share=0.4), row(190, "turned", "V1", act="set", pressure=20000.0)], False),
        ([row(380, "shut", "V1")], False),
        ([row(400, "shut", "V1")], True),
        ([row(120, "turned", "V1", act="throttle", share=0.7)], True),
        ([row(180, "turned", "V1", act="set", pressure=40000.0)], True),
        ([row(300, "shut", "V1"), row(500, "open", "V1")], True),
    ],
)  # fmt: skip
def test_a_vacuum_moved_otherwise_than_planned_makes_another_forecast(turned, rows, off):
    job, _ = turned
    journal = [*START, *rows]
    assert off_plan(job, journal) is off
    line = next(x for x in as_opened(job, journal).lines if x.id == "V1")
    if not off:
        assert line == next(x for x in job.lines if x.id == "V1")
        return
    assert line.shuts is None
    does = {"open": (1.0, None), "shut": (0.0, None)}
    wanted = [(r.clock, *does.get(r.kind, (r.data.get("share"), r.data.get("pressure")))) for r in rows]
    assert [(t.when.time, t.share, t.pressure) for t in line.turns] == wanted


def test_a_clamp_bound_to_the_front_is_on_plan_whenever_it_comes():
    job = change_line(demo_job(), "V1", shuts=OnFront(line="V1", delay=10.0))
    assert not off_plan(job, [*START, row(2000, "shut", "V1")])


def missed(job, flow, now, rows=()) -> list[Finding]:
    evidence = RunEvidence(job, flow, run_state([*START, *rows]), now)
    return [f for f in run_findings(evidence) if f.key == "missed:V1"]


def test_a_vacuum_that_was_to_be_clamped_is_told_a_minute_later(turned):
    job, flow = turned
    assert not missed(job, flow, 355.0)
    assert "goes to the catch pot" in missed(job, flow, 365.0)[0].why
    assert not missed(job, flow, 365.0, [row(310, "shut", "V1")])


def test_an_open_vacuum_alone_draws_no_air_through_the_bucket(turned):
    job, flow = turned
    rows = [*START, row(20, "shut", "F1"), row(30, "open", "V1")]
    evidence = RunEvidence(job, flow, run_state(rows), 40.0, left=0.0)
    assert not [f for f in run_findings(evidence) if f.key == "heel"]


def test_a_shops_vacuum_is_clamped_when_a_hand_does_it_not_by_the_plan(turned):
    job, _ = turned
    for rows, moved in (
        ([], ()),
        ([row(150, "shut", "V1")], (ValveTurn(when=AtTime(time=150.0), share=0.0),)),
    ):
        shop = Shop(job, Hidden(()), SMALL)
        follow(shop, [row(0, "open", "F1"), *rows], 400.0)
        vacuum = next(x for x in shop.true_job().lines if x.id == "V1")
        assert (vacuum.shuts, vacuum.turns) == (None, moved)
        assert [a.what for a in shop.acts if a.of == "V1"] == ["shut"] * len(moved)


def test_a_throttled_or_set_vacuum_reaches_the_shops_part(turned):
    job, _ = turned
    job = change_line(job, "V1", turns=(), shuts=None)
    shop = Shop(job, Hidden(()), SMALL)
    follow(shop, [row(0, "open", "F1"), row(60, "turned", "V1", act="set", pressure=50000.0)], 200.0)
    plain = Shop(job, Hidden(()), SMALL)
    follow(plain, [row(0, "open", "F1")], 200.0)
    assert shop.drawn(600.0) < 0.9 * plain.drawn(600.0)


def test_a_closed_mould_is_clamped_and_let_up_to_its_holding_vacuum():
    """Of 101.3 kPa of air and 71.3 kPa held in the cavity: 300 mbar below, on the sheet and on the board."""
    job = mould_demo_job()
    flow = forecast(job, SMALL)
    wanted = "Clamp the inlet, cavity to 300 mbar below air"
    assert [r.say for r in call_sheet(job, flow, None) if r.to == "valves"][-1] == wanted
    told = calls(job, flow, None, run_state([*START, Entry("r", 400, "wet")]), "metric")
    assert [c.text for c in told] == [wanted]
    assert "flange as it is, until gel" in told[0].why
    assert "8.9 inHg below air" in end_words(job, "us")[0]
