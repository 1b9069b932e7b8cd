"""The filling step itself: small networks worked by hand or by a plain reference."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.flow.build.network import Network, Port, Vent, dissection_order
from bibulon.core.flow.build.program import Opens, Program
from bibulon.core.flow.fill.condense import Band, condense
from bibulon.core.flow.fill.filling import Cancelled, fill
from bibulon.core.flow.fill.step import Drive, Region, WetState, advance
from bibulon.core.resin.clock import NO_GEL, FlowClock


def clock(mu=1.0, gel=NO_GEL):
    return FlowClock(np.array([0.0, 1.0]), np.full(2, mu), np.array([0.0, 1.0 / mu]), gel)


def network(volume, links, port=0, pressure=1.0, vents=()):
    a, b, g = (np.array(x) for x in zip(*links, strict=True))
    n = len(volume)
    return Network(
        np.array(volume, dtype=float), a.astype(int), b.astype(int), g.astype(float), np.arange(n), np.zeros(n, dtype=int), np.arange(n),
        (Port("F1", port, pressure, np.array([port])),), tuple(Vent(f"V{k}", np.array([v])) for k, v in enumerate(vents)),
    )  # fmt: skip


def started(net) -> tuple[Network, Program]:
    return net, Program.opening(net, [Opens()])


def row(vents=()) -> tuple[Network, Program]:
    """A port and two cells, unit conductances and volumes."""
    return started(network([0, 1, 1], [(0, 1, 1.0), (1, 2, 1.0)], vents=vents))


def test_two_cells_in_a_row_by_hand():
    # Port - cell 1 - cell 2, unit conductances.  Cell 1 fills at rate p = 1: full at t = 1.
    # Then the flow through it is 1/2: cell 2 takes 2 more.
    result = fill(*row(), clock=clock())
    assert result.reason == "full"
    assert result.filled_at[1] == pytest.approx(1.0, rel=0.02)
    assert result.filled_at[2] == pytest.approx(3.0, rel=0.02)
    assert result.balance < 1e-10


def test_a_vent_bleeds_only_when_its_own_pores_are_full():
    result = fill(*row(vents=(2,)), clock=clock())
    assert result.bled == pytest.approx(0, abs=0.05)
    assert result.balance < 1e-10


def test_nothing_flows_beyond_gel():
    result = fill(*row(), clock=clock(gel=2.0))
    assert result.reason == "gelled"
    assert np.isinf(result.filled_at[2])
    assert result.frames[-1].time == pytest.approx(2.0)
    assert result.fraction[2] == pytest.approx(0.5, abs=1e-6)


def test_a_shut_feed_stops_the_front_and_a_later_one_goes_on():
    net = network([0, 1, 1], [(0, 1, 1.0), (1, 2, 1.0)])
    result = fill(net, Program.opening(net, [Opens(until=1.5)]), clock())
    assert result.reason == "no open feed"
    assert result.fraction.sum() - 1 == pytest.approx(1.25)


def test_out_of_reach_is_said():
    result = fill(*started(network([0, 1, 1, 1], [(0, 1, 1.0), (2, 3, 1.0)])), clock=clock())
    assert result.reason == "out of reach"
    assert np.isinf(result.filled_at[2:]).all()


def test_cancel_stops_at_once():
    with pytest.raises(Cancelled):
        fill(*row(), clock=clock(), cancelled=lambda: True)


def grid(n, seed):
    rng = np.random.default_rng(seed)
    index = np.arange(n * n).reshape(n, n)
    pairs = np.r_[
        np.c_[index[:, :-1].ravel(), index[:, 1:].ravel()], np.c_[index[:-1].ravel(), index[1:].ravel()]
    ]
    g = rng.uniform(0.05, 3.0, len(pairs))
    volume = rng.uniform(0.1, 2.0, n * n)
    volume[0] = 0.0
    points = np.c_[index.ravel() % n, index.ravel() // n].astype(float)
    rank = dissection_order(points, pairs[:, 0], pairs[:, 1])
    return Network(volume, pairs[:, 0], pairs[:, 1], g, np.arange(n * n), np.zeros(n * n, dtype=int), rank,
                   (Port("F1", 0, 1.0, np.array([0])),), ())  # fmt: skip


def one_cell_at_a_time(net):
    """The reference: dense solve, step to the next cell that fills.  Exact for constant coefficients."""
    n = net.size
    laplacian = np.diag(net.degree) - net.adjacency.toarray()
    wet = np.zeros(n, dtype=bool)
    wet[0] = True
    left, when, time = net.volume.copy(), np.full(n, np.inf), 0.0
    when[0] = 0.0
    while not wet.all():
        pressure = np.zeros(n)
        pressure[0] = 1.0
        inside = np.flatnonzero(wet)[1:]
        if len(inside):
            pressure[inside] = np.linalg.solve(laplacian[np.ix_(inside, inside)], -laplacian[inside, 0])
        rate = np.where(wet, 0, -laplacian @ pressure)
        flowing = np.flatnonzero(rate > 1e-14)
        wait = left[flowing] / rate[flowing]
        time += wait.min()
        left -= rate * wait.min()
        full = flowing[wait <= wait.min() * (1 + 1e-9)]
        wet[full], left[full], when[full] = True, 0.0, time
    return when


@given(st.integers(0, 10_000), st.integers(5, 9), st.integers(3, 12))
@settings(max_examples=25, deadline=None)
def test_any_frames_agree_with_one_cell_at_a_time(seed, n, frames):
    net = grid(n, seed)
    exact, result = (
        one_cell_at_a_time(net),
        fill(net, Program.opening(net, [Opens()]), clock(), frames=frames),
    )
    assert result.reason == "full"
    assert result.balance < 1e-8
    # At a frame's end the wet set is exact: what is full there is what is full in the reference.
    for frame in result.frames[1:-1]:
        told, true = result.filled_at <= frame.time * (1 + 1e-12), exact <= frame.time
        sure = np.abs(exact - frame.time) > 1e-6 * frame.time
        assert np.array_equal(told[sure], true[sure])


def test_a_step_of_any_length_gives_the_same_volumes():
    """Duvaut's transform: one long step and many short ones end in the same state, to rounding."""
    net = grid(9, 4)
    fixed = np.array([0])
    drive = Drive(fixed, np.array([1.0]), np.zeros(0, dtype=np.int64), np.zeros(0))

    def run(steps):
        state = WetState(net)
        state.wet[0] = True
        state.band = Band.start(net, fixed)
        for _ in range(steps):
            step = advance(Region(net, state, drive), state, 40.0 / steps, np.zeros(0, dtype=np.int64))
            partly = np.minimum(step.gain, state.dry)
            partly[state.wet] = 0
            state.wet[step.new] = True
            partly[step.new] = 0
            state.dry[step.new] = 0
            state.dry -= partly
            state.band, _ = condense(
                net, state.band, step.solved.live, np.isin(np.arange(net.size), fixed), False
            )
        return state.dry

    np.testing.assert_allclose(run(1), run(7), atol=1e-11)
    np.testing.assert_allclose(run(1), run(40), atol=1e-11)


@given(st.integers(0, 10_000), st.integers(6, 10), st.sampled_from([5e-4, 0.02, 0.1]))
@settings(max_examples=25, deadline=None)
def test_what_is_left_to_the_next_step_is_not_lost(seed, n, spill):
    """All that was fed is in the nodes at every frame, and by what was left nodes are filled later at most, in the middle."""
    net = grid(n, seed)
    program = Program.opening(net, [Opens()])
    exact, left = (fill(net, program, clock(), frames=8, spill=s) for s in (0.0, spill))
    assert left.reason == exact.reason == "full"
    assert left.balance < 1e-8
    total = float(net.volume.sum())
    for frame in left.frames:
        assert frame.volume == pytest.approx(sum(frame.fed), abs=1e-9 * total)
    assert left.frames[-1].volume == pytest.approx(total, rel=spill / 8)
    assert left.end == pytest.approx(exact.end, rel=5 * spill / 8)
    off = np.abs(left.filled_at - exact.filled_at)
    assert np.median(off) < 2 * spill / 8 * exact.end
