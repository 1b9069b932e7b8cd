"""What filling does along links, in C and with NumPy alone: the same, and what it should be."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import scipy
from shapely import Polygon

from bibulon.core.flow import kernel
from bibulon.core.flow.fill import light, solve
from bibulon.core.flow.fill.factor import SingularError
from bibulon.core.flow.fill.light import Light
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.kernel import by_array, compiled
from bibulon.core.flow.kernel.links import Links, Upper
from bibulon.core.geometry.trimesh import triangulate
from bibulon.core.library.demo import demo_job

FUNCTIONS = (
    "assemble", "carry", "drops", "least", "pour", "raster", "regions", "spread", "triangle", "widen",
)  # fmt: skip


def graph(seed: int, n: int = 300, links: int = 700) -> tuple[Links, np.ndarray]:
    """A network of random links, some of them shut, and the same as a dense matrix."""
    rng = np.random.default_rng(seed)
    matrix = np.zeros((n, n))
    a, b = rng.integers(0, n, links), rng.integers(0, n, links)
    matrix[a, b] = rng.uniform(0.1, 2.0, links)
    matrix = np.triu(matrix, 1)
    sparse = scipy.sparse.csr_array(matrix + matrix.T)
    sparse.data[rng.random(sparse.nnz) < 0.1] = 0.0
    sparse = scipy.sparse.csr_array(sparse.minimum(sparse.T))
    return Links(sparse.indptr, sparse.indices, sparse.data), sparse.toarray()


both = pytest.mark.parametrize("way", [by_array, compiled], ids=["NumPy", "C"])


def test_the_compiled_kernel_is_what_is_used_where_it_was_built():
    assert all(getattr(kernel, name) is getattr(compiled, name) for name in FUNCTIONS)


def test_the_library_and_what_calls_it_are_of_one_version():
    source = Path(compiled.__file__).with_name("kernel.c").read_text(encoding="utf-8")
    told = re.search(r"whole version\(void\) \{ return (\d+); \}", source)
    assert told
    assert int(told[1]) == compiled.VERSION


@pytest.mark.parametrize("off", [1, None], ids=["of another version", "not there"])
def test_a_library_that_does_not_fit_is_not_loaded(monkeypatch, off):
    if off is None:
        monkeypatch.setattr(compiled, "__file__", "/nowhere/compiled.py")
    else:
        monkeypatch.setattr(compiled, "VERSION", compiled.VERSION + off)
    with pytest.raises(ImportError):
        compiled._library()


@both
@pytest.mark.parametrize("seed", range(4))
def test_what_sources_hand_on_is_a_product_with_the_conductances(way, seed):
    links, dense = graph(seed)
    rng = np.random.default_rng(seed)
    source, amount = rng.permutation(300)[:80], rng.uniform(-1, 1, 80)
    np.testing.assert_allclose(way.spread(links, source, amount), dense[:, source] @ amount, atol=1e-12)
    none = np.zeros(0, dtype=np.int64)
    assert not way.spread(links, none, np.zeros(0)).any()


@both
def test_what_comes_down_to_nodes_and_the_least_beside_them(way):
    links, dense = graph(6)
    rng = np.random.default_rng(6)
    pressure, which = rng.uniform(0, 1, 300), rng.permutation(300)[:90]
    flow, weighed = way.drops(links, which, pressure)
    drop = np.maximum(pressure[None, :] - pressure[:, None], 0.0)
    np.testing.assert_allclose(flow, (dense * drop).sum(axis=1)[which], atol=1e-12)
    np.testing.assert_allclose(weighed, (dense * drop**2).sum(axis=1)[which], atol=1e-12)
    beside = np.where(dense > 0, pressure[None, :], np.inf).min(axis=1)
    np.testing.assert_array_equal(way.least(links, which, pressure), beside[which])
    assert np.isinf(beside).any()


@both
@pytest.mark.parametrize("hops", [0, 1, 2, 5])
def test_what_is_near_is_what_powers_of_the_links_reach(way, hops):
    links, dense = graph(1)
    nodes = np.array([3, 77, 200])
    reached = np.zeros(300)
    reached[nodes] = 1
    for _ in range(hops):
        reached += (dense > 0) @ reached
    np.testing.assert_array_equal(way.widen(links, nodes, hops), reached > 0)


@both
@pytest.mark.parametrize("share", [0.2, 0.5, 1.0])
def test_regions_are_those_of_the_links_among_what_is_marked(way, share):
    links, _ = graph(2, links=280)
    inside = np.random.default_rng(5).random(300) < share
    count, label = way.regions(links, inside)
    assert (label[~inside] == -1).all()
    assert set(label[inside].tolist()) == set(range(count))
    first = [int(np.flatnonzero(label == k)[0]) for k in range(count)]
    assert first == sorted(first)
    # Walked by hand: every link among marked nodes stays within a region, and no region falls apart.
    seen = np.full(300, -1)
    for k, node in enumerate(first):
        todo = [node]
        while todo:
            here = todo.pop()
            if seen[here] < 0:
                seen[here] = k
                far = links.far[links.start[here] : links.start[here + 1]]
                todo += [j for j in far.tolist() if inside[j]]
    np.testing.assert_array_equal(seen, label)
    nothing = way.regions(links, np.zeros(300, dtype=bool))
    assert nothing[0] == 0
    assert (nothing[1] == -1).all()


def row(n: int) -> Links:
    """Nodes in a row, each linked to the next by 1."""
    line = scipy.sparse.csr_array(np.eye(n, k=1) + np.eye(n, k=-1))
    return Links(line.indptr, line.indices, line.data)


@both
def test_what_is_poured_on_a_row_fills_as_many_nodes_as_it_is_worth(way):
    gain = np.zeros(50)
    gain[0] = 7.5
    found = way.pour(row(50), gain, np.ones(50), np.zeros(50, dtype=bool))
    assert found.tolist() == list(range(7))
    assert gain[0] == 7.5  # as it was


@both
def test_what_is_blocked_takes_nothing_and_stops_the_rest(way):
    gain, blocked = np.zeros(50), np.zeros(50, dtype=bool)
    gain[[0, 5]], blocked[4] = 20.5, True
    gain[4] = 9.0
    found = way.pour(row(50), gain, np.ones(50), blocked)
    assert sorted(found.tolist()) == [0, 1, 2, 3, *range(5, 25)]
    assert blocked.sum() == 1


@pytest.mark.parametrize("seed", range(6))
def test_both_pour_alike(seed):
    links, _ = graph(seed)
    rng = np.random.default_rng(seed)
    gain = np.where(rng.random(300) < 0.05, rng.uniform(0, 30, 300), rng.uniform(0, 0.3, 300))
    dry, blocked = rng.uniform(0.2, 1.0, 300), rng.random(300) < 0.1
    one, other = (set(way.pour(links, gain, dry, blocked).tolist()) for way in (by_array, compiled))
    assert one == other
    assert len(one) > 30


@both
@pytest.mark.parametrize("merged", [False, True])
@pytest.mark.parametrize("ring", [0, 12])
def test_a_system_of_links_is_what_dense_algebra_makes_of_it(way, merged, ring):
    links, dense = graph(7)
    rng = np.random.default_rng(7)
    chosen = np.sort(rng.permutation(300)[:120])
    fixed, nodes = chosen[:5], chosen[5:]
    unknown = rng.permutation(len(nodes) - (20 if merged else 0))
    size = len(unknown)
    number, held = np.full(300, -1), np.full(300, -1)
    number[nodes[:size]] = unknown
    number[nodes[size:]] = unknown[: len(nodes) - size]  # some stand for two
    held[fixed] = np.arange(5)
    block = rng.uniform(-1, 1, (ring, ring))
    block = np.ascontiguousarray(block + block.T)
    nodes = nodes[np.argsort(number[nodes], kind="stable")]
    upper, couple = way.assemble(links, nodes, number, size, held, 5, block)
    stands = np.zeros((300, size))
    stands[nodes, number[nodes]] = 1.0
    whole = stands.T @ (np.diag(dense.sum(axis=1)) - dense) @ stands
    whole[size - ring :, size - ring :] += block
    made = scipy.sparse.csc_array((upper.values, upper.rows, upper.begins), shape=(size, size)).toarray()
    np.testing.assert_allclose(made, np.triu(whole), atol=1e-12)
    np.testing.assert_array_equal(upper.rows[upper.diagonal], np.arange(size))
    np.testing.assert_allclose(couple, -(stands.T @ dense)[:, fixed], atol=1e-12)


@both
@pytest.mark.parametrize("up", [False, True])
def test_a_triangle_is_solved_with_from_either_side(way, up):
    rng = np.random.default_rng(4)
    low = np.tril(rng.uniform(-1, 1, (60, 60)) * (rng.random((60, 60)) < 0.2), -1)
    low += np.diag(rng.uniform(1, 2, 60))
    made, load = scipy.sparse.csc_array(low), rng.uniform(-1, 1, 60)
    before = load.copy()
    begins, rows = made.indptr.astype(np.int64), made.indices.astype(np.int64)
    answer = way.triangle(begins, rows, made.data, load, up=up)
    np.testing.assert_allclose((low.T if up else low) @ answer, load, atol=1e-10)
    np.testing.assert_array_equal(load, before)


def flow(seed: int, size: int = 80, *, round_: bool):
    """Links that carry resin between nodes in an order that it follows, or in circles too, and what each node holds.

    Of a link's two ends either comes first; into the first node resin enters.
    """
    rng = np.random.default_rng(seed)
    up, down = rng.integers(0, size, (2, 240))
    up, down = up[up != down], down[up != down]
    if not round_:
        up, down = np.minimum(up, down), np.maximum(up, down)
    place = rng.permutation(size)  # of each node in the order of the flow
    order = np.argsort(place)
    up, down = order[up], order[down]
    part = rng.uniform(0, 1, len(up))
    part[rng.random(len(up)) < 0.1] = 0.0
    entering = np.zeros(size, dtype=bool)
    entering[order[0]] = True
    turned = rng.random(len(up)) < 0.5
    a, b, flux = np.where(turned, down, up), np.where(turned, up, down), np.where(turned, -part, part)
    return (
        (a, b, flux, order, rng.uniform(0.01, 2, size), entering),
        (up, down, part),
        rng.uniform(0, 5, (size, 2)),
    )


@both
@pytest.mark.parametrize("round_", [False, True], ids=["one way", "round and round"])
def test_what_is_carried_solves_its_balance(way, round_):
    given, (up, down, part), told = flow(1, round_=round_)
    a, b, flux, order, held, entering = given
    size, start = len(held), told.copy()
    into, out = np.bincount(down, part, size), np.bincount(up, part, size)
    moving = (into > 0) & ~entering
    assert 10 < moving.sum() < size
    for _ in range(2):  # by dense algebra, one substep after the other
        matrix, load = (
            np.diag(np.where(moving, held + into, 1.0)),
            np.where(moving, held, 1.0)[:, None] * told,
        )
        to = moving[down]
        np.subtract.at(matrix, (down[to], up[to]), part[to])
        wanted = np.linalg.solve(matrix, load)
        got = way.carry(a, b, flux, order, held, entering, 1, told)
        np.testing.assert_allclose(got, wanted, rtol=1e-9)
        np.testing.assert_array_equal(got[~moving], told[~moving])
        told, held = wanted, np.maximum(held + into - out, 0.0)
    a, b, flux, order, held, entering = given
    np.testing.assert_allclose(way.carry(a, b, 2 * flux, order, held, entering, 2, start), wanted, rtol=1e-8)


@both
def test_a_raster_knows_the_triangle_of_each_of_its_points(way):
    """A field that is linear on a square of two triangles is the same on the raster, to rounding; outside nothing is set."""
    corners = np.array([[[0.0, 0.0], [1.0, 0.0], [1.0, 1.0]], [[0.0, 0.0], [1.0, 1.0], [0.0, 1.0]]])
    triangles, at = np.array([[0, 1, 2], [0, 2, 3]]), np.array([3.0, 5.0, 4.0, 2.0])  # 3 + 2 x − y
    x, y = np.arange(-0.35, 1.5, 0.1), np.arange(-0.15, 1.2, 0.1)
    vertices, weights = np.full((len(x) * len(y), 3), -1), np.zeros((len(x) * len(y), 3))
    way.raster(corners, triangles, x, y, 1e-9, vertices, weights)
    across, along = np.meshgrid(x, y)
    inside = ((across > 0) & (across < 1) & (along > 0) & (along < 1)).ravel()
    np.testing.assert_array_equal(vertices[:, 0] >= 0, inside)
    field = (at[vertices] * weights).sum(axis=1)[inside]
    np.testing.assert_allclose(field, (3 + 2 * across - along).ravel()[inside], atol=1e-12)


def test_both_raster_a_mesh_alike():
    outline = Polygon([(0, 0), (2, 0.2), (1.6, 1.5), (0.4, 1.1)])
    mesh = triangulate(outline, [], 0.09)
    x, y = np.arange(-0.1, 2.1, 0.017), np.arange(-0.1, 1.6, 0.017)
    made = []
    for way in (by_array, compiled):
        vertices, weights = np.full((len(x) * len(y), 3), -1), np.zeros((len(x) * len(y), 3))
        way.raster(mesh.points[mesh.triangles], mesh.triangles, x, y, 1e-9, vertices, weights)
        known = vertices[:, 0] >= 0
        assert known.sum() > 5_000
        made.append((known, (mesh.points[vertices, 0] * weights).sum(axis=1)))
    np.testing.assert_array_equal(made[0][0], made[1][0])
    np.testing.assert_allclose(made[0][1][made[0][0]], made[1][1][made[1][0]], atol=1e-12)


def test_nodes_in_another_order_are_refused_and_twice_the_same_are_one():
    links, held = row(20), np.full(20, -1)
    number = np.arange(20)
    with pytest.raises(ValueError, match="order"):
        compiled.assemble(links, np.arange(20)[::-1].copy(), number, 20, held, 0, np.zeros((0, 0)))
    many = np.zeros(500, dtype=np.int64)
    assert compiled.widen(links, many, 2).sum() == 3


def test_numbers_of_another_kind_are_refused_not_read_as_others():
    links = row(20)
    with pytest.raises(TypeError):
        compiled.spread(links, np.arange(4, dtype=np.int32), np.ones(4))
    with pytest.raises(TypeError):
        compiled.spread(links, np.arange(4), np.ones(8)[::2])


def triangle(matrix: np.ndarray) -> Upper:
    made = scipy.sparse.csc_array(np.triu(matrix))
    return Upper(made.indptr.astype(np.int64), made.indices.astype(np.int64), made.data.copy())


def test_a_light_matrix_is_solved_and_solved_again_with_more_on_its_diagonal():
    _, dense = graph(3)
    matrix = np.diag(dense.sum(axis=1) + 0.3) - dense
    made, load = Light(triangle(matrix)), np.random.default_rng(1).uniform(-1, 1, (300, 2))
    for more in (np.zeros(300), np.linspace(0, 4, 300), np.zeros(300)):
        wanted = np.linalg.solve(matrix + np.diag(more), load)
        np.testing.assert_allclose(made.factored(more).solve(load), wanted, rtol=1e-9, atol=1e-12)


def test_a_light_matrix_without_pressure_of_its_own_is_refused():
    line = np.diag([1.0, 2.0, 2.0, 1.0]) - np.diag(np.ones(3), 1) - np.diag(np.ones(3), -1)
    made, load = Light(triangle(line)), np.array([[1.0], [0.0], [0.0], [0.5]])
    with pytest.raises(SingularError):
        made.factored(np.zeros(4)).solve(load)
    with pytest.raises(SingularError):  # to either side of singular
        made.factored(np.full(4, -1e-14)).solve(load)
    np.testing.assert_allclose(
        made.factored(np.ones(4)).solve(load), np.linalg.solve(line + np.eye(4), load), rtol=1e-12
    )


@pytest.mark.parametrize("without", ["the kernel", "QDLDL"])
def test_a_fill_is_the_same_without(without, monkeypatch):
    """Only rounding lies between them, which steps that adapt carry on."""
    job, res = demo_job(), Resolution(700, 2, 10)
    quick = forecast(job, res)
    if without == "QDLDL":
        monkeypatch.setattr(light, "qdldl", None)
        assert not solve.there_is_light()
    else:
        for name in FUNCTIONS:
            monkeypatch.setattr(kernel, name, getattr(by_array, name))
    slow = forecast(job, res)
    np.testing.assert_array_equal(np.isfinite(quick.wet_at), np.isfinite(slow.wet_at))
    off = np.abs(quick.wet_at - slow.wet_at)
    assert np.nanmax(off[np.isfinite(off)]) < 1e-7 * slow.fill_time
    assert quick.fill_time == pytest.approx(slow.fill_time, rel=1e-7)
