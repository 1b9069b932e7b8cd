"""Simulated shops: the truth without faults is the forecast, the same seed the same shop, resin is conserved, care pays."""

from __future__ import annotations

import json
import math

import pytest

from bibulon.cli.main import main
from bibulon.core.drawing.sheets.debrief import decision_words
from bibulon.core.flow.forecast import forecast
from bibulon.core.model.lines import AtTime
from bibulon.core.plans.rehearsal.after_full import parted_at, settled_of, shutting_of
from bibulon.core.plans.rehearsal.crews import CREWS, Noticed, shoot
from bibulon.core.plans.rehearsal.debrief import debrief
from bibulon.core.plans.rehearsal.faults import KINDS, Fault, Hidden, draw_shop, kinds_for, true_job
from bibulon.core.plans.rehearsal.followed import follow, look
from bibulon.core.plans.rehearsal.scenarios import SCENARIOS
from bibulon.core.plans.rehearsal.shop import PRACTICE, Shop
from bibulon.store.jobfile import save

PETAL = SCENARIOS["leak"].job


def shot(job, hidden, crew):
    shop = Shop(job, hidden)
    return shop, debrief(shop, shoot(shop, crew).when)


def test_with_nothing_hidden_the_shop_is_the_forecast():
    job = PETAL()
    shop = Shop(job, Hidden())
    shop.mix(20.0)
    shop.open("F1")
    when = shop.plan.history.opened["F2"]
    while shop.now < when - 1e-9:
        shop.advance(min(10.0, when - shop.now))
    shop.open("F2")
    lines = tuple(x.replaced(opens=AtTime(time=when)) if x.id == "F2" else x for x in job.lines)
    alone = forecast(job.replaced(lines=lines), PRACTICE)
    assert shop.truth().fill_time == pytest.approx(alone.fill_time, rel=1e-9)
    assert shop.truth().fill_time == pytest.approx(shop.plan.fill_time, rel=0.01)
    shop.advance(alone.fill_time)
    assert shop.seen_share() == 1.0
    assert shop.drawn(shop.now) == pytest.approx(
        alone.resin_in_part + alone.resin_in_lines + alone.resin_to_catch_pot, rel=0.03
    )


def test_the_same_seed_is_the_same_shop_however_time_passes():
    job = PETAL()
    assert draw_shop(job, 7) == draw_shop(job, 7)
    assert draw_shop(job, 7) != draw_shop(job, 8)
    ends = []
    for step in (3.0, 60.0):
        shop = Shop(job, draw_shop(job, 7, ("slow", "hot")))
        shop.mix(4.4)
        shop.open("F1")
        for _ in range(round(600 / step)):
            shop.advance(step)
        ends.append((shop.now, shop.seen_share(), shop.bucket, shop.bucket_is_warm(), shop.life_ends()))
    assert ends[0] == pytest.approx(ends[1])


@pytest.mark.parametrize("kind", sorted(set(KINDS) - {"hot", "gauge", "clamp", "flange"}))
def test_a_fault_changes_the_true_job_and_a_mended_one_does_not(kind):
    job = PETAL()
    hidden = draw_shop(job, 3, (kind,), still=True)
    assert true_job(job, hidden) != job
    assert true_job(job, hidden, frozenset((kind,))) == true_job(job, Hidden())


def test_what_is_read_shows_what_is_there_and_nothing_else():
    job, clean = PETAL(), Hidden()
    for kind, reads in (
        ("gauge", lambda s: s.reads_air() < job.conditions.atmosphere - 1000), ("pump", lambda s: s.gauge() > job.conditions.vacuum + 4000),
        ("leak", lambda s: s.test_rise() > 0.1), ("cold", lambda s: s.resin_reads() < job.conditions.resin_temperature - 3),
        ("ratio", lambda s: s.weighed_ratio() < -0.1), ("kink", lambda s: s.hose_is_kinked()),
    ):  # fmt: skip
        assert not reads(Shop(job, clean))
        shop = Shop(job, Hidden((Fault(kind, job.lines[0].path[0] if kind == "kink" else None),)))
        assert reads(shop)
        shop.mend(kind)
        assert not reads(shop)


@pytest.mark.parametrize("name", ["leak", "bucket-heat", "closing-force"])
def test_care_pays_and_the_resin_is_conserved(name):
    scenario = SCENARIOS[name]
    job = scenario.job()
    told = {}
    for crew in CREWS:
        shop, told[crew] = shot(job, draw_shop(job, 5, scenario.faults), crew)
        mixed = sum(m.mass for m in shop.mixed)
        assert mixed == pytest.approx(shop.drawn(shop.now) + shop.bucket + shop.lost)
        assert shop.drawn(shop.now) <= mixed + 0.2  # a tick's draw at most past the empty bucket
        assert {f.fault.kind for f in told[crew].found} == set(scenario.faults)
    assert told["careful"].loss <= told["careless"].loss <= told["nothing"].loss
    assert told["careful"].outcome == "good"
    assert all(f.noticed is not None and f.noticed >= f.known for f in told["careful"].found)
    assert all(f.noticed is None for f in told["careless"].found)
    assert 1 <= len(told["careless"].practise) <= 3
    assert not told["careful"].practise


def test_a_bucket_that_runs_empty_shuts_the_feed_and_one_past_its_life_is_lost():
    job = PETAL()
    shop = Shop(job, Hidden())
    shop.mix(1.0)
    shop.open("F1")
    shop.advance(1200.0)
    assert not shop.is_open("F1")
    assert shop.air_drawn_at is not None
    assert "the bucket ran empty" in [a.what for a in shop.acts]
    hot = Shop(job, Hidden((Fault("hot", None, 240.0),)))
    hot.mix(30.0)
    hot.open("F1")
    assert not hot.bucket_is_warm()
    while not hot.bucket_is_warm():
        hot.advance(20.0)
    assert hot.is_open("F1")
    hot.advance(3600.0)
    assert hot.lost > 10.0
    assert not hot.is_open("F1")
    assert debrief(hot, {}).found[0].noticed is None


def test_letting_go_before_gel_loses_the_part():
    job = PETAL()
    shop = Shop(job, Hidden())
    shop.mix(20.0)
    shop.open("F1")
    shop.open("F2")
    shop.advance(2400.0)
    shop.shut_all("all wet")
    shop.release()
    told = debrief(shop, {})
    assert told.released_early
    assert told.outcome == "lost"
    shop.released_at = shop.gel_of_last() + 60
    assert not debrief(shop, {}).released_early


def test_an_opening_is_held_against_the_front(capsys):
    job = PETAL()
    shop = Shop(job, Hidden())
    shop.mix(20.0)
    shop.open("F1")
    shop.advance(120.0)  # far too early: the front has not come
    shop.open("F2")
    shop.advance(2400.0)
    (decision,) = debrief(shop, {}).decisions  # the feeds are open still: no shutting is told
    assert decision.done == pytest.approx(120.0)
    assert decision.best > 300.0
    assert math.isfinite(decision.cost)


def test_the_command_tells_the_keys_that_are_promised(tmp_path, capsys):
    assert main(["rehearse", "closing-force", "--seed", "3", "--bot", "careless", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {"outcome", "dry_area_m2", "resin_used_kg", "faults", "decisions"} <= set(told)
    assert set(told["faults"][0]) == {"kind", "place", "began_s", "known_s", "noticed_s"}
    path = tmp_path / "petal.bibulon"
    save(PETAL(), path)
    assert main(["rehearse", str(path), "--bot", "nothing", "--fault", "leak"]) == 0
    words = capsys.readouterr().out
    assert "a leak at a pleat" in words
    assert "never noticed" in words
    assert main(["rehearse", str(path), "--fault", "gremlins"]) == 2
    assert "no fault “gremlins”" in capsys.readouterr().err
    assert main(["rehearse", str(tmp_path / "none.bibulon")]) != 0


def filled(shop, later=0.0):
    """Open the feeds as planned, and shut them so long after all was wet."""
    shop.mix(20.0)
    shop.open("F1")
    when = shop.plan.history.opened["F2"]
    shop.advance(when)
    shop.open("F2")
    shop.advance(shop.truth().fill_time + later - shop.now)
    shop.shut_all("all wet")
    return shop


def test_after_full_the_hold_tells_what_it_came_to():
    """Held until gel the part is as full of fibre as the bag makes it; let go at once it is not."""
    held, early = filled(Shop(PETAL(), Hidden())), filled(Shop(PETAL(), Hidden()))
    held.advance(held.gel_of_last() + 60)
    held.release()
    early.release()
    a, b = settled_of(held), settled_of(early)
    assert a is not None
    assert b is not None
    assert a.low <= a.mean <= a.high
    assert a.planned == pytest.approx(b.planned)
    assert b.mean < a.mean <= a.planned + 0.005
    assert settled_of(Shop(PETAL(), Hidden())) is None  # nothing was shot


def test_feeds_shut_late_cost_resin_and_early_a_dry_place():
    late = shutting_of(filled(Shop(PETAL(), Hidden()), 101.0))
    at_once = shutting_of(filled(Shop(PETAL(), Hidden()), 1.0))
    assert late is not None
    assert at_once is not None
    assert late.best == pytest.approx(late.done - 101.0, abs=1.0)
    assert late.drawn == pytest.approx(101 * at_once.drawn, rel=0.02)  # it runs through at one rate
    assert late.dry == at_once.dry == 0.0
    shop = filled(Shop(PETAL(), Hidden()), -900.0)
    early = shutting_of(shop)
    assert early is not None
    assert early.best > early.done
    assert early.dry == pytest.approx(shop.truth().dry_area)
    assert early.drawn == 0.0
    told = debrief(shop, {})
    assert any("Shut the feed only when all is wet" in words for words in told.practise)
    words = [decision_words(d, "metric") for d in told.decisions]
    assert any("left dry" in w for w in words)


def test_a_flange_that_loses_its_vacuum_parts_the_halves_and_one_that_holds_does_not():
    job = SCENARIOS["closing-force"].job()
    feed = next(x.id for x in job.lines if x.role == "feed")
    shops = {}
    for name, hidden in (
        ("holds", Hidden()),
        ("lost", Hidden((Fault("flange"),))),
        ("mended", Hidden((Fault("flange"),))),
    ):
        shop = shops[name] = Shop(job, hidden)
        if name == "mended":
            shop.mend("flange")
        shop.mix(20.0)
        shop.open(feed)
        shop.advance(60.0)
    assert parted_at(shops["holds"]) is None
    assert parted_at(shops["mended"]) is None
    parted = parted_at(shops["lost"])
    assert parted is not None
    assert debrief(shops["lost"], {}).loss > debrief(shops["holds"], {}).loss + 0.2
    seen = follow(Shop(job, Hidden((Fault("flange"),))), [], -800.0)
    assert seen.happened == ()  # before resin nothing parts
    assert "flange" not in kinds_for(PETAL())
    assert "flange" in kinds_for(job)
    noticed = Noticed()
    assert "loses its vacuum" in look(shops["lost"], noticed, "flange")
    assert "flange" in noticed.when
    assert "no flange" in look(Shop(PETAL(), Hidden()), Noticed(), "flange")


def test_there_is_no_such_crew():
    with pytest.raises(ValueError, match="no crew “heroic”"):
        shoot(Shop(PETAL(), Hidden()), "heroic")
