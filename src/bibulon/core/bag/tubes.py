"""Where hoses come through the bag."""

from __future__ import annotations

from msgspec import Struct
from shapely.geometry import LineString, Point

from bibulon.core.bag.walk import Walk
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import Job

__all__ = ["TubeThrough", "tubes_of"]

WALL = 0.002  # m of a hose
FREE = 0.15  # m that a hose runs to the tape, from which on it is led out beside another that it would meet there
ROOM = 1.5  # of what tubes are to be apart at the least, that is left between those


class TubeThrough(Struct, frozen=True):
    """A hose through the bag: its line, where along the walk [m], its outer diameter [m], whether its wrap is sealed."""

    line: str
    label: str
    role: str
    at: float
    outer: float
    sealed: bool


def tubes_of(job: Job, walk: Walk) -> tuple[TubeThrough, ...]:
    """Return the hoses in walking order, each where the tape is nearest to the place that it joins its line.

    A hose with a way to go is led out beside those that come through there already.
    """
    tape = LineString(walk.ring)
    ways = [
        (tape.distance(Point(inlet_of(line))), line)
        for line in job.lines
        if line.hose_length > 0 and line.hose_bore > 0
    ]
    out: list[TubeThrough] = []
    for way, line in sorted(ways, key=lambda pair: pair[0] > FREE):
        at = walk.along(*inlet_of(line)) % walk.length
        if way > FREE:
            at = _beside(at, [t.at for t in out], walk, job.rules.tube_apart)
        out.append(
            TubeThrough(
                line.id, line.label, line.role, at, line.hose_bore + 2 * WALL, line.hose.sealed
            )
        )  # fmt: skip
    return tuple(sorted(out, key=lambda t: t.at))


def _beside(at: float, taken: list[float], walk: Walk, apart: float) -> float:
    """Return the place along the walk nearest to one that has room beside all that are taken; itself where none has."""
    if all(walk.apart(at, t) >= apart for t in taken):
        return at
    room = [(t + side * ROOM * apart) % walk.length for t in taken for side in (1, -1)]
    free = [a for a in room if all(walk.apart(a, t) >= apart for t in taken)]
    return min(free, key=lambda a: walk.apart(a, at), default=at)
