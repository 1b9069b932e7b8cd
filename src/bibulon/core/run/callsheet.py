"""The calling sheet: what is said to whom, in order, with where the front should be at each call."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Point

from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.paths import shape_of
from bibulon.core.lines.words import moment_words
from bibulon.core.model.job import Job, Opening
from bibulon.core.resin.charge import Charge
from bibulon.core.run.buckets import bucket_spans
from bibulon.core.units.units import System, clock, show

__all__ = ["SheetRow", "call_sheet", "front_words"]


@dataclass(frozen=True)
class SheetRow:
    """One call: when it is reckoned [s], to whom, what is said, on what sign, and where the front is then."""

    time: float
    to: str
    say: str
    sign: str
    front: str


def front_words(job: Job, forecast: Forecast, time: float, system: System) -> str:
    """Return where the front is at a moment: how far from the first feed, past which lines, how much is wet."""
    through = forecast.wet_through
    top = np.nanmin(np.where(forecast.model.node_at >= 0, forecast.wet_at, np.nan), axis=1)
    areas = forecast.model.vertex_areas()
    cloth = (forecast.model.node_at >= 0).any(axis=1)
    share = float(areas[cloth & (through <= time)].sum() / max(areas[cloth].sum(), 1e-12))
    feeds = [x for x in job.lines if x.role == "feed" and x.id in forecast.history.opened]
    if not feeds or time <= 0:
        return "no resin yet"
    first = min(feeds, key=lambda x: forecast.history.opened[x.id])
    shape = shape_of(first.path)
    wet = np.flatnonzero(top <= time)
    far = max((shape.distance(Point(p)) for p in forecast.model.mesh.points[wet]), default=0.0)
    words = f"{show(far, 'length', system)} from {first.label}, {share * 100:.0f} % wet through"
    passed = [
        x.label
        for x in job.lines
        if x.id != first.id and (top[forecast.model.lines[x.id]] <= time).mean() > 0.95
    ]
    return words + (f", past {', '.join(passed)}" if passed else "")


def call_sheet(
    job: Job, forecast: Forecast, plan: Charge | None, system: System = "metric"
) -> list[SheetRow]:
    """Return all calls of a shot, in order."""
    labels = {x.id: x.label for x in job.lines}
    rows: list[SheetRow] = []

    def row(time: float, to: str, say: str, sign: str) -> None:
        if math.isfinite(time):
            rows.append(SheetRow(time, to, say, sign, front_words(job, forecast, time, system)))

    def sign(when: Opening, own: str) -> str:
        return moment_words(when, own, labels)

    for line in job.lines:
        if line.role == "feed":
            opened = forecast.history.opened.get(line.id, math.inf)
            row(opened, "valves", f"Open {line.label}", sign(line.opens, line.id))
            shut = forecast.history.shut_at(line.id)
            if line.shuts is not None:
                row(shut, "valves", f"Shut {line.label}", sign(line.shuts, line.id))
        elif line.shuts is not None:
            shut = next(
                (m for m, t in forecast.history.turned if t.target == line.id and t.share == 0), math.inf
            )
            row(shut, "valves", f"Clamp {line.label}", sign(line.shuts, line.id))
    for moment, turn in forecast.history.turned:
        if turn.share is not None and 0 < turn.share < 1:
            row(
                moment,
                "valves",
                f"Throttle {labels.get(turn.target, turn.target)} to {turn.share * 100:.0f} %",
                "as planned",
            )
        if turn.pressure is not None:
            absolute = turn.pressure + job.conditions.vacuum
            row(
                moment,
                "valves",
                f"Set {labels.get(turn.target, turn.target)} to {show(absolute, 'pressure', system)}",
                "as planned",
            )
    if plan is not None and job.resin is not None:
        for batch, (start, _) in zip(plan.batches, bucket_spans(forecast, plan), strict=True):
            if batch.number > 1:
                begin = max(start - job.resin.mixing_time, 0.0)
                row(
                    begin,
                    "mixing",
                    f"Mix batch {batch.number}, {show(batch.mass, 'mass', system)}",
                    f"the bucket wants it at {clock(start)}",
                )
                row(start, "mixing", f"Pour batch {batch.number}", "the bucket nears its heel")
    if forecast.filled:
        x, y, when = forecast.last_wet
        place = f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"
        row(when, "eyes", "Look at the last place", place)
        row(when, "valves", "Shut the feeds, vacuum stays on", "all is wet through")
    if forecast.clock.gel < 1e8:
        row(forecast.clock.gel, "all", "Gel: nothing flows any more", "the first batch's time")
    order = {"valves": 0, "mixing": 1, "eyes": 2, "all": 3}
    return sorted(_once(rows), key=lambda r: (r.time, order[r.to]))


def _once(rows: Sequence[SheetRow]) -> list[SheetRow]:
    """Drop calls that say the same at the same time."""
    seen: set[tuple[float, str]] = set()
    out = []
    for row in rows:
        key = (round(row.time), row.say)
        if key not in seen:
            seen.add(key)
            out.append(row)
    return out
