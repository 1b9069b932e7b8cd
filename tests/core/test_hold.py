"""The hold: settling against closed forms and an independent solver, resin conserved, gel stops it."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import sparse
from scipy.integrate import solve_ivp
from tests.validation.layouts import job, stack

from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.hold import hold_of, settle
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.materials import ConstantViscosity, PorousLayer
from bibulon.core.stack.laminate import compaction_pressure, thickness_under

MU = 0.2  # Pa s
N, LENGTH, WIDE = 200, 1.0, 0.3  # places of a strip, m
T = 3e-13  # m³, conductivity times thickness


def strip():
    """A strip cut into places, conductance between neighbours, the last one held."""
    g = np.full(N - 1, T * WIDE / (LENGTH / (N - 1)))
    apart = sparse.coo_array(
        (np.r_[g, g], (np.r_[np.arange(N - 1), np.arange(1, N)], np.r_[np.arange(1, N), np.arange(N - 1)])),
        shape=(N, N),
    ).tocsr()
    area = np.full(N, WIDE * LENGTH / (N - 1))
    area[[0, -1]] /= 2
    held = np.full(N, np.nan)
    held[-1] = 0.0
    return apart, area, held, np.linspace(0, LENGTH, N)


def steady(_t):
    return np.full(N, MU)


def test_a_linear_strip_settles_as_its_series():
    """∂p/∂t = c ∂²p/∂x², no flow at one end, nothing at the other, from p₀ everywhere: Σ 4/((2k+1)π) (−1)^k cos … e^…"""
    apart, area, held, x = strip()
    slope = 2e-8  # m/Pa
    start = np.full(N, 1e4)
    start[-1] = 0.0
    c = T / (MU * slope)
    end = 0.25 * LENGTH**2 / c
    found = settle(apart, area, lambda p: (0.004 + slope * p, np.full(N, slope)), held, start, steady, end)
    k = np.arange(60)
    lam = (2 * k + 1) * np.pi / 2
    for m in (-8, -4, -1):
        t = found.time[m]
        series = 1e4 * (
            4 / ((2 * k + 1) * np.pi) * (-1.0) ** k * np.cos(np.outer(x, lam)) * np.exp(-(lam**2) * c * t)
        ).sum(axis=1)
        assert found.pressure[m] == pytest.approx(series, abs=0.01 * 1e4)
    assert found.bled[-1] == pytest.approx((area * slope * (start - found.pressure[-1])).sum(), rel=1e-9)


def test_a_cloth_that_stiffens_settles_as_an_independent_solver_says():
    job = demo_job()
    zone = "rim"
    press = compaction_pressure(job)
    apart, area, held, _ = strip()
    at = np.linspace(-0.1 * press, press - 200, 4000)
    table = thickness_under(job, zone, press - at)
    rise = np.gradient(table, at)

    def thickness(p):
        return np.interp(p, at, table), np.interp(p, at, rise)

    start = 0.9 * press * np.linspace(1, 0, N)
    found = settle(apart, area, thickness, held, start, steady, 1500.0)
    laplace = sparse.diags_array(np.asarray(apart.sum(axis=1)).ravel()) - apart

    def rate(_t, p):
        out = -(laplace @ p) / MU / (area * np.interp(p, at, rise))
        out[-1] = 0.0
        return out

    told = solve_ivp(rate, (0, 1500.0), start, "BDF", rtol=1e-7, atol=0.1)
    off = np.abs(found.pressure[-1] - told.y[:, -1]).max()
    assert off < 0.01 * start.max()
    thick = np.interp(told.y[:, -1], at, table)
    moved = np.abs(table.max() - table.min())
    assert np.abs(found.thickness[-1] - thick).max() < 0.01 * moved


@pytest.fixture(scope="module")
def flow():
    return forecast(demo_job(), Resolution(600, 1, 12))


def test_with_all_shut_no_resin_is_lost_and_the_thick_end_thins(flow):
    hold = hold_of(flow, "shut")
    assert abs(hold.bled[-1]) < 1e-6
    assert np.nanmax(hold.thickness[-1]) <= np.nanmax(hold.thickness[0]) + 1e-9
    volume = np.nansum(hold.thickness * hold.area, axis=1)
    assert volume == pytest.approx(volume[0], rel=1e-6)
    assert hold.ends(-1)[2] - hold.ends(-1)[0] < hold.ends(0)[2] - hold.ends(0)[0]


def test_the_vacuum_draws_more_the_longer_and_the_harder_it_runs(flow):
    run, held_back = hold_of(flow, "run"), hold_of(flow, "throttled", throttled_to=30_000.0)
    assert (np.diff(run.bled) > -1e-9).all()
    assert run.bled[-1] > held_back.bled[-1] > 0
    assert run.ends(-1)[1] > held_back.ends(-1)[1] > hold_of(flow, "shut").ends(-1)[1]
    volume = np.nansum(run.thickness * run.area, axis=1)
    lost = (volume[0] - volume[-1]) * flow.density
    assert run.bled[-1] == pytest.approx(lost, rel=0.02)


def test_given_time_enough_the_bag_presses_all_of_it_to_its_plan(flow):
    """A resin that never gels: what the plan's stack says under the whole bag."""
    from msgspec.structs import replace

    endless = replace(flow.clock, time=np.array([0.0, 1e9]), viscosity=np.array([1e-4, 1e-4]), gel=1e9)
    hold = hold_of(replace(flow, clock=endless), "run")
    for k, zone in enumerate(flow.model.plan.zones):
        owner = np.full(len(flow.model.mesh.points), -1)
        owner[flow.model.mesh.triangles.ravel()] = np.repeat(flow.model.zone, 3)
        plan = thickness_under(flow.job, zone, np.array([compaction_pressure(flow.job)]))[0]
        assert hold.thickness[-1][owner == k] == pytest.approx(plan, rel=0.01)


def test_gel_ends_it_where_the_resin_is_oldest_first(flow):
    hold = hold_of(flow, "run")
    assert hold.time[0] == pytest.approx(flow.fill_time)
    assert hold.time[-1] <= hold.gel + 1.0
    late = hold_of(flow, "run", shut_after=600.0)
    assert late.time[0] == pytest.approx(flow.fill_time + 600.0)
    assert late.bled[-1] < hold.bled[-1]


def test_resin_of_one_batch_gels_by_the_clock_of_the_forecast():
    made = forecast(job(), Resolution(300, 1, 8))
    assert made.filled
    assert hold_of(made).gel == pytest.approx(made.clock.gel, rel=1e-6)


def test_a_throttled_vacuum_is_what_the_resin_comes_down_to():
    """Half an atmosphere held for good: no place ends below it, and at the vacuum line it stands from the first moment."""
    made = job(resin=library()["epoxy-slow"].replaced(viscosity=ConstantViscosity(value=0.05)))
    flow = forecast(made, Resolution(300, 1, 8))
    found = hold_of(flow, "throttled", throttled_to=50_000.0)
    over = 50_000.0 - made.conditions.vacuum  # pressures are told above the vacuum
    at_line = flow.model.lines["V1"]
    assert np.nanmin(found.pressure[-1]) == pytest.approx(over, rel=0.02)
    assert found.pressure[-1][at_line] == pytest.approx(over, rel=0.02)


def test_what_cannot_be_held_says_why(flow):
    with pytest.raises(ValueError, match="no way to hold"):
        hold_of(flow, "hope")
    lid = forecast(mould_demo_job(), Resolution(300, 1, 8))
    with pytest.raises(ValueError, match="two hard faces"):
        hold_of(lid)
    dry = forecast(demo_job().replaced(lines=demo_job().lines[:1]), Resolution(300, 1, 8))
    with pytest.raises(ValueError, match="does not fill"):
        hold_of(dry)
    porous = PorousLayer(name="Sponge", thickness=0.004, porosity=0.5, k1=2e-9, k2=2e-9, k3=1e-10)
    made = job(materials={"sponge": porous}, stack=stack("sponge"), mesh=None)
    with pytest.raises(ValueError, match="no layer is a cloth"):  # of a fixed thickness: nothing gives
        hold_of(forecast(made, Resolution(300, 1, 8)))
