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

__all__ = ["Band", "Given", "SingularError", "Solved", "entries", "solve"]

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

    ``nodes`` shape (k,); ``block`` shape (k, k) [m³]; ``gone`` marks eliminated nodes, shape (n,).
    """

    nodes: Ints
    block: Floats
    gone: Bools

    @classmethod
    def start(cls, network: Network, nodes: Ints) -> Band:
        """Begin with some nodes and nothing eliminated."""
        rows = network.adjacency[nodes][:, nodes].toarray()
        return cls(nodes, np.diag(network.degree[nodes]) - rows, np.zeros(network.size, dtype=bool))


@dataclass(frozen=True)
class Given:
    """Resin put in at a rate: nodes, volume over the step [m³], and rate per unit θ at its end [m³ Pa]."""

    nodes: Ints
    volume: Floats
    rate: Floats


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

    def gains(self, network: Network, values: Floats, fixed_values: Floats) -> Floats:
        """Return Σ G_ij value_j at every node that is neither unknown, fixed nor eliminated, shape (n,)."""
        source = np.concatenate([self.nodes, self.fixed])
        amount = np.concatenate([values, fixed_values])
        rows, cols, g = entries(network.adjacency, source)
        return sum_at(cols, g * amount[rows], network.size)

    def condensed(self, network: Network) -> Band:
        """Return the band that is left when all inside nodes are eliminated."""
        stay, schur = self.factor.schur(np.flatnonzero(self.keep))
        k = len(self.fixed)
        whole = np.empty((len(stay) + k, len(stay) + k))
        whole[: len(stay), : len(stay)] = schur
        if k:
            x = np.column_stack([self.factor.solve(column) for column in self.couple_fixed.T])
            side = whole[: len(stay), : len(stay)] @ x[stay]
            inside = np.flatnonzero(~self.keep)
            corner = _fixed_block(self.old, self.fixed, network)
            corner = (
                corner
                - self.couple_fixed[inside].T @ x[inside]
                - (self.couple_fixed[stay] - side).T @ x[stay]
            )
            whole[: len(stay), len(stay) :] = side
            whole[len(stay) :, : len(stay)] = side.T
            whole[len(stay) :, len(stay) :] = corner
        gone = self.old.gone.copy()
        gone[self.nodes[~self.keep]] = True
        return Band(np.concatenate([self.nodes[stay], self.fixed]), whole, gone)


def entries(matrix: sparse.csr_array, which: Ints) -> tuple[Ints, Ints, Floats]:
    """Return (position in ``which``, column, value) of all entries of some rows."""
    start, stop = matrix.indptr[which], matrix.indptr[which + 1]
    count = stop - start
    owner = np.repeat(np.arange(len(which)), count)
    within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    entry = np.repeat(start, count) + within
    return owner, matrix.indices[entry].astype(np.int64), matrix.data[entry]


def _fixed_block(band: Band, fixed: Ints, network: Network) -> Floats:
    """Return the Laplacian among fixed nodes: the band's where it has them, else the bare one."""
    where = {int(node): i for i, node in enumerate(band.nodes)}
    block = np.diag(network.degree[fixed])
    for i, a in enumerate(fixed):
        for j, b in enumerate(fixed):
            if int(a) in where and int(b) in where:
                block[i, j] = band.block[where[int(a)], where[int(b)]]
    return block


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
    rows, cols, g = entries(network.adjacency, candidates)
    touches_dry = sum_at(rows, (~wet[cols]).astype(float), len(candidates)) > 0
    touches_dry |= np.isin(candidates, keep_always)
    from_band = np.arange(len(candidates)) >= len(new)
    order = np.lexsort((network.rank[candidates], from_band, touches_dry))
    nodes = candidates[order]
    number = np.full(n, -1, dtype=np.int64)
    number[nodes] = np.arange(len(nodes))

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
        factor = _DenseFactor(dense)
    else:
        matrix = sparse.coo_array(
            (
                np.concatenate([v, v[mirrored], network.degree[new], block.ravel()]),
                (
                    np.concatenate([i, j[mirrored], number[new], np.repeat(bi, len(bi))]),
                    np.concatenate([j, i[mirrored], number[new], np.tile(bi, len(bi))]),
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

    push = -couple @ fixed_pressure
    load = push * span - dry[nodes]
    if given is not None and len(given.nodes):
        at = number[given.nodes]
        load[at] += given.volume
        push[at] += given.rate
    answer = factor.solve(np.column_stack([load, push]))
    return Solved(
        nodes, answer[:, 0], answer[:, 1], fixed, fixed_pressure, factor, couple, touches_dry[order], band
    )
