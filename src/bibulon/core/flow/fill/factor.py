"""Factors of small dense and of sparse symmetric matrices, and what is left when first unknowns are eliminated."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.flow.build.network import sum_at
from bibulon.core.units.words import tr

try:
    import cvxopt
    from cvxopt import cholmod
except ImportError:  # without it the LU of SciPy does the same, more slowly
    cholmod = None
else:
    cholmod.options["postorder"] = False  # the order given is the mesh's own
    cholmod.options["supernodal"] = 2

__all__ = ["Factor", "Reducing", "SingularError", "factored", "reducing"]

DENSE = 420  # unknowns up to which a matrix is factored as a dense one

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class SingularError(RuntimeError):
    """A wet region with neither a dry neighbour nor an open port has no pressure of its own."""


class _DenseFactor:
    """Cholesky factor of a symmetric positive definite matrix, lower triangle."""

    def __init__(self, matrix: Floats) -> None:
        self._low, info = scipy.linalg.lapack.dpotrf(matrix, lower=1, clean=1, overwrite_a=1)
        if info:
            raise SingularError(tr("pivot {} is not positive", info))

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        if not load.size:  # LAPACK takes no empty matrix
            return np.zeros(load.shape)
        answer, _ = scipy.linalg.lapack.dpotrs(self._low, load, lower=1)
        return answer

    def schur(self, first: int) -> Floats:
        """Return the matrix on the unknowns from ``first`` on once those before are eliminated."""
        corner = self._low[first:, first:]
        return np.asarray(corner @ corner.T)


class _SparseFactor:
    """Sparse LU factor in the order given."""

    def __init__(self, matrix: scipy.sparse.csc_array) -> None:
        try:
            self._lu = scipy.sparse.linalg.splu(
                matrix, permc_spec="NATURAL", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
        except RuntimeError as error:
            raise SingularError(str(error)) from error

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        return self._lu.solve(load)

    def schur(self, first: int) -> Floats:
        """Return the matrix on the unknowns from ``first`` on once those before are eliminated.

        The factor may have put its columns into an equivalent order: the trailing block of L U is
        read through that.
        """
        at = np.sort(self._lu.perm_c[first:])
        low = self._lu.L.tocsr()[at][:, at].toarray()
        up = self._lu.U.tocsc()[:, at].tocsr()[at].toarray()
        block = low @ up
        place = np.empty(self._lu.shape[0], dtype=np.int64)
        place[at] = np.arange(len(at))
        where = place[self._lu.perm_c[first:]]
        block = block[np.ix_(where, where)]
        return np.asarray((block + block.T) / 2)


class _CholeskyFactor:
    """Sparse Cholesky factor in the order given, by CHOLMOD: several times as quick as the LU."""

    def __init__(self, size: int, rows: Ints, cols: Ints, values: Floats) -> None:
        """From entries on and below the diagonal; those of one place add up."""
        assert cholmod is not None
        self._size = size
        entries = cvxopt.spmatrix(
            cvxopt.matrix(values), cvxopt.matrix(rows), cvxopt.matrix(cols), (size, size)
        )
        self._factor = cholmod.symbolic(entries, p=cvxopt.matrix(np.arange(size)))
        try:
            cholmod.numeric(entries, self._factor)
        except ArithmeticError as error:
            raise SingularError(tr("pivot {} is not positive", error)) from error

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n,) or (n, k)."""
        if not load.size:
            return np.zeros(load.shape)
        told = cvxopt.matrix(np.asfortranarray(load, dtype=np.float64))
        cholmod.solve(self._factor, told)
        return np.array(told).reshape(load.shape)


Reducing = _DenseFactor | _SparseFactor
Factor = Reducing | _CholeskyFactor


def factored(
    size: int, rows: Ints, cols: Ints, values: Floats, diagonal: Floats, at: Ints, block: Floats
) -> Factor:
    """Factor a symmetric matrix: entries off the diagonal, which add up, a diagonal, a dense block at some places.

    Raises
    ------
    SingularError : when it is not positive definite.
    """
    if size <= DENSE or cholmod is None:
        return reducing(size, rows, cols, values, diagonal, at, block)
    i, j, entries = _entries(size, rows, cols, values, diagonal, at, block)
    low = i >= j
    return _CholeskyFactor(size, i[low], j[low], entries[low])


def reducing(
    size: int, rows: Ints, cols: Ints, values: Floats, diagonal: Floats, at: Ints, block: Floats
) -> Reducing:
    """Factor such a matrix so that ``schur`` may be asked: CHOLMOD would give up its factor for that."""
    if size <= DENSE:
        dense = sum_at(rows * size + cols, values, size * size).reshape(size, size).T
        dense[np.arange(size), np.arange(size)] += diagonal
        dense[np.ix_(at, at)] += block
        return _DenseFactor(dense)
    i, j, entries = _entries(size, rows, cols, values, diagonal, at, block)
    return _SparseFactor(scipy.sparse.coo_array((entries, (i, j)), shape=(size, size)).tocsc())


def _entries(
    size: int, rows: Ints, cols: Ints, values: Floats, diagonal: Floats, at: Ints, block: Floats
) -> tuple[Ints, Ints, Floats]:
    """Return rows, columns and values of all entries; those of one place add up."""
    every, k = np.arange(size), len(at)
    return (
        np.concatenate([rows, every, np.repeat(at, k)]),
        np.concatenate([cols, every, np.tile(at, k)]),
        np.concatenate([values, diagonal, block.ravel()]),
    )
