"""Factors of small sparse symmetric matrices by QDLDL, which takes a matrix as it lies, and its pattern once.

With a few thousand entries, handing a matrix to CHOLMOD and back takes longer than the factor; with tens of thousands it
pays, since CHOLMOD works in blocks.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.fill.factor import SingularError
from bibulon.core.flow.kernel.links import Upper
from bibulon.core.units.words import tr

try:
    import qdldl
except ImportError:
    qdldl = None

__all__ = ["LIGHT", "Light", "there_is_light"]

Floats = npt.NDArray[np.float64]

LIGHT = 12_000  # entries of the upper triangle up to which this is the quicker way


def there_is_light() -> bool:
    """Whether QDLDL is installed."""
    return qdldl is not None


class _LightFactor:
    """What QDLDL made of a matrix."""

    def __init__(self, solver: qdldl.Solver) -> None:
        self._solver = solver

    def solve(self, load: Floats) -> Floats:
        """Return the solution for loads of shape (n, k).

        Raises
        ------
        SingularError : when the matrix is not positive definite, as far as these loads tell.
        """
        answer = np.empty(load.shape)
        for k in range(load.shape[1]):
            put = np.ascontiguousarray(load[:, k])
            answer[:, k] = got = self._solver.solve(put)
            if not put @ got >= 0:  # a pivot that is zero but for rounding may be of either sign
                raise SingularError(tr("the matrix is not positive definite"))
        return answer


class _Columns:
    """A matrix as QDLDL asks for it, by the names that SciPy gives to what one is made of; SciPy's own checks it each time."""

    def __init__(self, upper: Upper) -> None:
        self.shape, self.nnz = (upper.size, upper.size), len(upper.values)
        self.indptr, self.indices, self.data = upper.begins, upper.rows, upper.values


class Light:
    """A symmetric positive definite matrix whose diagonal may change while its pattern stays."""

    def __init__(self, upper: Upper) -> None:
        self._matrix = _Columns(upper)
        self._on_diagonal = upper.diagonal
        self._diagonal = upper.values[self._on_diagonal]
        self._solver: qdldl.Solver | None = None

    def factored(self, more: Floats) -> _LightFactor:
        """Factor it, with ``more`` on its diagonal, shape (n,); one factor is valid at a time.

        Raises
        ------
        SingularError : when it is singular.
        """
        self._matrix.data[self._on_diagonal] = self._diagonal + more
        try:
            if self._solver is None:
                self._solver = qdldl.Solver(self._matrix, upper=True)
            else:
                self._solver.update(self._matrix, upper=True)
        except RuntimeError as error:
            self._solver = None
            raise SingularError(str(error)) from error
        return _LightFactor(self._solver)
