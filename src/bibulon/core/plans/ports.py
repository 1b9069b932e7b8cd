"""What a port a hand away does: a closed mould's vents and inlets moved in four ways, each forecast, one beside the other."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

import shapely
from msgspec import Struct

from bibulon.core.flow.forecast import COARSE, Resolution, forecast
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import FlowLine, Job

__all__ = ["HAND", "Place", "PortRow", "best_port", "moved", "port_rows", "ports_of", "trials"]

HAND = 0.1  # m
WAYS = ((1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0))
SPOT = 0.02  # m that a line may be long to count as a port
WORTH = 0.01  # of the filling time: less is the mesh's
Place = tuple[float, float]


class PortRow(Struct, frozen=True):
    """A trial: which port, its place [m]; when all is full [s], inf for never; area shut in or left dry [m²]; to the catch pot [kg]."""

    line: str
    place: Place
    fill_time: float
    dry: float
    caught: float


def ports_of(job: Job) -> list[FlowLine]:
    """Return the lines that are points: vents, and inlets that are no channel."""
    return [x for x in job.lines if _length(x) <= SPOT and x.role in ("feed", "vacuum")]


def _length(line: FlowLine) -> float:
    return float(shapely.LineString(line.path).length) if len(line.path) > 1 else 0.0


def moved(job: Job, line: str, place: Place) -> Job:
    """Return the job with a port moved to a place [m], its path along."""
    lines = []
    for x in job.lines:
        if x.id == line:
            by = place[0] - x.path[0][0], place[1] - x.path[0][1]
            x = x.replaced(path=tuple((px + by[0], py + by[1]) for px, py in x.path))
        lines.append(x)
    return job.replaced(lines=tuple(lines))


def trials(job: Job, hand: float = HAND) -> list[tuple[str, Place]]:
    """Return the port and place of each trial: first each as it is, then a hand away where that lies on the part."""
    whole = regions(job.part).whole
    ports = ports_of(job)
    out = [(p.id, p.path[0]) for p in ports]
    for port in ports:
        x, y = port.path[0]
        places = [(x + hand * a, y + hand * b) for a, b in WAYS]
        out += [(port.id, p) for p in places if within(whole, p)]
    return out


def port_rows(
    job: Job,
    hand: float = HAND,
    resolution: Resolution = COARSE,
    cancelled: Callable[[], bool] | None = None,
) -> Iterator[PortRow]:
    """Yield a row a trial, in their order.

    Raises
    ------
    BuildError, OutlineError, Cancelled, FillError : see ``forecast``.
    """
    own = {p.id: p.path[0] for p in ports_of(job)}
    as_it_is: PortRow | None = None
    for line, place in trials(job, hand):
        if place == own[line] and as_it_is is not None:  # every port as it is, is one forecast
            yield PortRow(line, place, as_it_is.fill_time, as_it_is.dry, as_it_is.caught)
            continue
        flow = forecast(moved(job, line, place), resolution, cancelled=cancelled)
        shut = sum(p.area for p in flow.pockets)
        never = flow.dry_area if not flow.filled else 0.0
        row = PortRow(
            line, place, float(flow.fill_time), float(max(shut, never)), float(flow.resin_to_catch_pot)
        )
        if place == own[line]:
            as_it_is = row
        yield row


def best_port(rows: Sequence[PortRow], smallest: float) -> PortRow | None:
    """Return the trial that leaves least dry, then fills soonest; what is dry under ``smallest`` [m²] counts as none.

    As it is where no trial is better by more than the mesh's own scatter.
    """
    if not rows:
        return None

    def order(row: PortRow) -> tuple[float, float]:
        return (row.dry if row.dry > smallest else 0.0, row.fill_time)

    best, first = min(rows, key=order), rows[0]
    same = order(best)[0] == order(first)[0] and math.isfinite(first.fill_time)
    return first if same and first.fill_time - best.fill_time <= WORTH * first.fill_time else best
