"""Factors of small dense and of sparse symmetric matrices, whose diagonal may change while their pattern stays."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.flow import kernel
from bibulon.core.flow.build.network import sum_at
from bibulon.core.flow.kernel.links import Upper
from bibulon.core.units.words import tr

__all__ = ["Factor", "Reduced", "SingularError", "Symmetric"]

WIDE = 1_500  # unknowns to be eliminated from which their own order is taken
DENSE = 300  # unknowns up to which a matrix is factored as a dense one

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@lru_cache(maxsize=1)
def by_blocks() -> Any:
    """Return cvxopt with its CHOLMOD, loaded for the first large system; None where it is missing: the LU does the same."""
    try:
        import cvxopt
        import cvxopt.amd
        import cvxopt.cholmod
    except ImportError:
        return None
    # Orders are handed in, and kept as they are.
    cvxopt.cholmod.options.update(supernodal=2, nmethods=1, postorder=False)
    return cvxopt


class SingularError(RuntimeError):
    """A wet region with neither a dry neighbour nor an open port has no pressure of its own."""


class _DenseFactor:
    """Cholesky factor of a symmetric positive definite matrix, lower triangle."""

    def __init__(self, matrix: Floats) -> None:
        self.low, info = scipy.linalg.lapack.dpotrf(matrix, lower=1, clean=1, overwrite_a=1)
        if info:
            raise SingularError(tr("pivot {} is not positive", info))

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        if not load.size:  # LAPACK takes no empty matrix
            return np.zeros(load.shape)
        answer, _ = scipy.linalg.lapack.dpotrs(self.low, load, lower=1)
        return answer


class _SparseFactor:
    """Sparse LU factor in the order given."""

    def __init__(self, matrix: scipy.sparse.csc_array) -> None:
        try:
            self.lu = scipy.sparse.linalg.splu(
                matrix, permc_spec="NATURAL", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
        except RuntimeError as error:
            raise SingularError(str(error)) from error

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        return self.lu.solve(load)


class _CholeskyFactor:
    """Sparse Cholesky factor by CHOLMOD: several times as quick as the LU.

    ours : our number of each of its unknowns.
    """

    def __init__(self, entries: Any, analysed: object, ours: Ints) -> None:
        self._cvxopt = by_blocks()
        try:
            self._cvxopt.cholmod.numeric(entries, analysed)
        except ArithmeticError as error:
            raise SingularError(tr("pivot {} is not positive", error)) from error
        self._factor, self._ours = analysed, ours

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        if not load.size:
            return np.zeros(load.shape)
        told = self._cvxopt.matrix(np.asfortranarray(load[self._ours], dtype=np.float64))
        self._cvxopt.cholmod.solve(self._factor, told)
        answer = np.empty(load.shape)
        answer[self._ours] = np.array(told).reshape(load.shape)
        return answer


def _order(entries: Any) -> Ints:
    """Return an elimination order of little fill, by approximate minimum degree (Amestoy, Davis and Duff 1996)."""
    return np.array(by_blocks().amd.order(entries)).ravel()


class _DenseTriangle:
    """A dense lower triangle L: its corner, and solutions with L and Lᵀ."""

    def __init__(self, low: Floats, first: int) -> None:
        self._low, self.corner = low, low[first:, first:]

    def down(self, load: Floats) -> Floats:
        """Return x of L x = load."""
        return np.asarray(scipy.linalg.solve_triangular(self._low, load, lower=True))

    def up(self, load: Floats) -> Floats:
        """Return x of Lᵀ x = load."""
        return np.asarray(scipy.linalg.solve_triangular(self._low, load, lower=True, trans="T"))


class _SparseTriangle:
    """The same, sparse: column by column, the diagonal first in each."""

    def __init__(self, begins: Ints, rows: Ints, values: Floats, first: int) -> None:
        self._begins, self._rows, self._values = begins, rows, values
        size, at = len(begins) - 1 - first, begins[first]
        self.corner = np.zeros((size, size))
        self.corner[rows[at:] - first, np.arange(size).repeat(np.diff(begins[first:]))] = values[at:]

    def down(self, load: Floats) -> Floats:
        """Return x of L x = load."""
        return kernel.triangle(self._begins, self._rows, self._values, load, up=False)

    def up(self, load: Floats) -> Floats:
        """Return x of Lᵀ x = load."""
        return kernel.triangle(self._begins, self._rows, self._values, load, up=True)


class Reduced:
    """A symmetric matrix from which the first unknowns are eliminated.

    By its Cholesky factor L = [L11 0; L21 L22], in an order in which the others come last: what is left on those is
    L22 L22ᵀ.
    """

    def __init__(self, low: _DenseTriangle | _SparseTriangle, first: int, order: Ints) -> None:
        self.first, self._order, self._low = first, order, low

    @property
    def schur(self) -> Floats:
        """The matrix on the others, shape (m, m)."""
        return np.asarray(self._low.corner @ self._low.corner.T)

    def pushed(self, put: Floats) -> Floats:
        """Return what loads on the first unknowns, shape (k,), come to on the others, shape (m,)."""
        return np.asarray(self._low.corner @ self._forward(put)[self.first :])

    def within(self, put: Floats, held: Floats) -> Floats:
        """Return the first unknowns, given loads on them, shape (k,), and the others, shape (m,)."""
        half = self._forward(put)
        half[self.first :] = self._low.corner.T @ held
        answer = np.empty_like(half)
        answer[self._order] = self._low.up(half)
        return answer[: self.first]

    def _forward(self, put: Floats) -> Floats:
        load = np.zeros(len(self._order))
        load[: self.first] = put
        load = load[self._order]
        return self._low.down(load) if load.any() else load


Factor = _DenseFactor | _SparseFactor | _CholeskyFactor


class Symmetric:
    """A symmetric matrix: entries off the diagonal, which add up, a diagonal, a dense block at some places.

    Each pair of unknowns is told once, in either order.  It may be factored again with more on its diagonal: the
    pattern is looked through once.  One factor is valid at a time.
    """

    def __init__(
        self, size: int, rows: Ints, cols: Ints, values: Floats, diagonal: Floats, at: Ints, block: Floats
    ) -> None:
        self.size = size
        self._diagonal = diagonal.copy()
        self._diagonal[at] += np.diag(block)
        every = np.arange(size)
        self._dense: Floats | None = None
        if size <= DENSE:
            low, high = np.maximum(rows, cols), np.minimum(rows, cols)
            self._dense = sum_at(high * size + low, values, size * size).reshape(size, size).T
            self._dense[np.ix_(at, at)] += block
            self._dense[every, every] = self._diagonal
        elif by_blocks() is None:
            k = len(at)
            i = np.concatenate([every, rows, cols, np.repeat(at, k)])
            j = np.concatenate([every, cols, rows, np.tile(at, k)])
            entries = np.concatenate([diagonal, values, values, block.ravel()])
            self._matrix = scipy.sparse.coo_array((entries, (i, j)), shape=(size, size)).tocsc()
            self._matrix.sort_indices()
        else:
            self._take(rows, cols, values, at, block)

    @classmethod
    def of(cls, upper: Upper, block: Floats) -> Symmetric:
        """Return the matrix of an upper triangle, with a block added on its last unknowns."""
        size = upper.size
        apart = np.ones(len(upper.rows), dtype=bool)
        apart[upper.diagonal] = False
        cols = np.arange(size).repeat(np.diff(upper.begins))
        at = np.arange(size - len(block), size)
        diagonal = upper.values[upper.diagonal]
        return cls(size, cols[apart], upper.rows[apart], upper.values[apart], diagonal, at, block)

    def _take(self, rows: Ints, cols: Ints, values: Floats, at: Ints, block: Floats) -> None:
        """Hand the matrix to CHOLMOD, the places of the block last: entry by entry a block would take longest of all."""
        size, cvxopt = self.size, by_blocks()
        self._unblocked = k = size - len(at)
        among = np.zeros(size, dtype=bool)
        among[at] = True
        self._place = np.empty(size, dtype=np.int64)
        self._place[~among] = np.arange(k)
        self._place[at] = np.arange(k, size)
        self._ours = np.argsort(self._place)
        i, j = self._place[rows], self._place[cols]
        every = np.arange(size)
        i, j = np.concatenate([every, np.maximum(i, j)]), np.concatenate([every, np.minimum(i, j)])
        entries = np.concatenate([self._diagonal[self._ours], values])
        self._links = cvxopt.spmatrix(
            cvxopt.matrix(entries), cvxopt.matrix(i), cvxopt.matrix(j), (size, size)
        )
        self._entries = self._links
        if len(at):
            corner = np.array(cvxopt.matrix(self._links[k:, k:]))
            corner += np.tril(block, -1)
            empty = cvxopt.spmatrix([], [], [], (k, len(at)))
            self._entries = cvxopt.sparse([[self._links[:, :k]], [empty, cvxopt.matrix(corner)]])
        # Below the diagonal alone, rows in order: the diagonal comes first in each column.
        self._first = np.array(self._entries.CCS[0]).ravel()[:-1]
        self._analysed: object | None = None

    def factored(self, more: Floats | None = None) -> Factor:
        """Factor it, with ``more`` on its diagonal, shape (n,).

        Raises
        ------
        SingularError : when it is not positive definite.
        """
        diagonal = self._diagonal if more is None else self._diagonal + more
        if self._dense is not None:
            matrix = self._dense.copy(order="F")
            np.einsum("ii->i", matrix)[:] = diagonal
            return _DenseFactor(matrix)
        if by_blocks() is None:
            self._matrix.setdiag(diagonal)
            return _SparseFactor(self._matrix)
        values = np.array(self._entries.V).ravel()
        values[self._first] = diagonal[self._ours]
        cvxopt = by_blocks()
        self._entries.V = cvxopt.matrix(values)
        if self._analysed is None:
            self._analysed = cvxopt.cholmod.symbolic(self._entries, p=cvxopt.matrix(_order(self._entries)))
        return _CholeskyFactor(self._entries, self._analysed, self._ours)

    def reduced(self, first: int) -> Reduced:
        """Eliminate the first unknowns.

        Raises
        ------
        SingularError : when it is not positive definite.
        """
        every = np.arange(self.size)
        if self._dense is not None:
            low = _DenseFactor(self._dense.copy(order="F")).low
            return Reduced(_DenseTriangle(low, first), first, every)
        if by_blocks() is None:
            low = _lower_by_lu(self._matrix)
            begins, rows = low.indptr.astype(np.int64), low.indices.astype(np.int64)
            return Reduced(_SparseTriangle(begins, rows, low.data, first), first, every)
        # Unknowns come in an order of dissection: as good a one for a wide region, and a bad one for a strip.
        order = self._place if first >= WIDE else _order(self._links)
        kept, blocked = self._ours[order] >= first, order >= self._unblocked
        order = np.concatenate([order[~kept & ~blocked], order[~kept & blocked], self._place[first:]])
        cvxopt = by_blocks()
        analysed = cvxopt.cholmod.symbolic(self._entries, p=cvxopt.matrix(order))
        _CholeskyFactor(self._entries, analysed, self._ours)
        begins, rows, values = (np.array(x).ravel() for x in cvxopt.cholmod.getfactor(analysed).CCS)
        return Reduced(_SparseTriangle(begins, rows, values, first), first, self._ours[order])


def _lower_by_lu(matrix: scipy.sparse.csc_array) -> scipy.sparse.csc_array:
    """Return the Cholesky factor in the order given: of a symmetric matrix L U is L D Lᵀ."""
    lu = _SparseFactor(matrix).lu
    pivots = lu.U.diagonal()
    if not np.all(pivots > 0):
        raise SingularError(tr("pivot {} is not positive", int(np.argmin(pivots))))
    # It may have put its columns into an equivalent order, in which as little fills.
    low = (lu.L @ scipy.sparse.diags_array(np.sqrt(pivots))).tocsr()[lu.perm_c][:, lu.perm_c].tocsc()
    low.sort_indices()
    return low
