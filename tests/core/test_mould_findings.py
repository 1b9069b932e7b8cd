"""Findings on closed mould, on both sides of their limits; the check list of loading and its gates."""

from __future__ import annotations

import numpy as np
import pytest
from tests.validation.moulds import channel, pressed, rectangle, vent

from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import COARSE, FINE, flow_key, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.mould import Machine, Seal
from bibulon.core.mould.closing import closing_of
from bibulon.core.mould.mould import STARTS, _fastest, mould_of
from bibulon.core.run.layup import next_gate
from bibulon.core.run.loading import load_entry, load_steps, loaded_steps


@pytest.fixture(scope="module")
def lid():
    job = mould_demo_job()
    return job, forecast(job, COARSE)


def kinds(job, result):
    return {f.kind for f in find(evidence_of(job, result)) if f.station in ("Mould", "Part")}


def closed(job, **fields):
    return job.replaced(closed=job.closed.replaced(**fields))


def ruled(job, **fields):
    return job.replaced(rules=job.rules.replaced(**fields))


def both_sides(kind, result, inside, outside):
    assert kind not in kinds(inside, result)
    assert kind in kinds(outside, result)


def test_the_demo_says_only_what_is_so(lid):
    assert kinds(*lid) <= {"bow", "channel-waste"}


def test_a_bag_is_not_judged_as_a_mould_nor_a_mould_as_a_bag(lid):
    assert not any(f.station == "Mould" for f in find(evidence_of(demo_job(), None)))
    assert not any(f.station == "Bag" for f in find(evidence_of(*lid)))


def test_a_mould_without_a_gap_is_told(lid):
    job, result = lid
    flat = job.replaced(part=job.part.replaced(cavity=0.0))
    assert "no-gap" in kinds(flat, result)
    assert mould_of(flat, result).bow is None


def test_the_margin_is_judged_at_the_rule(lid):
    job, result = lid
    least = float(closing_of(job, result).factor.min())
    both_sides(
        "margin", result, ruled(job, closing_factor=least * 0.999), ruled(job, closing_factor=least * 1.001)
    )


def test_the_remedy_for_a_thin_margin_keeps_the_rule(lid):
    job, _ = lid
    hot = closed(job, injection=1.25e5)
    result = forecast(hot, COARSE)
    found = next(f for f in find(evidence_of(hot, result)) if f.kind == "margin")
    mended = found.remedy.apply(hot)
    assert mended.closed.injection < hot.closed.injection
    assert "margin" not in {
        f.kind for f in find(evidence_of(ruled(mended, closing_factor=1.27), forecast(mended, COARSE)))
    }


def test_a_vent_shut_too_soon_is_told_when_it_would_open_the_mould(lid):
    job, result = lid
    held, opened = closing_of(job, result).shut
    assert held > opened
    light = closed(job, chamber=0.030)
    c = closing_of(light, result)
    assert ("shut-vent" in kinds(ruled(light, closing_factor=1.01), result)) is (
        c.shut[0] < c.shut[1] and float(c.factor.min()) >= 1.01
    )
    assert "shut-vent" not in kinds(job, result)


def test_the_flange_is_judged_in_todays_air(lid):
    job, result = lid
    at = job.conditions.atmosphere - job.rules.flange_least
    both_sides("flange-weak", result, closed(job, flange=at - 100), closed(job, flange=at + 100))
    high = job.replaced(conditions=job.conditions.replaced(atmosphere=88_000.0))
    assert "flange-weak" in kinds(high, result)  # the same absolute vacuum pulls less on a hill


def test_the_cavity_must_not_pull_as_hard_as_the_flange(lid):
    job, result = lid
    at = job.conditions.vacuum - 5e3
    both_sides("cavity-strong", result, closed(job, flange=at - 10), closed(job, flange=at + 10))


def test_seals_are_judged_by_their_gap(lid):
    job, result = lid
    seal = Seal()
    for gap, told in (
        (seal.gap_least, False),
        (seal.gap_least - 1e-5, True),
        (seal.gap_most, False),
        (seal.gap_most + 1e-5, True),
    ):
        assert ("seal-gap" in kinds(closed(job, seal_gap=gap), result)) is told


def test_the_lift_is_judged_at_the_rule(lid):
    job, result = lid
    lift = mould_of(job, result).bow.most
    both_sides("bow", result, ruled(job, bow_most=lift * 1.001), ruled(job, bow_most=lift * 0.999))


def test_a_mould_sucked_down_on_to_too_little_cloth_is_told(lid):
    job, result = lid
    thin = float(mould_of(job, result).part.lift[mould_of(job, result).part.inside].min())
    both_sides(
        "sucked-down", result, ruled(job, bow_most=-thin / 2 * 1.001), ruled(job, bow_most=-thin / 2 * 0.999)
    )


def test_a_channel_is_judged_when_it_is_full_and_by_what_it_holds(lid):
    job, result = lid
    mould = mould_of(job, result)
    share = mould.channel_full / result.fill_time
    both_sides(
        "channel-small",
        result,
        ruled(job, channel_ahead=share * 1.001),
        ruled(job, channel_ahead=share * 0.999),
    )
    held = mould.channels / (result.resin_in_part + mould.channels)
    both_sides(
        "channel-waste",
        result,
        ruled(job, channel_waste=held * 1.001),
        ruled(job, channel_waste=held * 0.999),
    )


def test_a_vent_off_the_middle_is_wet_before_the_part_is(lid):
    job, result = lid
    assert "vent-early" not in kinds(job, result)
    aside = job.replaced(lines=(job.lines[0], job.lines[1].replaced(path=((0.75, 0.45),))))
    assert "vent-early" in kinds(aside, forecast(aside, COARSE))


def test_fast_resin_at_the_inlet_is_judged(lid):
    job, result = lid
    speed = max(mould_of(job, result).inlets.values())
    both_sides(
        "fibre-wash", result, ruled(job, inlet_speed=speed * 1.001), ruled(job, inlet_speed=speed * 0.999)
    )


@pytest.mark.parametrize(
    ("resolution", "injection"), [(COARSE, 104_000.0), (FINE, 104_000.0), (COARSE, 130_000.0)]
)
def test_resin_is_as_fast_beside_a_channel_as_the_front_that_it_drives(resolution, injection):
    """From edge to edge x² = 2 D t, so the front at x goes with D/x, and is judged from 25 mm on."""
    long, wide = 0.4, 0.3
    lines = (
        channel((0.0, 0.0), (0.0, wide), hose_length=0.02, hose_bore=0.012, bore=0.012),
        vent("V1", (long, 0.0), (long, wide), bore=0.012),
    )
    job = pressed(rectangle(long, wide), *lines, injection=injection)
    result = forecast(job, resolution)
    law = long**2 / 2 / result.fill_time / 0.025
    assert max(mould_of(job, result).inlets.values()) == pytest.approx(law, rel=0.25)


def test_a_channel_across_the_middle_feeds_either_way():
    """Half of what it lets in goes to each side: the front at x goes with D/x there, as beside one at an edge."""
    long, wide = 0.8, 0.3
    across = channel((long / 2, 0.0), (long / 2, wide), hose_length=0.02, hose_bore=0.012, bore=0.012)
    ends = [vent(f"V{k}", (x, 0.0), (x, wide), bore=0.012) for k, x in enumerate((0.0, long))]
    job = pressed(rectangle(long, wide), across, *ends, injection=1.5e5, machine=Machine(rate=0.01))
    result = forecast(job, COARSE)
    law = (long / 2) ** 2 / 2 / result.fill_time / 0.025
    (told,) = mould_of(job, result).inlets.values()
    assert told == pytest.approx(law, rel=0.25)


def test_resin_that_runs_out_of_a_closed_mould_is_told(lid):
    """A vent beside the channel, shut by nobody: what it drinks is more than a light mould's pot ever takes."""
    job, result = lid
    ran = {f.kind for f in find(evidence_of(job, result))}
    assert "runs" not in ran
    channel_there, middle = job.lines
    beside = job.replaced(lines=(channel_there, middle.replaced(path=((0.92, 0.45),), hose_length=0.1)))
    much = forecast(beside, COARSE)
    share = much.resin_to_catch_pot / much.resin_in_part
    told = [f for f in find(evidence_of(beside, much)) if f.kind == "runs"]
    assert share > 0.05
    assert told
    assert "mesh" not in told[0].mend


def test_what_is_amiss_at_an_inlet_or_a_channel_is_shown_there(lid):
    """By the inlet that is fast, and where a narrow channel is wet last: across from its hose."""
    job, result = lid
    fast = ruled(job, inlet_speed=0.9 * max(mould_of(job, result).inlets.values()))
    (told,) = (f for f in find(evidence_of(fast, result)) if f.kind == "fibre-wash")
    assert told.key == "fibre-wash:F1"
    assert told.title.endswith("at F1")
    thin, middle = job.lines
    narrow = job.replaced(lines=(thin.replaced(bore=0.003), middle))
    (small,) = (f for f in find(evidence_of(narrow, forecast(narrow, COARSE))) if f.kind == "channel-small")
    (x, y), hose = small.places[0], thin.path[0]
    assert np.hypot(x - hose[0], y - hose[1]) > 0.8  # of 1.33 m across


def test_nothing_is_pushed_over_its_rating(lid):
    job, result = lid
    both_sides(
        "rated",
        result,
        closed(job, pot_rated=job.closed.injection),
        closed(job, pot_rated=job.closed.injection - 1),
    )
    machine = job.closed.machine
    assert "rated" in kinds(closed(job, machine=machine.replaced(most=job.closed.injection - 1)), result)


def test_the_flange_outlasts_gel_and_the_flush_comes_before_it(lid):
    job, result = lid
    gel = result.clock.gel
    pull = job.conditions.atmosphere - job.rules.flange_least - job.closed.flange
    leak = job.closed.reservoir * pull / gel
    both_sides(
        "hold-short",
        result,
        closed(job, reservoir_leak=leak * 0.999),
        closed(job, reservoir_leak=leak * 1.001),
    )
    machine = job.closed.machine
    both_sides(
        "flush-late",
        result,
        closed(job, machine=machine.replaced(flush_within=gel - 1)),
        closed(job, machine=machine.replaced(flush_within=gel + 1)),
    )


def test_empty_edges_are_told(lid):
    job, result = lid
    for gap, told in ((0.0004, False), (0.0006, True)):
        edged = job.replaced(conditions=job.conditions.replaced(edge_gap=gap))
        assert ("empty-edge" in kinds(edged, result)) is told


def test_a_press_has_no_flange_vacuum_to_judge(lid):
    job, result = lid
    press = closed(job.replaced(process="RTM"), flange=job.conditions.atmosphere - 1.0, clamps=60e3)
    assert not kinds(press, result) & {"flange-weak", "cavity-strong", "hold-short"}


def test_a_forecast_is_not_kept_when_process_or_pressure_change(lid):
    job, _ = lid
    assert flow_key(job) != flow_key(closed(job, injection=1.1e5))
    assert flow_key(job) != flow_key(job.replaced(process="infusion"))
    assert flow_key(job) == flow_key(closed(job, chamber=0.2))


# -- loading


def test_gates_of_loading_open_only_when_all_before_is_done(lid):
    job, _ = lid
    steps = load_steps(job)
    keys = [s.key for s in steps]
    assert keys.index("hands") < keys.index("flange") < keys.index("proven") < keys.index("cavity")
    by_key = {s.key: s for s in steps}
    assert next_gate(steps, {}, by_key["loaded"]).key == "wiped"
    assert next_gate(steps, {}, by_key["seals"]) is None
    assert next_gate(steps, {}, by_key["flange"]).key == "wiped"
    done = loaded_steps([load_entry(s, s.words, "Ada", 1.0) for s in steps[: keys.index("hands") + 1]])
    assert next_gate(steps, done, by_key["flange"]) is None
    assert next_gate(steps, done, by_key["proven"]).key == "flange"
    assert next_gate(steps, done, by_key["cavity"]).key == "flange"


def test_ticks_are_taken_back_and_stand_on_the_record(lid):
    job, _ = lid
    step = load_steps(job)[0]
    rows = [
        load_entry(step, "Flange wiped", "Ada", 10.0),
        load_entry(step, "Flange wiped", "Ada", 20.0, False),
    ]
    assert loaded_steps(rows[:1])[step.key].by == "Ada"
    assert loaded_steps(rows) == {}
    told = " ".join(str(cell) for row in journal_rows(rows, job, "metric") for cell in row)
    assert "loading step done" in told
    assert "Flange wiped" in told


def test_a_press_is_clamped_in_place_of_two_vacuums(lid):
    job, _ = lid
    keys = [s.key for s in load_steps(job.replaced(process="RTM"))]
    assert "clamped" in keys
    assert "flange" not in keys


def test_pressures_of_the_forecast_are_those_of_the_inlet(lid):
    job, result = lid
    high = float(np.nanmax(result.pressure(0.5 * result.fill_time)))
    assert high == pytest.approx(
        job.closed.injection - job.conditions.vacuum, rel=0.06
    )  # the hose takes some


@pytest.mark.parametrize("power", [0.0, 1.0])
@pytest.mark.parametrize("steps", [12, 60])
def test_the_speed_from_where_it_counts_is_that_of_a_steady_and_of_a_falling_flow(power, steps):
    """A steady flow is as fast everywhere; one through a lengthening column goes with 1/x (x² = 2 D t)."""
    time = np.linspace(0.0, 100.0, steps)
    gone = 0.002 * time if power == 0 else np.sqrt(2 * 2e-4 * time)
    wanted = 0.002 if power == 0 else 2e-4 / STARTS
    assert _fastest(time, gone) == pytest.approx(wanted, rel=0.05)


def test_what_never_comes_so_far_washes_nothing():
    assert _fastest(np.linspace(0.0, 100.0, 20), np.linspace(0.0, 0.9 * STARTS, 20)) == 0.0
