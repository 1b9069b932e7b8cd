"""A surface of triangles with fewer of them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

__all__ = ["coarser"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
# How soon what moves it more may go: in haste, where many triangles meet in a pole, a thorn is left.
HASTES = (4.0, 7.0)


def coarser(points: Floats, triangles: Ints, wanted: int, *, keep_rim: bool) -> tuple[Floats, Ints]:
    """Return a surface with edges collapsed where that moves it least (Garland and Heckbert 1997), until so many are left.

    Points have shape (n, 3) and triangles (m, 3).  More are left where no edge may go any more; a rim may stay as it is.
    """
    import fast_simplification  # few surfaces ask for it

    for haste in HASTES:
        fewer_points, fewer = fast_simplification.simplify(
            points, triangles.astype(np.int32), target_count=wanted, agg=haste, preserve_border=keep_rim
        )
        if len(fewer) <= wanted + 2:
            break
    used, flat = np.unique(fewer, return_inverse=True)
    return np.asarray(fewer_points, dtype=np.float64)[used], flat.reshape(-1, 3).astype(np.int64)
