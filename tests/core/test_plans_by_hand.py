"""What the reckoner and comparisons of plans tell, against sums, series and closed forms worked out here."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from tests.validation.layouts import LONG, WIDE, job

from bibulon.core.library.catalogue import library
from bibulon.core.plans.reckon.quick import quick, understood
from bibulon.core.plans.reckon.row import reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.plans.routes import compare
from bibulon.core.plans.sure import Sure
from bibulon.core.plans.whatif import beside


def told(name, **typed):
    return reckon(ROWS[name], {k: str(v) for k, v in typed.items()})


# -- the reckoner


def test_a_laminate_that_loses_no_heat_warms_by_all_that_its_resin_sets_free():
    resin = library()["epoxy-slow"]
    found = told(
        "cure",
        resin="epoxy-slow",
        thickness="40 mm",
        vf=0.5,
        tool_thickness=0,
        h_tool=0.001,
        h_bag=0.001,
        room="20 C",
        start="20 C",
    )
    heat = 0.5 * resin.density * resin.heat
    holds = 0.5 * 2550.0 * 800.0 + 0.5 * resin.density * resin.specific_heat
    # To the whole of its cure, but for what is left when it turns to glass.
    assert 0.9 * heat / holds < found["peak_c"] - 20.0 <= 1.001 * heat / holds
    assert found["gel_mid_s"] == pytest.approx(found["gel_face_s"], rel=0.01)


def test_a_thin_laminate_in_moving_air_stays_at_the_air_s_warmth():
    found = told(
        "cure",
        resin="epoxy-slow",
        thickness="1 mm",
        tool_thickness=0,
        h_tool=1000,
        h_bag=1000,
        room="25 C",
        start="25 C",
    )
    assert 25.0 <= found["peak_c"] < 25.5


def test_the_face_that_gels_first_is_the_one_that_is_kept_warm():
    """One face insulated, the other in water: the first gels no later than the middle, the second long after."""
    found = told(
        "cure",
        resin="epoxy-slow",
        thickness="30 mm",
        tool_thickness=0,
        h_tool=0.001,
        h_bag=500,
        room="20 C",
        start="20 C",
    )
    assert found["gel_face_s"] <= found["gel_mid_s"]


@pytest.mark.parametrize(
    ("alpha", "glass"), [(0.0, -40.0), (1.0, 85.0), (0.5, -40.0 + 125.0 * 0.45 * 0.5 / (1 - 0.55 * 0.5))]
)
def test_glass_comes_by_di_benedetto(alpha, glass):
    assert told("glass", alpha=alpha, uncured="-40 C", cured="85 C", lam=0.45)["glass_c"] == pytest.approx(
        glass, abs=1e-6
    )


def test_a_plate_on_its_edges_bows_by_navier_s_series():
    a, b, h, modulus, load = 0.6, 0.4, 0.008, 14e9, 15e3
    stiff = modulus * h**3 / 12 / (1 - 0.3**2)
    odd = [(m, n) for m in range(1, 60, 2) for n in range(1, 60, 2)]
    terms = [16 * load / (math.pi**6 * stiff * m * n * ((m / a) ** 2 + (n / b) ** 2) ** 2) for m, n in odd]
    most = sum(w * (-1) ** ((m + n) // 2 - 1) for w, (m, n) in zip(terms, odd, strict=True))
    mean = sum(w * 4 / (math.pi**2 * m * n) for w, (m, n) in zip(terms, odd, strict=True))
    found = told("bow", modulus=modulus, thickness="8 mm", a="0.6 m", b="0.4 m", pressure="15 kPa")
    assert found["max_mm"] == pytest.approx(most * 1e3, rel=0.01)
    assert found["mean_mm"] == pytest.approx(mean * 1e3, rel=0.015)


@pytest.mark.parametrize(
    ("text", "reading"),
    [
        ("26 inHg at 1400 m", "26 inHg below"),  # as gauges in inches of mercury read
        ("50 mbar abs at 1400 m", "50 mbar abs"), ("26 inHg below at 1400 m", "26 inHg below"), ("-26 inHg at 1400 m", "-26 inHg"),
    ],
)  # fmt: skip
def test_a_gauge_s_words_say_from_where_it_reads(text, reading):
    assert understood(text) == ("gauge", {"reading": reading, "altitude": "1400 m"})
    # 1400 m up the air has 855.97 mbar by the standard atmosphere.
    wanted = 50.0 if "abs" in text else 855.97 - 26 * 33.86389
    if wanted > 0:
        assert quick(text).answers["absolute_mbar"] == pytest.approx(wanted, rel=2e-3)


# -- what if


def answer(fill_time, *, filled=True, dry=0.0, last=(1.0, 0.0), gel=5000.0):
    model = SimpleNamespace(mesh=SimpleNamespace(size=0.02))
    return SimpleNamespace(
        filled=filled, fill_time=fill_time, dry_area=dry, last_wet=(*last, fill_time), clock=SimpleNamespace(gel=gel), model=model
    )  # fmt: skip


def test_moved_inputs_change_the_plan_as_they_do_the_rough_mesh():
    plan, rough, moved = (
        answer(1000.0, dry=0.02),
        answer(800.0, dry=0.01),
        answer(880.0, dry=0.04, last=(1.3, 0.0), gel=4000.0),
    )
    found = beside(plan, rough, moved)
    assert found.fill_time == pytest.approx(1100.0)  # a tenth longer there, and so here
    assert found.later == pytest.approx(100.0)
    assert found.dry_area == pytest.approx(0.05)
    assert found.last == (1.3, 0.0)
    assert found.gel == 4000.0


def test_with_nothing_moved_the_plan_s_own_figures_are_told():
    plan, rough = answer(1000.0, last=(0.7, 0.1)), answer(800.0)
    found = beside(plan, rough, rough)
    assert (found.fill_time, found.later, found.last) == (1000.0, 0.0, (0.7, 0.1))


def test_a_rough_mesh_that_does_not_fill_sets_no_pace():
    plan, rough, moved = answer(1000.0), answer(math.inf, filled=False), answer(900.0)
    found = beside(plan, rough, moved)
    assert found.fill_time == 900.0
    assert math.isnan(found.later)


# -- how sure


@pytest.mark.parametrize("runs", [19, 24, 39, 59, 99, 199])
def test_a_range_holds_nine_truths_in_ten_and_no_narrower_one_does(runs):
    """Of n runs and a truth alike, each place in their order is as likely: counted here over all places of the truth."""
    all_runs: Any = tuple(SimpleNamespace(fill_time=float(k)) for k in range(runs))
    nothing: Any = None
    made = Sure(all_runs, runs, nothing)
    low, middle, high = made.fill_range
    places = np.arange(runs + 1) - 0.5  # the truth before the first, between two, after the last
    held = np.mean((places > low) & (places < high))
    assert held == pytest.approx(made.held)
    assert held >= 0.9 - 1e-9
    assert np.mean((places > low + 1) & (places < high - 1)) < 0.9 - 1e-9
    assert middle == (runs - 1) // 2


# -- ways to make it


def test_a_panel_s_ways_cost_what_their_sums_say():
    made = job(mesh=None)
    made = made.replaced(rates=made.rates.replaced(quantity=301, labour=40.0))
    ways = {c.route.name: c for c in compare(made)}
    cloth = library()["biax-600"]
    fibre = 4 * cloth.areal_mass * LONG * WIDE
    price = made.resin.price_per_kg or made.rates.resin
    infusion, hand = ways["infusion"], ways["hand lay-up"]
    # By fibre share of mass: 0.66 infused, 0.35 by hand.
    more = fibre * ((1 - 0.35) / 0.35 - (1 - 0.66) / 0.66) * price
    assert hand.material - infusion.material == pytest.approx(more, rel=1e-6)
    assert infusion.labour == pytest.approx((2.0 + 1.6 * LONG * WIDE) * 40.0)
    assert infusion.tooling == pytest.approx(2 * (400.0 + 340.0 * LONG * WIDE))  # a mould lasts 300 parts
    assert ways["RTM"].tooling == pytest.approx(9000.0 + 4200.0 * LONG * WIDE)
    assert infusion.each == pytest.approx(
        infusion.material + infusion.labour + 14.0 * LONG * WIDE + infusion.tooling / 301
    )
