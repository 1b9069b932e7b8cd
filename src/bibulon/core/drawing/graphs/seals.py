"""Seal profiles side by side, to scale, with the gaps in which each seals and this flange's gap across all of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.mould import Seal
from bibulon.core.units.units import System, show, show_value, system_of, unit_of
from bibulon.core.units.words import tr

__all__ = ["LEFT", "draw_seals", "gap_words", "seal_at", "seals_over"]

LEFT, TOP, BELOW = 78.0, 40.0, 82.0  # px
TICK: dict[System, float] = {"metric": 0.005, "us": 0.2 * 0.0254}  # m
TICK_DIGITS: dict[System, int] = {"metric": 0, "us": 1}
DIGITS: dict[System, int] = {"metric": 1, "us": 2}  # of gaps: what a flange is made to


def seals_over(seal: Seal, gap: float, spread: float) -> bool:
    """Whether a profile seals wherever the gap [m] is, spread either way [m]."""
    return seal.gap_least <= gap - spread and gap + spread <= seal.gap_most


def gap_words(seal: Seal, system: System) -> str:
    """Return the gaps between which a profile seals, in short."""
    digits = DIGITS[system_of("length", system)]
    return tr(
        "{0} to {1}",
        show_value(seal.gap_least, "length", system, digits),
        show(seal.gap_most, "length", system, digits),
    )


def seal_at(profiles: Sequence[Seal], x: float, width: float) -> Seal:
    """Return the profile whose column holds a px."""
    column = (x - LEFT) / max((width - LEFT - 16) / len(profiles), 1.0)
    return profiles[min(max(int(column), 0), len(profiles) - 1)]


def draw_seals(
    profiles: Sequence[Seal], inner: str, outer: str, pick: str, gap: tuple[float, float], size: tuple[float, float],
    theme: Theme, system: System,
) -> Iterator[Item]:  # fmt: skip
    """Yield a column a profile; ``gap`` is the flange's, with its spread either way [m]; names of those that lie in it."""
    width, height = size
    top = max(max(s.height for s in profiles), gap[0] + gap[1]) * 1.12
    base = height - BELOW
    up = (base - TOP) / top
    each = (width - LEFT - 16) / len(profiles)
    for mark in np.arange(0.0, top, TICK[system_of("length", system)]):
        y = base - mark * up
        yield Line([np.array([[LEFT - 6, y], [width - 16, y]])], theme.edge, WEIGHT["hair"])
        yield Label(
            LEFT - 10,
            y,
            show(float(mark), "length", system, TICK_DIGITS[system_of("length", system)]),
            theme.soft,
            12,
            anchor="r",
        )
    low, high = base - max(gap[0] - gap[1], 0.0) * up, base - (gap[0] + gap[1]) * up
    if low - high < 3:
        low, high = low + 1.5, high - 1.5
    for k, seal in enumerate(profiles):
        middle = LEFT + each * (k + 0.5)
        fits = seals_over(seal, *gap)
        tone = theme.accent if fits else theme.soft
        if seal.name == pick:
            yield Area([_box(middle - each / 2 + 3, middle + each / 2 - 3, TOP - 8, height - 6)], theme.raised, theme.accent, WEIGHT["heavy"])  # fmt: skip
        half = min(seal.width * up / 2, each * 0.3)
        yield from _profile(seal, middle - each * 0.12, half, base - seal.height * up, base, tone)
        bar = middle + each * 0.26
        yield Area(
            [_box(bar - 5, bar + 5, base - seal.gap_most * up, base - seal.gap_least * up)], tone, opacity=0.9
        )
        yield from _named(seal, middle, base, tone if fits else theme.soft, (inner, outer), theme, system)
    yield Area([_box(LEFT, width - 16, high, low)], theme.alarm, opacity=0.28)
    told = tr("this flange: {}", show(gap[0], "thickness", system)) + (
        f" ± {show(gap[1], 'thickness', system)}" if gap[1] > 0 else ""
    )
    yield Label(width - 18, high - 10, told, theme.alarm, 13, True, "r", ground=theme.ground)
    yield Label(
        LEFT,
        16,
        tr("Free height, and beside it the gaps in which it seals ({})", unit_of("length", system)),
        theme.ink,
        13,
        True,
        "l",
    )


def _named(
    seal: Seal, middle: float, base: float, tone: str, lying: tuple[str, str], theme: Theme, system: System
) -> Iterator[Item]:
    """Yield a profile's name, the gaps in which it seals, and where it lies now (inside, outside)."""
    kind, _, number = seal.name.rpartition(" ")
    yield Label(middle, base + 14, kind, theme.ink, 13, True)
    yield Label(middle, base + 30, number, theme.ink, 13, True)
    lies = tr("inside now") if seal.name == lying[0] else tr("outside now") if seal.name == lying[1] else ""
    bounds = (seal.gap_least, seal.gap_most)
    words = "–".join(show_value(x, "length", system, DIGITS[system_of("length", system)]) for x in bounds)
    yield Label(middle, base + 47, words, tone, 12)
    if lies:
        yield Label(middle, base + 64, lies, theme.ink, 12, True)


def _box(x0: float, x1: float, y0: float, y1: float) -> np.ndarray:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])


def _profile(seal: Seal, middle: float, half: float, top: float, base: float, tone: str) -> Iterator[Item]:
    if seal.kind == "wing":
        ring = [
            [middle - half, base],
            [middle - half * 0.2, top],
            [middle + half * 0.2, top],
            [middle + half, base],
        ]
        yield Area([np.array(ring)], tone, opacity=0.75)
        return
    turn = np.linspace(0, 2 * np.pi, 33)
    centre, tall = (top + base) / 2, (base - top) / 2
    outer = np.c_[middle + half * np.cos(turn), centre + tall * np.sin(turn)]
    inner = np.c_[middle + half * 0.6 * np.cos(turn), centre + tall * 0.6 * np.sin(turn)]
    yield Area([outer, inner[::-1]], tone, opacity=0.75)
    if seal.kind == "inflatable":
        yield Label(middle, centre, "air", tone, 11, True)
