"""Filling time, evenness and waste against the bore of a channel, with the pick marked."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.plans.bores import BoreRow
from bibulon.core.units.units import System, show, show_value, unit_of
from bibulon.core.units.words import tr

__all__ = ["bore_at", "draw_bores"]


def _chart(
    rows: Sequence[BoreRow],
    width: float,
    height: float,
    k: int,
    top: float,
    title: str,
    theme: Theme,
    system: System,
) -> Chart:
    bores = [float(show_value(r.bore, "length", system, 6)) for r in rows]
    third = height / 3
    return Chart(
        width,
        third,
        (0.0, max(bores) * 1.05),
        (0.0, top),
        unit_of("length", system) if k == 2 else "",
        title,
        theme,
        down=k * third,
    )


def bore_at(rows: Sequence[BoreRow], x: float, width: float, system: System) -> BoreRow:
    """Return the row next to a px."""
    most = max(float(show_value(r.bore, "length", system, 6)) for r in rows) * 1.05
    shown = (x - 64) / max(width - 84, 1.0) * most
    return min(rows, key=lambda r: abs(float(show_value(r.bore, "length", system, 6)) - shown))


def draw_bores(
    rows: Sequence[BoreRow],
    now: float,
    best: BoreRow | None,
    ahead: float,
    size: tuple[float, float],
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield three graphs over the bore; ``now`` the channel's [m], ``ahead`` the rule on when it is full round."""
    width, height = size
    bores = np.array([float(show_value(r.bore, "length", system, 6)) for r in rows])
    fill = np.array([r.fill_time / 60 if math.isfinite(r.fill_time) else np.nan for r in rows])
    full = np.array([r.channel_full / 60 if math.isfinite(r.channel_full) else np.nan for r in rows])
    mass = np.array([float(show_value(r.waste, "mass", system, 6)) for r in rows])
    uneven = np.array([r.uneven * 100 if math.isfinite(r.uneven) else np.nan for r in rows])
    told = (
        (fill, tr("minutes: all full, and the channel round"), theme.ink),
        (uneven, tr("%  of the filling time that the front is uneven"), theme.ink),
        (mass, tr("{} that stay in channels, hoses and pot", unit_of("mass", system)), theme.ink),
    )
    for k, (values, title, colour) in enumerate(told):
        top = float(np.max(values[np.isfinite(values)], initial=0.0)) * 1.15 or 1.0
        chart = _chart(rows, width, height, k, top, title, theme, system)
        yield from chart.axes()
        yield chart.curve(bores, values, colour)
        yield from chart.points(bores, values, colour)
        if k == 0:
            yield chart.curve(bores, full, theme.accent)
            yield chart.curve(bores, ahead * fill, theme.alarm, WEIGHT["thin"], (4.0, 3.0))
        yield from _marks(chart, now, best, k == 0, theme, system)


def _marks(
    chart: Chart, now: float, best: BoreRow | None, named: bool, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield where the channel is now, and where the pick is."""
    for bore, words, tone in (
        (now, "now", theme.ink),
        (best.bore if best else 0.0, "pick", theme.accent),
    ):
        if bore <= 0:
            continue
        shown = float(show_value(bore, "length", system, 6))
        if shown > chart.x[1]:
            continue
        (x, base), (_, high) = chart.at(np.array([shown, shown]), np.array(chart.y))
        yield Line(
            [np.array([[x, base], [x, high]])],
            tone,
            WEIGHT["line"],
            () if words == "pick" else (2.0, 3.0),
        )
        if named:
            yield Label(
                float(x) + 6,
                float(high) + (8 if words == "pick" else 26),
                f"{words} {show(bore, 'length', system)}",
                tone,
                12,
                True,
                "l",
                ground=theme.ground,
            )
