"""Where hoses come through the bag."""

from __future__ import annotations

from msgspec import Struct

from bibulon.core.bag.walk import Walk
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Job

__all__ = ["TubeThrough", "tubes_of"]

WALL = 0.002  # m of a hose


class TubeThrough(Struct, frozen=True):
    """A hose through the bag: its line, where along the walk [m], its outer diameter [m], whether its wrap is sealed."""

    line: str
    label: str
    role: str
    at: float
    outer: float
    sealed: bool


def tubes_of(job: Job, walk: Walk) -> tuple[TubeThrough, ...]:
    """Return the hoses, each where the tape is nearest to the place that it joins its line, in walking order."""
    out = []
    for line in job.lines:
        if line.hose_length <= 0 or line.hose_bore <= 0:
            continue
        out.append(
            TubeThrough(
                line.id,
                line.label,
                line.role,
                walk.along(*inlet_of(line)) % walk.length,
                line.hose_bore + 2 * WALL,
                line.hose.sealed,
            )
        )
    return tuple(sorted(out, key=lambda t: t.at))
