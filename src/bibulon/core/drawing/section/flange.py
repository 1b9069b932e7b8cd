"""The flange of a closed mould cut through, heights enlarged: cavity, channel, inner seal, chamber, outer seal."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.model.job import Job
from bibulon.core.model.mould import Seal
from bibulon.core.mould.flange import compression
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["draw_flange"]

CAVITY = 0.09  # m of the cavity that is shown
TALLER = 4.0  # times that heights are drawn at most
DEEP = 14.0  # px of each half


def draw_flange(
    job: Job, lift: float, size: tuple[float, float], theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the section in a field of px; ``lift`` [m] of the upper half over the part at the moment, where it is most."""
    width, height = size
    closed = job.closed
    spans = (CAVITY, closed.land, closed.inner.width, closed.chamber, closed.outer.width)
    across = (width - 48) / sum(spans)
    gap = max(job.part.cavity, 1e-3)
    high = max(closed.seal_gap, gap + max(lift, 0.0))
    up = min(TALLER * across, (height - 26 - 2 * DEEP - 26 - 22) / high)
    base = height - DEEP - 22.0
    edges = 24 + np.concatenate([[0.0], np.cumsum(spans)]) * across
    yield Area([_box(24, edges[-1], base, base + DEEP)], theme.tool, None)
    top_cavity, top_flange = base - gap * up, base - closed.seal_gap * up
    raised = top_cavity - lift * up
    over_part = [[24, raised], [edges[1] - 12, (raised + top_cavity) / 2], [edges[1], top_cavity]]
    under = np.array([*over_part, [edges[1] + 4, top_flange], [edges[-1], top_flange]])
    upper = np.vstack([under, under[::-1] - np.array([0.0, DEEP])])
    yield Area([upper], theme.tool, None, opacity=0.5)
    yield Area(
        [np.array([[24, raised], [edges[1], top_cavity], [edges[1], base], [24, base]])],
        theme.cloth,
        theme.weave,
        WEIGHT["thin"],
    )
    bore = next((x.bore for x in job.lines if x.role == "feed" and len(x.path) > 1), 0.0)
    if bore > 0:
        yield from _channel(bore, float(edges[1]), base, across, theme, system)
    yield Area([_box(edges[3], edges[4], top_flange, base)], theme.field_low, None, opacity=0.8)
    yield from _pull(edges[3], edges[4], top_flange, theme)
    squeezed = compression(job)
    yield from _seal(closed.inner, edges[2], edges[3], top_flange, base, theme, not 0 <= squeezed < 0.6)
    yield from _seal(closed.outer, edges[4], edges[5], top_flange, base, theme, False)
    yield from _pressures(job, edges, (top_flange, base), base - gap * up / 2, theme, system)
    yield Label(24, 14, "Flange, cut", theme.ink, 13, True, "l")
    gaps = tr(
        "gap {0} at the part, {1} at the seal, pressed together by {2:.0f} %",
        show(gap, "thickness", system),
        show(closed.seal_gap, "thickness", system),
        squeezed * 100,
    )
    if width > 600:
        yield Label(110, 14, tr("heights × {0:.1f} · {1}", up / across, gaps), theme.soft, 12, anchor="l")


def _pressures(
    job: Job, edges: np.ndarray, chamber: tuple[float, float], cavity: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield how far cavity and chamber are pumped, where the words have room."""
    air = job.conditions.atmosphere
    pulls = tr("chamber −{}", show(air - job.closed.flange, "pressure", system))
    told = (
        ((edges[0] + edges[1]) / 2, tr("cavity −{}", show(air - job.conditions.vacuum, "pressure", system))),
        ((edges[3] + edges[4]) / 2, pulls),
    )
    for x, words in told:
        room = edges[4] - edges[3] if x > edges[1] else edges[1] - 24
        if len(words) * 7 < room:
            y = sum(chamber) / 2 if x > edges[1] else cavity
            yield Label(float(x), float(y), words, theme.ink, 12, True)


def _pull(left: float, right: float, top: float, theme: Theme) -> Iterator[Item]:
    """Yield the arrows of what draws the halves together."""
    for x in np.linspace(left + 12, right - 12, 5):
        tip = top - DEEP - 3
        yield Line(
            [np.array([[x, tip - 20], [x, tip]]), np.array([[x - 4, tip - 7], [x, tip], [x + 4, tip - 7]])],
            theme.accent,
            WEIGHT["line"],
        )


def _channel(
    bore: float, x: float, base: float, across: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Yield the channel of a feed that runs at the cavity's edge."""
    r = max(min(bore * across / 2, DEEP - 1), 4.0)
    turn = np.linspace(0, np.pi, 20)
    ring = np.c_[x + r * np.cos(turn), base + r * np.sin(turn) * 0.9]
    yield Area([np.vstack([[x - r, base], ring[::-1]])], theme.resin(0.6), None)
    yield Label(
        x,
        base + DEEP + 10,
        tr("channel {}", show(bore, "length", system)),
        theme.ink,
        12,
        True,
    )


def _box(x0: float, x1: float, y0: float, y1: float) -> np.ndarray:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])


def _seal(
    seal: Seal, x0: float, x1: float, top: float, base: float, theme: Theme, wrong: bool
) -> Iterator[Item]:
    colour = theme.alarm if wrong else theme.ink
    middle, half = (x0 + x1) / 2, (x1 - x0) / 2
    if seal.kind == "wing":
        ring = np.array([[x0, base], [middle - half * 0.3, top], [middle + half * 0.3, top], [x1, base]])
        yield Area([ring], colour, None)
        return
    turn = np.linspace(0, 2 * np.pi, 33)
    outer = np.c_[middle + half * np.cos(turn), (top + base) / 2 + (base - top) / 2 * np.sin(turn)]
    inner = np.c_[middle + half * 0.55 * np.cos(turn), (top + base) / 2 + (base - top) * 0.27 * np.sin(turn)]
    yield Area([outer, inner[::-1]], colour, None)
    if seal.kind == "inflatable":
        yield Label(middle, (top + base) / 2, "air", colour, 11, True)
