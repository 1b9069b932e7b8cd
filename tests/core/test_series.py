"""Weighed parts and control charts: closed forms, coverage with seeds, published run lengths."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.core.series.charts import chart, drift_words
from bibulon.core.series.weighed import Weighings, balance, fibre_share

PLAIN = Weighings(part=10.0, fibre=6.0, fibre_density=2550.0, resin_density=1100.0, scale=0.005)


def test_fibre_share_is_that_of_the_volumes():
    told = fibre_share(PLAIN)
    assert told.vf.middle == pytest.approx((6 / 2550) / (6 / 2550 + 4 / 1100))
    assert told.mass_share == pytest.approx(0.6)
    assert told.resin == pytest.approx(4.0)
    assert told.voids is None


def test_core_coat_and_uptake_are_no_laminate():
    more = Weighings(13.2, 6.0, 2550.0, 1100.0, core=1.5, core_uptake=0.9, coat=0.8)
    assert fibre_share(more).vf.middle == pytest.approx(fibre_share(PLAIN).vf.middle)


def test_voids_by_thickness():
    volume = (6 / 2550 + 4 / 1100) / 0.98  # 2 % of it empty
    told = fibre_share(Weighings(10.0, 6.0, 2550.0, 1100.0, area=2.0, thickness=volume / 2.0))
    assert told.voids.middle == pytest.approx(0.02)
    assert told.voids.low < 0.02 < told.voids.high


def test_the_interval_holds_the_truth_nine_times_in_ten():
    """1,000 parts with their own errors of fibre mass, densities and scale."""
    rng = np.random.default_rng(8)
    inside = 0
    for _ in range(1000):
        vf, volume = rng.uniform(0.35, 0.6), rng.uniform(2e-3, 2e-2)
        rho_f, rho_r = 2550 * (1 + 0.004 * rng.normal()), 1100 * (1 + 0.006 * rng.normal())
        fibre, resin = vf * volume * rho_f, (1 - vf) * volume * rho_r
        told_fibre = fibre / (1 + 0.02 * rng.normal())
        step = 0.01
        part = round((fibre + resin) / step) * step
        told = fibre_share(Weighings(part, told_fibre, 2550.0, 1100.0, scale=step), seed=4)
        inside += told.vf.low <= vf <= told.vf.high
    assert 880 <= inside <= 920


@pytest.mark.parametrize(
    ("weighed", "words"),
    [
        (Weighings(5.0, 6.0, 2550.0, 1100.0), "no resin is left"),
        (Weighings(6.4, 6.0, 2550.0, 1100.0), "cannot be"),
        (Weighings(10.0, 0.0, 2550.0, 1100.0), "more than nothing"),
        (Weighings(10.0, 6.0, 2550.0, 1100.0, area=1.0, thickness=0.003), "voids"),
    ],
)
def test_what_cannot_be_is_refused(weighed, words):
    with pytest.raises(ValueError, match=words):
        fibre_share(weighed)


def test_a_balance_names_its_gap():
    good = balance(mixed=9.0, part=6.5, caught=0.4, left=1.1, lines=0.9)
    assert good.gap == pytest.approx(0.1)
    assert good.closes
    assert not balance(9.0, 6.0, 0.4, 1.1, 0.9).closes


# -- charts


def test_limits_are_those_of_the_moving_range():
    x = [10.0, 11.0, 10.0, 12.0, 11.0, 10.0, 11.0, 12.0, 11.0, 10.0]
    made = chart(x)
    moving = np.abs(np.diff(x)).mean()
    assert made.mean == pytest.approx(np.mean(x))
    assert made.upper == pytest.approx(np.mean(x) + 2.660 * moving, rel=1e-3)
    assert made.lower == pytest.approx(np.mean(x) - 2.660 * moving, rel=1e-3)
    assert made.firm


def test_few_points_are_honest():
    five = chart([10.0, 11.0, 10.5, 9.8, 10.2])
    assert not five.firm
    assert five.upper - five.lower > 6 * five.sigma
    two = chart([10.0, 11.0])
    assert math.isnan(two.upper)
    assert two.signals == ()
    with pytest.raises(ValueError, match="numbers"):
        chart([1.0, float("nan")])
    with pytest.raises(ValueError, match="values"):
        chart([])


def test_tied_values_take_the_scale_s_step():
    assert chart([5.0] * 12, step=0.1).sigma == pytest.approx(0.1 / math.sqrt(12))


def test_the_baseline_does_not_follow_the_drift():
    steady = list(np.random.default_rng(1).normal(10, 0.1, 20))
    drifting = steady + [10 + 0.1 * k for k in range(1, 20)]
    assert chart(drifting).upper == chart(steady).upper
    assert any(s.side == 1 for s in chart(drifting).signals if s.point >= 20)


@pytest.mark.parametrize(
    ("tail", "rule"),
    [
        ([14.0], "beyond the limits"),
        ([12.3, 10.0, 12.3], "2 of 3 beyond 2 sigma"),
        ([11.2, 11.2, 9.9, 11.2, 11.2], "4 of 5 beyond 1 sigma"),
        ([9.9, *[10.3] * 8], "8 on one side"),
    ],
)
def test_each_rule_fires_at_the_point_that_completes_it(tail, rule):
    base = [9.44, 10.56] * 10  # MR̄ = 1.128 so that σ is near 1
    made = chart(base + tail)
    fired = [s for s in made.signals if s.rule == rule and s.point >= 20]
    assert fired[0].point == len(base) + len(tail) - 1


def run_length(rule, shift, seed, cap=6000):
    """Parts until the first signal of a rule, σ and mean known from a long baseline."""
    rng = np.random.default_rng(seed)
    base = np.tile([-1.128 / 2, 1.128 / 2], 10)
    x = np.concatenate([base, rng.normal(shift, 1.0, cap)])
    if rule == "beyond the limits":  # only as far as a point lies out: the rule is asked where it must fire
        made = chart(base)
        out = np.flatnonzero((x[20:] > made.upper) | (x[20:] < made.lower))
        if not len(out):
            return cap
        x = x[: 21 + int(out[0])]
        x[20:-4] = 0.0
    for s in chart(x, baseline=20).signals:
        if s.rule == rule and s.point >= 20:
            return s.point - 19
    return cap


@pytest.mark.parametrize(("shift", "known"), [(0.0, 370.4), (1.0, 43.9), (2.0, 6.3)])
def test_run_lengths_are_the_published_ones(shift, known):
    """Shewhart, one point beyond 3 σ: 370.4, 43.9 and 6.3 (Montgomery, Statistical Quality Control)."""
    many = 300 if shift else 100
    lengths = [run_length("beyond the limits", shift, s, 4000 if not shift else 600) for s in range(many)]
    spread = np.std(lengths) / math.sqrt(many)
    assert np.mean(lengths) == pytest.approx(known, abs=max(0.10 * known, 3 * spread))


def test_the_slow_average_sees_a_small_drift_sooner():
    lengths = [run_length("slow average out", 1.0, s, 400) for s in range(200)]
    assert np.mean(lengths) == pytest.approx(9.8, abs=1.5)  # Lucas and Saccucci for λ 0.2, L 2.86: about ten


@given(st.lists(st.floats(-1e3, 1e3), min_size=1, max_size=40), st.floats(0, 5))
def test_any_series_is_charted(values, step):
    made = chart(values, step=step)
    assert len(made.ewma) == len(values)
    assert all(0 <= s.point < len(values) for s in made.signals)


def test_a_drift_is_named_by_what_moves_together():
    assert any("seals" in w for w in drift_words({"leak": 1, "fill": 1}))
    assert any("colder resin" in w for w in drift_words({"fill": 1}))
    assert any("shut late" in w for w in drift_words({"caught": 1}))
    assert not any("shut late" in w for w in drift_words({"caught": 1, "mass": 1}))
    assert drift_words({}) == []
