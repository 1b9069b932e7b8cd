"""Findings on a leak test, each on both sides of its limit."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.leak.volume import bag_volume
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.model.drop_test import Reading, Warmth
from bibulon.core.resin.boiling import boils_under, vapour_pressure

BASE = demo_job()
VOLUME = sum(bag_volume(BASE).values())
NO_POT = VOLUME - bag_volume(BASE)["catch pots"]


def record(rise=0.05, length=600.0, step=5.0, start=2000.0, noise=3.0):
    t = np.arange(0, length + 1e-9, step)
    p = start + rise * t + np.random.default_rng(5).normal(0, noise, len(t))
    return tuple(Reading(time=float(a), pressure=float(b)) for a, b in zip(t, p, strict=True))


def found(**test):
    fields = {"volume": VOLUME, "readings": record(), **test}
    job = BASE.replaced(test=BASE.test.replaced(**fields))
    return {f.kind for f in find(evidence_of(job))}


def pumped(floor=500.0, rate=1 / 20, chokes=False):
    t = np.arange(0, 300, 3.0)
    p = floor + 1e5 * np.exp(-rate * t)
    if chokes:
        p = floor + 1e5 / (1 + rate * t) ** 1.5
    return tuple(Reading(time=float(a), pressure=float(b)) for a, b in zip(t, p, strict=True))


@pytest.mark.parametrize(
    ("key", "bad", "good"),
    [
        ("test-short", {"readings": record(length=240)}, {"readings": record(length=320)}),
        ("test-volume", {"volume": VOLUME * 1.7}, {"volume": VOLUME * 1.5}),
        ("test-volume", {"volume": NO_POT / 1.7}, {"volume": NO_POT / 1.5}),
        ("gauge-coarse", {"school": "no-drop", "gauge_step": 100.0}, {"school": "no-drop", "gauge_step": 50.0}),
        ("gauge-place", {"gauge_place": "pump"}, {"gauge_place": "flange"}),
        ("gauge-place", {"gauge_place": "hose"}, {"gauge_place": "flange"}),
        ("gauge-over", {"readings": record(start=104_000.0)}, {"readings": record(start=99_000.0)}),
        ("gauge-frozen", {"readings": record(rise=0.0, noise=0.0), "gauge_step": 10.0}, {"readings": record(rise=0.0, noise=0.0), "gauge_step": 200.0}),
        ("gauge-deep", {"readings": record(start=0.0, rise=0.0, noise=0.0)}, {"readings": record(start=50.0, noise=0.0)}),
        (
            "test-warm",
            {"warmth": (Warmth(time=0, temperature=290), Warmth(time=600, temperature=298))},
            {"warmth": (Warmth(time=0, temperature=290), Warmth(time=600, temperature=290.5))},
        ),
        ("pump-floor", {"pump_down": pumped(floor=1500.0)}, {"pump_down": pumped(floor=700.0)}),
        ("hose-chokes", {"pump_down": pumped(chokes=True)}, {"pump_down": pumped()}),
    ],
)  # fmt: skip
def test_both_sides(key, bad, good):
    assert key in found(**bad)
    assert key not in found(**good)


def test_a_big_pot_hides_a_leak_unless_the_rate_is_judged():
    pots = tuple(p.replaced(volume=0.06) for p in BASE.pots)
    job = BASE.replaced(pots=pots)
    volume = sum(bag_volume(job).values())
    for school, hides in (("small-drop", True), ("by-volume", False)):
        told = job.replaced(test=job.test.replaced(volume=volume, readings=record(), school=school))
        assert ("pot-hides" in {f.kind for f in find(evidence_of(told))}) is hides


def test_styrene_boils_in_a_warm_shop_under_a_deep_vacuum_and_epoxy_does_not():
    assert vapour_pressure(600.0, 43e3, 293.15) == pytest.approx(600.0)
    # Two steps of the law make the same as one (Clausius-Clapeyron): 10 and 20 K on.
    one = vapour_pressure(600.0, 43e3, 313.15) / 600.0
    assert one == pytest.approx(np.exp(43e3 / 8.314 * (1 / 293.15 - 1 / 313.15)))
    resins = [m for m in library().values() if m.kind == "resin"]
    styrene = next(m for m in resins if m.cures == "peroxide")
    epoxy = next(m for m in resins if m.cures == "hardener")
    limit = boils_under(styrene, 298.15)
    assert 500 < limit < 1000
    assert boils_under(epoxy, 298.15) is None
    for vacuum, boils in ((0.9 * limit, True), (1.1 * limit, False)):
        job = BASE.replaced(
            resin=styrene, conditions=BASE.conditions.replaced(vacuum=vacuum, resin_temperature=298.15)
        )
        assert ("boils" in {f.kind for f in find(evidence_of(job))}) is boils
