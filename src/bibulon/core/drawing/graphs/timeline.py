"""The clock strip: lanes for valves, bucket, front and gel on one scale of time."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import LETTER, WEIGHT, Theme
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["Bar", "Lane", "Strip", "clock_height", "draw_clock", "milestones", "strip_for", "valve_bars"]

LEFT = 96.0
TOP = 22.0
ROW = 24.0
VALVE, MOST = 13.0, 5  # px of a feed in the lane of valves, and how many have that; more share the room
MIX = 13.0  # px that half of “mix” takes, with its room
NAMED = 9.0  # px of a row from which its name can be read
LANES = ("valves", "bucket", "front", "gel")


class Strip(Struct, frozen=True):
    """The scale of a clock strip of some width: px of a moment and back."""

    width: float
    end: float

    def x(self, time: float) -> float:
        """Return the px of a moment [s]."""
        return LEFT + min(time, self.end) / self.end * (self.width - LEFT - 70)

    def time(self, x: float) -> float:
        """Return the moment [s] at a px, within the strip."""
        return min(max((x - LEFT) / (self.width - LEFT - 70), 0.0), 1.0) * self.end


def strip_for(width: float, forecast: Forecast | None) -> Strip:
    """Return the strip that shows a whole forecast, and the gel when it is not far beyond."""
    if forecast is None or forecast.end <= 0:
        return Strip(width, 3600.0)
    end = forecast.end * 1.12
    if forecast.clock.gel < forecast.end * 2.2:
        end = max(end, forecast.clock.gel * 1.04)
    return Strip(width, end)


class Lane(Struct, frozen=True):
    """A moment worth a sign on the front lane."""

    time: float
    text: str


class Bar(Struct, frozen=True):
    """A feed's valve on the strip: open from ``start`` to ``stop`` [s], between two px of height."""

    line: str
    label: str
    start: float
    stop: float
    top: float
    bottom: float


def clock_height(job: Job) -> float:
    """Return the height of the strip [px]: its lane of valves grows with the feeds, that of buckets with these."""
    return TOP + 2 * ROW + _buckets_height(job) + _valves_height(job) + 6


def _valves_height(job: Job) -> float:
    feeds = sum(line.role == "feed" for line in job.lines)
    return max(ROW, VALVE * min(feeds, MOST) + 2)


def _buckets_height(job: Job) -> float:
    return max(ROW, VALVE * min(len(job.buckets), MOST) + 2)


def milestones(job: Job, forecast: Forecast) -> list[Lane]:
    """Return the moments at which the front reaches something, in order; what only late corners see is none."""
    out = []
    for line in job.lines:
        first = float(forecast.line_wet_at(line.id).min(initial=math.inf))
        opened = forecast.history.opened.get(line.id, math.inf)
        if np.isfinite(first) and first > 1 and first < opened - 1:
            out.append(Lane(first, tr("reaches {}", line.label)))
    out += [Lane(p.closed, tr("pocket shuts")) for p in forecast.pockets[:3]]
    if forecast.filled:
        out.append(Lane(forecast.fill_time, tr("all wet")))
    return sorted((m for m in out if m.time <= forecast.end), key=lambda m: m.time)


def valve_bars(job: Job, forecast: Forecast) -> list[Bar]:
    """Return the bars of all feeds that open, in their rows."""
    feeds = [line for line in job.lines if line.role == "feed"]
    depth = min((_valves_height(job) - 2) / max(len(feeds), 1), 14)
    bars = []
    for k, line in enumerate(feeds):
        opened = forecast.history.opened.get(line.id)
        if opened is not None:
            y = TOP + 1 + k * depth
            shut = min(forecast.history.shut_at(line.id), forecast.end)
            bars.append(Bar(line.id, line.label, opened, max(shut, opened), y, y + depth - 2))
    return bars


def draw_clock(
    job: Job, forecast: Forecast | None, plan: Charge | None, time: float, strip: Strip, height: float, theme: Theme, system: System,
    done: Sequence[Lane] = (), ran: Sequence[tuple[str, float, float]] = (), lit: float | None = None,
) -> Iterator[Item]:  # fmt: skip
    """Yield the strip.

    done : moments that happened in the run; ran : (line, from, to) [s] that valves really were open,
    drawn as a line under the planned bar; lit : a moment that a finding looked at has.
    """
    step = nice_step(strip.end, 14)
    for t in np.arange(0, strip.end, step):
        x = strip.x(float(t))
        yield Line([np.array([[x, TOP - 4], [x, height - 4]])], theme.edge, WEIGHT["hair"])
        yield Label(x, 9, f"{t / 60:.0f}" if step >= 60 else clock(float(t)), theme.soft, 12)
    yield Label(strip.width - 12, 9, "min" if step >= 60 else "", theme.soft, 12, anchor="r")
    heights = np.array([_valves_height(job), _buckets_height(job), ROW, ROW])
    lanes = TOP + np.cumsum(heights) - heights  # their tops
    for name, middle in zip(LANES, lanes + heights / 2, strict=True):
        yield Label(16, float(middle), name, theme.ink, 12.5, True, "l")
    if lit is not None:
        x = strip.x(lit)
        yield Area(
            [np.array([[x - 7, TOP - 4], [x + 7, TOP - 4], [x + 7, height], [x - 7, height]])],
            theme.alarm,
            opacity=0.25,
        )
    if forecast is not None:
        yield from _valves(valve_bars(job, forecast), strip, theme, ran)
        if plan is not None:
            yield from _bucket(forecast, plan, strip, theme, job, system, float(lanes[1]))
        yield from _front([*milestones(job, forecast), *done], strip, theme, float(lanes[2]))
        yield from _gel(forecast, strip, theme, float(lanes[3]))
    x = strip.x(time)
    yield Line([np.array([[x, TOP - 6], [x, height]])], theme.ink, WEIGHT["line"])
    yield Label(x, 9, clock(time), theme.ground, 13, True, ground=theme.ink)


def _bar(x1: float, x2: float, y1: float, y2: float, fill: str, stroke: str | None = None) -> Area:
    return Area([np.array([[x1, y1], [x2, y1], [x2, y2], [x1, y2]])], fill, stroke, WEIGHT["thin"])


def _valves(
    bars: Sequence[Bar], strip: Strip, theme: Theme, ran: Sequence[tuple[str, float, float]]
) -> Iterator[Item]:
    before = -math.inf
    for bar in bars:
        x1, x2 = strip.x(bar.start), strip.x(bar.stop)
        yield _bar(x1, max(x2, x1 + 2), bar.top, bar.bottom, theme.feed)
        if bar.bottom - bar.top + 2 >= NAMED:
            size = min(11.0, bar.bottom - bar.top + 2)
            yield Label(x1 + 5, (bar.top + bar.bottom) / 2, bar.label, theme.on_feed, size, True, "l")
        elif x1 - before > 4 + LETTER * len(bar.label):
            # Rows too low for a name, but it opens later than the one above.
            yield Label(x1 - 4, (bar.top + bar.bottom) / 2 + 1, bar.label, theme.feed, 11, True, "r")
        before = x1
        for x in (x1, x2):
            grip = np.array([[x, bar.top - 1], [x, bar.bottom + 1]])
            yield Line([grip], theme.ink, WEIGHT["heavy"], round_ends=False)
        for line, start, stop in ran:
            if line == bar.line:
                under = np.array([[strip.x(start), bar.bottom], [strip.x(stop), bar.bottom]])
                yield Line([under], theme.alarm, WEIGHT["heavy"], round_ends=False)


def _bucket(
    forecast: Forecast, plan: Charge, strip: Strip, theme: Theme, job: Job, system: System, top: float
) -> Iterator[Item]:
    mixing = job.resin.mixing_time if job.resin else 0.0
    made = schedule_of(job, plan, forecast).batches
    # Buckets of the job's own share the lane, one below the other.
    rows = [row for row, bucket in enumerate(job.buckets) for _ in bucket.batches] or [0] * len(made)
    depth = (_buckets_height(job) - (2 if rows[-1] else 5)) / (rows[-1] + 1)
    begun = [b.start if job.buckets else b.pour - mixing for b in made]
    boxes = {  # in which a batch after the first is mixed, where there is room to show it
        k: (strip.x(max(begun[k], 0.0)), strip.x(max(min(begun[k] + mixing, b.pour), 0.0)))
        for k, b in enumerate(made)
        if b.used and k and mixing and begun[k] + mixing > 0 and depth > 2 * NAMED
    }
    for k, batch in enumerate(made):
        y1, y2 = top + 2 + rows[k] * depth, top + 2 + (rows[k] + 1) * depth - (2 if rows[-1] else 0)
        x1, x2 = strip.x(max(batch.pour, 0.0)), strip.x(batch.gone)
        if not batch.used or x2 - x1 < 2:
            continue
        later = [n for n in range(k + 1, len(made)) if rows[n] == rows[k] and made[n].used]
        # Neither over the bar's end nor into what comes next: boxes, the next bar.
        ends = [x2, *(strip.x(made[n].pour) for n in later if made[n].pour > batch.pour)]
        ends += [max(left, x1) for n, (left, right) in boxes.items() if n in later and right > x1]
        yield _bar(x1, x2 - 1, y1, y2, theme.resin(0.25 + 0.2 * (batch.number % 2)))
        if depth < NAMED:
            continue
        short = tr("batch {}", batch.number)
        size = 12.0 if depth > VALVE else 11.0
        for text in (f"{short} · {show(batch.mass, 'mass', system)}", short):
            if x1 + 12 + LETTER * len(text) <= min(ends):
                yield Label(x1 + 6, (y1 + y2) / 2, text, theme.on_resin, size, True, "l")
                break
        if k in boxes:
            xm, xr = boxes[k]
            ring = np.array([[xm, y1], [xr, y1], [xr, y2], [xm, y2]])
            yield Area([ring], None, theme.on_resin, WEIGHT["thin"], dash=(3, 2))
            begun_by = max([xm, *(right for n, (_, right) in boxes.items() if n < k and rows[n] == rows[k])])
            free = min([xr, *(left for n, (left, _) in boxes.items() if n > k and rows[n] == rows[k])])
            if free - begun_by > 2 * MIX:  # no other box's edge goes through the word
                yield Label((begun_by + free) / 2, (y1 + y2) / 2, "mix", theme.on_resin, 11.5)


def _front(moments: Sequence[Lane], strip: Strip, theme: Theme, top: float) -> Iterator[Item]:
    y = top + ROW / 2
    ordered = sorted(moments, key=lambda m: m.time)
    at = [strip.x(m.time) for m in ordered]
    free = LEFT - 10
    for k, (x, moment) in enumerate(zip(at, ordered, strict=True)):
        diamond = np.array([[x, y - 6], [x + 5, y], [x, y + 6], [x - 5, y]])
        yield Area([diamond], theme.resin(0.7), theme.front, WEIGHT["hair"])
        wide = 9 + LETTER * len(moment.text)
        # Behind all that happens in the same breath, and before what comes next, else signs lie on its words.
        last = max(x for x in at[k:] if x < at[k] + 14)
        room = min((x - 5 for x in at[k:] if x > last), default=math.inf)
        # The last is what people look for: one in the same breath gives way to it.
        if (k == len(at) - 1 or last < at[-1]) and x + 9 >= free and last + wide <= room:
            yield Label(last + 9, y, moment.text, theme.ink, 12, anchor="l")
            free = last + wide + 11
        elif x - wide >= max(free, at[k - 1] + 5 if k else free):  # or before its sign
            yield Label(x - 9, y, moment.text, theme.ink, 12, anchor="r")
            free = x + 9


def _gel(forecast: Forecast, strip: Strip, theme: Theme, top: float) -> Iterator[Item]:
    y1, y2 = top + 5, top + ROW - 5
    gel = forecast.clock.gel
    if gel > 1e8:
        yield Label(strip.x(0), (y1 + y2) / 2, "no gel in this resin's data", theme.soft, 12, anchor="l")
        return
    shown = min(gel, strip.end)
    yield _bar(strip.x(0), strip.x(shown), y1, y2, theme.edge)
    text = tr("first batch gels {}", clock(gel))
    if gel <= strip.end:
        yield Line([np.array([[strip.x(gel), y1 - 5], [strip.x(gel), y2 + 5]])], theme.alarm, WEIGHT["heavy"])
        yield Label(strip.x(gel) - 6, (y1 + y2) / 2, text, theme.alarm, 12, True, "r", theme.ground)
    else:
        yield Label(strip.x(shown) - 6, (y1 + y2) / 2, text, theme.ink, 12, False, "r")
