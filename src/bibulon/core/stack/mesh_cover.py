"""Where flow mesh lies."""

from __future__ import annotations

import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, MeshExtent
from bibulon.core.model.materials import FlowMesh
from bibulon.core.stack.laid import layer_region
from bibulon.core.units.words import tr

__all__ = ["all_mesh", "laid_mesh", "mesh_cover"]


def laid_mesh(mesh: MeshExtent) -> Polygon | MultiPolygon:
    """Return flow mesh as it was cut [m].

    Raises
    ------
    OutlineError : when an outline of it is crossed or empty, or its holes leave none of it.
    """
    holes = [check(hole) for hole in mesh.holes]
    laid = [check(mesh.outline).difference(shapely.union_all(holes))]
    for piece in map(check, mesh.pieces):  # which may lie within a hole, as an island
        laid.append(piece.difference(shapely.union_all([h for h in holes if not h.contains(piece)])))
    left = shapely.union_all(laid)
    if not isinstance(left, Polygon | MultiPolygon) or left.is_empty:
        raise OutlineError(tr("The holes of the mesh leave none of it."))
    return left


def mesh_cover(job: Job) -> BaseGeometry | None:
    """Return where flow mesh lies [m]: its outline less the zones that bar it; None without mesh.

    Raises
    ------
    OutlineError : when its outline is crossed or empty.
    """
    if job.mesh is None:
        return None
    cover: BaseGeometry = laid_mesh(job.mesh)
    over = regions(job.part).over
    for zone in job.part.zones:
        if zone.kind == "no-mesh":
            cover = cover.difference(over[zone.id])
    return cover


def all_mesh(job: Job) -> BaseGeometry | None:
    """Return where flow mesh lies [m], over the stack or as a layer of it; None without any.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    laid = [layer_region(job, x) for x in job.stack if isinstance(job.materials[x.material], FlowMesh)]
    cover = mesh_cover(job)
    if cover is not None:
        laid.append(cover)
    return shapely.union_all(laid) if laid else None
