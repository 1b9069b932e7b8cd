"""Marks make a forecast honest: what is shifted, what is narrowed, what is named; all from the prior, to the last bit."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.refit import crew_marks, finer, shots, truths
from msgspec.structs import replace
from tests.validation.layouts import feed, vacuum
from tests.validation.layouts import job as panel

from bibulon.core.drawing.plan.signs import front_signs
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import AtTime
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.plans.refit.basis import EARLY, columns_of
from bibulon.core.plans.refit.calibrate import factors_of, level
from bibulon.core.plans.refit.condition import Seen, condition
from bibulon.core.plans.refit.drive import Drive, drive_of, warmed
from bibulon.core.plans.refit.ensemble import MASSES, Draw, Runner, ensemble, fallen, prior_draws
from bibulon.core.plans.refit.live import as_opened, off_plan, refit_of_run, telling
from bibulon.core.plans.refit.marks import Weighed
from bibulon.core.plans.refit.moved import moved_calls
from bibulon.core.plans.refit.needed import needed_of
from bibulon.core.plans.refit.prior import prior_of, suspects_of
from bibulon.core.plans.refit.refit import refit
from bibulon.core.plans.refit.watch import RunEvidence, run_findings
from bibulon.core.run.calls import calls
from bibulon.core.run.day import explained, gauge_readings, opened_off, resin_readings, weighings
from bibulon.core.run.decisions import DECISIONS, decision
from bibulon.core.run.journal import Entry, FrontMark, RunState, run_state


@pytest.fixture(scope="module")
def job():
    """A panel with a second feed that a hand opens."""
    return panel(
        lines=(feed(), feed("F2", path=((0.4, 0.02), (0.4, 0.48)), opens=AtTime(time=240.0)), vacuum())
    )


@pytest.fixture(scope="module")
def prior(job):
    return prior_of(job, runs=32, shots=12, workers=0)


def marks_of(prior, draw_top, share=0.5, count=6, scale=1.0):
    """Exact marks of a truth, spread over what is wet."""
    top = draw_top * scale
    now = float(np.quantile(top, share))
    order = np.argsort(top)
    picks = [order[int(q * (len(order) - 1) * share)] for q in np.linspace(0.15, 0.95, count)]
    return [
        FrontMark(float(prior.mesh.points[k][0]), float(prior.mesh.points[k][1]), float(top[k]))
        for k in picks
    ], now


# -- the ensemble


def test_the_plan_itself_is_the_forecast(job, prior):
    f = forecast(job, Resolution(500, 1, 10, air=False))
    assert prior.planned.fill == pytest.approx(
        f.fill_time + 6.0, rel=0.02
    )  # late into the line by its middle
    assert prior.planned.through.max() == pytest.approx(
        f.wet_through[np.isfinite(f.wet_through)].max() + 6.0, rel=0.01
    )


def test_slow_cloth_is_looked_for_all_over_the_part_and_a_path_along_each_edge():
    """A rectangle in four by three fields: a place in the middle of each, named by the mesh's nearest vertex."""
    made = panel()
    runner = Runner(made)
    x, y = np.array([(c.x, c.y) for c in made.part.outline]).T
    wide, high = float(np.ptp(x)), float(np.ptp(y))
    across, up = (4, 3) if wide >= high else (3, 4)
    looked = suspects_of(runner)
    spots = {(round(d.spots[0][0], 3), round(d.spots[0][1], 3)) for kind, _, d in looked if kind == "slow"}
    middles = {
        (round(x.min() + wide * (i + 0.5) / across, 3), round(y.min() + high * (j + 0.5) / up, 3))
        for i in range(across)
        for j in range(up)
    }
    assert spots == middles
    radii = [d.spots[0][2] for kind, _, d in looked if kind == "slow"]
    assert radii == pytest.approx([0.3 * max(wide / across, high / up)] * 12)
    assert [d.paths[0][0] for kind, _, d in looked if kind == "path"] == list(range(len(runner.links.edges)))


def test_draws_answer_alike_here_and_in_other_processes(job):
    runner = Runner(job)
    draws = prior_draws(runner.parameters, 3, 5)
    here, there = ensemble(job, draws, workers=0), ensemble(job, draws, workers=2)
    for a, b in zip(here, there, strict=True):
        assert np.array_equal(a.through, b.through)
    assert draws == prior_draws(runner.parameters, 3, 5)
    assert draws != prior_draws(runner.parameters, 3, 6)


@pytest.mark.parametrize(("kind", "theta"), [("viscosity", 1.0), ("drive", -1.0), ("pores", 1.0)])
def test_what_slows_everything_slows_it_by_its_factor(kind, theta):
    """With one feed t scales exactly with μ, pores and 1/p, whatever the cloth."""
    made = panel()
    runner = Runner(made.replaced(resin=made.resin.replaced(viscosity=ConstantViscosity(value=0.2))))
    scores = [theta if p.kind == kind else 0.0 for p in runner.parameters]
    scores[[p.kind for p in runner.parameters].index("late")] = -60.0  # no delay
    still = [0.0 if p.kind != "late" else -60.0 for p in runner.parameters]
    plain, slow = runner.run(Draw(tuple(still))), runner.run(Draw(tuple(scores)))
    sigma = next(p.sigma for p in runner.parameters if p.kind == kind)
    assert slow.fill / plain.fill == pytest.approx(np.exp(sigma), rel=2e-3)


def test_a_path_speeds_its_edge_and_a_slow_spot_delays_what_lies_behind(job):
    runner = Runner(job)
    still = (0.0,) * len(runner.parameters)
    plain = runner.run(Draw(still))
    edge = runner.links.edges[0]
    quick = runner.run(Draw(still, paths=((0, 2.0),)))
    at = int(np.argmin(np.hypot(*(runner.model.mesh.points - edge.middle).T)))
    assert quick.through[at] <= plain.through[at]
    assert quick.through.sum() < plain.through.sum()
    x, y = runner.model.mesh.points.mean(axis=0)
    slow = runner.run(Draw(still, spots=((float(x), float(y), 0.1, 0.2),)))
    assert slow.fill > plain.fill


def test_edges_are_cut_at_corners_and_cover_the_rim():
    runner = Runner(panel())
    rim = [e for e in runner.links.edges if e.name.startswith("rim")]
    outline = np.array([(c.x, c.y) for c in panel().part.outline])
    around = float(np.hypot(*(outline - np.roll(outline, 1, axis=0)).T).sum())
    assert len(rim) == 4
    assert sum(e.length for e in rim) == pytest.approx(around, rel=0.02)


# -- the algebra


def test_the_ridge_finds_a_linear_response():
    rng = np.random.default_rng(1)
    theta = rng.normal(size=(400, 3))
    outputs = 2.0 + theta @ np.array([[1.0, 0.5], [0.0, -2.0], [0.3, 0.0]])
    columns, freedom = columns_of(theta, outputs, np.zeros((2, 2)), np.zeros(2, dtype=int))
    assert columns.response == pytest.approx(np.array([[1.0, 0.5], [0.0, -2.0], [0.3, 0.0]]), abs=0.02)
    assert columns.mean == pytest.approx([2.0, 2.0], abs=0.02)
    assert freedom == 396


def test_without_marks_the_prior_stands(prior):
    told = refit(prior, [], 0.0)
    assert told.fill.middle == pytest.approx(np.exp(prior.basis.all.mean[2 * prior.basis.places]) - EARLY)
    assert told.fill.low < told.fill.near[0] < told.fill.middle < told.fill.near[1] < told.fill.high
    assert told.contradictions == ()


def test_exact_marks_of_the_middle_narrow_it_and_leave_the_middle(prior):
    middle = np.exp(prior.basis.all.mean[: prior.basis.places]) - EARLY
    marks, now = marks_of(prior, middle, count=12)
    before, after = refit(prior, [], 0.0), refit(prior, marks, now)
    assert after.fill.high - after.fill.low < 0.7 * (before.fill.high - before.fill.low)
    assert after.fill.middle == pytest.approx(before.fill.middle, rel=0.08)
    assert after.contradictions == ()


def test_slow_marks_make_it_slow_and_the_permeability_small(prior):
    slow, now = marks_of(prior, prior.planned.top, scale=1.5)
    told = refit(prior, slow, now)
    assert told.fill.middle > 1.2 * prior.planned.fill
    mesh = next(p for p in told.parameters if "mesh" in p.name)
    assert mesh.middle < mesh.prior


def test_a_mark_withdrawn_and_set_again_gives_the_same_to_the_last_bit(prior):
    marks, now = marks_of(prior, prior.planned.top)
    with_it, without, again = (refit(prior, m, now) for m in (marks, marks[:-1], [*marks[:-1], marks[-1]]))
    assert np.array_equal(with_it.top, again.top)
    assert with_it.fill == again.fill
    assert not np.array_equal(with_it.top, without.top)


def test_not_yet_far_ahead_changes_nothing_and_just_broken_moves_later(prior):
    marks, now = marks_of(prior, prior.planned.top)
    plain = refit(prior, marks, now)
    far = prior.mesh.points[int(np.argmax(prior.planned.top))]
    ahead = refit(prior, [*marks, FrontMark(float(far[0]), float(far[1]), now, "dry")], now)
    assert ahead.fill.middle == pytest.approx(plain.fill.middle, rel=0.02)
    behind = np.argsort(np.abs(plain.top[1] - 0.8 * now))[0]
    x, y = prior.mesh.points[behind]
    broken = refit(prior, [*marks, FrontMark(float(x), float(y), now, "dry")], now)
    assert broken.top[1, behind] > now
    assert broken.fill.middle > plain.fill.middle


def test_the_wrong_mark_is_the_one_named(prior):
    hits = 0
    for k in range(1, 5):
        marks, now = marks_of(prior, prior.planned.top, count=8)
        wrong = marks[k]
        marks[k] = FrontMark(wrong.x, wrong.y, wrong.time * 0.5)
        told = refit(prior, marks, now)
        hits += bool(told.contradictions) and told.contradictions[0].mark == k
        if told.contradictions:
            assert sum(s for _, s in told.contradictions[0].explanations) <= 1 + 1e-9
            words = [w for w, _ in told.contradictions[0].explanations]
            assert any(f"mark {k + 1} is wrong" in w for w in words)
            assert len(words) == len(set(words))  # each explanation once, whatever family it is of
    assert hits >= 3


def test_an_explanation_that_is_taken_changes_what_is_told(prior):
    marks, now = marks_of(prior, prior.planned.top)
    words = next(s.words for s in prior.suspects if s.family == "slow")
    taken = refit(prior, marks, now, taken=[words])
    assert taken.taken == (words,)
    assert not np.array_equal(taken.through, refit(prior, marks, now).through)


def test_a_valve_opened_late_and_a_bucket_weighed_are_conditions(prior):
    marks, now = marks_of(prior, prior.planned.top, share=0.3, count=3)
    on_time, late = (
        refit(prior, marks, now, opened={"F2": 0.0}),
        refit(prior, marks, now, opened={"F2": 80.0}),
    )
    valve = next(p for p in late.parameters if p.name == "F2 opened")
    assert valve.middle == pytest.approx(80.0, abs=3)
    assert late.fill.middle > on_time.fill.middle
    k = MASSES.index(0.4)
    slow = refit(prior, marks, now, weighed=[Weighed(0.4, 1.4 * float(prior.planned.masses[k]))])
    assert slow.fill.middle > refit(prior, marks, now).fill.middle


def test_what_is_refused_says_what(prior):
    with pytest.raises(ValueError, match="lies off the part"):
        refit(prior, [FrontMark(9.0, 9.0, 10.0)], 20.0)
    with pytest.raises(ValueError, match="lies after now"):
        refit(prior, [FrontMark(0.1, 0.1, 100.0)], 20.0)
    with pytest.raises(ValueError, match="lies off the part"):
        refit(prior, [], 0.0).at(9.0, 9.0)


def test_a_plan_that_wets_nothing_is_refused_in_words():
    """Injected at no pressure at all: no range can be told, and it says why."""
    made = mould_demo_job()
    shut = made.replaced(closed=made.closed.replaced(injection=0.0))
    with pytest.raises(ValueError, match="mend the plan"):
        prior_of(shut, runs=6, shots=8, workers=0)


def test_cancelled_it_stops(job):
    with pytest.raises(Cancelled):
        prior_of(job, runs=16, shots=4, workers=0, cancelled=lambda: True)


def test_factors_do_not_hang_on_the_number_of_workers(prior):
    draws = tuple(Draw(tuple(np.zeros(len(prior.basis.parameters)))) for _ in range(prior.basis.runs))
    theta = np.random.default_rng(3).normal(size=(prior.basis.runs, len(prior.basis.parameters)))
    draws = tuple(replace(d, theta=tuple(t)) for d, t in zip(draws, theta, strict=True))
    outputs = prior.basis.all.mean + theta @ prior.basis.all.response + prior.basis.all.residual
    one = factors_of(prior.basis, draws, outputs, prior.suspects, 8, 1, 0)
    two = factors_of(prior.basis, draws, outputs, prior.suspects, 8, 1, 2)
    assert np.array_equal(one.places, two.places)
    places, fill = one.at(4)
    assert places.shape == fill.shape == (2,)


def test_student_t_and_gauss_agree_where_they_must():
    assert level(0.9, 1e6) == pytest.approx(1.6449, abs=1e-3)
    assert level(0.5, 4) == pytest.approx(0.7407, abs=1e-3)


def test_conditioning_one_gaussian_is_the_textbook_line(prior):
    """One exact mark on an output: its own mean becomes the mark, its deviation vanishes."""
    one = prior.basis.all.picked(np.array([5]))
    y = one.mean + 0.1
    told = condition(
        prior.basis,
        Seen(one, y, np.array([1e-8]), prior.basis.all.picked(np.zeros(0, dtype=int)), np.zeros(0)),
        one,
    )
    assert told.mean == pytest.approx(y, abs=1e-4)
    assert told.deviation[0] < 2e-3


# -- the drive


def test_a_falling_drive_retimes_as_its_integral():
    drive = Drive(((0.0, 1.0), (100.0, 1.0), (200.0, 0.5)))
    assert drive.plan_time(100.0) == pytest.approx(100.0)
    assert drive.plan_time(200.0) == pytest.approx(175.0)
    assert drive.plan_time(300.0) == pytest.approx(225.0)  # the last reading held
    assert drive.times(np.array([100.0, 175.0, 225.0])) == pytest.approx([100.0, 200.0, 300.0])
    assert Drive().time(50.0) == 50.0


def test_readings_become_a_drive_against_the_plan():
    drive = drive_of([(0.0, 2000.0), (60.0, 51_662.5)], 101_325.0, 2000.0)
    assert drive.readings == ((0.0, 1.0), (60.0, pytest.approx(0.5)))
    with pytest.raises(ValueError, match="must rise"):
        drive_of([(10.0, 2000.0), (5.0, 2000.0)], 101_325.0, 2000.0)
    with pytest.raises(ValueError, match="leaves no drive"):
        drive_of([(0.0, 101_000.0)], 101_325.0, 2000.0)


def test_a_fall_that_nobody_reads_makes_it_late_and_one_that_is_read_is_taken_up(prior):
    truth = fallen(prior.planned, (0.1 * prior.planned.fill, 0.3))
    assert truth.fill > prior.planned.fill
    marks, now = marks_of(prior, truth.top, share=0.3, count=3)
    start, end = 0.1 * prior.planned.fill, prior.planned.fill
    readings = tuple(
        (float(t), float(1 - 0.3 * np.clip((t - start) / (end - start), 0, 1))) for t in np.arange(0, now, 10)
    )
    read = refit(prior, marks, now, drive=Drive(readings))
    assert read.gauge_read
    assert read.fill.low <= truth.fill <= read.fill.high


# -- ranges hold


def test_ranges_hold_on_fresh_shots(prior):
    """A few of what ``bin/bench refit`` makes 1,000 of; three standard errors are allowed."""
    drawn = truths(prior, 16, 3)
    answers = ensemble(prior.job, [d for d, _ in drawn], workers=2)
    told = [(d, f, a) for (d, f), a in zip(drawn, answers, strict=True) if a is not None]
    found = shots(prior, told, 6, 3)
    assert np.mean([r["places"] for r in found]) > 0.9 - 0.15
    assert np.mean([r["fill"] for r in found]) > 0.9 - 3 * np.sqrt(0.09 / len(found))
    first = shots(prior, told, 1, 3)
    assert np.median([r["fill_error"] for r in found]) < np.median([r["fill_error"] for r in first])


@pytest.mark.slow
def test_ranges_hold_for_truths_of_a_finer_mesh(prior):
    """What the members' own mesh gets wrong is not known to them; three standard errors are allowed."""
    drawn = truths(prior, 8, 6)
    told = [
        (d, f, a)
        for (d, f), a in zip(drawn, finer(prior, [d for d, _ in drawn]), strict=True)
        if a is not None
    ]
    found = shots(prior, told, 6, 6)
    assert len(found) == 8
    assert np.mean([r["places"] for r in found]) > 0.9 - 0.2
    assert np.mean([r["fill"] for r in found]) > 0.9 - 3 * np.sqrt(0.09 / len(found))


def test_the_resin_needed_holds_what_is_taken_as_often_as_it_says(prior):
    """Ninety fresh shots, six marks each; three standard errors are allowed.  Its ends are the quantiles that they claim to be."""
    plan = forecast(prior.job, Resolution(500, 1, 10, air=False))
    which = [p.kind for p in prior.basis.parameters].index("pores")
    inside = 0
    drawn = truths(prior, 90, 5)
    for k, (draw, _) in enumerate(drawn):
        rng = np.random.default_rng([k, 5])
        marks, now = crew_marks(rng, prior, prior.planned, 6)
        told = needed_of(refit(prior, marks, now), plan)
        pores = prior.basis.parameters[which].value(draw.theta[which])
        real = pores * plan.resin_in_part + plan.resin_in_lines
        inside += told.low <= real <= told.high
        assert told.short(told.high) == pytest.approx(0.05, abs=0.01)
        assert told.short(told.low) == pytest.approx(0.95, abs=0.01)
        assert told.short(told.middle) == pytest.approx(0.5, abs=0.05)
    assert abs(inside / len(drawn) - 0.9) < 3 * np.sqrt(0.09 / len(drawn))
    assert told.short(told.lines) == 1.0


# -- out of the rows


def rows(*more):
    at = [Entry("r", 0.0, "start", {"began": 0.0}, 0.0), Entry("r", 0.0, "open", {"line": "F1"}, 0.0)]
    return [*at, *more]


def test_rows_say_what_the_day_did(job):
    journal = rows(
        Entry("r", 60.0, "front", {"x": 0.1, "y": 0.2}, 60.0, "a"), Entry("r", 70.0, "dry", {"x": 0.3, "y": 0.2}, 70.0, "b"),
        Entry("r", 80.0, "front", {"x": 0.2, "y": 0.2, "seen": 50.0}, 80.0, "c"), Entry("r", 90.0, "withdrawn", {"mark": "a"}, 90.0),
        Entry("r", 300.0, "open", {"line": "F2"}, 300.0), Entry("r", 310.0, "weight", {"drawn": 1.2}, 310.0),
        Entry("r", 320.0, "gauge", {"pressure": 2500.0}, 320.0), Entry("r", 310.0, "gauge", {"pressure": 9.0}, 325.0),
        Entry("r", 330.0, "explained", {"text": "a path", "taken": True}, 330.0), Entry("r", 331.0, "gauge", {}, 331.0),
    )  # fmt: skip
    state = run_state(journal)
    assert [(m.uid, m.kind, m.time) for m in state.marks] == [("b", "dry", 70.0), ("c", "front", 50.0)]
    assert opened_off(job, journal) == {"F2": pytest.approx(60.0)}
    assert weighings(journal) == [(310.0, 1.2)]
    assert gauge_readings(journal) == [(320.0, 2500.0)]
    assert explained(journal) == ("a path",)
    taken_back = [*journal, Entry("r", 340.0, "explained", {"text": "a path", "taken": False}, 340.0)]
    assert explained(taken_back) == ()


def test_a_refit_out_of_rows_is_that_of_the_marks(prior):
    marks, now = marks_of(prior, prior.planned.top)
    journal = rows(
        *(Entry("r", m.time, "front", {"x": m.x, "y": m.y}, m.time, f"m{k}") for k, m in enumerate(marks))
    )
    out = refit_of_run(prior, journal, now, 1100.0)
    assert out.fill == refit(prior, [FrontMark(m.x, m.y, m.time) for m in marks], now).fill
    assert not off_plan(prior.job, journal)


def test_resin_read_colder_is_retimed_as_a_forecast_of_it_is(job):
    """Against forecasts of the job with resin as cold as that, its second feed opened by the clock on the wall in both."""

    def end(opens, colder=0.0):
        lines = tuple(x.replaced(opens=AtTime(time=opens)) if x.id == "F2" else x for x in job.lines)
        warm = job.conditions.resin_temperature - colder
        made = job.replaced(lines=lines, conditions=job.conditions.replaced(resin_temperature=warm))
        return forecast(made, Resolution(500, 1, 10, air=False)).fill_time

    told = warmed(job, Drive(), [(0.0, job.conditions.resin_temperature - 6.0)])
    assert told.time(end(told.plan_time(240.0))) == pytest.approx(end(240.0, colder=6.0), rel=2e-3)


def test_resin_read_colder_makes_it_later_and_the_clock_opens_the_next_feed_the_same(prior):
    cold = prior.job.conditions.resin_temperature - 6.0
    read = rows(
        Entry("r", 0.0, "resin", {"temperature": cold}, 0.0),
        Entry("r", 5.0, "resin", {"temperature": 9.0}, 5.0),
    )
    assert resin_readings(read) == [(0.0, cold)]  # 9 K is no resin's
    opened = Entry("r", 240.0, "open", {"line": "F2"}, 240.0)
    plain, told = (refit_of_run(prior, [*j, opened], 250.0, 1100.0) for j in (rows(), read))
    assert 1.12 < told.fill.middle / plain.fill.middle < 1.26
    coming = refit_of_run(prior, read, 10.0, 1100.0)  # the clock will say 240 s, whatever the resin does
    assert coming.fill.middle == pytest.approx(told.fill.middle, rel=0.02)
    assert coming.fill.high / coming.fill.low > told.fill.high / told.fill.low
    assert told.gel > plain.gel
    assert not told.gauge_read  # the drive was re-timed, but nobody read the vacuum


def test_thousands_of_marks_are_a_refit_of_the_newest_and_some_of_the_others(prior):
    marks = [FrontMark(0.1, 0.2, float(k), uid=str(k)) for k in range(5000)]
    told = telling(marks)
    assert len(told) <= 160
    assert told == sorted(told, key=lambda m: m.time)
    assert told[-80:] == marks[-80:]
    assert told[0] == marks[0]
    assert telling(marks[:160]) == marks[:160]
    signs = front_signs([*marks, FrontMark(0.3, 0.2, 1.0, "dry")])
    assert 300 <= len(signs) <= 380
    assert sum(bool(s.text) for s in signs) == 40
    assert [s.text for s in front_signs(marks[:3])] == ["0:00", "0:01", "0:02"]


def test_a_feed_that_is_overdue_is_taken_to_open_now_and_not_as_planned(prior):
    soon, overdue = (refit_of_run(prior, rows(), now, 1100.0) for now in (230.0, 240.0 + 80.0))
    valve = [next(p for p in r.parameters if p.name == "F2 opened") for r in (soon, overdue)]
    assert valve[0].middle == pytest.approx(0.0, abs=1.0)
    assert valve[1].middle == pytest.approx(80.0, rel=0.15)
    assert overdue.fill.middle > soon.fill.middle
    unknown = refit(prior, [], 320.0)  # marks from a file: nobody says what was opened
    assert next(p for p in unknown.parameters if p.name == "F2 opened").middle == pytest.approx(0.0, abs=1.0)


def test_a_resin_as_warm_as_planned_or_without_a_law_changes_nothing(job):
    """And a falling drive is kept under it: ∫ s dt, whatever the temperature read."""
    oil = job.replaced(resin=job.resin.replaced(viscosity=ConstantViscosity(value=0.2)))
    fall = Drive(((0.0, 1.0), (100.0, 1.0), (200.0, 0.5)))
    told = warmed(oil, fall, [(0.0, 280.0), (50.0, 300.0)])
    for t in (50.0, 150.0, 400.0):
        assert told.plan_time(t) == pytest.approx(fall.plan_time(t), abs=0.5)
    same = warmed(job, Drive(), [(0.0, job.conditions.resin_temperature)])
    assert same.plan_time(600.0) == pytest.approx(600.0, rel=1e-3)
    assert warmed(job, fall, []) is fall


def test_a_feed_far_off_its_plan_asks_for_a_new_ensemble_and_widens_until_then(prior):
    marks, now = marks_of(prior, prior.planned.top)
    plain = rows(
        *(Entry("r", m.time, "front", {"x": m.x, "y": m.y}, m.time, f"m{k}") for k, m in enumerate(marks))
    )
    late = [*plain, Entry("r", 400.0, "open", {"line": "F2"}, 400.0)]
    assert off_plan(prior.job, late)
    assert next(x for x in as_opened(prior.job, late).lines if x.id == "F2").opens.time == pytest.approx(
        400.0
    )
    wide, narrow = refit_of_run(prior, late, now, 1100.0).fill, refit_of_run(prior, plain, now, 1100.0).fill
    assert wide.high - wide.low > 1.2 * (narrow.high - narrow.low)


# -- calls, findings, decisions


@pytest.fixture(scope="module")
def planned(job):
    return forecast(job, COARSE)


def test_calls_move_with_the_front_and_say_from_when(job, planned, prior):
    state = RunState("r", open=frozenset({"F1"}))
    before = calls(job, planned, None, state, "metric")
    slow, now = marks_of(prior, prior.planned.top, share=0.25, count=4, scale=2.0)
    told = refit(prior, slow, now)
    passed = float(told.top[1][prior.model.lines["F2"]].max())
    told = replace(told, top=told.top * 300.0 / passed)  # a front that is past F2 a minute after its time
    after = moved_calls(job, planned, told, before, "metric")
    last = {c.text: c for c in after}
    assert last["Look at the last place"].time > planned.fill_time
    assert "to" in last["Look at the last place"].why
    opens = last["Open F2"]
    assert opens.time == pytest.approx(300.0, abs=1)
    assert "planned at 4:00" in opens.why
    assert moved_calls(job, planned, None, before, "metric") == tuple(before)


@pytest.mark.parametrize(
    ("key", "bad", "good"),
    [
        ("heel", {"left": 0.1}, {"left": 5.0}),
        ("batch-old", {"batch_age": 2000.0, "batch_life": 1800.0}, {"batch_age": 1700.0, "batch_life": 1800.0}),
        ("weaker", {"gauge": 2000.0 + 0.12 * 99_325}, {"gauge": 2000.0 + 0.08 * 99_325}),
        ("short-likely", {"short": 0.2}, {"short": 0.05}),
        ("hold-broken", {"held": 900.0, "gel": 1000.0}, {"held": 1100.0, "gel": 1000.0}),
        ("missed", {"now": 320.0}, {"now": 280.0}),
        ("missed", {"now": 320.0}, {"now": 320.0, "opened": {"F1": 0.0, "F2": 250.0}}),
        ("early", {"now": 60.0, "opened": {"F1": 0.0, "F2": 20.0}}, {"now": 260.0, "opened": {"F1": 0.0, "F2": 245.0}}),
    ],
)  # fmt: skip
def test_findings_of_a_run_on_both_sides(job, planned, key, bad, good):
    def kinds(**given):
        opened = given.pop("opened", {"F1": 0.0})
        state = RunState("r", open=frozenset(opened), opened=opened)
        return {
            f.kind for f in run_findings(RunEvidence(job, planned, state, given.pop("now", 100.0), **given))
        }

    assert key in kinds(**bad)
    assert key not in kinds(**good)


def test_a_front_off_its_band_and_gel_before_full_are_told(job, planned, prior):
    state = RunState("r", open=frozenset({"F1"}), opened={"F1": 0.0})

    def kinds(scale, gel):
        marks, now = marks_of(prior, prior.planned.top, scale=scale, count=8)
        told = refit(replace(prior, gel=gel), marks, now)
        return {f.kind for f in run_findings(RunEvidence(job, planned, state, now, told))}

    assert "front-slow" in kinds(2.2, 1e9)
    assert "front-fast" in kinds(0.4, 1e9)
    assert not kinds(1.0, 1e9) & {"front-slow", "front-fast", "gel-first"}
    assert "gel-first" in kinds(1.0, 0.8 * prior.planned.fill)


@pytest.mark.parametrize("key", list(DECISIONS))
def test_every_decision_asks_and_says_what_to_do(job, key):
    told = decision(key, job, "metric", now=100.0, fill=(500.0, 600.0, 700.0), gel=2000.0, left=1.2)
    assert told.question.endswith(("?", "."))
    assert len(told.choices) >= 3
    assert all(c.then.endswith(".") for c in told.choices)


@pytest.mark.parametrize("key", ["behind", "dry"])
@pytest.mark.parametrize(("gel", "told"), [(2000.0, "31:40"), (50.0, "0:00"), (1e9, None), (None, None)])
def test_a_decision_tells_the_time_that_is_left_until_gel(job, key, gel, told):
    question = decision(key, job, "metric", now=100.0, gel=gel).question
    if told is None:
        assert "gel" not in question
    else:
        assert told in question
