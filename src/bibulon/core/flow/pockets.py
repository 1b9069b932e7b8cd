"""Where air is shut in: dry regions that lose their last way to a vent.

Regions of what is still dry, at falling times, form a merge tree of the arrival times.  Walked
from the last moment back, a region that holds no vent and joins one that does was cut off at the
moment of joining.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import sparse
from scipy.sparse.csgraph import minimum_spanning_tree

from bibulon.core.flow.network import Network

__all__ = ["ShutRegion", "shut_regions"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class ShutRegion:
    """A dry region cut off at ``closed`` [s]: its nodes, its volume then [m³], its last node and moment."""

    nodes: Ints
    closed: float
    volume: float
    last_node: int
    last_wet: float


def shut_regions(
    network: Network, filled_at: Floats, smallest: float, among: npt.NDArray[np.bool_] | None = None
) -> tuple[ShutRegion, ...]:
    """Return the regions shut in, largest first.

    filled_at : shape (n,) [s], inf where never; smallest : volume below which none is told [m³].
    among : nodes that are looked at, shape (n,): those that were dry when something began, of which
        a region that had closed before is told as closed at 0.
    """
    a, b, nodes = network.a, network.b, np.arange(network.size)
    if among is not None:
        nodes = np.flatnonzero(among)
        number = np.full(network.size, -1)
        number[nodes] = np.arange(len(nodes))
        links = among[a] & among[b]
        a, b = number[a[links]], number[b[links]]
    n = len(nodes)
    when = filled_at[nodes]
    reach = np.minimum(when[a], when[b])
    finite = when[np.isfinite(when)]
    top = float(finite.max()) + 1.0 if len(finite) else 1.0
    reach = np.where(np.isfinite(reach), reach, top)
    # The spanning tree that keeps every way open as long as it was: smallest "cost" is latest time.
    # All weights are kept away from zero, which a sparse matrix would take for no link.
    tree = minimum_spanning_tree(sparse.coo_array((top + 1.0 - reach, (a, b)), shape=(n, n)).tocsr()).tocoo()
    order = np.argsort(tree.data)
    row, col = tree.coords
    parent = list(range(n))
    members: list[list[int]] = [[i] for i in range(n)]
    space = network.volume[nodes].tolist()
    vented = np.zeros(network.size, dtype=bool)
    for vent in network.vents:
        vented[vent.nodes] = True
    has_vent = vented[nodes].tolist()
    found = []

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    for i, j, w in zip(row[order].tolist(), col[order].tolist(), tree.data[order].tolist(), strict=True):
        x, y = root(i), root(j)
        if len(members[x]) < len(members[y]):
            x, y = y, x
        if has_vent[x] != has_vent[y]:
            shut = y if has_vent[x] else x
            if space[shut] >= smallest:
                found.append((nodes[members[shut]], top + 1.0 - w))
        parent[y] = x
        members[x] += members[y]
        members[y] = []
        space[x] += space[y]
        has_vent[x] = has_vent[x] or has_vent[y]
    for i in range(n):
        if parent[i] == i and not has_vent[i] and members[i] and space[i] >= smallest:
            found.append((nodes[members[i]], 0.0))
    return _told(network, filled_at, found, smallest)


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
