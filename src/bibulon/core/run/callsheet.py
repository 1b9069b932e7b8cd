"""The calling sheet: what is said to whom, in order, with where the front should be at each call."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
import shapely
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.paths import shape_of
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.schedule import schedule_of
from bibulon.core.run.valves import end_words, valve_acts
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["SheetRow", "call_sheet", "front_words"]


class SheetRow(Struct, frozen=True):
    """One call: when it is reckoned [s], to whom, what is said, on what sign, and where the front is then."""

    time: float
    to: str
    say: str
    sign: str
    front: str


def front_words(job: Job, forecast: Forecast, time: float, system: System) -> str:
    """Return where the front is at a moment: how far from the open feed nearest to it, past which lines, how much is wet."""
    through = forecast.wet_through
    top = np.nanmin(np.where(forecast.model.node_at >= 0, forecast.wet_at, np.nan), axis=1)
    areas = forecast.model.vertex_areas()
    cloth = (forecast.model.node_at >= 0).any(axis=1)
    share = float(areas[cloth & (through <= time)].sum() / max(areas[cloth].sum(), 1e-12))
    opened = forecast.history.opened
    # One that is opened just now has no front of its own yet.
    feeds = [x for x in job.lines if x.role == "feed" and opened.get(x.id, math.inf) < time - 0.5]
    if not feeds or time <= 0:
        return tr("no resin yet")
    wet = top <= time
    ahead = (cloth & ~wet)[forecast.model.mesh.triangles].any(axis=1)
    corners = np.unique(forecast.model.mesh.triangles[ahead])
    at_front = corners[wet[corners]]
    if not len(at_front):
        return tr("past everything, {:.0f} % wet through", share * 100)
    # In a plan of many feeds each has a front of its own; the one that has come farthest is told.
    places = shapely.points(forecast.model.mesh.points[at_front])
    away = np.array([shapely.distance(shape_of(x.path), places) for x in feeds])
    far = int(away.min(axis=0).argmax())
    nearest = feeds[int(away[:, far].argmin())]
    words = tr(
        "{0} from {1}, {2:.0f} % wet through", show(float(away[:, far].min()), "length", system), nearest.label, share * 100
    )  # fmt: skip
    passed = [
        x.label
        for x in job.lines
        if x.id not in {f.id for f in feeds} and wet[forecast.model.lines[x.id]].mean() > 0.95
    ]
    return words + (tr(", past {}", ", ".join(passed)) if passed else "")


# When, to whom, what is said, and by what it is known.
_Said = tuple[float, str, str, str]


def call_sheet(
    job: Job, forecast: Forecast, plan: Charge | None, system: System = "metric"
) -> list[SheetRow]:
    """Return all calls of a shot, in order."""
    said = [
        *(
            (act.time, "valves", act.text, act.sign)
            for line in job.lines
            for act in valve_acts(job, forecast, line, system)
        ),
        *_of_batches(job, forecast, plan, system),
        *_of_the_end(job, forecast, system),
    ]
    rows = [
        SheetRow(time, to, say, sign, front_words(job, forecast, time, system))
        for time, to, say, sign in said
        if math.isfinite(time)
    ]
    order = {"valves": 0, "mixing": 1, "eyes": 2, "all": 3}
    return sorted(_once(rows), key=lambda r: (r.time, order[r.to]))


def _of_batches(job: Job, forecast: Forecast, plan: Charge | None, system: System) -> Iterator[_Said]:
    """Yield what is mixed and poured after the first batch."""
    if plan is None or job.resin is None:
        return
    for batch in schedule_of(job, plan, forecast).batches:
        if batch.number > 1 and batch.used:
            what = tr("Mix batch {0}, {1}", batch.number, show(batch.mass, "mass", system))
            yield max(batch.start, 0.0), "mixing", what, tr("the bucket wants it at {}", clock(batch.pour))
            yield batch.pour, "mixing", tr("Pour batch {}", batch.number), tr("the bucket nears its heel")


def _of_the_end(job: Job, forecast: Forecast, system: System) -> Iterator[_Said]:
    """Yield what is done when all is wet, and gel."""
    if forecast.filled:
        x, y, when = forecast.last_wet
        place = f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"
        yield when, "eyes", "Look at the last place", place
        yield when, "valves", end_words(job, system)[0], tr("all is wet through")
    if forecast.clock.gel < 1e8:
        yield forecast.clock.gel, "all", tr("Gel: nothing flows any more"), tr("the first batch's time")


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
