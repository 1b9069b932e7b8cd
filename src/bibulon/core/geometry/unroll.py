"""The plan of a surface: seen from above, or unrolled.

Unrolled is the map that keeps lengths best (as rigid as possible, Liu et al. 2008), from the one that keeps angles best
(least squares conformal map, Lévy et al. 2002), scaled to the surface's own area.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.geometry.surface import SurfaceError, areas_in_space, border_rings, local_corners, piece_of
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.units.words import tr

__all__ = ["plan_of"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

ROUNDS = 60  # of turns and places until a plan is settled
SETTLED = 1e-5  # of its size that it still moves then
LEAST_WEIGHT = 1e-3  # of a side: across from an obtuse corner it would be negative
UPRIGHT = 1e-4  # of a triangle's own area that must be left from above


def plan_of(space: Floats, triangles: Ints, unrolled: bool) -> Floats:
    """Return where each point of a surface lies on the plan [m], shape (n, 2).

    Raises
    ------
    SurfaceError : when it is in pieces, has no rim, or hangs over itself seen from above.
    """
    pieces = int(piece_of(triangles, len(space)).max()) + 1
    if pieces > 1:
        raise SurfaceError(tr("The surface is in {} pieces: join them, or import one.", pieces))
    rings = border_rings(triangles)
    if not unrolled:
        flat = TriMesh(space[:, :2], triangles, 0.0)
        level = flat.areas / np.maximum(areas_in_space(space, triangles), 1e-300)
        if (level < UPRIGHT).any() and (level > UPRIGHT).any():
            x, y, z = space[triangles[np.argmin(level)]].mean(axis=0) * 1e3
            raise SurfaceError(
                tr(
                    "Seen from above it stands upright or hangs over near x {0:.0f}, y {1:.0f}, z "
                    "{2:.0f} mm: take it unrolled.",
                    x,
                    y,
                    z,
                )
            )
        return space[:, :2].copy()
    return _unrolled(space, triangles, rings[0])


def _unrolled(space: Floats, triangles: Ints, rim: Ints) -> Floats:
    """Return the plan that keeps lengths best, turned back to the view from above.

    Raises
    ------
    SurfaceError : when it folds over itself.
    """
    even = _conformal(space, triangles, rim)
    if (TriMesh(even, triangles, 0.0).areas <= 0).any():
        raise SurfaceError(tr("It cannot be unrolled without a fold: cut it into pieces that lie flatter."))
    rigid = _rigid(even, space, triangles)
    plan = even if (TriMesh(rigid, triangles, 0.0).areas <= 0).any() else rigid
    area = TriMesh(plan, triangles, 0.0).areas.sum()
    return _turned_as_seen(plan * np.sqrt(areas_in_space(space, triangles).sum() / area), space[:, :2])


def _rigid(plan: Floats, space: Floats, triangles: Ints) -> Floats:
    """Return a plan whose triangles are as nearly as can be those of the surface, turned (Liu et al. 2008).

    By turns each triangle takes the turn that suits the plan, and the points the places that suit the triangles so turned.
    """
    corners, n = local_corners(space[triangles]), len(space)
    side = corners - np.roll(corners, -1, axis=1)  # of corner i to the next, shape (m, 3, 2)
    a, b = np.roll(side, -1, axis=1), np.roll(side, -2, axis=1)  # the two that meet across from it
    cross = np.abs(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
    weight = np.maximum(-(a * b).sum(axis=2) / np.maximum(cross, 1e-300), LEAST_WEIGHT)
    first, second = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    links = scipy.sparse.coo_array((weight.ravel(), (first, second)), shape=(n, n))
    both = (links + links.T).tocsr()
    held = scipy.sparse.coo_array(([1.0], ([0], [0])), shape=(n, n))
    solve = scipy.sparse.linalg.splu((scipy.sparse.diags_array(both.sum(axis=1)) - both + held).tocsc()).solve
    for _ in range(ROUNDS):
        now = plan[triangles] - plan[np.roll(triangles, -1, axis=1)]
        # The turn R that brings Σ w |d − R e|² to its least: of angle atan2(Σ w e×d, Σ w e·d).
        cos = (weight * (side * now).sum(axis=2)).sum(axis=1)
        sin = (weight * (side[..., 0] * now[..., 1] - side[..., 1] * now[..., 0])).sum(axis=1)
        size = np.maximum(np.hypot(cos, sin), 1e-300)
        cos, sin = (cos / size)[:, None], (sin / size)[:, None]
        turned = np.stack(
            [cos * side[..., 0] - sin * side[..., 1], sin * side[..., 0] + cos * side[..., 1]], 2
        )
        pull = (weight[..., None] * turned).reshape(-1, 2)
        right = np.column_stack([np.bincount(first, p, n) - np.bincount(second, p, n) for p in pull.T])
        right[0] += plan[0]
        moved = solve(right)
        step, plan = float(np.abs(moved - plan).max()), moved
        if step < SETTLED * float(np.ptp(plan, axis=0).max()):
            break
    return plan


def _conformal(space: Floats, triangles: Ints, rim: Ints) -> Floats:
    """Return the least squares conformal map, with two points of the rim held."""
    corners = local_corners(space[triangles])
    x, y = corners[..., 0], corners[..., 1]
    area = np.maximum((x[:, 1] * y[:, 2] - x[:, 2] * y[:, 1]), 1e-300)
    root = np.sqrt(area)[:, None]
    # W_j = (x_k − x_i) + i (y_k − y_i) of the side across from each corner: Σ W_j U_j = 0 where angles keep.
    re = (np.roll(x, -2, axis=1) - np.roll(x, -1, axis=1)) / root
    im = (np.roll(y, -2, axis=1) - np.roll(y, -1, axis=1)) / root
    m, n = len(triangles), len(space)
    row, col = np.repeat(np.arange(m), 3), triangles.ravel()
    real = scipy.sparse.coo_array((re.ravel(), (row, col)), shape=(m, n))
    imag = scipy.sparse.coo_array((im.ravel(), (row, col)), shape=(m, n))
    system = scipy.sparse.vstack(
        [scipy.sparse.hstack([real, -imag]), scipy.sparse.hstack([imag, real])]
    ).tocsc()
    far = rim[np.argmax(np.linalg.norm(space[rim] - space[rim[0]], axis=1))]
    held = np.array([rim[0], far])
    length = float(np.linalg.norm(space[far] - space[rim[0]]))
    fixed = np.r_[held, held + n]
    value = np.array([0.0, length, 0.0, 0.0])
    free = np.setdiff1d(np.arange(2 * n), fixed)
    left = system[:, free]
    answer = np.zeros(2 * n)
    answer[fixed] = value
    answer[free] = scipy.sparse.linalg.spsolve((left.T @ left).tocsc(), -left.T @ (system[:, fixed] @ value))
    return np.column_stack([answer[:n], answer[n:]])


def _turned_as_seen(plan: Floats, seen: Floats) -> Floats:
    """Turn and shift a plan so that it lies as nearly as it can as it is seen from above (Kabsch 1976)."""
    a, b = plan - plan.mean(axis=0), seen - seen.mean(axis=0)
    u, _, vt = np.linalg.svd(a.T @ b)
    turn = u @ np.diag([1.0, np.sign(np.linalg.det(u @ vt)) or 1.0]) @ vt
    return np.asarray(a @ turn + seen.mean(axis=0))
