"""The warm side in one graph: viscosity of the fresh mix, gel in the part and life in the vessel, with the pick dragged."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from bibulon.core.drawing.kit.chart import Chart
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.resin.warmth import WarmSide
from bibulon.core.units.units import System, clock, show_value, unit_of
from bibulon.core.units.words import tr

__all__ = ["WarmSheet", "draw_warm_side"]


class WarmSheet(Struct, frozen=True):
    """What is drawn: the curves, the pick and the sheet's limit [K], the shop's range of viscosities [Pa s], the room in px."""

    side: WarmSide
    pick: float
    limit: float | None
    least: float
    most: float
    width: float
    height: float

    def _span(self) -> tuple[float, float]:
        return float(self.side.temperature[0]), float(self.side.temperature[-1])

    def x(self, temperature: float) -> float:
        """Return px of a temperature [K]."""
        low, high = self._span()
        return 64 + (temperature - low) / (high - low) * (self.width - 84)

    def temperature(self, x: float) -> float:
        """Return the temperature at px [K], kept within the graph."""
        low, high = self._span()
        return float(np.clip(low + (x - 64) / (self.width - 84) * (high - low), low, high))


def draw_warm_side(sheet: WarmSheet, theme: Theme, system: System) -> Iterator[Item]:
    """Yield both graphs, one above the other over the same temperatures."""
    side, half = sheet.side, sheet.height / 2
    low, high = (_told(t, system) for t in (side.temperature[0], side.temperature[-1]))
    every = np.linspace(side.temperature[0], side.temperature[-1], 61)
    shown = np.array([_told(t, system) for t in every])
    viscosity, gel, life = np.array([side.at(float(t)) for t in every]).T
    scale = _told_viscosity(1.0, system)
    top = float(viscosity.max()) * scale * 1.2
    degree = unit_of("temperature", system)
    upper = Chart(
        sheet.width,
        half,
        (low, high),
        (0.0, top),
        degree,
        tr("viscosity, fresh  {}", unit_of("viscosity", system)),
        theme,
    )
    band = [
        upper.at(np.array([low, high]), np.full(2, min(v * scale, top))) for v in (sheet.least, sheet.most)
    ]
    yield Area([np.vstack([band[0], band[1][::-1]])], theme.resin(0.25), None, opacity=0.5)
    yield from upper.axes()
    yield Label(band[1][0][0] + 8, band[0][0][1] - 10, "goes through cloth well", theme.soft, 12, anchor="l")
    yield upper.curve(shown, viscosity * scale, theme.ink)
    yield from _times(sheet, shown, gel, life, theme, system)
    yield from _limit(sheet, theme, system)
    yield from _pick(sheet, upper, theme, system)


def _times(
    sheet: WarmSheet, shown: np.ndarray, gel: np.ndarray, life: np.ndarray, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the lower graph: gel in the part and life in the vessel [s], over the temperatures as they are shown."""
    half, (low, high), degree = (
        sheet.height / 2,
        (float(shown[0]), float(shown[-1])),
        unit_of("temperature", system),
    )
    minutes = max(float(np.minimum(gel, 1e6).max()), float(life.max())) / 60
    lower = Chart(
        sheet.width,
        half,
        (low, high),
        (0.0, min(minutes, 4 * float(life.max()) / 60) * 1.08),
        degree,
        "minutes",
        theme,
        down=half,
    )
    body: list[Item] = [
        *lower.axes(),
        lower.curve(shown, gel / 60, theme.ink),
        lower.curve(shown, life / 60, theme.accent),
    ]
    for y, words, colour, by in (
        (gel, tr("gel in the part"), theme.ink, -12),
        (life, tr("life in the vessel"), theme.accent, 16),
    ):
        k = len(shown) // (8 if by < 0 else 16)
        at = lower.at(shown[k : k + 1], np.minimum(y[k : k + 1] / 60, lower.y[1] * 0.92))[0]
        body.append(
            Label(float(at[0]) + (10 if by < 0 else -4), float(at[1]) + by, words, colour, 12, True, "l")
        )
    yield from body


def _limit(sheet: WarmSheet, theme: Theme, system: System) -> Iterator[Item]:
    if sheet.limit is None or not sheet.side.temperature[0] < sheet.limit < sheet.side.temperature[-1]:
        return
    x, right = sheet.x(sheet.limit), sheet.width - 20
    yield Area(
        [np.array([[x, 26], [right, 26], [right, sheet.height - 38], [x, sheet.height - 38]])],
        theme.alarm,
        None,
        opacity=0.10,
    )
    yield Line([np.array([[x, 26], [x, sheet.height - 38]])], theme.alarm, WEIGHT["line"], (5.0, 4.0))
    yield Label(x - 6, sheet.height / 2 - 58, "the sheet's limit", theme.alarm, 12, True, "r")


def _pick(sheet: WarmSheet, upper: Chart, theme: Theme, system: System) -> Iterator[Item]:
    x = sheet.x(sheet.pick)
    mu, gel, life = sheet.side.at(sheet.pick)
    yield Line([np.array([[x, 20], [x, sheet.height - 38]])], theme.accent, WEIGHT["heavy"])
    grip = np.array([[x - 8, 14], [x + 8, 14], [x, 27]])
    yield Area([grip], theme.accent, None)
    told = (
        (
            30.0,
            f"{show_value(sheet.pick, 'temperature', system)} {unit_of('temperature', system)}: {show_value(mu, 'viscosity', system)} {unit_of('viscosity', system)}",
        ),
        (
            sheet.height / 2 + 32,
            tr("gel {0}, life {1}", clock(gel) if gel < 1e6 else "unknown", clock(life)),
        ),
    )
    right = x < sheet.width * 0.6
    for y, words in told:
        yield Label(
            x + (12 if right else -12),
            y,
            words,
            theme.ink,
            14,
            True,
            "l" if right else "r",
            ground=theme.raised,
            outline=theme.edge,
        )


def _told(kelvin: float, system: System) -> float:
    return float(show_value(float(kelvin), "temperature", system, 6))


def _told_viscosity(value: float, system: System) -> float:
    return float(show_value(value, "viscosity", system, 6))
