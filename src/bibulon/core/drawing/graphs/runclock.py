"""A run against its plan on one clock: what was to happen above, what happened below, and by how much they differ."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, run_state
from bibulon.core.run.valves import valve_acts
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["draw_against", "events_of"]

LEFT, RIGHT = 66.0, 24.0  # px
APART = 64.0  # px between two words of a lane
WORDS = {"shut": tr("{} shut"), "throttle": tr("{} throttled"), "set": tr("{} set")}


def events_of(
    job: Job, forecast: Forecast | None, journal: Sequence[Entry]
) -> list[tuple[str, float | None, float | None]]:
    """Return (what, planned, as it was) [s] of the valves and of all wet; None where it was not planned, or did not happen."""
    state = run_state(journal)
    out: list[tuple[str, float | None, float | None]] = []
    for line in job.lines:
        if line.role != "feed":
            continue
        planned = None
        if forecast is not None:
            planned = next((float(t) for name, t in forecast.history.opened.items() if name == line.id), None)
        real = state.opened.get(line.id)
        if planned is not None or real is not None:
            out.append((tr("{} opens", line.label or line.id), planned, real))
    for line in job.lines:
        for act in valve_acts(job, forecast, line, "metric") if forecast is not None else ():
            if act.kind in WORDS:
                done = next((s.time for s in state.valves.get(line.id, ()) if s.kind == act.kind), None)
                out.append((tr(WORDS[act.kind], line.label), act.time, done))
    full = forecast.fill_time if forecast is not None and forecast.filled else None
    if full is not None or state.wet_at is not None:
        out.append((tr("all wet"), full, state.wet_at))
    return out


def draw_against(
    job: Job, forecast: Forecast | None, journal: Sequence[Entry], width: float, height: float, theme: Theme
) -> Iterator[Item]:
    """Yield both lanes in a field of px."""
    events = events_of(job, forecast, journal)
    times = [t for _, a, b in events for t in (a, b) if t is not None]
    if not times or not run_state(journal).run:
        yield Label(
            width / 2,
            height / 2,
            "No run was recorded: there is nothing to hold against the plan.",
            theme.soft,
            13,
        )
        return
    end = max(times) * 1.12 or 60.0
    upper, lower = height * 0.34, height * 0.66

    def x(t: float) -> float:
        return LEFT + t / end * (width - LEFT - RIGHT)

    yield from _ticks(x, end, width, height, theme)
    for y, words in ((upper, "planned"), (lower, tr("as it was"))):
        yield Line([np.array([[LEFT, y], [width - RIGHT, y]])], theme.soft, WEIGHT["thin"])
        yield Label(10, y, words, theme.soft, 12, anchor="l")
    last = {upper: -math.inf, lower: -math.inf}
    for what, planned, real in sorted(events, key=lambda e: min(t for t in e[1:] if t is not None)):
        late = planned is not None and real is not None and real > planned * 1.15 + 20
        colour = theme.alarm if late else theme.accent
        if planned is not None and real is not None:
            yield Line([np.array([[x(planned), upper], [x(real), lower]])], colour, WEIGHT["line"], (5, 3))
        for y, t, side in ((upper, planned, -1), (lower, real, 1)):
            if t is None:
                continue
            at = x(t)
            ring = np.array([[at - 5, y], [at, y - 5], [at + 5, y], [at, y + 5]])
            yield Area([ring], colour, theme.ground, WEIGHT["thin"])
            if at - last[y] > APART:
                words = what if planned is None or real is None or side < 0 else _apart(what, real - planned)
                yield Label(
                    min(at, width - RIGHT - 60),
                    y + side * 15,
                    words,
                    theme.ink,
                    12,
                    late,
                    ground=theme.ground,
                )
                last[y] = at


def _ticks(
    x: Callable[[float], float], end: float, width: float, height: float, theme: Theme
) -> Iterator[Item]:
    """Yield the times below the lanes."""
    step = nice_step(end, max(int(width / 110), 3))
    for tick in np.arange(0, end, step):
        yield Line([np.array([[x(tick), 14.0], [x(tick), height - 18]])], theme.edge, WEIGHT["hair"])
        yield Label(x(tick), height - 8, clock(float(tick)), theme.soft, 11)


def _apart(what: str, by: float) -> str:
    if abs(by) < 5:
        return tr("{} on time", what)
    return f"{what} {clock(abs(by))} {'late' if by > 0 else 'early'}"
