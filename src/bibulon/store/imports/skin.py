"""One open skin out of what a drawing office exports: of a closed body what is seen from above, of several pieces the large one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy
from msgspec.structs import replace

from bibulon.core.geometry.surface import areas_in_space, border_edges, piece_of
from bibulon.core.units.words import tr
from bibulon.store.imports.mesh_in import UPS, MeshError, RawMesh, one_way

__all__ = ["one_skin"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

LEVEL = 0.01  # of a face's normal that must point up for it to be seen from above: it leans by half a degree
NEAR = 1e-6  # of the size of all: points nearer than that are one
LEFT_OUT = 0.4  # share of the area that may lie in other pieces


def one_skin(raw: RawMesh, up: str) -> tuple[RawMesh, Sequence[str]]:
    """Return a mesh that is one open skin, and what was done to it, told.

    up : a name in ``UPS``.

    Raises
    ------
    MeshError : when it is in pieces of which none is the surface, or is seen edge on.
    """
    told = []
    points, triangles = raw.points, raw.triangles
    if not len(border_edges(triangles)):
        triangles = _seen_from_above(points @ UPS[up].T, triangles)
        told.append(tr("The file is a closed body: its faces seen from above are taken."))
    piece = piece_of(triangles, len(points))
    if piece.max() > 0:
        points, triangles = _welded(points, triangles)
        piece = piece_of(triangles, len(points))
    if piece.max() > 0:
        areas = np.bincount(piece, areas_in_space(points, triangles))
        share = 1 - float(areas.max() / areas.sum())
        if share > LEFT_OUT:
            raise MeshError(tr("The surface is in {} pieces: join them, or import one.", len(areas)))
        triangles = triangles[piece == areas.argmax()]
        told.append(
            tr("{0} smaller pieces are left out, {1:.1f} % of the area.", len(areas) - 1, 100 * share)
        )
    used, flat = np.unique(triangles, return_inverse=True)
    return replace(raw, points=points[used], triangles=flat.reshape(-1, 3).astype(np.int64)), told


def _seen_from_above(space: Floats, triangles: Ints) -> Ints:
    """Return the faces of a closed body that look up."""
    triangles = one_way(triangles)
    a, b, c = (space[triangles[:, k]] for k in range(3))
    if float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum()) < 0:  # six times the volume, inside out
        triangles, b, c = triangles[:, ::-1], c, b
    normal = np.cross(b - a, c - a)
    looks_up = normal[:, 2] > LEVEL * np.linalg.norm(normal, axis=1)
    if not looks_up.any():
        raise MeshError(tr("No face of it is seen from above: try another way up."))
    return np.ascontiguousarray(triangles[looks_up])


def _welded(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """Make points that lie in one place one: neighbouring faces of an export may each have their own."""
    near = NEAR * float(np.ptp(points, axis=0).max() or 1.0)
    pairs = scipy.spatial.cKDTree(points).query_pairs(near, output_type="ndarray")
    same = scipy.sparse.coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points),) * 2)
    _, label = scipy.sparse.csgraph.connected_components(same, directed=False)
    _, first, which = np.unique(label, return_index=True, return_inverse=True)
    joined = which[triangles]
    whole = (joined[:, 0] != joined[:, 1]) & (joined[:, 1] != joined[:, 2]) & (joined[:, 0] != joined[:, 2])
    return points[first], joined[whole].astype(np.int64)
