"""Where flow mesh lies."""

from __future__ import annotations

import shapely
from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import check
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.model.materials import FlowMesh
from bibulon.core.stack.laid import layer_region

__all__ = ["all_mesh", "mesh_cover"]


def mesh_cover(job: Job) -> BaseGeometry | None:
    """Return where flow mesh lies [m]: its outline less the zones that bar it; None without mesh.

    Raises
    ------
    OutlineError : when its outline is crossed or empty.
    """
    if job.mesh is None:
        return None
    cover: BaseGeometry = check(job.mesh.outline)
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
