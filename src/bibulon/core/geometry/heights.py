"""The height of a part between the places where it is given."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.model.job import Part

__all__ = ["heights"]

Floats = npt.NDArray[np.float64]


def heights(part: Part, points: Floats) -> Floats:
    """Return the height of the part at places on its plan [m], shape (n,).

    Between the heights that are given: as a thin sheet bends least to pass through them (with one or
    two, or all on a line, it is level across).
    """
    if not part.heights:
        return np.zeros(len(points))
    given = np.array([(s.x, s.y) for s in part.heights])
    z = np.array([s.z for s in part.heights])
    middle = given.mean(axis=0)
    _, spread, axes = np.linalg.svd(given - middle, full_matrices=False)
    across = spread > 1e-6 * max(float(spread.max(initial=0.0)), 1e-9)
    if not across.any():
        return np.full(len(points), float(z.mean()))
    if across.sum() == 1:
        along = (given - middle) @ axes[0]
        order = np.argsort(along)
        slope = np.polyfit(along, z, 1)
        there = (points - middle) @ axes[0]
        inside = np.interp(there, along[order], z[order])
        beyond = (there < along.min()) | (there > along.max())
        return np.where(beyond, np.polyval(slope, there), inside)
    from scipy.interpolate import RBFInterpolator  # only parts that are not level need it

    return np.asarray(RBFInterpolator(given, z, kernel="linear", degree=1)(points))
