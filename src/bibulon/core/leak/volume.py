"""How much air is shut off with a bag: pores, mesh, lines, hoses and pots, summed from the job."""

from __future__ import annotations

import math

from shapely.geometry import LineString

from bibulon.core.model.job import Job
from bibulon.core.resin.charge import pore_volume

__all__ = ["OFF", "bag_volume"]

OFF = 0.20  # by how much a summed volume may be off


def bag_volume(job: Job) -> dict[str, float]:
    """Return the volumes [m³] by what holds them; their sum is what a leak's rate is multiplied by.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    out = {"plies, core and mesh": pore_volume(job)}
    tubes = hoses = 0.0
    for line in job.lines:
        length = LineString(line.path).length if len(line.path) > 1 else 0.0
        tubes += math.pi / 4 * line.bore**2 * length
        hoses += math.pi / 4 * line.hose_bore**2 * line.hose_length
    out["lines"] = tubes
    out["hoses"] = hoses + sum(m.volume + math.pi / 4 * m.hose_bore**2 * m.hose_length for m in job.manifolds)
    out["catch pots"] = sum(p.volume + math.pi / 4 * p.hose_bore**2 * p.hose_length for p in job.pots)
    return {name: volume for name, volume in out.items() if volume > 0}
