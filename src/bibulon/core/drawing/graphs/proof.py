"""A leak test on one time axis: the pressure with its fit and where it goes, and below it the leak as it becomes known."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.leak.droptest import NINE_IN_TEN, LeakResult
from bibulon.core.leak.looks import Look
from bibulon.core.model.drop_test import Reading
from bibulon.core.units.remember import by_identity
from bibulon.core.units.units import System, parse, show, system_of
from bibulon.core.units.words import tr

__all__ = ["Known", "Proof", "draw_proof"]

Floats = npt.NDArray[np.float64]
DOTS = 400  # readings drawn at most, as blocks of their mean


class Known(Struct, frozen=True):
    """What was known of the rise at a time of the record [s, Pa/s], nine times in ten between low and high."""

    time: float
    low: float
    middle: float
    high: float


class Proof(Struct, frozen=True, eq=False):
    """What is drawn: readings, their fit, what was known when, the looks that decide; limits of the part and of the school.

    part : rise that the part can bear [Pa/s]; school : its name, and its line from start to end (s, Pa), if it has one.
    """

    readings: Sequence[Reading]
    result: LeakResult | None
    known: Sequence[Known]
    looks: Sequence[Look]
    part: float
    school: str
    allowed: tuple[float, float] | None
    gaps: Sequence[tuple[float, str]] = ()


@by_identity(1, 4)
def _thinned(readings: Sequence[Reading]) -> tuple[Floats, Floats]:
    """Return times and pressures of at most ``DOTS`` means; the same record is thinned once, however often it is painted."""
    time = np.array([r.time for r in readings])
    pressure = np.array([r.pressure for r in readings])
    if len(time) <= DOTS:
        return time, pressure
    cell = np.minimum(((time - time[0]) / (time[-1] - time[0]) * DOTS).astype(int), DOTS - 1)
    count = np.maximum(np.bincount(cell, minlength=DOTS), 1)
    there = np.bincount(cell, minlength=DOTS) > 0
    return (np.bincount(cell, time, DOTS) / count)[there], (np.bincount(cell, pressure, DOTS) / count)[there]


def draw_proof(proof: Proof, width: float, height: float, theme: Theme, system: System) -> Iterator[Item]:
    """Yield both graphs in a field of px."""
    if len(proof.readings) < 2:
        yield Label(
            width / 2,
            height / 2,
            "Pump down, shut the pump off, and the curve is drawn as it is read.",
            theme.soft,
            14,
        )
        return
    time, pressure = _thinned(proof.readings)
    time = time - proof.readings[0].time
    unit, factor = (
        ("mbar", 100.0)
        if system_of("pressure", system) == "metric"
        else ("inHg", parse("1 inHg", "pressure"))
    )
    length = float(time[-1])
    end = max(length * 1.35, proof.allowed[0] if proof.allowed and length < proof.allowed[0] else 0.0, 120.0)
    upper = round(height * 0.62)
    yield from _curve(proof, time, pressure / factor, end, (width, upper), theme, unit, factor)
    yield from _leak(proof, length, end, (width, height - upper), upper, theme, unit, factor, system)


def _curve(
    proof: Proof, time: Floats, pressure: Floats, end: float, size: tuple[float, float], theme: Theme, unit: str,
    factor: float,
) -> Iterator[Item]:  # fmt: skip
    ahead = np.linspace(time[-1], end, 30)
    fan: tuple[Floats, Floats, Floats] | None = None
    if proof.result is not None:
        low, high = proof.result.spread.quantiles(*NINE_IN_TEN)
        base = proof.result.pressure(ahead) / factor
        since = (ahead - time[-1]) / factor
        middle = proof.result.rise
        fan = (base + (low - middle) * since, base, base + (high - middle) * since)
    top = float(pressure.max())
    bottom = float(pressure.min())
    line = float(pressure[0]) + proof.allowed[1] / factor if proof.allowed else None
    if fan is not None:
        top = max(top, min(float(fan[2].max()), top + 1.2 * max(top - bottom, 1e-9)))
        bottom = min(bottom, max(float(fan[0].min()), bottom - 0.3 * max(top - bottom, 1e-9)))
    if line is not None and line < bottom + 3 * (top - bottom):
        top = max(top, line)
    pad = max(0.08 * (top - bottom), 50 / factor)
    chart = Chart(*size, (0.0, end), (max(bottom - pad, 0.0), top + pad), "", unit, theme, seconds=True)
    yield from chart.axes()
    if line is not None and proof.allowed:
        until = min(proof.allowed[0], end)
        path = chart.at(np.array([0.0, until]), np.array([line, line]))
        if line <= top + pad:
            yield Line([path], theme.alarm, WEIGHT["line"], (7, 4))
            yield Label(
                path[1, 0] - 4,
                path[1, 1] - 10,
                tr("school: {}", proof.school),
                theme.alarm,
                12,
                True,
                "r",
                ground=theme.ground,
            )
    if fan is not None and proof.result is not None:
        much = 0.2 * (top - bottom) * factor
        yield from _fitted(chart, proof.result, ahead, fan, float(time[-1]), much, theme, factor)
    yield from _read(proof, chart, time, pressure, theme)


def _read(proof: Proof, chart: Chart, time: Floats, pressure: Floats, theme: Theme) -> Iterator[Item]:
    """Yield the readings, the gaps between them, and now."""
    places = chart.at(time, pressure)
    dashes = places[:, None, :] + np.array([[-1.3, 0.0], [1.3, 0.0]])
    yield Line(list(dashes), theme.ink, 2.6)
    for when, _why in proof.gaps:
        (x, base), (_, head) = chart.at(np.array([when, when]), np.array(chart.y))
        yield Line([np.array([[x, base], [x, head]])], theme.alarm, WEIGHT["thin"], (2, 3))
        yield Label(x, head + 10, "gap", theme.alarm, 12, ground=theme.ground)
    (x, base), (_, head) = chart.at(np.array([time[-1]] * 2), np.array(chart.y))
    yield Line([np.array([[x, base], [x, head]])], theme.ink, WEIGHT["line"])
    yield Label(x, head + 2, chart.clock(float(time[-1])), theme.ground, 13, True, ground=theme.ink)


def _fitted(
    chart: Chart, result: LeakResult, ahead: Floats, fan: tuple[Floats, Floats, Floats], now: float, much: float,
    theme: Theme, factor: float,
) -> Iterator[Item]:  # fmt: skip
    """Yield the course that was fitted, where it goes nine times in ten, and the leak alone where ``much`` [Pa] still fades."""
    low, high = chart.y
    lower, upper = chart.at(ahead, np.maximum(fan[0], low)), chart.at(ahead, np.minimum(fan[2], high))
    yield Area([np.vstack([lower, upper[::-1]])], theme.accent, opacity=0.16)
    end = chart.x[1]
    fit = np.linspace(0, end, 160)
    told = result.pressure(fit) / factor
    seen = (told <= high) & (told >= low)
    yield Line([chart.at(fit[seen], told[seen])], theme.accent, WEIGHT["line"])
    if result.fading <= much:
        return
    straight = told[-1] + result.rise / factor * (fit - end)
    kept = (straight >= low) & (fit < now)
    if kept.sum() > 2:
        line = chart.at(fit[kept], straight[kept])
        yield Line([line], theme.soft, WEIGHT["thin"], (3, 3))
        x, y = line[0]
        words = "the leak, once the rest has faded"
        yield Label(x + 6, y - 12, words, theme.soft, 12, anchor="l", ground=theme.ground)


def _leak(
    proof: Proof, length: float, end: float, size: tuple[float, float], down: float, theme: Theme, unit: str,
    factor: float, system: System,
) -> Iterator[Item]:  # fmt: skip
    minute = 60 / factor
    limit = proof.part * minute
    known = [k for k in proof.known if k.time > 0]
    last = known[-1] if known else None
    top = max(
        1.6 * limit, 1.15 * last.high * minute if last else 0.0, 1.5 * last.middle * minute if last else 0.0
    )
    chart = Chart(
        *size,
        (0.0, end),
        (0.0, top),
        "",
        tr("leak, as it becomes known · {} a minute", unit),
        theme,
        seconds=True,
        down=down,
    )
    yield from chart.axes()
    rim = chart.at(np.array([0.0, end]), np.array([limit, limit]))
    if known:
        at = np.array([k.time for k in known])
        low = chart.at(at, np.clip([k.low * minute for k in known], 0, top))
        high = chart.at(at, np.clip([k.high * minute for k in known], 0, top))
        if len(known) > 1:
            yield Area([np.vstack([low, high[::-1]])], theme.vacuum, opacity=0.25)
        middle = chart.at(at, np.clip([k.middle * minute for k in known], 0, top))
        yield Line([middle], theme.vacuum, WEIGHT["heavy"])
    yield Line([rim], theme.alarm, WEIGHT["line"], (7, 4))
    told = show(proof.part * 60, "small pressure", system)
    yield Label(
        rim[1, 0] - 4,
        rim[1, 1] - 10,
        tr("this part can bear {}", told),
        theme.alarm,
        12,
        True,
        "r",
        ground=theme.ground,
    )
    yield from _looks(
        proof, chart, length, minute, theme, 2 if system_of("pressure", system) == "metric" else 3
    )


def _looks(
    proof: Proof, chart: Chart, length: float, minute: float, theme: Theme, finest: int
) -> Iterator[Item]:
    """Yield the looks at the test, and the leak as it is known at its end; ``minute`` a leak [Pa/s] as it is shown, in ``finest`` places at the most."""
    top = chart.y[1]
    known = [k for k in proof.known if k.time > 0]
    last = known[-1] if known else None
    for look in proof.looks:
        ((x, y),) = chart.at(np.array([look.time]), np.array([min(max(look.middle * minute, 0.0), top)]))
        sure = look.high < proof.part or look.low > proof.part
        yield Area(
            [np.array([[x - 4, y], [x, y - 4], [x + 4, y], [x, y + 4]])],
            theme.vacuum if sure else theme.ground,
            theme.vacuum,
            WEIGHT["line"],
        )
    if last is not None:
        # As many as tell the highest of them in two figures, and no more than what the part can bear is told in.
        digits = min(max(1 - math.floor(math.log10(max(last.high * minute, 1e-4))), 1), finest)
        words = tr(
            "{0}, {1} to {2}",
            f"{max(last.middle * minute, 0.0):.{digits}f}",
            f"{max(last.low * minute, 0.0):.{digits}f}",
            f"{last.high * minute:.{digits}f}",
        )
        ((x, y),) = chart.at(np.array([length]), np.array([min(max(last.middle * minute, 0.0), top)]))
        ((_, base),) = chart.at(np.array([length]), np.array([chart.y[0]]))
        # Above the axis, whose times it would cover.
        yield Label(x + 10, min(y, base - 14), words, theme.ink, 14, True, "l", ground=theme.ground)
