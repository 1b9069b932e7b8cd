"""A thermometer corrects the law: exact readings find what is so, and nine in ten ranges of demould hold the truth."""

from __future__ import annotations

import json
import math

import msgspec
import numpy as np
import pytest
from scipy.interpolate import RegularGridInterpolator

from bibulon.core.cure.corrected import corrected, read_cell
from bibulon.core.cure.places import LAW, ROOM, course_at, cure_of
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.model.base import checked
from bibulon.core.model.cure import CurePlan, WarmthRead

PLACE = (1.0, 0.75)


@pytest.fixture(scope="module")
def flow():
    job = demo_job()
    resin = library()["epoxy-medium"]
    return forecast(job.replaced(resin=resin), Resolution(400, 1, 8))


def truth_of(flow, quicker, warmer):
    course, arrived = course_at(flow.job, flow, PLACE, quicker, warmer)
    return course, arrived, arrived + float(course.demould(flow.job.cure, flow.job.resin)[0])


def readings(flow, course, arrived, until, rng=None, bias=0.0):
    at = np.arange(60.0, until, 120.0)
    warm = np.interp(at, course.time, course.temperature[:, 0, read_cell(flow.job.cure, course)]) + bias
    if rng is not None:
        warm = warm + rng.normal(0, 0.3, len(at))
    return [(float(arrived + t), float(w)) for t, w in zip(at, warm, strict=True)]


def test_the_plans_own_course_changes_nothing_but_the_range(flow):
    course, arrived, done = truth_of(flow, 1.0, 0.0)
    found = corrected(flow.job, flow, readings(flow, course, arrived, 7200.0), PLACE)
    assert found.quicker == pytest.approx(1.0, abs=0.01)
    assert found.warmer == pytest.approx(0.0, abs=0.1)
    assert found.demould[1] == pytest.approx(done, rel=0.01)
    assert found.misfit < 0.1
    assert found.quicker_sd < LAW
    assert found.warmer_sd < 0.6 * ROOM


def test_a_quicker_law_in_a_warmer_shop_is_found(flow):
    course, arrived, done = truth_of(flow, 1.2, 1.5)
    found = corrected(flow.job, flow, readings(flow, course, arrived, 10_800.0), PLACE)
    assert found.quicker > 1.0
    assert found.warmer > 0.7
    assert found.demould[0] < done < found.demould[2]
    assert (
        found.demould[1] < truth_of(flow, 1.0, 0.0)[2]
    )  # towards the truth, and no further than the readings bear


@pytest.mark.parametrize("days", [12, pytest.param(200, marks=pytest.mark.slow)])
def test_nine_in_ten_ranges_hold_the_truth(flow, days):
    """Law and shop drawn from their spreads, a thermocouple wrong by 0.7 K all day and 0.3 K each time, read for two hours."""
    rng = np.random.default_rng(12)
    held, wide = 0, []
    for _ in range(days):
        quicker, warmer = math.exp(LAW * rng.normal()), ROOM * rng.normal()
        course, arrived, done = truth_of(flow, quicker, warmer)
        log = readings(flow, course, arrived, 7200.0, rng, 0.7 * rng.normal())
        low, _, high = corrected(flow.job, flow, log, PLACE).demould
        held += low <= done <= high
        wide.append(math.log(high / low))
    assert abs(held - 0.9 * days) <= 3 * math.sqrt(0.09 * days)
    apart = 2 * 1.645 * math.hypot(LAW, 0.05 * ROOM)
    assert np.mean(wide) < apart  # narrower than a forecast without a thermometer


def test_too_few_readings_and_places_that_cannot_be_are_said(flow):
    with pytest.raises(ValueError, match="three readings"):
        corrected(flow.job, flow, [(1e4, 300.0), (1.1e4, 301.0)], PLACE)
    with pytest.raises(ValueError, match="outside the part"):
        corrected(flow.job, flow, [(1e4, 300.0)] * 5, (9.0, 9.0))


def test_where_it_sits_counts(flow):
    course, _, _ = truth_of(flow, 1.0, 0.0)
    cells = [read_cell(CurePlan(read_where=w), course) for w in ("tool", "middle", "bag")]
    assert cells[0] == 0
    assert cells == sorted(cells)
    assert cells[2] == course.temperature.shape[2] - 1
    plan = CurePlan(read=(WarmthRead(time=0.0, temperature=300.0),), read_at=(1.0, 0.5))
    assert checked(CurePlan, json.loads(msgspec.json.encode(plan))) == plan


@pytest.mark.parametrize("key", ["epoxy-medium", "epoxy-fast", "polyester-iso"])
def test_without_a_thermometer_nine_in_ten_days_end_within_the_range(key):
    """The share is summed over the plane of law and shop, from times at a grid of draws: no draw by chance is needed."""
    job = demo_job().replaced(resin=library()[key])
    flow = forecast(job, Resolution(400, 1, 8))
    (place,) = cure_of(job, flow, [PLACE])
    laws, rooms = np.linspace(-2.7, 2.7, 3), np.linspace(-2.7, 2.7, 7)
    done = np.array([[truth_of(flow, math.exp(LAW * a), ROOM * b)[2] for b in rooms] for a in laws])
    log = np.log(np.minimum(done, 1e6))  # never within two days: late, at any rate
    fine = np.linspace(-2.7, 2.7, 201)
    told = RegularGridInterpolator((laws, rooms), log)(np.stack(np.meshgrid(fine, fine, indexing="ij"), -1))
    weight = np.exp(-(fine[:, None] ** 2 + fine[None, :] ** 2) / 2)
    weight /= weight.sum()
    low, _, high = np.log(place.demould)
    early, late = float(weight[told < low].sum()), float(weight[told > high].sum())
    assert 0.02 < early < 0.08
    assert 0.02 < late < 0.08
    assert 0.88 < 1 - early - late < 0.92
