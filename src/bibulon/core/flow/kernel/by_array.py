"""The kernel with NumPy alone, for where no compiler was: the same answers, several times as slow."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.flow.kernel.links import Links, Upper

__all__ = ["assemble", "entries", "links", "pour", "regions", "spread", "widen"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


def entries(links: Links, which: Ints) -> tuple[Ints, Ints]:
    """Return (position in ``which``, number of the link) of all links of some nodes."""
    begin = links.start[which]
    count = links.start[which + 1] - begin
    owner = np.arange(len(which)).repeat(count)
    # The links of a node follow each other: a running number, moved to where its row starts.
    entry = (begin - count.cumsum() + count).repeat(count)
    entry += np.arange(len(owner))
    return owner, entry


def links(links: Links, which: Ints) -> tuple[Ints, Ints, Floats]:
    """Return (position in ``which``, node at the other end, conductance) of all links of some nodes."""
    owner, entry = entries(links, which)
    return owner, links.far[entry], links.conductance[entry]


def spread(links: Links, source: Ints, amount: Floats) -> Floats:
    """Return Σ G_ij amount_j at every node, over the sources j beside it, shape (n,)."""
    owner, entry = entries(links, source)
    got = np.bincount(links.far[entry], links.conductance[entry] * amount[owner], links.size)
    return got.astype(np.float64, copy=False)


def widen(links: Links, nodes: Ints, hops: int) -> Bools:
    """Return these nodes and all that lie within so many links of them, shape (n,)."""
    near = np.zeros(links.size, dtype=bool)
    near[nodes] = True
    ring = np.flatnonzero(near)
    for _ in range(hops):
        _, entry = entries(links, ring)
        reached = np.zeros(links.size, dtype=bool)
        reached[links.far[entry[links.conductance[entry] > 0]]] = True
        reached &= ~near
        near |= reached
        ring = np.flatnonzero(reached)
    return near


def pour(links: Links, gain: Floats, dry: Floats, blocked: Bools) -> Ints:
    """Return the nodes that ``gain`` [m³] fills when each full node hands on what is over.

    dry : what each node still takes [m³], shape (n,); ``blocked`` marks nodes that take nothing.
    """
    held = np.where(blocked, 0.0, gain)
    blocked = blocked.copy()
    found: list[Ints] = []
    front = np.flatnonzero((held > dry) & ~blocked)
    while len(front):
        found.append(front)
        blocked[front] = True
        over = held[front] - dry[front]
        owner, entry = entries(links, front)
        far = links.far[entry]
        g = np.where(blocked[far], 0.0, links.conductance[entry])
        total = np.bincount(owner, g, len(front))
        share = np.divide(over, total, out=np.zeros_like(over), where=total > 0)
        held += np.bincount(far, g * share[owner], links.size)
        near = far[g > 0]  # none that is blocked
        reached = np.zeros(links.size, dtype=bool)
        reached[near[held[near] > dry[near]]] = True
        front = np.flatnonzero(reached)
    return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)


def assemble(
    links: Links, nodes: Ints, number: Ints, size: int, held: Ints, fixed: int, block: Floats
) -> tuple[Upper, Floats]:
    """Return the matrix of a system of links, and what couples it to nodes of given pressure, shape (size, fixed).

    Off the diagonal it has −G_ij, on it the sum of all links of what an unknown stands for but those within.

    nodes : those in the system, in the order of their unknowns; number : the unknown of every node, shape (n,), and
    held : its place among those of given pressure, of which there are ``fixed``; −1 for none.  block : what is added
    on the last unknowns, shape (m, m).
    """
    owner, entry = entries(links, nodes)
    mine, far, g = number[nodes][owner], links.far[entry], links.conductance[entry]
    to, at = number[far], held[far]
    apart = mine != to
    couple = np.zeros((size, fixed))
    np.subtract.at(couple, (mine[at >= 0], at[at >= 0]), g[at >= 0])
    diagonal = np.bincount(mine[apart], g[apart], size)
    above = apart & (to >= 0) & (to < mine)
    ring = np.arange(size - len(block), size)
    i, j = np.triu_indices(len(block), 1)
    matrix = scipy.sparse.csc_array(
        (
            np.concatenate([-g[above], block[i, j], diagonal, np.diag(block)]),
            (
                np.concatenate([to[above], ring[i], np.arange(size), ring]),
                np.concatenate([mine[above], ring[j], np.arange(size), ring]),
            ),
        ),
        shape=(size, size),
    )
    matrix.sort_indices()
    return Upper(matrix.indptr.astype(np.int64), matrix.indices.astype(np.int64), matrix.data), couple


def regions(links: Links, inside: Bools) -> tuple[int, Ints]:
    """Return how many regions links join the marked nodes into, and the number of each node's, by their lowest node.

    Links join whatever they conduct; nodes that are not marked have −1, shape (n,).
    """
    nodes = np.flatnonzero(inside)
    owner, entry = entries(links, nodes)
    near = inside[links.far[entry]]
    graph = scipy.sparse.coo_array(
        (np.ones(int(near.sum())), (nodes[owner[near]], links.far[entry[near]])), shape=(links.size,) * 2
    )
    found = scipy.sparse.csgraph.connected_components(graph, directed=False)[1][nodes]
    _, first = np.unique(found, return_index=True)
    number = np.empty(int(found.max(initial=-1)) + 1, dtype=np.int64)
    number[found[np.sort(first)]] = np.arange(len(first))
    label = np.full(links.size, -1, dtype=np.int64)
    label[nodes] = number[found]
    return len(first), label
