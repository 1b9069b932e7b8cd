"""A job's plan at the size of a stamp: outline, feeds and vacuum, and where defects were found."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Line, View
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme

__all__ = ["draw_thumb"]

Place = tuple[float, float]
PIN = 4.5  # px


def draw_thumb(
    outline: Sequence[Place],
    lines: Sequence[tuple[str, Sequence[Place]]],
    pins: Sequence[Place],
    size: tuple[float, float],
    theme: Theme,
) -> Iterator[Item]:
    """Yield the plan in a field of px; lines as (role, path), places in m."""
    if len(outline) < 3:
        return
    ring = np.array(outline, dtype=float)
    view = View.fit((*ring.min(axis=0), *ring.max(axis=0)), size[0], size[1], 10)
    yield Area([view.to(ring)], theme.cloth, theme.ink, WEIGHT["thin"])
    for role, path in lines:
        at = view.to(np.array(path, dtype=float))
        colour = theme.vacuum if role == "vacuum" else theme.feed
        if len(at) == 1:  # a point feed or vent
            around = np.linspace(0, 2 * np.pi, 13)[:-1]
            at_ring = at[0] + 3.0 * np.c_[np.cos(around), np.sin(around)]
            yield Area([at_ring], theme.ground if role == "vacuum" else colour, colour, WEIGHT["line"])
            continue
        yield Line([at], colour, WEIGHT["heavy"] if role != "vacuum" else 3.4)
        if role == "vacuum":
            yield Line([at], theme.ground, 1.4)
    for place in pins:
        ((x, y),) = view.to(np.array([place]))
        drop = np.array([[x, y], [x - PIN, y - 2 * PIN], [x, y - 3 * PIN], [x + PIN, y - 2 * PIN]])
        yield Area([drop], theme.alarm, theme.ground, WEIGHT["thin"])
