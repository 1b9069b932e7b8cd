"""The links of a network by rows, as the kernel takes them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

__all__ = ["Links", "Upper"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Links:
    """The links of each of n nodes, one row after the other.

    start : where the row of each begins, and the last one ends, shape (n + 1,); far : the node at the other end of each
    link, shape (nnz,); conductance : of each [m³], shape (nnz,).
    """

    __slots__ = ("addresses", "conductance", "far", "size", "start")

    def __init__(self, start: Ints, far: Ints, conductance: Floats) -> None:
        self.start = np.ascontiguousarray(start, dtype=np.int64)
        self.far = np.ascontiguousarray(far, dtype=np.int64)
        self.conductance = np.ascontiguousarray(conductance, dtype=np.float64)
        self.size = len(start) - 1
        # Looked up once: it takes as long as a call.
        self.addresses = (self.start.ctypes.data, self.far.ctypes.data, self.conductance.ctypes.data)


class Upper:
    """The upper triangle of a symmetric matrix, column by column, the diagonal last in each.

    begins : where each column begins, and the last one ends, shape (n + 1,); rows, values : of the entries, rows in
    no order but for the diagonal.
    """

    __slots__ = ("begins", "rows", "values")

    def __init__(self, begins: Ints, rows: Ints, values: Floats) -> None:
        self.begins, self.rows, self.values = begins, rows, values

    @property
    def size(self) -> int:
        """How many unknowns there are."""
        return len(self.begins) - 1

    @property
    def diagonal(self) -> Ints:
        """Which entries stand on the diagonal, shape (n,)."""
        return self.begins[1:] - 1
