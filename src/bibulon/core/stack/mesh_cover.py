"""Where flow mesh lies."""

from __future__ import annotations

from shapely.geometry.base import BaseGeometry

from bibulon.core.geometry.outline import check
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job

__all__ = ["mesh_cover"]


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
