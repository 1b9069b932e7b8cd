"""Drawings of Bag and Charge: to scale, told in the reader's units, and found again under the hand."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.bag.bag import bag_of
from bibulon.core.bag.cutplan import cut_plan
from bibulon.core.drawing.graphs.bucket import ChargeSheet, batch_at, draw_charge, draw_sinks, time_at
from bibulon.core.drawing.graphs.bucketheat import draw_bucket_heat
from bibulon.core.drawing.graphs.mixcard import draw_mix_card
from bibulon.core.drawing.graphs.rolls import RollLook, draw_rolls, piece_at, roll_words, rolls_height
from bibulon.core.drawing.graphs.walkround import WalkStrip, draw_walk
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Area, Label
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, contrast
from bibulon.core.drawing.plan.bagplan import BagChoice, bag_view, draw_bag, nearest_pleat
from bibulon.core.edit.edit import change_line
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import AtTime
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.resin.bucket import bucket_heat
from bibulon.core.resin.charge import charge
from bibulon.core.resin.need import need_of
from bibulon.core.run.schedule import schedule_of


@pytest.fixture(scope="module")
def job():
    return demo_job()


@pytest.fixture(scope="module")
def bag(job):
    return bag_of(job)


def words(items):
    return [x.text for x in items if isinstance(x, Label)]


def test_pleats_stand_on_the_plan_at_their_place_and_size(job, bag):
    view = bag_view(bag, 800, 500)
    blades = [
        x
        for x in draw_bag(job, bag, PlanLook(view, DAY), BagChoice())
        if isinstance(x, Area) and len(x.rings[0]) == 3
    ]
    tall = [p for p in bag.pleats if p.size * view.scale > 9]
    assert len(blades) >= len(bag.pleats)
    for pleat in tall:
        foot = view.to(np.array([bag.walk.place(pleat.at)]))[0]
        mine = min(blades, key=lambda b: float(np.hypot(*((b.rings[0][0] + b.rings[0][2]) / 2 - foot))))
        a, tip, b = mine.rings[0]
        assert (a + b) / 2 == pytest.approx(foot, abs=0.5)
        out = np.array(bag.walk.outward(pleat.at)) * (1, -1)
        assert float((tip - foot) @ out) == pytest.approx(pleat.size * view.scale, rel=0.01)
        assert nearest_pleat(bag, view, *(foot + out * pleat.size * view.scale / 2)) is not None


def test_what_is_chosen_is_told_in_both_systems(job, bag):
    view = bag_view(bag, 800, 500)
    for system, told in (("metric", "100 mm"), ("us", "3.94 in")):
        assert told in words(draw_bag(job, bag, PlanLook(view, DAY, system), BagChoice("P1")))
    assert not any(
        " mm" in w or " m " in w for w in words(draw_walk(WalkStrip(bag, 900, 250), DAY, "us", "P1"))
    )


def test_the_strip_is_the_walk_and_finds_pleats_again(bag):
    strip = WalkStrip(bag, 900, 250)
    for at in (0.0, 1.0, 3.3, bag.walk.length):
        assert strip.at(strip.x(at)) == pytest.approx(at, abs=1e-9)
    for pleat in bag.pleats:
        found = strip.pleat_at(strip.x(pleat.at))
        assert abs(found.at - pleat.at) < 0.03
    told = words(draw_walk(strip, DAY, "metric"))
    assert {"F1", "F2", "V1", "S", "6 m", "film climbs 218 mm"} <= set(told)


def test_pieces_are_found_where_they_are_drawn(job, bag):
    plan = cut_plan(job, bag, nest=False)
    look = RollLook(900.0, DAY)
    scale, top = look.scale(plan), 8.0
    for roll in plan.rolls:
        for placed in roll.placed[:2]:
            point = placed.shape.representative_point()
            x, y = 18 + point.x * scale, top + 26 + (roll.width - point.y) * scale
            assert piece_at(plan, look, x, y) == placed.piece.key
        top += 26 + roll.width * scale + 16
    assert rolls_height(plan, look) == pytest.approx(top + 8)
    assert piece_at(plan, look, 2, 2) == ""
    assert "sheets" in roll_words(plan.rolls[-1], "metric")
    assert {r.name for r in plan.rolls} <= set(words(draw_rolls(plan, look)))


@pytest.fixture(scope="module")
def sheet(job):
    plan = charge(job)
    return ChargeSheet(plan, need_of(plan), schedule_of(job, plan, forecast(job, COARSE)), 720.0, 600.0)


def test_sinks_are_as_long_as_their_mass(sheet):
    bars = [x for x in draw_sinks(sheet.plan, sheet.need, 720, DAY, "metric") if isinstance(x, Area)]
    lengths = [float(np.ptp(b.rings[0][:, 0])) + 1 for b in bars]
    assert len(bars) == len(sheet.plan.sinks)
    assert sum(lengths) == pytest.approx(720 - 32)
    assert lengths == pytest.approx([s.mass / sheet.plan.total * 688 for s in sheet.plan.sinks])


def test_batches_are_found_under_the_hand_and_moments_come_back(sheet):
    for t in (-100.0, 0.0, 700.0):
        assert time_at(sheet, sheet.x(t)) == pytest.approx(t)
    for k, b in enumerate(sheet.schedule.batches):
        assert batch_at(sheet, sheet.x(b.pour), sheet.rows + 25 * k + 8) == k
    assert batch_at(sheet, sheet.x(0.0), sheet.rows - 20) is None
    told = words(draw_charge(sheet, DAY, "metric"))
    assert any(w.startswith("wet through") for w in told)
    assert "heel 0.40 kg" in told
    assert not any("kg" in w for w in words(draw_charge(sheet, DAY, "us")))


@pytest.mark.parametrize("count", [2, 5, 9])
@pytest.mark.parametrize("theme", [DAY, NIGHT])
def test_words_of_batches_are_read_where_they_stand(job, count, theme):
    many = job.replaced(charge=job.charge.replaced(count=count))
    plan = charge(many)
    made = schedule_of(many, plan, forecast(job, COARSE))
    sheet = ChargeSheet(plan, need_of(plan), made, 720.0, 700.0)
    items = list(draw_charge(sheet, theme, "metric"))
    told = [
        x
        for x in items
        if (isinstance(x, Label) and x.text.startswith("2.")) or " · in use to" in getattr(x, "text", "")
    ]
    bars = [x for x in items if isinstance(x, Area) and len(x.rings) == 1 and x.fill and len(x.rings[0]) == 4]
    assert any("in use to" in x.text for x in told)
    for label in (x for x in told if x.y > sheet.rows):
        wide = label.size * 0.55 * len(label.text)  # px of a bold letter
        low, high = (label.x, label.x + wide) if label.anchor == "l" else (label.x - wide, label.x)
        assert low >= 60
        assert high <= 720
        for bar in bars:
            (x0, y0), (x1, y1) = bar.rings[0].min(axis=0), bar.rings[0].max(axis=0)
            if label.ground is None and y0 <= label.y <= y1 and x0 < high and x1 > low:
                assert contrast(bar.fill, label.colour) >= 4.5


def test_a_part_that_stays_dry_is_not_told_to_be_wet_through(job):
    short = change_line(job, "F1", opens=AtTime(time=1e5))
    short = change_line(short, "F2", path=((1.1, 0.22),), bore=0.0, kind="point", opens=AtTime())
    gelling = short.replaced(
        resin=short.resin.replaced(gel_time=300.0, viscosity=ConstantViscosity(value=0.3))
    )
    flow = forecast(gelling, Resolution(300, 1, 8, air=False))
    assert not flow.filled
    plan = charge(gelling)
    made = schedule_of(gelling, plan, flow)
    told = words(draw_charge(ChargeSheet(plan, need_of(plan), made, 720.0, 600.0), DAY, "metric"))
    assert not any("wet through" in w for w in told)
    assert any(w.startswith("stays dry") for w in told)


def test_the_card_and_the_heat_say_what_they_must(job, sheet):
    card = words(draw_mix_card(job, sheet.plan, 1, sheet.schedule.batches[1], (700, 600), DAY, "metric"))
    assert "Batch 2 of 2" in card
    assert any(w.startswith("gone by") for w in card)
    heat = bucket_heat(job.resin, 3.0, 295.15, 295.15)
    told = words(draw_bucket_heat(heat, 2700.0, (700, 400), DAY, "us"))
    assert "take it outside from here" in told
    assert "°F" in told
