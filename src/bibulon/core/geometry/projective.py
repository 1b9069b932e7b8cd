"""The map from a photo of a plane to the plane, by four points (Hartley and Zisserman, Multiple View Geometry, section 4.1)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.units.words import tr

__all__ = ["projective", "through"]

Floats = npt.NDArray[np.float64]
FLAT = 1e-3  # of the four points' own size: a triangle of theirs that is so thin counts as a line


def projective(seen: Floats, plan: Floats) -> Floats:
    """Return the matrix, shape (3, 3), that takes four points of a photo to four of the plan, shape (4, 2) each.

    Raises
    ------
    ValueError : when three of them lie on a line, or they go round the photo in another order than round the plan.
    """
    for name, points in (("the photo", seen), ("the plan", plan)):
        if _flat(points):
            raise ValueError(
                tr("three of the four points lie on a line on {}: choose them wider apart", name)
            )
    rows = []
    # Scaled to about one, so that px and metres weigh alike.
    (a, from_photo), (b, from_plan) = _scaled(seen), _scaled(plan)
    for (x, y), (u, v) in zip(a, b, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, -u], [0, 0, 0, x, y, 1, -v * x, -v * y, -v]]
    h = np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3)
    matrix = np.linalg.inv(from_plan) @ h @ from_photo
    depth = (np.c_[seen, np.ones(4)] @ matrix.T)[:, 2]
    if not (np.all(depth > 0) or np.all(depth < 0)):
        raise ValueError(tr("the four points go round the photo in another order than round the plan"))
    return np.asarray(matrix / matrix[2, 2]) if abs(matrix[2, 2]) > 1e-12 else np.asarray(matrix)


def through(matrix: Floats, points: Floats) -> Floats:
    """Return where points of the photo, shape (n, 2), lie on the plan."""
    mapped = np.c_[points, np.ones(len(points))] @ matrix.T
    return np.asarray(mapped[:, :2] / mapped[:, 2:])


def _scaled(points: Floats) -> tuple[Floats, Floats]:
    middle, size = points.mean(axis=0), float(np.ptp(points, axis=0).max())
    matrix = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])
    return (points - middle) / size, matrix


def _flat(points: Floats) -> bool:
    size = float(np.ptp(points, axis=0).max()) ** 2
    for skip in range(4):
        a, b, c = np.delete(points, skip, axis=0)
        area = abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2
        if size <= 0 or area < FLAT * size:
            return True
    return False
