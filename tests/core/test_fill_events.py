"""What is done while a part fills, and what it leads to: valves, buckets, batches, states to go on from."""

from __future__ import annotations

import itertools
import math
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from examples.make import CASES, FEED, MU, PHI, PULL, THICK, UNIT, VACUUM, WIDTH, K, corners, line, textbook
from tests.validation.layouts import LAYOUTS

from bibulon.core.edit.edit import change
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.fields import air_drawn, bag_thickness, closings, lead, line_flows, resin_age
from bibulon.core.flow.fill.history import Known
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.catalogue import library
from bibulon.core.model.job import (
    AtTime,
    Bucket,
    Conditions,
    Layer,
    Manifold,
    OnEmpty,
    OnFront,
    Part,
    PouredBatch,
    Spot,
    ValveTurn,
)
from bibulon.core.model.materials import Resin, TabulatedViscosity
from bibulon.core.stack.laminate import zone_stack

SIZE = Resolution(900, 1, 24)
PORES = PHI * WIDTH * THICK  # m³ a metre of strip


def wet(result, x):
    places = [(x, float(y)) for y in np.linspace(0.04, 0.26, 7)]
    return float(np.mean([result.probe(*p)[result.model.slots[0]] for p in places]))


def test_a_known_state_goes_on_as_the_whole_run_does():
    job = CASES["strip"]().job
    whole = forecast(job, SIZE)
    half = forecast(change(job, lines=(FEED.replaced(shuts=AtTime(time=600.0)), VACUUM)), SIZE)
    known = Known(600.0, half.history.filled_at, half.history.fraction)
    rest = forecast(job, SIZE, start=known)
    assert rest.filled
    for x in (0.6, 0.8):
        assert wet(rest, x) == pytest.approx(wet(whole, x), rel=0.01)
    assert wet(rest, 0.2) == pytest.approx(wet(whole, 0.2), rel=0.02)
    assert rest.history.balance < 1e-8


def test_a_vent_throttled_to_a_pressure_takes_it_off_the_pull():
    job = CASES["strip"]().job
    eased = change(job, lines=(FEED, VACUUM.replaced(pull=4e4)))
    assert wet(forecast(eased, SIZE), 0.8) == pytest.approx(UNIT * 0.32 / 0.6, rel=0.02)


def test_a_vacuum_throttled_to_a_share_has_that_share_of_its_pull_until_it_is_opened_again():
    """x²/2 grows as ∫ p dt: whole up to 0.125, halved for a tenth, whole again."""
    job = CASES["strip"]().job
    turns = (
        ValveTurn(when=AtTime(time=0.125 * UNIT), share=0.5),
        ValveTurn(when=AtTime(time=0.225 * UNIT), share=1.0),
    )
    told = forecast(change(job, lines=(FEED, VACUUM.replaced(turns=turns))), SIZE)
    assert wet(told, 0.5) == pytest.approx(0.125 * UNIT, rel=0.02)
    assert wet(told, 0.58) == pytest.approx((0.125 + 2 * (0.58**2 / 2 - 0.125)) * UNIT, rel=0.02)
    assert wet(told, 0.8) == pytest.approx((0.225 + 0.32 - 0.175) * UNIT, rel=0.02)


def test_a_valve_half_open_doubles_its_hose():
    bore, length = 0.005, 2.0
    feed = line("F1", "feed", (0, 0), (0, WIDTH), bore=0.02, hose_bore=bore, hose_length=length,
                turns=(ValveTurn(when=AtTime(time=0.0), share=0.5),))  # fmt: skip
    resistance, volume = (
        2 * 128 * length / (math.pi * bore**4),
        math.pi / 4 * (bore**2 * length + 0.02**2 * WIDTH),
    )
    told = forecast(textbook("Half open", lines=(feed, VACUUM)), SIZE)
    x = 0.7
    law = MU / PULL * (resistance * volume + PORES * (resistance * x + x * x / (2 * K * WIDTH * THICK)))
    assert wet(told, x) == pytest.approx(law, rel=0.02)


def test_a_manifold_shares_its_hose():
    """Two strips with a wall between, one hose: each is a strip behind twice the resistance."""
    bore = 0.005
    wall = corners((-0.01, 0.145), (0.99, 0.145), (0.99, 0.155), (-0.01, 0.155))
    feeds = (
        line("F1", "feed", (0, 0), (0, 0.145), manifold="M"),
        line("F2", "feed", (0, 0.155), (0, WIDTH), manifold="M"),
    )
    job = textbook(
        "Two strips on one hose", part=Part(outline=corners((0, 0), (1, 0), (1, WIDTH), (0, WIDTH)), holes=(wall,)),
        manifolds=(Manifold(id="M", label="M", volume=1e-6, hose_bore=bore, hose_length=1.0),), lines=(*feeds, VACUUM),
    )  # fmt: skip
    told = forecast(job, SIZE)
    area, resistance = 0.29 * THICK, 128 / (math.pi * bore**4)
    x, volume = 0.6, math.pi / 4 * bore**2 + 1e-6
    law = MU / PULL * (resistance * volume + PHI * area * (resistance * x + x * x / (2 * K * area)))
    for y in (0.07, 0.23):
        assert told.probe(x, y)["plies"] == pytest.approx(law, rel=0.03)
    flows = {f.line: f for f in line_flows(told, law)}
    assert flows["F1"].total == pytest.approx(flows["F2"].total, rel=0.02)
    assert flows["F1"].flow + flows["F2"].flow == pytest.approx(flows["M"].flow, rel=0.02)
    one = change(job, lines=(feeds[0], feeds[1].replaced(opens=AtTime(time=5000.0)), VACUUM))
    alone = forecast(one, SIZE)
    assert alone.probe(0.9, 0.07)["plies"] < 5000 < alone.probe(0.3, 0.23)["plies"]


def test_a_manifold_that_is_not_there_is_refused():
    with pytest.raises(ValueError, match="hangs on “M”"):
        textbook("Nothing to hang on", lines=(FEED.replaced(manifold="M"), VACUUM))


def pots(*batches, heel=0.05):
    return (Bucket(id="B", heel=heel, batches=batches),)


def test_a_bucket_at_its_heel_gives_air_and_says_so():
    half = PORES * 0.5 * 1000  # kg, for half the strip
    job = textbook("Too little", buckets=pots(PouredBatch(mass=half + 0.05)))
    told = forecast(job, SIZE)
    (gone,) = told.history.emptied
    assert gone.time == pytest.approx(UNIT * 0.125, rel=0.02)
    assert gone.drew_air == pytest.approx(PORES * 0.5, rel=0.02)
    finding = next(f for f in find(evidence_of(job, told)) if f.key == "air:B")
    assert finding.weight == "blocking"
    share = air_drawn(told, told.history.end)[:, 0]
    x = told.model.mesh.points[:, 0]
    assert np.nanmean(share[x < 0.3]) > 0.9  # air came last: it is at the feed
    assert np.nanmean(share[x > 0.8]) < 0.1


def test_enough_in_the_bucket_is_no_finding():
    job = textbook("Enough", buckets=pots(PouredBatch(mass=PORES * 1000 * 1.05 + 0.05)))
    told = forecast(job, SIZE)
    assert told.history.emptied == ()
    assert not any(f.key.startswith("air:") for f in find(evidence_of(job, told)))


def test_a_batch_poured_when_the_first_is_gone_goes_on():
    half = PORES * 0.5 * 1000
    later = PouredBatch(mass=2.0, poured=OnEmpty(bucket="B", delay=0.0))
    told = forecast(textbook("Two pours", buckets=pots(PouredBatch(mass=half + 0.05), later)), SIZE)
    assert told.filled
    assert told.history.emptied[0].drew_air == pytest.approx(0, abs=0.03 * PORES)
    assert wet(told, 0.9) == pytest.approx(UNIT * 0.405, rel=0.02)


def thick(growth):
    times = tuple(float(t) for t in np.linspace(0, 9000, 61))
    law = TabulatedViscosity(times=times, values=tuple(MU * math.exp(t / growth) for t in times))
    return Resin(name="Thickening", viscosity=law, density=1000.0)


def test_batches_of_one_age_are_one_pot():
    first = PouredBatch(mass=0.4)
    same = PouredBatch(mass=2.0, mixed=0.0, poured=AtTime(time=100.0))
    one = forecast(textbook("One", resin=thick(1500.0)), SIZE)
    two = forecast(textbook("Two", resin=thick(1500.0), buckets=pots(first, same)), SIZE)
    assert wet(two, 0.6) == pytest.approx(wet(one, 0.6), rel=0.005)


def test_a_fresh_second_batch_helps_and_is_behind_the_first():
    half = PORES * 0.4 * 1000
    fresh = PouredBatch(mass=2.0, mixed=280.0, poured=OnEmpty(bucket="B"))
    old = fresh.replaced(mixed=0.0)
    a, b = (
        forecast(textbook("Two", resin=thick(900.0), buckets=pots(PouredBatch(mass=half + 0.05), s)), SIZE)
        for s in (fresh, old)
    )
    assert wet(a, 0.7) < wet(b, 0.7)
    age, x = resin_age(a, a.history.end)[:, 0], a.model.mesh.points[:, 0]
    front, back = np.nanmean(age[(x > 0.9)]), np.nanmean(age[x < 0.2])
    assert front - back == pytest.approx(280.0, rel=0.1)


def test_a_feed_waits_for_the_front_to_have_gone_beyond_it():
    second = line("F2", "feed", (0.5, 0), (0.5, WIDTH), opens=OnFront(line="F2", beyond=0.1, delay=30.0))
    told = forecast(textbook("Beyond", lines=(FEED, second, VACUUM)), SIZE)
    assert told.history.opened["F2"] == pytest.approx(UNIT * 0.36 / 2 + 30, rel=0.03)


def test_an_unknown_line_to_wait_for_is_refused():
    with pytest.raises(ValueError, match="F9"):
        textbook("No F9", lines=(FEED.replaced(opens=OnFront(line="F9")), VACUUM))


def test_resin_stands_still_at_its_hydrostatic_height():
    """1 m up with a pull for half of it: the front comes to 0.5 m and no further."""
    pull = 1000 * 9.80665 * 0.5
    job = textbook(
        "Too high", part=Part(outline=corners((0, 0), (1, 0), (1, WIDTH), (0, WIDTH)),
                              heights=(Spot(x=0, y=0, z=0), Spot(x=1, y=0, z=1.0))),
        conditions=Conditions(atmosphere=PULL, vacuum=PULL - pull, bucket_below=0, mixed_before_start=0),
    )  # fmt: skip
    told = forecast(job, SIZE)
    assert told.history.fraction @ told.model.network.volume == pytest.approx(PORES * 0.5, rel=0.02)
    assert math.isinf(told.probe(0.6, 0.15)["plies"])


def test_pressure_falls_evenly_behind_the_front():
    told = forecast(CASES["strip"]().job, SIZE)
    now = wet(told, 0.8)
    p = told.pressure(now)[:, 0]
    x = told.model.mesh.points[:, 0]
    np.testing.assert_allclose(p[x < 0.7], PULL * (1 - x[x < 0.7] / 0.8), atol=0.03 * PULL)


def test_the_bag_lets_plies_swell_at_the_feed(demo):
    told = forecast(demo, Resolution(500, 1, 12))
    thick_now = bag_thickness(told, told.end)
    at = {name: told.model.lines[name] for name in ("F1", "V1")}
    assert np.nanmean(thick_now[at["F1"]]) > np.nanmean(thick_now[at["V1"]])


def test_lead_and_closings_on_mesh_over_cloth():
    told = forecast(CASES["mesh-over-cloth"]().job, Resolution(700, 3, 24))
    x = told.model.mesh.points[:, 0]
    late = lead(told)[(x > 0.3) & (x < 0.7)]
    assert (late > 0).all()
    last = closings(told)[-1]
    assert last.place[0] > 0.9
    assert last.time == pytest.approx(told.fill_time, rel=0.02)


def test_a_skin_coat_weighs_and_passes_nothing():
    job = CASES["strip"]().job
    coat = library()["skin-coat"]
    coated = change(
        job, materials={**job.materials, "coat": coat}, stack=(Layer(id="C", material="coat"), *job.stack)
    )
    assert zone_stack(coated, "rim").dry_mass - zone_stack(job, "rim").dry_mass == pytest.approx(
        coat.density * coat.thickness
    )
    assert wet(forecast(coated, SIZE), 0.8) == wet(forecast(job, SIZE), 0.8)


def test_progress_moves_evenly_and_to_the_end(demo):
    told: list[float] = []
    forecast(demo, Resolution(700, 1, 24), progress=told.append)
    assert all(b >= a for a, b in itertools.pairwise(told))
    assert max(b - a for a, b in itertools.pairwise([0.0, *told])) < 0.12
    assert told[-1] > 0.99


def test_two_forecasts_side_by_side_are_the_two_alone(demo):
    other = change(demo, lines=(demo.lines[0], demo.lines[2]))
    alone = [forecast(j, Resolution(500, 1, 12)).fill_time for j in (demo, other)]
    with ThreadPoolExecutor(2) as pool:
        both = list(pool.map(lambda j: forecast(j, Resolution(500, 1, 12)).fill_time, (demo, other)))
    assert both == alone


def test_the_outcome_tells_how_well_it_was_solved():
    history = forecast(CASES["strip"]().job, SIZE).history
    assert 0 < history.residual < 1e-8
    assert history.balance < 1e-8
    assert history.rounds >= 1


@pytest.mark.parametrize("vacuum", [9000.0, 12000.0, 15000.0])
def test_air_shut_in_at_a_poor_vacuum_never_stops_the_forecast(demo, vacuum):
    """A second feed opened too early shuts in air in many places; whatever becomes of it, there is an answer that says so."""
    job = change(demo, conditions=demo.conditions.replaced(vacuum=vacuum))
    told = forecast(job, Resolution(400, 1, 12))
    assert told.history.balance < 1e-8
    assert told.history.solves < 400
    notes = {f.key for f in find(evidence_of(job, told))}
    assert ("air-let-go" in notes) is (told.history.air_let_go is not None)


def test_a_preview_leaves_shut_in_air_out():
    job = CASES["closed-end"]().job
    followed, left_out = (forecast(job, Resolution(400, 1, 12, air=a)) for a in (True, False))
    assert followed.history.reason == "held by gas"
    assert left_out.history.reason == "full"


def test_a_moment_looked_for_just_behind_a_steps_start_is_not_chased():
    """A net that leads by far: the front stands at its end for long, and each shorter step finds it there a little later."""
    job = next(row for row in LAYOUTS if row.name == "coarse net over a thick stack").make()
    looking, plain = (forecast(job, Resolution(900, 2, 16, lead=lead)) for lead in (True, False))
    assert len(looking.history.frames) < 1.6 * len(plain.history.frames)
    assert looking.history.solves < 2.5 * plain.history.solves
    assert looking.fill_time == pytest.approx(plain.fill_time, rel=5e-3)
