"""Laws that any filling keeps, on random networks and on jobs."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from examples.make import CASES
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.edit.edit import change
from bibulon.core.flow.build.builder import build
from bibulon.core.flow.build.network import Network, Port, Vent, dissection_order
from bibulon.core.flow.build.program import Opens, Program
from bibulon.core.flow.fill.filling import fill
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.model.job import AtTime, Conditions, Corner
from bibulon.core.resin.clock import FlowClock, flow_clock


def clock(gel=1e9):
    return FlowClock(np.array([0.0, 1.0]), np.ones(2), np.array([0.0, 1.0]), gel)


def random_network(seed, n=8, vents=True, scale=(1.0, 1.0)):
    rng = np.random.default_rng(seed)
    index = np.arange(n * n).reshape(n, n)
    a = np.r_[index[:, :-1].ravel(), index[:-1].ravel()]
    b = np.r_[index[:, 1:].ravel(), index[1:].ravel()]
    g = rng.uniform(0.02, 3.0, len(a)) * scale[1]
    volume = rng.uniform(0.1, 2.0, n * n) * scale[0]
    volume[[0, n - 1]] = 0.0
    points = np.c_[index.ravel() % n, index.ravel() // n].astype(float)
    ports = (Port("F1", 0, 1.0, np.array([0])), Port("F2", n - 1, 1.0, np.array([n - 1])))
    held = (Vent("V1", index[-1, n // 2 :]),) if vents else ()
    flat = np.zeros(n * n, dtype=int)
    return Network(volume, a, b, g, np.arange(n * n), flat, dissection_order(points, a, b), ports, held)


SHUT = Opens(at=None)


@given(st.integers(0, 9999), st.floats(2.0, 60.0))
@settings(max_examples=30, deadline=None)
def test_another_feed_never_leaves_more_dry(seed, gel):
    net = random_network(seed)
    one = fill(net, Program.opening(net, [Opens(), SHUT]), clock(gel)).fraction
    two = fill(net, Program.opening(net, [Opens(), Opens(at=gel / 3)]), clock(gel)).fraction
    assert (two >= one - 1e-9).all()


@given(st.integers(0, 9999), st.floats(2.0, 60.0), st.floats(1.05, 3.0))
@settings(max_examples=30, deadline=None)
def test_more_pull_never_fills_less(seed, gel, factor):
    net = random_network(seed)
    ports = tuple(Port(p.id, p.node, p.pressure * factor, p.line_nodes) for p in net.ports)
    harder = Network(
        net.volume, net.a, net.b, net.conductance, net.vertex, net.sheet, net.rank, ports, net.vents
    )
    weak, strong = (fill(x, Program.opening(x, [Opens(), SHUT]), clock(gel)).fraction for x in (net, harder))
    assert (strong >= weak - 1e-9).all()


@given(st.integers(0, 9999), st.floats(1e-8, 1.0), st.floats(1e-6, 1e3))
@settings(max_examples=20, deadline=None)
def test_units_do_not_matter(seed, volume, conductance):
    """Volumes and conductances in other units only rescale time."""
    plain, scaled = random_network(seed), random_network(seed, scale=(volume, conductance))
    a, b = (
        fill(plain, Program.opening(plain, [Opens(), SHUT]), clock()),
        fill(scaled, Program.opening(scaled, [Opens(), SHUT]), clock()),
    )
    both = np.isfinite(a.filled_at) & np.isfinite(b.filled_at)
    assert both.sum() > 40
    np.testing.assert_allclose(b.filled_at[both] * conductance / volume, a.filled_at[both], rtol=1e-6)


@given(st.integers(0, 9999), st.booleans(), st.integers(4, 40), st.floats(1.0, 40.0))
@settings(max_examples=40, deadline=None)
def test_no_volume_is_ever_lost(seed, vents, frames, second):
    net = random_network(seed, vents=vents)
    result = fill(
        net,
        Program.opening(net, [Opens(until=second * 2), Opens(at=second)]),
        clock(120.0),
        frames=frames,
    )
    assert result.balance < 1e-9
    volumes = [f.volume for f in result.frames]
    assert all(b >= a - 1e-9 for a, b in itertools.pairwise(volumes))


@pytest.mark.parametrize("job", ["demo", "ellipse", "series-slow-fast"])
def test_the_fast_way_and_the_plain_one_agree(job, demo):
    """Eliminating the filled inside changes nothing: the same volumes and times to rounding.

    Layers taken to be at one pressure well behind the front change the volumes by less than 0.2 %.
    """
    made = demo if job == "demo" else CASES[job]().job
    model = build(made, 350)
    resin = flow_clock(made.resin, made.conditions.resin_temperature)
    opens = [Opens(at=0.0 if k == 0 else 420.0) for k, _ in enumerate(model.network.ports)]
    fast, plain, merged = (
        fill(model.network, Program.opening(model.network, opens), resin, frames=12, plain=p, merge=m)
        for p, m in ((False, False), (True, False), (False, True))
    )
    assert fast.reason == plain.reason
    np.testing.assert_allclose([f.volume for f in fast.frames], [f.volume for f in plain.frames], rtol=1e-8)
    finite = np.isfinite(plain.filled_at)
    np.testing.assert_allclose(fast.filled_at[finite], plain.filled_at[finite], rtol=1e-8, atol=1e-6)
    at = [f.time for f in plain.frames]
    there = np.interp(at, [f.time for f in merged.frames], [f.volume for f in merged.frames])
    np.testing.assert_allclose(there, [f.volume for f in plain.frames], atol=2e-3 * plain.frames[-1].volume)


def test_a_mirrored_job_gives_a_mirrored_answer(demo):
    def flip(x: float, y: float) -> tuple[float, float]:
        return x, 1.5 - y

    part = demo.part.replaced(outline=tuple(
        Corner(x=demo.part.outline[k].x, y=1.5 - demo.part.outline[k].y, bow=demo.part.outline[(k - 1) % 4].bow) for k in (3, 2, 1, 0)
    ), zones=demo.part.zones[:1])  # fmt: skip
    base = change(demo, part=demo.part.replaced(zones=demo.part.zones[:1]),
                  stack=tuple(s for s in demo.stack if s.zones != ("foot",)))  # fmt: skip
    feed = base.lines[0].replaced(path=((0.05, 0.1), (0.3, 0.7)))
    base = change(base, lines=(feed, base.lines[2]))
    other = change(
        base,
        part=part,
        lines=tuple(x.replaced(path=tuple(flip(*p) for p in x.path)) for x in base.lines),
    )
    a, b = (forecast(j, Resolution(1800, 1, 16)) for j in (base, other))
    assert b.resin_in_part == pytest.approx(a.resin_in_part, rel=0.01)
    for x, y in ((0.6, 0.3), (1.2, 0.9), (1.8, 0.6)):
        assert b.probe(x, 1.5 - y)["upper skin"] == pytest.approx(a.probe(x, y)["upper skin"], rel=0.04)


def test_a_pump_holds_its_rate_until_its_cap():
    result = forecast(CASES["strip-pump"]().job, Resolution(900, 1, 24))
    q = 1e-10 * 0.3 * 0.005 * 1e5 / (0.1 * 0.5)
    frames = result.history.frames
    even = [f for f in frames[2:] if f.time < 500]
    assert even
    for f in even:
        assert f.fed[0] == pytest.approx(q * f.time, rel=1e-6)
    assert max(f.at_port[0] for f in frames[1:]) <= 1e5 * 1.006


def test_a_membrane_lets_nothing_through():
    job = CASES["strip"]().job
    open_, closed = (forecast(change(job, lines=(job.lines[0], job.lines[1].replaced(membrane=m))), Resolution(600, 1, 16))
                     for m in (False, True))  # fmt: skip
    assert closed.resin_to_catch_pot == 0
    assert open_.resin_to_catch_pot > 0
    assert closed.fill_time == pytest.approx(open_.fill_time, rel=0.02)
    assert not closed.pockets  # air still leaves through it


def test_a_vent_shut_early_keeps_its_resin():
    job = CASES["strip"]().job
    shut = change(job, lines=(job.lines[0], job.lines[1].replaced(shuts=AtTime(time=600.0))))
    result = forecast(shut, Resolution(600, 1, 16))
    assert result.filled
    assert result.resin_to_catch_pot == 0


def test_deeper_vacuum_is_never_later():
    job = CASES["strip"]().job
    times = [forecast(change(job, conditions=Conditions(atmosphere=1e5, vacuum=v, bucket_below=0, mixed_before_start=0)),
                      Resolution(400, 1, 12)).fill_time for v in (0.0, 5e3, 3e4)]  # fmt: skip
    assert times[0] < times[1] < times[2]
    assert times[2] / times[0] == pytest.approx(1 / 0.7, rel=1e-3)


def test_cancel_is_asked_before_every_solve():
    asked = []
    net = random_network(3)
    fill(net, Program.opening(net, [Opens(), SHUT]), clock(), cancelled=lambda: bool(asked.append(1)))
    result = fill(net, Program.opening(net, [Opens(), SHUT]), clock())
    assert len(asked) >= result.solves
