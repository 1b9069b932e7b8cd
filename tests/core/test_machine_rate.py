"""What an injection machine gives all inlets together, against volumes by the clock and against pressure alone."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from tests.validation.layouts import ring

from bibulon.core.edit.plumb import add_manifold
from bibulon.core.flow.forecast import Resolution, flow_key, forecast
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Conditions, FlowLine, Job, Layer, Part
from bibulon.core.model.materials import ConstantViscosity, PorousLayer
from bibulon.core.model.mould import ClosedMould, Machine
from bibulon.core.mould.recipe import course_of, given_rate, recipe_of

AIR, VACUUM, INJECTED = 1e5, 2e4, 2.0e5
GAP, WIDE, LONG = 0.004, 0.5, 0.8
ROUGH = Resolution(500, 1, 24)


def feed(name, x, **more):
    size = {"bore": 0.0, "hose_bore": 0.0, "hose_length": 0.0}
    return FlowLine(id=name, label=name, role="feed", path=((x, 0), (x, WIDE)), **(size | more))


def strip(*feeds, rate=4e-6, ramp=0.0, injection=INJECTED) -> Job:
    """A pad that nothing changes, fed at one end with its vent at the other, or at both with the vent in the middle."""
    pad = PorousLayer(name="pad", thickness=GAP, porosity=0.6, k1=5e-10, k2=5e-10, k3=5e-10)
    vent = feed("V", LONG / len(feeds)).replaced(role="vacuum")
    return Job(
        process="RTM", part=Part(outline=ring((0, 0), (LONG, 0), (LONG, WIDE), (0, WIDE))), materials={"pad": pad}, stack=(Layer(id="L1", material="pad"),),
        lines=(*feeds, vent), resin=mould_demo_job().resin.replaced(viscosity=ConstantViscosity(value=0.2), gel_time=None),
        conditions=Conditions(atmosphere=AIR, vacuum=VACUUM, bucket_below=0.0, mixed_before_start=0),
        closed=ClosedMould(injection=injection, machine=Machine(rate=rate, ramp=ramp)),
    )  # fmt: skip


def with_rate(job, rate):
    return job.replaced(closed=job.closed.replaced(machine=job.closed.machine.replaced(rate=rate)))


def by_rate(result):
    """Return the frames in which no inlet has come to its pressure."""
    cap = result.job.closed.injection - result.job.conditions.vacuum
    return [f for f in result.history.frames[1:] if max(f.at_port) < 0.99 * cap]


def test_inlets_get_together_what_the_machine_gives():
    result = forecast(strip(feed("A", 0.0), feed("B", LONG)), ROUGH)
    frames = by_rate(result)
    assert len(frames) > 4
    for frame in frames:
        assert sum(frame.fed) == pytest.approx(4e-6 * frame.time, rel=0.01)
        assert frame.fed[0] == pytest.approx(frame.fed[1], rel=0.02)


def test_a_feed_with_a_pump_of_its_own_takes_nothing_from_the_machine():
    job = strip(feed("A", 0.0, rate=1e-6), feed("B", LONG))
    frames = by_rate(forecast(job, ROUGH))
    assert frames
    for frame in frames:
        assert frame.fed[0] == pytest.approx(1e-6 * frame.time, rel=0.01)
        assert frame.fed[1] == pytest.approx(4e-6 * frame.time, rel=0.01)
    assert given_rate(job) == pytest.approx(5e-6)


def test_a_manifold_passes_on_what_the_machine_gives():
    job = strip(*(feed(n, x, hose_bore=0.01, hose_length=0.3) for n, x in (("A", 0.0), ("B", LONG))))
    frames = by_rate(forecast(add_manifold(job), ROUGH))
    assert len(frames) > 4
    for frame in frames:
        assert sum(frame.fed) == pytest.approx(4e-6 * frame.time, rel=0.01)


def test_a_machine_that_gives_enough_is_not_felt():
    """Filled at once to its pressure, it is the strip of the closed form, t = φ μ L²/(2 K Δp)."""
    result = forecast(strip(feed("A", 0.0), rate=0.01), Resolution(1600, 1, 48))
    assert result.fill_time == pytest.approx(
        0.6 * 0.2 * LONG**2 / (2 * 5e-10 * (INJECTED - VACUUM)), rel=0.01
    )


@pytest.mark.parametrize("rate", [1e-6, 2e-5, 1e-3, 0.01])
def test_no_inlet_is_ever_beyond_its_pressure(rate):
    """A hose so thin that it passes 2.8 mL/s at the most."""
    job = strip(feed("A", 0.0, hose_bore=0.004, hose_length=2.0, bore=0.008), rate=rate)
    cap = INJECTED - VACUUM
    result = forecast(job, ROUGH)
    assert max(p for f in result.history.frames for p in f.at_port if p == p) <= cap * (1 + 1e-9)
    ample = forecast(with_rate(job, 0.01), ROUGH)
    if rate > 2.8e-6:
        assert result.fill_time == pytest.approx(ample.fill_time, rel=1e-6)
    else:
        assert result.fill_time > ample.fill_time


def test_a_weaker_machine_never_fills_sooner():
    rates = (1.5e-6, 5e-6, 3e-5, 1e-4)
    times = [forecast(strip(feed("A", 0.0), rate=r), ROUGH).fill_time for r in rates]
    assert times == sorted(times, reverse=True)
    assert times[0] > 1.2 * times[-1]


def test_the_forecast_goes_by_the_machine_where_it_injects_alone():
    job = mould_demo_job()
    assert flow_key(job) != flow_key(with_rate(job, 1e-5))
    drawn = job.replaced(closed=job.closed.replaced(injection=None))
    assert flow_key(drawn) == flow_key(with_rate(drawn, 1e-5))
    assert given_rate(drawn) is None
    assert given_rate(job) == job.closed.machine.rate


@pytest.mark.parametrize("rate", [4e-6, 1e-5, 0.01])
def test_a_rise_that_the_machine_need_not_wait_for_costs_nothing(rate):
    """The forecast's time against the clock, dτ/dt = min(1, (p_0 + r t − p_vac)/(p(τ) − p_vac)), by another integrator."""
    ramp = 500.0
    job = strip(feed("A", 0.0), rate=rate)
    result = forecast(job, ROUGH)
    planned = course_of(job, result)
    slow = job.replaced(closed=job.closed.replaced(machine=Machine(rate=rate, ramp=ramp)))
    raised = course_of(slow, result)

    def pace(now, tau):
        asked = planned.pressure[min(np.searchsorted(planned.time, tau[0]), len(planned.time) - 1)]
        return [min(1.0, (AIR + ramp * now - VACUUM) / max(asked - VACUUM, 1.0))]

    found = solve_ivp(
        pace, (0, raised.time[-1]), [0.0], max_step=raised.time[-1] / 2000, t_eval=raised.time[1:]
    )
    assert found.y[0] == pytest.approx(planned.time[1:], rel=5e-3, abs=0.5)
    assert (raised.pressure <= AIR + ramp * raised.time + 1e-6).all()
    assert raised.mass == pytest.approx(planned.mass)


def test_the_recipe_says_what_rate_and_until_what_pressure():
    job = mould_demo_job()
    stages = {s.key: s for s in recipe_of(job, forecast(job, Resolution(400, 1, 8)))}
    assert stages["flow"].pressure == pytest.approx(stages["pressure"].pressure)
    assert "flow" in stages["flow"].words  # a figure, told in the units of who reads
    assert 0 < stages["flow"].mass < stages["pressure"].mass
    # Until it comes to its pressure all is by rate: so many seconds of it, and what the step overruns.
    density = job.resin.density
    assert stages["flow"].mass == pytest.approx(
        job.closed.machine.rate * density * stages["flow"].seconds, rel=0.15
    )
    strong = with_rate(job, 0.01)
    assert "flow" not in {s.key for s in recipe_of(strong, forecast(strong, Resolution(400, 1, 8)))}
