"""Charge in one drawing: where resin goes, the curve that the part draws, the level in the bucket, the batches below."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cache, cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import LETTER, WEIGHT, Theme, contrast
from bibulon.core.resin.charge import Charge
from bibulon.core.resin.need import Need
from bibulon.core.run.aging import Aged
from bibulon.core.run.schedule import BatchPlan, Schedule
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["ChargeSheet", "batch_at", "draw_charge", "draw_sinks", "time_at"]

Floats = npt.NDArray[np.float64]

LEFT, RIGHT = 76.0, 22.0
SINKS, BARS, GAP = 62.0, 25.0, 30.0  # px: the bar with its words; a batch's row; above each chart
AXIS = 24.0
READ = 4.5  # contrast from which words can be read


class ChargeSheet(Struct, frozen=True, dict=True):
    """What is drawn, and in how much room [px]."""

    plan: Charge
    need: Need
    schedule: Schedule
    width: float
    height: float
    aged: tuple[Aged | None, ...] = ()

    @cached_property
    def span(self) -> tuple[float, float]:
        """First and last moment shown [s]."""
        used = [b for b in self.schedule.batches if b.used]
        first = min(b.start for b in used)
        last = max(self.schedule.draw.end, *(b.gone for b in used))
        late = max(min(b.life_end, last * 1.35) for b in used)
        return first - 0.02 * (last - first), max(last, late) * 1.03

    def x(self, time: float) -> float:
        """Return px of a moment."""
        a, b = self.span
        return LEFT + (time - a) / (b - a) * (self.width - LEFT - RIGHT)

    @property
    def rows(self) -> float:
        """Top of the batches' rows [px]."""
        return self.height - AXIS - BARS * len(self.schedule.batches)

    @property
    def charts(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Top and base of the two charts [px]."""
        room = self.rows - SINKS - 2 * GAP - 10
        first = SINKS + GAP
        middle = first + 0.46 * room
        return (first, middle), (middle + GAP, self.rows - 10)


def time_at(sheet: ChargeSheet, x: float) -> float:
    """Return the moment of a px [s]."""
    a, b = sheet.span
    return a + (x - LEFT) / max(sheet.width - LEFT - RIGHT, 1.0) * (b - a)


def batch_at(sheet: ChargeSheet, x: float, y: float) -> int | None:
    """Return which batch's bar is under the hand, from 0."""
    k = int((y - sheet.rows) // BARS)
    if not 0 <= k < len(sheet.schedule.batches):
        return None
    b = sheet.schedule.batches[k]
    return k if sheet.x(b.start) - 6 <= x <= sheet.x(max(b.gone, b.life_end)) + 6 else None


def draw_charge(
    sheet: ChargeSheet, theme: Theme, system: System, chosen: int | None = None
) -> Iterator[Item]:
    """Yield the whole drawing."""
    yield from draw_sinks(sheet.plan, sheet.need, sheet.width, theme, system)
    (top, base), (top2, base2) = sheet.charts
    yield from _times(sheet, top, theme)
    yield from _drawn(sheet, top, base, theme, system)
    yield from _level(sheet, top2, base2, theme, system)
    for k, batch in enumerate(sheet.schedule.batches):
        old = sheet.aged[k] if k < len(sheet.aged) else None
        yield from _batch(sheet, batch, old, sheet.rows + k * BARS, theme, system, k == chosen)


def draw_sinks(plan: Charge, need: Need, width: float, theme: Theme, system: System) -> Iterator[Item]:
    """Yield where the resin goes as one bar, each part as long as its mass."""
    x, full = 16.0, width - 32.0
    tones = {
        "Plies": theme.resin(0.55), "Core": theme.resin(0.8), "Mesh": theme.resin(0.25), "Peel ply and film": theme.resin(0.4),
        "Lines": theme.accent, "Heel": theme.soft, "Catch pot": theme.vacuum, "Margin": theme.edge,
    }  # fmt: skip
    told = tr(
        "{0} to mix; needed {1} to {2}, short in {3}",
        show(plan.total, "mass", system),
        show(need.low, "mass", system),
        show(need.high, "mass", system),
        _in_hundred(need.short),
    )
    yield Label(16, 10, "Where the resin goes", theme.ink, 13, True, "l")
    yield Label(width - 16, 10, told, theme.soft, 12, anchor="r")
    for sink in plan.sinks:
        wide = sink.mass / plan.wanted * full
        fill = tones.get(sink.name, theme.soft)
        yield Area([np.array([[x, 22], [x + wide - 1, 22], [x + wide - 1, 44], [x, 44]])], fill, None)
        on = (
            theme.on_resin
            if contrast(fill, theme.on_resin) > contrast(fill, theme.on_accent)
            else theme.on_accent
        )
        name = sink.name.lower()
        if len(name) * 7 < wide:
            yield Label(x + wide / 2, 33, name, on, 12, True)
        words = show(sink.mass, "mass", system)
        if len(words) * 6.5 < wide:
            yield Label(x + wide / 2, 53, words, theme.soft, 12)
        x += wide


def _in_hundred(share: float) -> str:
    if share < 0.0005:
        return tr("fewer than 1 in 1,000")
    return f"{share * 100:.0f} in 100" if share >= 0.01 else f"{share * 1000:.0f} in 1,000"


def _times(sheet: ChargeSheet, top: float, theme: Theme) -> Iterator[Item]:
    a, b = sheet.span
    step = nice_step(b - a, max(int(sheet.width / 110), 3))
    base = sheet.height - AXIS
    for t in np.arange(math.ceil(a / step) * step, b, step):
        x = sheet.x(float(t))
        yield Line([np.array([[x, top], [x, base]])], theme.edge, WEIGHT["hair"])
        yield Label(x, base + 11, clock(float(t)) if t >= 0 else f"−{clock(-float(t))}", theme.soft, 12)
    end = sheet.schedule.draw.end
    ends = (
        tr("wet through {}", clock(end))
        if sheet.schedule.draw.full
        else tr("stays dry, stands at {}", clock(end))
    )
    for t, words in ((0.0, tr("feed opens")), (end, ends)):
        x = sheet.x(t)
        yield Line([np.array([[x, top - 6], [x, base]])], theme.ink, WEIGHT["thin"])
        yield Label(min(max(x, LEFT + 96), sheet.width - RIGHT - 56), top - 13, words, theme.ink, 12, True)


def _scale(high: float, top: float, base: float) -> float:
    return (base - top) / max(high, 1e-9)


def _levels(
    high: float, top: float, base: float, width: float, theme: Theme, system: System
) -> Iterator[Item]:
    scale = _scale(high, top, base)
    power = 10 ** math.floor(math.log10(max(high / 5, 1e-6)))
    step = next(m * power for m in (1, 2, 5, 10) if m * power >= high / 5)
    for value in np.arange(0, high * 0.999, step):
        y = base - value * scale
        yield Line([np.array([[LEFT, y], [width - RIGHT, y]])], theme.edge, WEIGHT["hair"])
        yield Label(LEFT - 8, y, show(float(value), "mass", system, 1), theme.soft, 12, anchor="r")


def _drawn(sheet: ChargeSheet, top: float, base: float, theme: Theme, system: System) -> Iterator[Item]:
    draw, need = sheet.schedule.draw, sheet.need
    spread = (need.high / need.middle, need.low / need.middle) if need.middle > 0 else (1.0, 1.0)
    high = draw.total * spread[0] * 1.06
    scale = _scale(high, top, base)
    yield Label(16, top - 13, "Drawn by the part", theme.ink, 13, True, "l")
    yield from _levels(high, top, base, sheet.width, theme, system)
    x = np.array([sheet.x(float(t)) for t in draw.time])
    upper, lower = (np.c_[x, base - draw.mass * f * scale] for f in spread)
    yield Area([np.vstack([upper, lower[::-1]])], theme.resin(0.1), None, opacity=0.55)
    yield Line([np.c_[x, base - draw.mass * scale]], theme.resin(1.0), WEIGHT["heavy"])


def _level(sheet: ChargeSheet, top: float, base: float, theme: Theme, system: System) -> Iterator[Item]:
    made = sheet.schedule
    high = float(made.level.max(initial=0.1)) * 1.08
    scale = _scale(high, top, base)
    yield Label(16, top - 13, "In the bucket", theme.ink, 13, True, "l")
    yield from _levels(high, top, base, sheet.width, theme, system)
    x = np.array([sheet.x(float(t)) for t in made.time])
    line = np.c_[x, base - np.clip(made.level, 0.0, None) * scale]
    yield Area([np.vstack([[x[0], base], line, [x[-1], base]])], theme.resin(0.15), None, opacity=0.8)
    yield Line([line], theme.resin(1.0), WEIGHT["line"])
    y = base - made.terms.heel * scale
    yield Line([np.array([[LEFT, y], [sheet.width - RIGHT, y]])], theme.alarm, WEIGHT["line"], (5.0, 4.0))
    yield Label(
        sheet.width - RIGHT,
        y - 9,
        tr("heel {}", show(made.terms.heel, "mass", system)),
        theme.alarm,
        12,
        True,
        "r",
    )
    under = made.level < made.terms.heel - 1e-6
    bad = under & (made.time > 0) & (made.time < made.draw.end - 1e-6)
    if bad.any():
        k = int(np.flatnonzero(bad)[0])
        yield Line([np.array([[x[k], top], [x[k], base]])], theme.alarm, WEIGHT["heavy"])


def _batch(
    sheet: ChargeSheet,
    batch: BatchPlan,
    old: Aged | None,
    top: float,
    theme: Theme,
    system: System,
    chosen: bool,
) -> Iterator[Item]:
    """A batch from mixing to the end of its life, darker as it ages; what is in use has a frame."""
    base = top + BARS - 5
    yield Label(
        16,
        (top + base) / 2,
        tr("batch {}", batch.number),
        theme.ink if batch.used else theme.soft,
        12,
        chosen,
        "l",
    )
    if not batch.used:
        yield Label(
            LEFT + 8, (top + base) / 2, "not needed by then: do not mix it", theme.soft, 12, anchor="l"
        )
        return

    alarm = bool(batch.troubles) or (old is not None and old.hot)
    yield from _life(sheet, batch, top, alarm, theme)
    yield _batch_words(sheet, batch, old, (top + base) / 2, alarm, theme, system)
    mixed, end = batch.start + sheet.schedule.terms.mixing, min(batch.life_end, sheet.span[1])
    if sheet.x(mixed) - sheet.x(batch.start) > 28:
        yield Label((sheet.x(batch.start) + sheet.x(mixed)) / 2, (top + base) / 2, "mix", theme.ink, 12)
    if chosen:
        ring = _box(sheet, batch.start, max(end, batch.gone), top)
        yield Area([ring], None, theme.accent, WEIGHT["line"], (2.0, 3.0))


def _box(sheet: ChargeSheet, a: float, b: float, top: float) -> Floats:
    base = top + BARS - 5
    return np.array([[sheet.x(a), top], [sheet.x(b), top], [sheet.x(b), base], [sheet.x(a), base]])


def _life(sheet: ChargeSheet, batch: BatchPlan, top: float, alarm: bool, theme: Theme) -> Iterator[Item]:
    """Yield its life from mixing on, its use framed, and where it must not be used any more."""
    last = sheet.span[1]
    mixed = batch.start + sheet.schedule.terms.mixing
    whole = max(batch.life_end - batch.start, 1.0)
    for a, b in pairwise(np.linspace(batch.ready, min(batch.life_end, last), 14).tolist()):
        yield Area([_box(sheet, a, b, top)], theme.resin((a - batch.start) / whole), None)
    yield Area([_box(sheet, batch.start, mixed, top)], theme.raised, theme.soft, WEIGHT["thin"])
    yield Area([_box(sheet, mixed, batch.ready, top)], None, theme.soft, WEIGHT["thin"], (3.0, 3.0))
    used = _box(sheet, batch.pour, min(batch.gone, last), top)
    yield Area([used], None, theme.alarm if alarm else theme.ink, WEIGHT["heavy"])
    if batch.life_end <= last:
        x = sheet.x(batch.life_end)
        yield Line([np.array([[x, top - 2], [x, top + BARS - 3]])], theme.alarm, WEIGHT["heavy"])


def _batch_words(
    sheet: ChargeSheet, batch: BatchPlan, old: Aged | None, y: float, alarm: bool, theme: Theme, system: System
) -> Label:  # fmt: skip
    """Return what is told of it, as much as there is room for: on its bar where that is light, else beside it."""
    mass = show(batch.mass, "mass", system)
    told = [tr("{0} · in use to {1}", mass, clock(batch.gone)), mass]
    if old is not None:
        warm, thick = show(old.peak, "temperature", system), show(old.viscosity, "viscosity", system)
        told[:0] = [told[0] + tr(", then {0} and {1}", warm, thick), f"{told[0]}, {warm}"]
    if batch.troubles:
        told[:0] = [f"{mass} · {batch.troubles[0]}"]
    start, pour, gone = (sheet.x(t) for t in (batch.start, batch.pour, batch.gone))
    end = sheet.x(min(batch.life_end, sheet.span[1]))
    light = min(sheet.x(batch.start + _light(theme) * (batch.life_end - batch.start)), end)
    rooms = (  # from, to, anchor, and whether it lies on the bar
        (pour + 8, min(gone, light) - 4, "l", True),
        (gone + 8, light, "l", True),
        (end + 10, sheet.width - RIGHT, "l", False),
        (LEFT, start - 8, "r", False),
    )
    for words in told:
        for low, high, anchor, on_bar in rooms:
            if high - low >= len(words) * LETTER:
                ink = theme.alarm if alarm else theme.on_resin if on_bar else theme.ink
                at = low if anchor == "l" else high
                return Label(at, y, words, ink, 12, True, anchor, theme.alarm_ground if alarm else None)
    ground = theme.alarm_ground if alarm else theme.ground
    return Label(pour + 8, y, told[-1], theme.alarm if alarm else theme.ink, 12, True, "l", ground)


@cache
def _light(theme: Theme) -> float:
    """Return up to which share of its life words can be read on a batch's bar."""
    ages = np.linspace(0.0, 1.0, 41)
    read = [contrast(theme.resin(float(age)), theme.on_resin) >= READ for age in ages]
    return float(ages[read.index(False) - 1]) if False in read else 1.0
