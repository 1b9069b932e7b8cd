"""Resin of different ages: what was eliminated is kept for some steps, and tells what it tells when each step makes it anew."""

from __future__ import annotations

import math
from types import SimpleNamespace

import numpy as np
import pytest
from examples.make import CASES
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.flow.build.builder import build
from bibulon.core.flow.build.program import Batch, Bucket, Opens, Program, Turn, When
from bibulon.core.flow.fill import ages
from bibulon.core.flow.fill.carry import link_flux
from bibulon.core.flow.fill.filling import fill
from bibulon.core.flow.fill.history import Reason
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.model.materials import TabulatedViscosity
from bibulon.core.resin.clock import FlowClock, flow_clock


def thickening(end: float, growth: float) -> FlowClock:
    """Return a resin that thickens by e^(growth / 2) in a fill [s]."""
    job = demo_job()
    times = np.linspace(0, 4 * end, 120)
    law = TabulatedViscosity(
        times=tuple(times.tolist()), values=tuple((0.2 * np.exp(growth * times / (2 * end))).tolist())
    )
    assert job.resin is not None
    return flow_clock(job.resin.replaced(viscosity=law), job.conditions.resin_temperature)


def counted(monkeypatch: pytest.MonkeyPatch, slip: float) -> list[int]:
    """Let a step be off by so much; return a list that grows by one with each time that it is made."""
    made: list[int] = []
    anew = ages.FillAges._sink_anew

    def sink_anew(self: ages.FillAges, share: np.ndarray) -> None:
        made.append(len(share))
        anew(self, share)

    monkeypatch.setattr(ages.FillAges, "_sink_anew", sink_anew)
    monkeypatch.setattr(ages, "SLIP", slip)
    return made


@pytest.mark.parametrize("growth", [1.0, pytest.param(2.0, marks=pytest.mark.slow)])
@pytest.mark.parametrize("kind", ["head", "batches", "valves"])
def test_what_is_kept_tells_what_is_made_anew(kind, growth):
    """A mixing head; two batches, the second half an hour younger; a feed that is shut for a third of the fill."""
    network = build(demo_job(), 900, 1).network
    ports = tuple(p.id for p in network.ports)
    opens = [Opens()] * len(ports)
    plain = fill(network, Program.opening(network, opens), thickening(1.0, 0.0), frames=24)
    held, end = float(network.volume.sum()), plain.end
    batches = {
        "head": (Batch(np.inf, None),),
        "batches": (Batch(held * 0.4, -1500.0), Batch(held * 2, 0.0, When(at=0.35 * end))),
        "valves": (Batch(np.inf, None),),
    }[kind]
    program = Program.opening(network, opens, buckets=(Bucket("B", ports, batches),))
    if kind == "valves":
        turns = (Turn("F1", When(at=0.25 * end), 0.0), Turn("F1", When(at=0.6 * end), 1.0))
        program = Program((*program.turns, *turns), program.buckets)
    clock = thickening(end, growth)
    with pytest.MonkeyPatch.context() as patch:
        made = counted(patch, 0.0)
        wanted = fill(network, program, clock, frames=24)
        anew = len(made)
    with pytest.MonkeyPatch.context() as patch:
        made = counted(patch, ages.SLIP)
        kept = fill(network, program, clock, frames=24)
    assert kept.end == pytest.approx(wanted.end, rel=1e-3)
    assert len(made) < (0.9 if kind == "batches" else 0.7) * anew  # where fresh resin meets old, less lasts
    assert kept.balance < 1e-9
    both = np.isfinite(kept.filled_at) & np.isfinite(wanted.filled_at)
    assert both.sum() > 0.995 * np.isfinite(wanted.filled_at).sum()
    off = np.abs(kept.filled_at - wanted.filled_at)[both]
    assert off.mean() < 1e-4 * end


@given(st.integers(0, 9999))
@settings(max_examples=40)
def test_what_lies_in_a_row_keeps_its_resistance(seed):
    """In series the scale is exact: the one number by which all links are scaled gives the resistance that they have."""
    rng = np.random.default_rng(seed)
    conductance, fresh, held = rng.uniform(0.1, 10, (3, 30))
    row = SimpleNamespace(network=SimpleNamespace(conductance=conductance), flux=np.full(30, 0.7))
    scale, off = ages.FillAges._fitted(row, fresh, held)
    assert (1 / (conductance * held * scale)).sum() == pytest.approx((1 / (conductance * fresh)).sum())
    assert off > 0
    even, none = ages.FillAges._fitted(row, fresh, fresh * 3)
    assert (even, none) == (pytest.approx(1 / 3), pytest.approx(0, abs=1e-12))


@pytest.mark.parametrize("points", [1200, 7500])
def test_a_mixing_head_keeps_its_closed_form(points):
    case = CASES["from-entry"]()
    result = forecast(case.job, Resolution(points, 1, 24))
    layer = result.model.slots[0]
    for check in case.checks:
        told = float(np.mean([result.probe(*p)[layer] for p in check.places]))
        assert told == pytest.approx(check.exact, rel=4e-3)


def test_resin_that_gelled_stops_for_good():
    """From a mixing head the front holds the oldest resin: it stands where it was when that gelled, x² = 2KΔp t/φμ."""
    gel, thick = 900.0, 0.1
    times = np.linspace(0.0, gel, 50)
    law = FlowClock(times, np.full(50, thick), times / thick, gel)
    network = build(CASES["strip"]().job, 2000, 1).network
    bucket = Bucket("head", tuple(p.id for p in network.ports), (Batch(np.inf, None),))
    told = fill(
        network, Program.opening(network, [Opens()] * len(network.ports), buckets=(bucket,)), law, frames=48
    )
    assert told.reason == Reason.GELLED
    assert gel < told.end < 1.5 * gel
    wet = float(network.volume @ told.fraction) / float(network.volume.sum())
    # 2500 s for the whole strip; carried upwind, the front's resin is a little younger than it should be.
    assert wet == pytest.approx(math.sqrt(gel / 2500.0), rel=0.03)


@pytest.mark.parametrize("air", [0.0, 0.3])
def test_what_passes_a_link(air):
    """Link by link, from the definition: nothing comes out of dry places, whether air presses in them or not."""
    network = build(demo_job(), 300, 1).network
    rng = np.random.default_rng(3)
    wet = rng.random(network.size) < 0.6
    u = np.where(wet, rng.uniform(0, 1, network.size), air)
    told = link_flux(network, u, wet, 1.0, None)
    for k in range(0, len(network.a), 7):
        a, b = network.a[k], network.b[k]
        passes = network.conductance[k] * (u[a] - u[b])
        source = a if passes > 0 else b
        assert told[k] == pytest.approx(passes if wet[source] else 0.0)
