"""Parts of the filling on their own: elimination, factors, carried values, pockets, orders, valves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.flow.build.network import Network, Port, Valve, Vent, dissection_order
from bibulon.core.flow.build.program import Batch, Bucket, Opens, Program, Turn, When
from bibulon.core.flow.fill import factor as factor_of
from bibulon.core.flow.fill.carry import carried, link_flux, link_share, mean_viscosity
from bibulon.core.flow.fill.condense import Band, condense
from bibulon.core.flow.fill.factor import DENSE, SingularError, Symmetric
from bibulon.core.flow.fill.filling import Cancelled, FillError, fill
from bibulon.core.flow.fill.history import Reason
from bibulon.core.flow.fill.pockets import shut_regions
from bibulon.core.flow.fill.solve import System
from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.geometry.heights import heights
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Corner, Part, Spot
from bibulon.core.resin.clock import FlowClock


def clock(mu=1.0, gel=1e9):
    return FlowClock(np.array([0.0, 1.0]), np.full(2, mu), np.array([0.0, 1.0 / mu]), gel)


def sheet(n, seed=0, layers=1, through=5.0, vents=()):
    """A square of n by n columns of some layers, random conductances; port at the first corner's top."""
    rng = np.random.default_rng(seed)
    index = np.arange(n * n * layers).reshape(n, n, layers)
    a = [index[:, :-1].reshape(-1), index[:-1].reshape(-1)]
    b = [index[:, 1:].reshape(-1), index[1:].reshape(-1)]
    g = [rng.uniform(0.2, 2.0, len(a[0])), rng.uniform(0.2, 2.0, len(a[1]))]
    if layers > 1:
        a.append(index[:, :, :-1].reshape(-1))
        b.append(index[:, :, 1:].reshape(-1))
        g.append(np.full(len(a[-1]), through))
    vertex = np.repeat(np.arange(n * n), layers)
    volume = rng.uniform(0.5, 1.5, n * n * layers)
    volume[layers - 1] = 0.0
    points = np.c_[vertex % n, vertex // n].astype(float)
    a, b, g = (np.concatenate(x) for x in (a, b, g))
    rank = dissection_order(points, a, b)
    port = Port("F1", layers - 1, 1.0, np.array([layers - 1]))
    held = tuple(Vent(f"V{k}", np.atleast_1d(v)) for k, v in enumerate(vents))
    return Network(volume, a, b, g, vertex, np.tile(np.arange(layers), n * n), rank, (port,), held)


def laplacian(net):
    return np.diag(net.degree) - net.adjacency.toarray()


# -- elimination


@pytest.mark.parametrize("layers", [1, 3])
def test_what_is_eliminated_acts_on_the_rest_as_before(layers):
    """Solve for the whole wet region, and for what is left of it: the same pressures."""
    net = sheet(9, 3, layers)
    wet = np.flatnonzero((net.vertex % 9 < 7) & (net.vertex // 9 < 8))
    stays = np.zeros(net.size, dtype=bool)
    stays[net.ports[0].node] = True
    fixed, push = np.array([net.ports[0].node]), np.array([1.0])
    none = np.zeros(0, dtype=np.int64)
    whole = Band.start(net, wet)
    band, inside = condense(net, whole, wet, stays, merge=False)
    assert band.gone.sum() > 10
    full = System(net, whole, none, fixed).solve(none, push, np.zeros(net.size), 1.0)
    part = System(net, band, none, fixed).solve(none, push, np.zeros(net.size), 1.0)
    p = np.zeros(net.size)
    p[full.nodes] = full.p
    np.testing.assert_allclose(part.p, p[part.nodes], rtol=1e-9)
    u = p.copy()
    u[fixed] = push
    np.testing.assert_allclose(inside.values(u, 1.0), p[inside.nodes], rtol=1e-8)
    np.testing.assert_allclose(part.drawn(net, 1.0), full.drawn(net, 1.0), rtol=1e-9)


def test_eliminating_in_two_goes_is_eliminating_at_once():
    net = sheet(10, 5)
    stays = np.arange(net.size) == net.ports[0].node
    first, second = (np.flatnonzero(net.vertex % 10 < k) for k in (5, 8))
    once, _ = condense(net, Band.start(net, second), second, stays, merge=False)
    twice, _ = condense(net, Band.start(net, first), first, stays, merge=False)
    twice, _ = condense(net, twice, np.union1d(twice.nodes, np.setdiff1d(second, first)), stays, merge=False)
    assert set(once.nodes) == set(twice.nodes)
    order = [list(twice.ring).index(n) for n in once.ring]
    np.testing.assert_allclose(twice.block[np.ix_(order, order)], once.block, atol=1e-10)


def test_a_long_front_is_eliminated_once_much_lies_behind_it():
    """A block on a ring of sixty costs more than the few nodes behind it, until there are enough of these."""
    net = sheet(60, 2)
    stays = np.arange(net.size) == net.ports[0].node
    kept = {}
    for deep in (2, 40):
        wet = np.flatnonzero(net.vertex % 60 < deep)
        band, inside = condense(net, Band.start(net, wet), wet, stays, merge=False)
        kept[deep] = len(wet) - len(band.nodes)
        assert len(inside.nodes) == band.gone.sum() == kept[deep]
    assert kept == {2: 0, 40: 60 * 39 - 1}  # all but the column at the front, and the port


def test_nodes_that_might_get_wet_and_do_not_change_nothing():
    net = sheet(30)
    fixed, push = np.array([net.ports[0].node]), np.array([1.0])
    new, beyond = np.arange(1, 400), np.arange(400, 520)
    band, dry = Band.start(net, fixed), net.volume
    alone = System(net, band, new, fixed).solve(new, push, dry, 2000.0)
    system = System(net, band, np.r_[new, beyond], fixed)
    system.solve(np.r_[new, beyond], push, dry, 2000.0)
    among = system.solve(new, push, dry, 2000.0)
    here, there = np.argsort(alone.nodes), np.argsort(among.nodes)
    np.testing.assert_array_equal(alone.nodes[here], among.nodes[there])
    np.testing.assert_allclose(among.u[there], alone.u[here], rtol=1e-9, atol=1e-9 * np.abs(alone.u).max())
    np.testing.assert_allclose(among.drawn(net, 2000.0), alone.drawn(net, 2000.0), rtol=1e-9)


def test_layers_far_behind_share_a_pressure_and_no_flow_is_lost():
    net = sheet(30, 2, 3, through=40.0)
    stays = np.arange(net.size) == net.ports[0].node
    wet = np.flatnonzero(net.vertex % 30 < 26)
    band, _ = condense(net, Band.start(net, wet), wet, stays, merge=True)
    behind = band.ring[net.column[band.ring] != net.column[net.ports[0].node]]
    assert len(behind) == 30  # one unknown a column of three
    assert len(np.unique(net.column[behind])) == 30
    for node in behind:
        layers = np.flatnonzero(net.column == net.column[node])
        assert (band.same[layers] == node).all()
    plain, _ = condense(net, Band.start(net, wet), wet, stays, merge=False)
    assert len(plain.ring) > len(band.ring)


@pytest.mark.parametrize("size", [DENSE - 20, DENSE + 80])
@pytest.mark.parametrize("without", [False, True], ids=["by CHOLMOD", "by the LU alone"])
def test_all_factors_solve_and_eliminate(size, without, monkeypatch):
    if without:
        monkeypatch.setattr(factor_of, "by_blocks", lambda: None)
    rng = np.random.default_rng(1)
    i = np.arange(size - 1)
    values = -rng.uniform(0.5, 1.0, size - 1)
    rows, cols = np.r_[i, i + 1], np.r_[i + 1, i]
    diagonal = np.full(size, 2.5)
    at, block = np.array([size - 2, size - 1]), np.array([[0.3, -0.1], [-0.1, 0.2]])
    made = Symmetric(size, i + 1, i, values, diagonal, at, block)
    factor = made.factored()
    matrix = np.diag(diagonal)
    matrix[rows, cols] = np.r_[values, values]
    matrix[np.ix_(at, at)] += block
    load = rng.uniform(-1, 1, size)
    np.testing.assert_allclose(factor.solve(load), np.linalg.solve(matrix, load), rtol=1e-9)
    both = np.c_[load, load[::-1]]
    np.testing.assert_allclose(factor.solve(both), np.linalg.solve(matrix, both), rtol=1e-9)
    more = rng.uniform(0, 1, size)
    np.testing.assert_allclose(
        made.factored(more).solve(load), np.linalg.solve(matrix + np.diag(more), load), rtol=1e-9
    )
    np.testing.assert_allclose(made.factored().solve(load), np.linalg.solve(matrix, load), rtol=1e-9)
    k = size - 7
    reduced = Symmetric(size, i, i + 1, values, diagonal, at, block).reduced(k)
    inverse = np.linalg.inv(matrix[:k, :k])
    schur = matrix[k:, k:] - matrix[k:, :k] @ inverse @ matrix[:k, k:]
    np.testing.assert_allclose(reduced.schur, schur, atol=1e-10)
    put, held = load[:k], load[k:]
    np.testing.assert_allclose(reduced.pushed(put), -matrix[k:, :k] @ inverse @ put, atol=1e-10)
    within = inverse @ (put - matrix[:k, k:] @ held)
    np.testing.assert_allclose(reduced.within(put, held), within, rtol=1e-9, atol=1e-12)


def test_both_ways_of_factoring_fill_alike(monkeypatch):
    """Only rounding lies between them, which steps that adapt carry on: 1e-7 of the fill time is far under any figure told."""
    job, res = demo_job(), Resolution(900, 2, 12)
    by_cholmod = forecast(job, res)
    monkeypatch.setattr(factor_of, "by_blocks", lambda: None)
    by_lu = forecast(job, res)
    off = np.abs(by_cholmod.wet_at - by_lu.wet_at)
    assert np.nanmax(off[np.isfinite(off)]) < 1e-7 * by_lu.fill_time
    assert by_cholmod.fill_time == pytest.approx(by_lu.fill_time, rel=1e-7)


@pytest.mark.parametrize("size", [3, DENSE + 5])
def test_a_matrix_with_no_pressure_of_its_own_is_refused(size):
    none = np.zeros(0, dtype=np.int64)
    with pytest.raises(SingularError):
        Symmetric(size, none, none, np.zeros(0), np.zeros(size), none, np.zeros((0, 0))).factored()


def test_columns_are_what_stands_over_each_other():
    net = sheet(4, 0, 3)
    assert net.columns == 16
    assert (np.bincount(net.column) == 3).all()
    assert net.settling >= 3
    assert sheet(4).settling == 2


# -- what resin carries


@given(st.integers(0, 9999))
@settings(max_examples=25)
def test_carried_values_stay_between_those_there_were(seed):
    rng = np.random.default_rng(seed)
    net = sheet(6, seed)
    p = rng.uniform(0, 1, net.size)
    p[0] = 2.0
    wet = np.ones(net.size, dtype=bool)
    flux = link_flux(net, p, wet, 1.0, None)
    held, values = rng.uniform(0.1, 1.0, net.size), rng.uniform(-5, 5, (net.size, 2))
    entering = np.zeros(net.size, dtype=bool)
    entering[0] = True
    after = carried(net, flux, p, held, values, entering)
    assert after.min() >= values.min() - 1e-9
    assert after.max() <= values.max() + 1e-9
    np.testing.assert_array_equal(after[0], values[0])


def test_nothing_comes_out_of_dry_places():
    net = sheet(4)
    p = np.linspace(0, 1, net.size)
    wet = np.zeros(net.size, dtype=bool)
    assert (link_flux(net, p, wet, 1.0, None) == 0).all()
    wet[-1] = True  # the highest: all flows out of it
    flux = link_flux(net, p, wet, 1.0, None)
    assert (flux[net.b == net.size - 1] <= 0).all()


def test_halves_of_a_link_lie_in_series():
    net = sheet(3)
    thick = np.full(net.size, 4.0)
    thick[0] = 2.0
    both = link_share(net, thick, np.ones(net.size, dtype=bool))
    beside = (net.a == 0) | (net.b == 0)
    np.testing.assert_allclose(both[beside], 1 / 3)
    np.testing.assert_allclose(both[~beside], 1 / 4)


def test_mean_viscosity_is_that_of_its_flow():
    times = np.linspace(0, 100, 400)
    mu = np.exp(times / 40)
    law = FlowClock(times, mu, np.r_[0.0, np.cumsum((1 / mu[1:] + 1 / mu[:-1]) / 2 * np.diff(times))], 1e9)
    born = np.array([0.0, -20.0])
    told = mean_viscosity(law, born, 10.0, 30.0)
    exact = [20 / (40 * (np.exp(-(10 - b) / 40) - np.exp(-(30 - b) / 40))) for b in born]
    np.testing.assert_allclose(told, exact, rtol=1e-3)


# -- pockets


def test_a_ring_that_closes_shuts_in_what_is_inside():
    net = sheet(7, vents=(48,))
    when = np.full(49, 1.0)
    inside = np.array([16, 17, 23, 24])
    when[inside] = [5.0, 6.0, 7.0, 9.0]
    when[48] = 3.0
    (region,) = shut_regions(net, when, 1e-9)[:1]
    assert set(region.nodes) == set(inside)
    assert region.closed == pytest.approx(1.0)
    assert region.last_node == 24
    assert region.last_wet == 9.0
    assert region.volume == pytest.approx(net.volume[inside].sum())


def test_what_keeps_a_way_to_a_vent_is_no_pocket():
    net = sheet(7, vents=(48,))
    when = (np.arange(49) % 7 + np.arange(49) // 7).astype(float)
    assert shut_regions(net, when, 1e-9) == ()


def test_places_never_wet_without_a_vent_are_shut_from_the_start():
    net = sheet(5)
    when = np.arange(25, dtype=float)
    when[-1] = np.inf
    regions = shut_regions(net, when, 1e-9)
    assert any(24 in r.nodes for r in regions)


@settings(max_examples=60, deadline=None)
@given(
    moments=st.lists(st.integers(0, 9), min_size=36, max_size=36),
    vents=st.sets(st.integers(0, 35), max_size=3),
)
def test_shut_regions_are_those_that_a_flood_finds(moments, vents):
    """Independent: at every moment, flood what is still dry; what holds no vent is shut in from then on."""
    net = sheet(6, vents=tuple(vents))
    when = np.array(moments, dtype=float) + 1.0
    told = {(r.closed, frozenset(r.nodes.tolist())) for r in shut_regions(net, when, 0.0)}
    beside = {i: set() for i in range(36)}
    for a, b in zip(net.a.tolist(), net.b.tolist(), strict=True):
        beside[a].add(b)
        beside[b].add(a)
    expected, known = set(), set()
    for moment in [0.0, *sorted(set(when.tolist()))]:
        left = {i for i in range(36) if when[i] > moment}
        while left:
            region, edge = set(), {left.pop()}
            while edge:
                i = edge.pop()
                region.add(i)
                more = beside[i] & left
                left -= more
                edge |= more
            if not region & vents and not region & known:
                expected.add((moment, frozenset(region)))
                known |= region
    assert told == expected


def test_a_forecast_can_be_stopped_while_its_mesh_is_made():
    asked = []

    def stop():
        asked.append(1)
        return len(asked) == 2

    with pytest.raises(Cancelled):
        forecast(demo_job(), COARSE, cancelled=stop)
    assert len(asked) == 2


# -- orders and valves


def test_an_order_for_what_is_not_there_is_refused():
    net = sheet(3)
    with pytest.raises(FillError, match="F9"):
        fill(net, Program((Turn("F9", When(at=0.0), share=1.0),)), clock())
    with pytest.raises(FillError, match="X"):
        fill(net, Program((Turn("F1", When(front="X"), share=1.0),)), clock())


def test_a_pressure_turned_down_slows_as_much():
    net = sheet(8, 4)
    open_ = Turn("F1", When(at=0.0), share=1.0)
    full = fill(net, Program((open_,)), clock())
    half = fill(net, Program((open_, Turn("F1", When(at=0.0), pressure=0.5))), clock())
    last = np.isfinite(full.filled_at)
    np.testing.assert_allclose(half.filled_at[last], 2 * full.filled_at[last], rtol=1e-6)


def test_turns_come_in_their_order_and_are_kept():
    net = sheet(8, 4)
    end = fill(net, Program((Turn("F1", When(at=0.0), share=1.0),)), clock()).end
    orders = [
        Turn("F1", When(at=t * end), share=s) for t, s in ((0.0, 1.0), (0.2, 0.0), (0.3, 1.0), (0.5, 0.0))
    ]
    told = fill(net, Program(tuple(orders)), clock())
    assert [t.share for _, t in told.turned] == [1.0, 0.0, 1.0, 0.0]
    assert told.reason is Reason.NO_FEED
    assert told.shut_at("F1") == pytest.approx(0.5 * end)
    assert told.opened["F1"] == 0.0
    still = [f.volume for f in told.frames if 0.2 * end <= f.time <= 0.3 * end]
    assert max(still) - min(still) < 1e-9 * net.volume.sum()


def test_a_valve_inside_the_network_passes_nothing_until_it_is_turned():
    """Port – manifold – two cells behind a valve each."""
    volume = np.array([0.0, 0.2, 1.0, 1.0])
    a, b = np.array([0, 1, 1]), np.array([1, 2, 3])
    net = Network(volume, a, b, np.ones(3), np.full(4, -1), np.zeros(4, dtype=int), np.arange(4),
                  (Port("M", 0, 1.0, np.array([1])),), (), valves=(Valve("A", np.array([1]), np.array([2])), Valve("B", np.array([2]), np.array([3]))))  # fmt: skip
    opens = (
        Turn("M", When(at=0.0), share=1.0),
        Turn("A", When(at=0.0), share=1.0),
        Turn("B", When(at=10.0), share=1.0),
    )
    told = fill(net, Program(opens), clock())
    assert told.reason is Reason.FULL
    assert told.filled_at[2] < 10 < told.filled_at[3]
    assert told.opened == {"M": 0.0, "A": 0.0, "B": 10.0}
    assert told.frames[-1].passed == pytest.approx((1.0, 1.0), rel=1e-6)


def test_a_bucket_goes_down_by_what_its_feed_takes():
    net = sheet(8, 4)
    held = float(net.volume.sum())
    bucket = Bucket("B", ("F1",), (Batch(held * 0.5),))
    told = fill(net, Program((Turn("F1", When(at=0.0), share=1.0),), (bucket,)), clock())
    (gone,) = told.emptied
    there = np.interp(gone.time, [f.time for f in told.frames], [f.volume for f in told.frames])
    assert there == pytest.approx(held * 0.5, rel=0.02)


@given(st.integers(0, 999), st.integers(1, 3))
@settings(max_examples=10)
def test_layers_merged_or_not_fill_alike(seed, layers):
    net = sheet(12, seed, layers, through=8.0)
    program = Program.opening(net, [Opens()])
    plain, fast = (fill(net, program, clock(), frames=12, plain=p, merge=not p) for p in (True, False))
    at = np.linspace(0.1, 0.9, 9) * plain.end
    volumes = [np.interp(at, [f.time for f in h.frames], [f.volume for f in h.frames]) for h in (plain, fast)]
    np.testing.assert_allclose(volumes[1], volumes[0], atol=4e-3 * net.volume.sum())


# -- heights


SQUARE = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
PLACES = np.array([[0.0, 0.0], [0.5, 0.3], [1.0, 1.0], [0.2, 0.9]])


@pytest.mark.parametrize(("spots", "law"), [
    ((), lambda p: 0 * p[:, 0]),
    (((0.3, 0.3, 0.7),), lambda p: 0 * p[:, 0] + 0.7),
    (((0, 0, 0.0), (1, 0, 0.5)), lambda p: 0.5 * p[:, 0]),
    (((0, 0, 0.0), (1, 0, 0.5), (0, 1, 0.2)), lambda p: 0.5 * p[:, 0] + 0.2 * p[:, 1]),
    (((0, 0, 0.0), (1, 0, 0.5), (0, 1, 0.2), (1, 1, 0.7)), lambda p: 0.5 * p[:, 0] + 0.2 * p[:, 1]),
])  # fmt: skip
def test_heights_between_those_given(spots, law):
    part = Part(outline=SQUARE, heights=tuple(Spot(x=x, y=y, z=z) for x, y, z in spots))
    np.testing.assert_allclose(heights(part, PLACES), law(PLACES), atol=1e-6)
