"""Where flow mesh ends towards the vacuum."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import shapely

from bibulon.core.flow.build.builder import FlowModel
from bibulon.core.flow.build.columns import MESH
from bibulon.core.geometry.paths import shape_of
from bibulon.core.model.job import Job

__all__ = ["end_nodes", "mesh_end", "net_covers"]

FACING = 0.5  # cosine between the way out of the mesh and the way to the nearest vacuum line
ROWS = 3  # of points under the mesh, beside its end, whose moments are wanted exactly
NEAR = (
    0.05  # of the part's span: ends this much further from their vacuum line than the nearest one count too
)


def net_covers(model: FlowModel) -> npt.NDArray[np.bool_]:
    """Return which triangles have flow mesh, wherever in the stack it was laid, shape (m,)."""
    nets = _nets(model)
    if not nets:
        return np.zeros(len(model.zone), dtype=bool)
    has = np.array([c.present[nets[0]] for c in model.columns])
    return np.asarray(has[2 * model.zone + model.meshed])


def _nets(model: FlowModel) -> list[int]:
    return [k for k, s in enumerate(model.sheets) if s.slot == MESH]


def mesh_end(job: Job, model: FlowModel) -> npt.NDArray[np.int64]:
    """Return the edges at which mesh ends towards a vacuum line, as vertices, shape (k, 2)."""
    vacuum = [shape_of(x.path) for x in job.lines if x.role == "vacuum"]
    tri = model.mesh.triangles[net_covers(model)]
    edges = np.concatenate([tri[:, [0, 1]], tri[:, [1, 2]], tri[:, [2, 0]]])
    if not vacuum or not len(edges):
        return np.zeros((0, 2), dtype=np.int64)
    # As one number each: sorting pairs takes ten times as long.
    keys = edges.min(axis=1) * len(model.mesh.points) + edges.max(axis=1)
    _, first, counts = np.unique(keys, return_index=True, return_counts=True)
    rim = edges[first[counts == 1]]
    a, b = model.mesh.points[rim[:, 0]], model.mesh.points[rim[:, 1]]
    middle, out = (
        (a + b) / 2,
        np.c_[b[:, 1] - a[:, 1], a[:, 0] - b[:, 0]],
    )  # triangles are wound anticlockwise
    way = shapely.shortest_line(shapely.points(middle), shapely.union_all(vacuum))
    to = shapely.get_coordinates(shapely.get_point(way, 1)) - middle
    far = np.hypot(*to.T)
    facing = np.einsum("ij,ij->i", out, to) >= FACING * np.hypot(*out.T) * far
    span = float(np.hypot(*np.ptp(model.mesh.points, axis=0)))
    return np.asarray(rim[facing & (far <= far[facing].min(initial=np.inf) + NEAR * span)])


def end_nodes(job: Job, model: FlowModel) -> tuple[npt.NDArray[np.int64], ...]:
    """Return the mesh's nodes along its end and in the last rows under it, as sets, the end last; or none.

    The moments at which these are full tell when the front comes to the end.
    """
    rim = np.unique(mesh_end(job, model))
    if not len(rim):
        return ()
    tri = model.mesh.triangles[net_covers(model)]
    rows, seen = [rim], np.zeros(len(model.mesh.points), dtype=bool)
    seen[rim] = True
    for _ in range(ROWS):
        last = np.zeros(len(seen), dtype=bool)
        last[rows[-1]] = True
        near = np.zeros(len(seen), dtype=bool)
        near[tri[last[tri].any(axis=1)]] = True
        beside = np.flatnonzero(near & ~seen)
        if not len(beside):
            break
        rows.append(beside)
        seen[beside] = True
    sets = [model.node_at[v, _nets(model)[0]] for v in reversed(rows)]
    return tuple(nodes[nodes >= 0] for nodes in sets if (nodes >= 0).any())
