"""Where air is shut in: dry regions that lose their last way to a vent.

Regions of what is still dry, at falling times, form a merge tree of the arrival times.  Walked
from the last moment back, a region that holds no vent and joins one that does was cut off at the
moment of joining.
"""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.build.network import Network

__all__ = ["ShutRegion", "shut_regions"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


class ShutRegion(Struct, frozen=True, eq=False):
    """A dry region cut off at ``closed`` [s]: its nodes, its volume then [m³], its last node and moment."""

    nodes: Ints
    closed: float
    volume: float
    last_node: int
    last_wet: float


def shut_regions(
    network: Network, filled_at: Floats, smallest: float, among: Bools | None = None
) -> tuple[ShutRegion, ...]:
    """Return the regions shut in, largest first.

    filled_at : shape (n,) [s], inf where never; smallest : volume below which none is told [m³].
    among : nodes that are looked at, shape (n,): those that were dry when something began, of which
        a region that had closed before is told as closed at 0.
    """
    nodes = np.arange(network.size) if among is None else np.flatnonzero(among)
    number = np.full(network.size, -1)
    number[nodes] = np.arange(len(nodes))
    a, b = number[network.a], number[network.b]
    links = (a >= 0) & (b >= 0)
    a, b, when = a[links], b[links], filled_at[nodes]
    vented = np.zeros(network.size, dtype=bool)
    for vent in network.vents:
        vented[vent.nodes] = True
    basin, roots = _basins(a, b, when, vented[nodes])
    lasts = when[np.isfinite(when)]
    top = float(lasts.max()) + 1.0 if len(lasts) else 1.0
    saddles = _saddles(basin, len(roots), a, b, np.minimum(np.minimum(when[a], when[b]), top))
    space = np.bincount(basin, network.volume[nodes], len(roots))
    found = _merged(saddles, space.tolist(), vented[nodes[roots]].tolist(), smallest, top)
    members = np.argsort(basin, kind="stable")
    ends = np.cumsum(np.bincount(basin, minlength=len(roots)))
    starts = np.r_[0, ends[:-1]]
    regions = [
        (nodes[np.concatenate([members[starts[i] : ends[i]] for i in basins])], closed)
        for basins, closed in found
    ]
    return _told(network, filled_at, regions, smallest)


def _basins(a: Ints, b: Ints, when: Floats, vented: Bools) -> tuple[Ints, Ints]:
    """Return each node's basin and each basin's root, the node where the way to ever later neighbours ends.

    Vents are roots of their own: what leads to one is not shut in while that one is dry.
    """
    n = len(when)
    rank = np.empty(n, dtype=np.int64)
    rank[np.argsort(when, kind="stable")] = np.arange(n)
    highest = rank.copy()
    np.maximum.at(highest, a, rank[b])
    np.maximum.at(highest, b, rank[a])
    to = np.argsort(rank)[highest]
    to[vented] = np.flatnonzero(vented)
    while True:
        further = to[to]
        if np.array_equal(further, to):
            break
        to = further
    roots, basin = np.unique(to, return_inverse=True)
    return basin, roots


def _saddles(basin: Ints, count: int, a: Ints, b: Ints, reach: Floats) -> list[tuple[int, int, float]]:
    """Return the links of basins that keep every way open as long as it was, latest first, with their moments."""
    low, high = np.minimum(basin[a], basin[b]), np.maximum(basin[a], basin[b])
    across = low != high
    low, high, reach = low[across], high[across], reach[across]
    order = np.lexsort((-reach, high, low))
    low, high, reach = low[order], high[order], reach[order]
    first = np.r_[True, (np.diff(low) != 0) | (np.diff(high) != 0)][: len(low)]
    low, high, reach = low[first], high[first], reach[first]
    top = float(reach.max(initial=0.0))
    # The tree of smallest "cost" is that of latest moments.  Weights are kept away from zero, which
    # a sparse matrix would take for no link.
    cost = scipy.sparse.coo_array((top + 1.0 - reach, (low, high)), shape=(count, count)).tocsr()
    row, col = scipy.sparse.csgraph.minimum_spanning_tree(cost).tocoo().coords
    # The moments themselves, not back from their costs: what was full just then must not count as dry.
    moment = reach[np.searchsorted(low * count + high, row.astype(np.int64) * count + col)]
    order = np.argsort(-moment, kind="stable")
    return list(zip(row[order].tolist(), col[order].tolist(), moment[order].tolist(), strict=True))


def _merged(
    saddles: list[tuple[int, int, float]],
    space: list[float],
    has_vent: list[bool],
    smallest: float,
    end: float,
) -> list[tuple[list[int], float]]:
    """Walk back from the last moment; return the groups of basins cut off from every vent, and when.

    What is joined at ``end``, where both sides of a link stayed dry, never closed.
    """
    n = len(space)
    parent, members = list(range(n)), [[i] for i in range(n)]
    found: list[tuple[list[int], float]] = []

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for moment, links in itertools.groupby(saddles, key=lambda s: s[2]):
        ends = [(i, j) for i, j, _ in links]
        # What closes at one moment closes apart, whichever of its links is walked first.
        closing = {root(i) for link in ends for i in link} if moment < end else set()
        shut = {r: list(members[r]) for r in closing if not has_vent[r]}
        sizes = {r: space[r] for r in shut}
        for i, j in ends:
            x, y = root(i), root(j)
            if len(members[x]) < len(members[y]):
                x, y = y, x
            parent[y] = x
            members[x] += members[y]
            members[y] = []
            space[x] += space[y]
            has_vent[x] = has_vent[x] or has_vent[y]
        found += [(m, moment) for r, m in shut.items() if has_vent[root(r)] and sizes[r] >= smallest]
    found += [
        (members[i], 0.0) for i in range(n) if parent[i] == i and not has_vent[i] and space[i] >= smallest
    ]
    return found


def _told(
    network: Network, filled_at: Floats, found: list[tuple[Ints, float]], smallest: float
) -> tuple[ShutRegion, ...]:
    out = []
    for nodes, closed in found:
        dry = nodes[filled_at[nodes] > closed]
        volume = float(network.volume[dry].sum())
        if len(dry) and volume >= smallest:
            last = int(dry[np.argmax(filled_at[dry])])
            out.append(ShutRegion(dry, closed, volume, last, float(filled_at[last])))
    return tuple(sorted(out, key=lambda s: -s.volume))
