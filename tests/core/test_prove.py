"""What a leak does later, pumping down, the volume of a bag, and the hunt: closed forms, made records, seeded bags."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.integrate import solve_ivp
from tests.validation.layouts import feed, job, vacuum

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.findings.judge import evidence_of
from bibulon.core.findings.prove import pump_at_fault, pump_reaches
from bibulon.core.leak.after import CHOKED, air_drawn, hole_flow, later, pinhole
from bibulon.core.leak.droptest import LeakError, at_one_temperature, fit_drop, judge
from bibulon.core.leak.hunt import Clamp, Heard, Hunt, Place, best_clamp, hunted, places_of, zone_of
from bibulon.core.leak.pumpdown import Pumping, fit_pump_down, time_to
from bibulon.core.leak.volume import bag_volume
from bibulon.core.library.demo import demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import CatchPot, DropTest
from bibulon.core.model.rules import SCHOOLS
from bibulon.core.resin.charge import pore_volume
from bibulon.core.run.hunting import clamp_entry, heard_entry, hunt_done, mended, mended_entry
from bibulon.core.run.journal import Entry
from bibulon.core.units.figures import figures_in

AIR = 101325.0

# -- later


def test_a_choked_hole_lets_in_the_same_whatever_the_vacuum():
    times = np.array([600.0, 3600.0, 7200.0])
    found = later(0.006, 2e-3, 2000.0, times, AIR)
    assert found.hole == pytest.approx(2000.0 + 2e-3 / 0.006 * times, rel=1e-6)
    assert found.hole[-1] < CHOKED * AIR


def test_a_fine_path_against_its_own_equation():
    times = np.array([3600.0, 36000.0, 360000.0])
    found = later(0.006, 2e-3, 2000.0, times, AIR)
    run = solve_ivp(
        lambda _t, y: [2e-3 / 0.006 * (AIR**2 - y[0] ** 2) / (AIR**2 - 2000.0**2)], (0, times[-1]), [2000.0], t_eval=times, rtol=1e-9,
        method="LSODA",
    )  # fmt: skip
    assert found.fine == pytest.approx(run.y[0], rel=1e-5)
    assert np.all(found.hole <= AIR)
    assert np.all(found.fine <= AIR)


def test_a_pinhole_leaks_what_it_was_told_to():
    size = pinhole(2e-3, AIR)
    assert hole_flow(math.pi / 4 * size**2, AIR) == pytest.approx(2e-3, rel=1e-9)
    assert pinhole(0.0, AIR) == 0.0
    # Sonic flow of air at 20 °C and 101.3 kPa through 1 mm², C_d = 1: 0.2 g/s, or 20 Pa m³/s (Jousten).
    assert hole_flow(1e-6, AIR, discharge=1.0) == pytest.approx(20.1, rel=0.02)


def test_air_drawn_is_leak_times_time_at_the_pressure():
    assert air_drawn(1e-3, 2400.0, 5e4) == pytest.approx(4.8e-5)


# -- pumping down


def drawn(speed=2e-4, ultimate=300.0, leak=0.0, volume=0.006, span=240.0, hose=0.0, noise=0.0):
    """A record by the differential equation itself; ``hose`` its conductance over pressure [m³/(s Pa)]."""

    def fall(_t, y):
        p = max(y[0], 1.0)
        s = speed if not hose else 1 / (1 / speed + 1 / (hose * p))
        return [(-s * (p - ultimate) + leak) / volume]

    time = np.linspace(0, span, 60)
    p = solve_ivp(fall, (0, span), [AIR], t_eval=time, rtol=1e-9, method="LSODA").y[0]
    p = p * (1 + noise * np.random.default_rng(3).standard_normal(len(p)))
    return [Reading(time=float(t), pressure=float(x)) for t, x in zip(time, p, strict=True)]


@pytest.mark.parametrize("noise", [0.0, 0.01])
def test_speed_and_floor_come_back(noise):
    found = fit_pump_down(drawn(noise=noise), 0.006)
    assert found.speed == pytest.approx(2e-4, rel=0.01 + 2 * noise)
    assert found.floor == pytest.approx(300.0, rel=0.02 + 5 * noise)
    assert found.blame == ""
    assert found.scatter < 0.002 + 1.5 * noise


def test_a_pressure_is_reached_after_the_logarithm_of_what_is_left():
    """V/S = 30 s; from 100 kPa over a floor of 500 Pa to 5.475 kPa: ln(99.5/4.975) = ln 20."""
    pumping = Pumping(2e-4, 2e-4, 500.0, 1e5, 0.006, 0.0, "", "")
    assert time_to(pumping, 5475.0) == pytest.approx(30.0 * math.log(20.0))
    assert time_to(pumping, 500.0) == math.inf
    assert time_to(pumping, 1e5) == 0.0


@pytest.mark.parametrize("k", [1, 4, 58])
def test_a_reading_out_of_order_is_named(k):
    readings = drawn()
    readings[k] = readings[k].replaced(time=readings[k - 1].time)
    with pytest.raises(LeakError, match=rf"^Reading {k + 1} does not come after"):
        fit_pump_down(readings, 0.006)


def test_a_leaking_bag_ends_where_its_leak_is_as_fast_as_the_pump():
    found = fit_pump_down(drawn(leak=0.5), 0.006, leak=0.5)
    assert found.floor == pytest.approx(300.0 + 0.5 / 2e-4, rel=0.02)
    assert found.blame == "bag"
    assert fit_pump_down(drawn(leak=0.5), 0.006).blame == "bag or pump"


def test_a_worn_pump_is_slow_at_all_pressures_and_a_thin_hose_late():
    worn = fit_pump_down(drawn(speed=8e-5), 0.006, rated=2e-4)
    assert worn.blame == "pump"
    choked = fit_pump_down(drawn(hose=2e-8, span=600.0), 0.006, rated=2e-4)
    assert choked.blame == "hose"
    assert fit_pump_down(drawn(), 0.006, rated=2e-4).blame == ""


def test_the_time_to_a_level_is_that_of_the_record():
    readings = drawn()
    found = fit_pump_down(readings, 0.006)
    for level in (50_000.0, 5_000.0, 1_000.0):
        at = np.interp(-level, [-r.pressure for r in readings], [r.time for r in readings])
        assert time_to(found, level) == pytest.approx(at, rel=0.03)
    assert time_to(found, 200.0) == math.inf
    assert time_to(found, 2e5) == 0.0


def pump_findings(made, leak=None):
    return [f for f in pump_reaches(replace(evidence_of(made), leak=leak)) if f.key == "pump-weak"]


def with_pump(**pump):
    made = job()
    return made.replaced(pump=made.pump.replaced(**pump))


def test_a_plan_deeper_than_its_pump_is_told_from_a_hundredth_of_the_pull_on():
    planned = job().conditions.vacuum
    least = planned + 0.01 * (AIR - planned)
    assert pump_findings(with_pump(ultimate=least - 1.0)) == []
    (told,) = pump_findings(with_pump(ultimate=2 * planned + 8000.0))
    assert figures_in(told.number)[0][0] == pytest.approx(2 * planned + 8000.0)
    missing = 100 * (planned + 8000.0) / (AIR - 2 * planned - 8000.0)
    assert f"{missing:.0f} % more" in told.why
    assert pump_findings(with_pump(ultimate=least + 1.0))


def test_what_the_bag_leaks_keeps_a_small_pump_from_its_end():
    """In balance as much comes in as is pumped away: p = p_end + q / S."""
    speed, q = 2e-4, 0.6
    readings = tuple(
        Reading(time=10.0 * k, pressure=2000.0 + 10.0 * k * q / 0.01 + (3.0, -3.0)[k % 2]) for k in range(60)
    )
    found = fit_drop(readings, 0.01)
    assert found.leak == pytest.approx(q, rel=0.02)
    made = with_pump(speed=speed, ultimate=500.0)
    (told,) = pump_findings(made, found)
    assert figures_in(told.number)[0][0] == pytest.approx(500.0 + q / speed, rel=0.02)
    assert "leaks" in told.why
    assert pump_findings(with_pump(speed=100 * speed, ultimate=500.0), found) == []


def test_a_pump_that_was_watched_is_judged_by_what_it_did():
    """A record that was ended on the way down says nothing against it; one that stays up is told, and once."""
    speed, volume = 0.0028, 0.01

    def watched(until, floor):
        times = np.linspace(0.0, until, 40)
        falls = floor + (90_000.0 - floor) * np.exp(-speed * times / volume)
        readings = tuple(Reading(time=float(a), pressure=float(b)) for a, b in zip(times, falls, strict=True))
        made = with_pump(ultimate=9000.0)
        return made.replaced(test=DropTest(pump_down=readings, volume=volume))

    assert pump_findings(with_pump(ultimate=9000.0))
    ended = watched(8.0, 500.0)  # still at 100 mbar
    assert ended.test.pump_down[-1].pressure > 8000.0
    for made in (ended, watched(40.0, 500.0), watched(40.0, 8000.0)):
        assert pump_findings(made) == []
    assert [f.key for f in pump_at_fault(evidence_of(watched(40.0, 8000.0)))] == ["pump-floor"]
    assert [f.key for f in pump_at_fault(evidence_of(watched(40.0, 500.0)))] == []


def test_what_is_no_pump_down_is_told():
    flat = [Reading(time=float(t), pressure=2000.0) for t in range(6)]
    with pytest.raises(LeakError, match="does not fall"):
        fit_pump_down(flat, 0.006)
    with pytest.raises(LeakError, match="five readings"):
        fit_pump_down(flat[:3], 0.006)
    with pytest.raises(LeakError, match="does not come after"):
        fit_pump_down([*drawn()[:5], Reading(time=1.0, pressure=5.0)], 0.006)


# -- volume


def test_the_volume_of_a_bag_is_summed_from_the_job():
    made = job(
        lines=(
            feed(bore=0.01, hose_bore=0.01, hose_length=2.0),
            vacuum(bore=0.01, hose_bore=0.008, pot="P1"),
        ),
        pots=(CatchPot(id="P1", label="P1", volume=0.004, hose_bore=0.01, hose_length=1.0),),
    )
    found = bag_volume(made)
    assert found["plies, core and mesh"] == pytest.approx(pore_volume(made))
    length = 0.46 + 0.5
    assert found["lines"] == pytest.approx(math.pi / 4 * 1e-4 * length, rel=1e-6)
    assert found["hoses"] == pytest.approx(math.pi / 4 * (1e-4 * 2.0 + 0.008**2 * 1.5))
    assert found["catch pots"] == pytest.approx(0.004 + math.pi / 4 * 1e-4 * 1.0)


# -- the hunt


@pytest.fixture(scope="module")
def bag():
    made = demo_job()
    laid = bag_of(made)
    return places_of(made, laid), laid.walk.length


def test_tubes_and_pleats_are_looked_at_first(bag):
    places, length = bag
    hunt = hunted(places, length, 1e-2)
    assert hunt.share.sum() == pytest.approx(1.0)
    assert places[hunt.next].kind == "tube"
    by_kind = {k: max(hunt.share[[p.kind == k for p in places]]) for k in ("tube", "pleat", "tape", "film")}
    assert by_kind["tube"] > by_kind["pleat"] > by_kind["tape"]
    assert not hunt.found


def test_a_hit_draws_the_eye_and_a_careful_look_turns_it_away(bag):
    places, length = bag
    at = next(p for p in places if p.kind == "tape")
    before = hunted(places, length, 1e-2)
    hit = hunted(places, length, 1e-2, [Heard(at.x, at.y, True)])
    miss = hunted(places, length, 1e-2, [Heard(at.x, at.y, False)])
    k = places.index(at)
    assert hit.share[k] > before.share[k] > miss.share[k]
    tube = next(p for p in places if p.kind == "tube")
    again = hunted(places, length, 1e-2, [Heard(tube.x, tube.y, True)] * 3)
    assert again.found
    assert again.places[again.next] == tube


def test_a_clamp_that_takes_the_leak_along_says_so(bag):
    places, length = bag
    leaky = Clamp(0.0, length / 3, 1e-2, 1e-3)
    tight = Clamp(0.0, length / 3, 0.0, 1e-3)
    inside = np.array([p.along <= length / 3 for p in places])
    assert hunted(places, length, 1e-2, [leaky]).share[inside].sum() > 0.99
    assert hunted(places, length, 1e-2, [tight]).share[inside].sum() < 0.01
    blurred = hunted(places, length, 1e-2, [Clamp(0.0, length / 3, 0.5e-2, 1e-1)])
    assert blurred.share == pytest.approx(hunted(places, length, 1e-2).share, abs=0.01)


def test_the_hunt_finds_a_leak_in_fewer_tests_than_halving_at_random(bag):
    places, length = bag
    weights = np.array([p.weight for p in places])
    rng = np.random.default_rng(18)
    ours, random = [], []
    for _ in range(60):
        true = places[rng.choice(len(places), p=weights / weights.sum())]
        for counts, clever in ((ours, True), (random, False)):
            done, count = [], 0
            while count < 40:
                hunt = hunted(places, length, 1e-2, done)
                if hunt.found:
                    break
                if clever:
                    clamp = best_clamp(hunt, length, 1e-2, 1e-3)
                else:
                    start = rng.uniform(0, length)
                    clamp = Clamp(start, (start + length / 2) % length, 0.0, 1e-3)
                inside = (true.along - clamp.start) % length <= (clamp.end - clamp.start) % length
                told = (1e-2 if inside else 0.0) + rng.normal(0, 5e-4)
                done.append(Clamp(clamp.start, clamp.end, told, 1e-3))
                count += 1
            counts.append(count)
            if clever and hunt.found:
                at = places[hunt.next]
                assert math.hypot(at.x - true.x, at.y - true.y) < 0.5
    assert np.mean(ours) < 0.75 * np.mean(random)
    assert np.median(ours) <= 6


# -- a drop test with its temperature, and how long it still takes


def test_a_shop_that_warms_up_is_no_leak():
    time = np.arange(0, 601, 10.0)
    kelvin = 291.15 + 3.0 * time / 600
    shake = np.random.default_rng(7).normal(0, 0.2, len(time))
    tight = [
        Reading(time=float(t), pressure=float(2000.0 * k / kelvin[0] + e))
        for t, k, e in zip(time, kelvin, shake, strict=True)
    ]
    plain = fit_drop(tight, 0.006)
    assert plain.rise_low > 0.01
    held = fit_drop(at_one_temperature(tight, list(zip(time.tolist(), kelvin.tolist(), strict=True))), 0.006)
    assert held.rise_low <= 0 <= held.rise_high
    assert abs(held.rise) < 0.1 * plain.rise
    with pytest.raises(LeakError, match="check its unit"):
        at_one_temperature(tight, [(0.0, 18.0), (600.0, 21.0)])
    with pytest.raises(LeakError, match="no temperature"):
        at_one_temperature(tight, [])


def test_a_verdict_says_how_much_longer_it_takes():
    school = SCHOOLS[0]

    def record(seconds, rise=1.0):
        return [Reading(time=float(t), pressure=2000.0 + rise * t) for t in np.arange(0, seconds + 1, 5.0)]

    def judged(readings):
        return judge(DropTest(readings=tuple(readings), volume=0.006), fit_drop(readings, 0.006), school)

    short = judged(record(120))
    assert short.outcome == "cannot tell"
    assert short.wait == pytest.approx(180.0)
    assert judged(record(320)).wait == 0.0
    falling = judged([Reading(time=float(t), pressure=20000.0 - 5 * t) for t in np.arange(0, 320, 5.0)])
    assert falling.wait is None


def test_the_hunt_stands_on_record_and_begins_anew_once_mended():
    rows = [
        heard_entry(Heard(0.1, 0.2, True), "Ada", 10.0), clamp_entry(Clamp(0.0, 1.5, 3e-3, 1e-4), "Ada", 20.0),
        Entry("hunt", 0.0, "clamped", {"start": 0.0}, 25.0),
    ]  # fmt: skip
    assert hunt_done(rows) == [Heard(0.1, 0.2, True), Clamp(0.0, 1.5, 3e-3, 1e-4)]
    rows.append(mended_entry(0.1, 0.2, "tape pressed", "Ada", 30.0))
    assert hunt_done(rows) == []
    assert mended(rows) == [(0.1, 0.2, "tape pressed")]
    told = " ".join(str(cell) for row in journal_rows(rows, demo_job(), "metric") for cell in row)
    assert "leak mended" in told
    assert "tape pressed" in told


@pytest.mark.parametrize(
    ("weights", "zone"),
    [
        ((1, 1, 96, 1, 1), (2.0, 2.0)),  # one place has it
        ((1, 40, 40, 1, 18), (1.0, 2.0)),
        ((45, 4, 4, 4, 43), (4.0, 0.0)),  # going on round
        ((20, 20, 20, 20, 20), (0.0, 3.0)),
    ],
)
def test_the_stretch_that_holds_four_in_five_is_the_shortest(weights, zone):
    places = tuple(Place("joint", f"p{k}", float(k), 0.0, float(k), 1.0) for k in range(5))
    share = np.array(weights, dtype=float)
    assert zone_of(Hunt(places, share / share.sum()), 5.0) == pytest.approx(zone)


@pytest.mark.parametrize("missing", ["start", "end", "leak", "half"])
def test_a_clamp_that_lacks_a_figure_is_passed_over(missing):
    whole = clamp_entry(Clamp(0.2, 1.5, 3e-3, 1e-4), "Ada", 20.0)
    data = {k: v for k, v in whole.data.items() if k != missing}
    assert hunt_done([whole, replace(whole, data=data)]) == [Clamp(0.2, 1.5, 3e-3, 1e-4)]


def test_a_mended_leak_without_a_place_and_one_of_a_run_are_passed_over():
    rows = [mended_entry(0.1, 0.2, "tape", "Ada", 30.0)]
    rows += [replace(rows[0], data={"y": 0.2}), replace(rows[0], data={"x": 0.1}), replace(rows[0], run="r1")]
    assert mended(rows) == [(0.1, 0.2, "tape")]
