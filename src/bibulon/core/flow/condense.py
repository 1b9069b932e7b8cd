"""The wet region of a network as a linear system in which the filled inside is eliminated.

Filled nodes without a dry neighbour never change again while ports and viscosity law stay, so
they are eliminated once: what they do to the rest is a dense Schur block on the band behind the
front.  Every later solve touches that band and the new nodes alone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import sparse
from scipy.linalg import lapack
from scipy.sparse.linalg import splu

from bibulon.core.flow.network import Network, sum_at

__all__ = [
    "Around",
    "Band",
    "Given",
    "SingularError",
    "Solved",
    "entries",
    "entry_numbers",
    "rebuilt",
    "solve",
]

DENSE_LIMIT = (
    3000  # unknowns up to which a band that makes up much of the system is factored as a dense matrix
)
DENSE_SHARE = 0.22

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


class SingularError(RuntimeError):
    """A wet region with neither a dry neighbour nor an open port has no pressure of its own."""


class _DenseFactor:
    """Cholesky factor of a symmetric positive definite matrix, lower triangle."""

    def __init__(self, matrix: Floats) -> None:
        self._low, info = lapack.dpotrf(matrix, lower=1, clean=1, overwrite_a=1)
        if info:
            raise SingularError(f"pivot {info} is not positive")

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        answer, _ = lapack.dpotrs(self._low, load, lower=1)
        return answer

    def schur(self, stay: Ints) -> tuple[Ints, Floats]:
        """Return what stays, and the matrix on it once all else, which comes first, is eliminated."""
        corner = self._low[stay[0] :, stay[0] :] if len(stay) else np.zeros((0, 0))
        return stay, corner @ corner.T


class _SparseFactor:
    """Sparse LU factor in the order given."""

    def __init__(self, matrix: sparse.csc_array) -> None:
        try:
            self._lu = splu(
                matrix, permc_spec="NATURAL", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
        except RuntimeError as error:
            raise SingularError(str(error)) from error

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        return self._lu.solve(load)

    def schur(self, stay: Ints) -> tuple[Ints, Floats]:
        """Return what stays in the factor's order, and the matrix on it once all else is eliminated."""
        stay = stay[np.argsort(self._lu.perm_c[stay])]
        at = self._lu.perm_c[stay]
        low = self._lu.L.tocsr()[at][:, at].toarray()
        up = self._lu.U.tocsc()[:, at].tocsr()[at].toarray()
        block = low @ up
        return stay, (block + block.T) / 2


@dataclass(frozen=True)
class Band:
    """Wet nodes still in the system and the Laplacian among them after elimination.

    ``nodes`` shape (k,); ``block`` shape (k, k) [m³]; ``gone`` marks eliminated nodes, shape (n,);
    ``weight`` is what gravity puts into each, with the eliminated nodes' share [m³ Pa], shape (k,).
    """

    nodes: Ints
    block: Floats
    gone: Bools
    weight: Floats

    @classmethod
    def start(cls, network: Network, nodes: Ints) -> Band:
        """Begin with some nodes and nothing eliminated."""
        rows = network.adjacency[nodes][:, nodes].toarray()
        block = np.diag(network.degree[nodes]) - rows
        return cls(nodes, block, np.zeros(network.size, dtype=bool), network.weight[nodes])

    def joined(self, network: Network, fresh: Ints) -> Band:
        """Return this band with some dry nodes, ports just opened, added to it."""
        k, m = len(self.nodes), len(fresh)
        block = np.zeros((k + m, k + m))
        block[:k, :k] = self.block
        block[k:, k:] = np.diag(network.degree[fresh]) - network.adjacency[fresh][:, fresh].toarray()
        block[k:, :k] = -network.adjacency[fresh][:, self.nodes].toarray()
        block[:k, k:] = block[k:, :k].T
        weight = np.concatenate([self.weight, network.weight[fresh]])
        return Band(np.concatenate([self.nodes, fresh]), block, self.gone, weight)


@dataclass(frozen=True)
class Given:
    """Resin put in at a rate: nodes, volume over the step [m³], and rate per unit θ at its end [m³ Pa]."""

    nodes: Ints
    volume: Floats
    rate: Floats


@dataclass(frozen=True)
class Around:
    """What acts at the front when heights or gas count.

    air : pressure in dry nodes and open vents, and in wet ones before they were wet [Pa], shape (n,).
    wet_for : how long each node is wet in this step [θ], shape (n,); gravity acts in wet links alone.
    shut : links from a wet node to a dry one that pass nothing, since resin would run back through
        them; by entry of the adjacency, shape (nnz,).
    """

    air: Floats
    wet_for: Floats
    shut: Bools

    def span_of(self, i: Ints, j: Ints) -> Floats:
        """Return how long the links between nodes carry resin [θ]."""
        return np.maximum(self.wet_for[i], self.wet_for[j])


@dataclass(frozen=True)
class Solved:
    """A solved wet region: unknown nodes, ∫p dt and end pressure there, and what is needed to condense."""

    nodes: Ints
    u: Floats
    p: Floats
    fixed: Ints
    fixed_pressure: Floats
    factor: _DenseFactor | _SparseFactor
    couple_fixed: Floats
    keep: Bools
    old: Band
    weight: Floats
    shut_degree: Floats

    def gains(self, network: Network, values: Floats, fixed_values: Floats) -> Floats:
        """Return Σ G_ij value_j at every node that is neither unknown, fixed nor eliminated, shape (n,)."""
        source = np.concatenate([self.nodes, self.fixed])
        amount = np.concatenate([values, fixed_values])
        rows, cols, g = entries(network.adjacency, source)
        return sum_at(cols, g * amount[rows], network.size)

    def offers(
        self, network: Network, values: Floats, fixed_values: Floats, span: float, around: Around, wet: Bools
    ) -> tuple[Ints, Ints, Floats]:
        """Return (entry of the adjacency, dry node, volume offered) of every link from a wet node to a dry one.

        Links that are shut are told with what they would pass if they were open.
        """
        source = np.concatenate([self.nodes, self.fixed])
        amount = np.concatenate([values, fixed_values])
        rows, entry = entry_numbers(network.adjacency, source)
        cols = network.adjacency.indices[entry].astype(np.int64)
        out = ~wet[cols]
        rows, entry, cols = rows[out], entry[out], cols[out]
        drop = amount[rows] - around.air[cols] * span
        if network.lifts:
            lasting = np.where(span > 0, around.span_of(source[rows], cols), 0.0)
            drop += (network.head[source[rows]] - network.head[cols]) * lasting
        return entry, cols, network.adjacency.data[entry] * drop

    def condensed(self, network: Network) -> Band:
        """Return the band that is left when all inside nodes are eliminated."""
        stay, schur = self.factor.schur(np.flatnonzero(self.keep))
        if self.shut_degree.any():
            schur = schur + np.diag(self.shut_degree[stay])
        k, m = len(stay), len(self.fixed)
        whole = np.empty((k + m, k + m))
        whole[:k, :k] = schur
        weight = np.zeros(k + m)
        lifted = self.factor.solve(self.weight) if network.lifts else np.zeros(len(self.nodes))
        bare = schur - np.diag(self.shut_degree[stay])
        weight[:k] = bare @ lifted[stay]
        if m:
            x = np.column_stack([self.factor.solve(column) for column in self.couple_fixed.T])
            side = bare @ x[stay]
            inside = np.flatnonzero(~self.keep)
            corner = _fixed_block(self.old, self.fixed, network)
            corner = (
                corner
                - self.couple_fixed[inside].T @ x[inside]
                - (self.couple_fixed[stay] - side).T @ x[stay]
            )
            whole[:k, k:] = side
            whole[k:, :k] = side.T
            whole[k:, k:] = corner
            weight[k:] = _at(self.old, self.fixed, self.old.weight) - self.couple_fixed.T @ lifted
            weight[k:] += side.T @ lifted[stay]
        gone = self.old.gone.copy()
        gone[self.nodes[~self.keep]] = True
        return Band(np.concatenate([self.nodes[stay], self.fixed]), whole, gone, weight)

    def inside(self, band: Band, values: Floats, span: float) -> Floats:
        """Return ∫p dt at all unknown nodes, given it [Pa θ] in ``values``, shape (n,), at those that stay.

        ``band`` is what ``condensed`` returned.
        """
        stay = np.flatnonzero(self.keep)
        k = len(stay)
        number = np.full(len(values), -1, dtype=np.int64)
        number[self.nodes] = np.arange(len(self.nodes))
        at = number[band.nodes[:k]]
        load = self.weight * span - self.couple_fixed @ values[self.fixed]
        load[stay] = 0.0
        free = self.factor.solve(load)
        back = np.zeros(len(self.nodes))
        back[at] = band.block[:k, :k] @ (values[band.nodes[:k]] - free[at])
        return np.asarray(free + self.factor.solve(back))


def entry_numbers(matrix: sparse.csr_array, which: Ints) -> tuple[Ints, Ints]:
    """Return (position in ``which``, entry of the matrix) of all entries of some rows."""
    start, stop = matrix.indptr[which], matrix.indptr[which + 1]
    count = stop - start
    owner = np.repeat(np.arange(len(which)), count)
    within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    return owner, np.repeat(start, count) + within


def entries(matrix: sparse.csr_array, which: Ints) -> tuple[Ints, Ints, Floats]:
    """Return (position in ``which``, column, value) of all entries of some rows."""
    owner, entry = entry_numbers(matrix, which)
    return owner, matrix.indices[entry].astype(np.int64), matrix.data[entry]


def _at(band: Band, nodes: Ints, values: Floats) -> Floats:
    """Return the band's values at some of its nodes."""
    where = {int(node): i for i, node in enumerate(band.nodes)}
    return values[[where[int(node)] for node in nodes]]


def _fixed_block(band: Band, fixed: Ints, network: Network) -> Floats:
    """Return the Laplacian among fixed nodes: the band's where it has them, else the bare one."""
    where = {int(node): i for i, node in enumerate(band.nodes)}
    at = np.array([where[int(node)] for node in fixed], dtype=np.int64)
    return band.block[np.ix_(at, at)]


def rebuilt(network: Network, wet: Ints, held: Ints) -> tuple[Solved, Band]:
    """Return the band of a wet region given outright, and the system that it was condensed from.

    wet : full nodes; held : those of them that stay in the band, ports above all.
    """
    none = np.zeros(network.size)
    rest = np.setdiff1d(wet, held)
    start = Band.start(network, held)
    solved = solve(network, start, rest, held, np.zeros(len(held)), none, 0.0, np.zeros(0, dtype=np.int64))
    return solved, solved.condensed(network)


def solve(
    network: Network,
    band: Band,
    new: Ints,
    fixed: Ints,
    fixed_pressure: Floats,
    dry: Floats,
    span: float,
    keep_always: Ints,
    given: Given | None = None,
    around: Around | None = None,
) -> Solved:
    """Solve the wet region for one step.

    Parameters
    ----------
    band : what is left of the earlier wet region.
    new : nodes taken to be wet at the end of the step and not in the band.
    fixed, fixed_pressure : nodes of given pressure [Pa]; they lie in the band.
    dry : unfilled volume of every node at the start of the step [m³], shape (n,).
    span : length of the step in ∫dt/μ [1/Pa].
    keep_always : nodes that must not be eliminated.
    given : volumes put in at nodes of the band.
    around : air and heights, where they count.
    """
    n = network.size
    is_fixed = np.isin(band.nodes, fixed)
    held = np.flatnonzero(~is_fixed)
    held_nodes = band.nodes[held]
    wet = band.gone.copy()
    wet[band.nodes] = True
    wet[new] = True
    # A node may be eliminated when every neighbour is wet.
    candidates = np.concatenate([new, held_nodes])
    rows, entry = entry_numbers(network.adjacency, candidates)
    to_dry = ~wet[network.adjacency.indices[entry]]
    touches_dry = sum_at(rows, to_dry.astype(float), len(candidates)) > 0
    touches_dry |= np.isin(candidates, keep_always)
    from_band = np.arange(len(candidates)) >= len(new)
    order = np.lexsort((network.rank[candidates], from_band, touches_dry))
    nodes = candidates[order]
    number = np.full(n, -1, dtype=np.int64)
    number[nodes] = np.arange(len(nodes))

    weight = np.concatenate([network.weight[new], band.weight[held]])[order]
    late, at_end, shut_degree = _from_around(network, around, candidates, rows, entry, to_dry, len(new), span)
    late, at_end, shut_degree = late[order], at_end[order], shut_degree[order]

    # New rows come from the network, band rows from the dense block, coupling from the new rows.
    rows, cols, g = entries(network.adjacency, new)
    target = number[cols]
    inside = target >= 0
    i, j, v = number[new][rows[inside]], target[inside], -g[inside]
    to_band = np.zeros(n, dtype=bool)
    to_band[held_nodes] = True
    mirrored = to_band[cols[inside]]
    block = band.block[np.ix_(held, held)]
    bi = number[held_nodes]
    factor: _DenseFactor | _SparseFactor
    if len(nodes) < DENSE_LIMIT and len(bi) > DENSE_SHARE * len(nodes):
        dense = np.zeros((len(nodes), len(nodes)), order="F")
        dense[np.ix_(bi, bi)] = block
        dense[i, j] = v
        dense[j, i] = v
        dense[number[new], number[new]] = network.degree[new]
        dense[np.arange(len(nodes)), np.arange(len(nodes))] -= shut_degree
        factor = _DenseFactor(dense)
    else:
        all_nodes = np.arange(len(nodes))
        matrix = sparse.coo_array(
            (
                np.concatenate([v, v[mirrored], network.degree[new], block.ravel(), -shut_degree]),
                (
                    np.concatenate([i, j[mirrored], number[new], np.repeat(bi, len(bi)), all_nodes]),
                    np.concatenate([j, i[mirrored], number[new], np.tile(bi, len(bi)), all_nodes]),
                ),
            ),
            shape=(len(nodes), len(nodes)),
        ).tocsc()
        factor = _SparseFactor(matrix)
    couple = np.zeros((len(nodes), len(fixed)))
    where_fixed = {int(node): k for k, node in enumerate(fixed)}
    for k in np.flatnonzero(is_fixed):
        couple[bi, where_fixed[int(band.nodes[k])]] = band.block[held, k]
    fixed_number = np.full(n, -1, dtype=np.int64)
    fixed_number[fixed] = np.arange(len(fixed))
    direct = fixed_number[cols] >= 0
    np.subtract.at(couple, (number[new][rows[direct]], fixed_number[cols[direct]]), g[direct])

    push = weight - couple @ fixed_pressure
    load = push * span - dry[nodes] + late
    push += at_end
    if given is not None and len(given.nodes):
        at = number[given.nodes]
        load[at] += given.volume
        push[at] += given.rate
    answer = factor.solve(np.column_stack([load, push]))
    return Solved(
        nodes, answer[:, 0], answer[:, 1], fixed, fixed_pressure, factor, couple, touches_dry[order], band,
        weight, shut_degree,
    )  # fmt: skip


def _from_around(
    network: Network,
    around: Around | None,
    candidates: Ints,
    rows: Ints,
    entry: Ints,
    to_dry: Bools,
    fresh: int,
    span: float,
) -> tuple[Floats, Floats, Floats]:
    """Return what air and heights add to the load of a step, to its end's rate, and take off the diagonal.

    The first ``fresh`` candidates are the step's new nodes, whose links carry for part of it only.
    """
    k = len(candidates)
    if around is None:
        return np.zeros(k), np.zeros(k), np.zeros(k)
    i, j = candidates[rows], network.adjacency.indices[entry].astype(np.int64)
    g = network.adjacency.data[entry]
    shut = around.shut[entry] & to_dry
    air = np.where(to_dry & ~shut, g * around.air[j], 0.0)
    load, rate = air * span, air
    if network.lifts:
        lift = g * (network.head[j] - network.head[i])
        lasting = around.span_of(i, j) if span > 0 else np.zeros(len(i))
        load = (
            load - np.where(rows < fresh, lift * (span - lasting), 0.0) - np.where(shut, lift * lasting, 0.0)
        )
        rate = rate - np.where(shut, lift, 0.0)
    return sum_at(rows, load, k), sum_at(rows, rate, k), sum_at(rows, np.where(shut, g, 0.0), k)
