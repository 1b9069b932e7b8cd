"""The kernel with NumPy alone, for where no compiler was: the same answers, several times as slow."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.flow.kernel.links import Links, Upper

__all__ = [
    "assemble",
    "carry",
    "entries",
    "links",
    "pour",
    "raster",
    "regions",
    "spread",
    "triangle",
    "widen",
]

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


def drops(links: Links, which: Ints, pressure: Floats) -> tuple[Floats, Floats]:
    """Return Σ G_ij (p_j − p_i) over the neighbours at a higher pressure, and Σ G_ij (p_j − p_i)², at some nodes, shape (k,)."""
    owner, entry = entries(links, which)
    drop = np.maximum(pressure[links.far[entry]] - pressure[which[owner]], 0.0)
    flow = links.conductance[entry] * drop
    k = len(which)
    return np.bincount(owner, flow, k).astype(np.float64), np.bincount(owner, flow * drop, k).astype(
        np.float64
    )


def least(links: Links, which: Ints, numbers: Floats) -> Floats:
    """Return the least number among the neighbours of some nodes that links lead to, shape (k,); infinity without any."""
    owner, entry = entries(links, which)
    found = np.full(len(which), np.inf)
    np.minimum.at(found, owner, np.where(links.conductance[entry] > 0, numbers[links.far[entry]], np.inf))
    return found


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


def carry(
    a: Ints, b: Ints, flux: Floats, order: Ints, held: Floats, entering: Bools, substeps: int, told: Floats
) -> Floats:
    """Return carried values after some equal substeps, upwind and implicit, shape (n, values).

    a, b : the ends of each link; flux : what passes it from a to b in all substeps [m³], shape (m,).  order : the nodes as
    the flow comes to them, as far as there is such an order.  held : resin in each node at first [m³], shape (n,).  Nodes
    that are ``entering``, or take in next to nothing, keep what is ``told`` of them.
    """
    n = len(told)
    flows = np.flatnonzero(flux)
    ahead, a, b = flux[flows] > 0, a[flows], b[flows]
    up, down, part = np.where(ahead, a, b), np.where(ahead, b, a), np.abs(flux[flows]) / substeps
    into, out = np.bincount(down, part, n), np.bincount(up, part, n)
    moving = (into > 1e-14 * into.max(initial=0.0)) & ~entering
    used = moving[down]
    rank = np.empty(n, dtype=np.int64)
    rank[order] = every = np.arange(n)
    up, down, part = rank[up[used]], rank[down[used]], part[used]
    moving, into, out, held, told = moving[order], into[order], out[order], held[order], told[order]
    for _ in range(substeps):
        weight = np.where(moving, held + into, 1.0)
        matrix = scipy.sparse.coo_array(
            (np.r_[weight, -part], (np.r_[every, down], np.r_[every, up])), shape=(n, n)
        ).tocsc()
        factor = scipy.sparse.linalg.splu(
            matrix, permc_spec="NATURAL", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
        )
        told = factor.solve(np.where(moving, held, 1.0)[:, None] * told)
        held = np.maximum(held + into - out, 0.0)
    return told[rank]


def raster(
    corners: Floats, triangles: Ints, x: Floats, y: Floats, slack: float, vertices: Ints, weights: Floats
) -> None:
    """Set corners and weights of every raster point that lies in a triangle: each looks only into its own box.

    corners : of each triangle, shape (t, 3, 2); triangles : their numbers, shape (t, 3); x, y : columns and rows of the
    raster, evenly spaced; slack : by which a point on a triangle's side counts as inside it, as a share of it.
    vertices, weights : to be set, shape (rows · columns, 3).
    """
    step, first = x[1] - x[0], (x[0], y[0])
    low = np.ceil((corners.min(axis=1) - first) / step - slack).astype(np.int64)
    high = np.floor((corners.max(axis=1) - first) / step + slack).astype(np.int64)
    wide, tall = (np.maximum(high - low + 1, 0)).T
    count = wide * tall
    owner = np.repeat(np.arange(len(corners)), count)
    within = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    column = low[owner, 0] + within % np.maximum(wide[owner], 1)
    row = low[owner, 1] + within // np.maximum(wide[owner], 1)
    (ax, ay), (bx, by), (cx, cy) = (corners[owner, k].T for k in range(3))
    across, up = x[column], y[row]
    double = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    v = ((across - ax) * (cy - ay) - (up - ay) * (cx - ax)) / double
    w = ((bx - ax) * (up - ay) - (by - ay) * (across - ax)) / double
    inside = (v >= -slack) & (w >= -slack) & (v + w <= 1 + slack)
    at = row[inside] * len(x) + column[inside]
    vertices[at] = triangles[owner[inside]]
    weights[at] = np.c_[1 - v - w, v, w][inside]


def triangle(begins: Ints, rows: Ints, values: Floats, load: Floats, *, up: bool) -> Floats:
    """Return x of L x = load, or of Lᵀ x = load where ``up``, shape (n,).

    L by columns, as ``Upper`` has them, the diagonal first in each.
    """
    low = scipy.sparse.csc_array((values, rows, begins), shape=(len(load), len(load)))
    answer = scipy.sparse.linalg.spsolve_triangular(low.T if up else low, load, lower=not up)
    return np.asarray(answer)
