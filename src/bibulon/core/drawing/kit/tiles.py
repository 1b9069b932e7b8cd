"""Small drawings for the ways in which a job begins."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme

__all__ = ["TILES", "draw_tile"]

WIDE, HIGH = 96.0, 64.0  # px
TILES = ("drawing", "measured", "shape", "old", "demo", "practise")


def _petal(left: float, top: float, wide: float, high: float) -> np.ndarray:
    """Return a ring that is wide at the left and narrow at the right."""
    t = np.linspace(0, 1, 13)
    upper = np.c_[left + wide * t, top + high * 0.30 * t**1.6]
    lower = np.c_[left + wide * t, top + high - high * 0.30 * t**1.6]
    return np.vstack([upper, lower[::-1]])


def draw_tile(kind: str, theme: Theme) -> Iterator[Item]:
    """Yield the drawing of a way to begin, in a field of 96 by 64 px."""
    t = theme
    if kind == "drawing":
        sheet = np.array([[18, 6], [66, 6], [78, 18], [78, 58], [18, 58]], dtype=float)
        yield Area([sheet], t.raised, t.ink, WEIGHT["line"])
        yield Line([np.array([[66.0, 6], [66, 18], [78, 18]])], t.ink, WEIGHT["thin"])
        yield Area([_petal(28, 26, 40, 24)], t.cloth, t.accent, WEIGHT["line"])
    elif kind == "measured":
        box = np.array([[22, 14], [74, 14], [74, 46], [22, 46]], dtype=float)
        yield Area([box], t.cloth, t.ink, WEIGHT["line"])
        for path in (
            [[22, 54], [74, 54]],
            [[22, 50], [22, 58]],
            [[74, 50], [74, 58]],
            [[82, 14], [82, 46]],
            [[78, 14], [86, 14]],
            [[78, 46], [86, 46]],
        ):
            yield Line([np.array(path, dtype=float)], t.accent, WEIGHT["line"])
    elif kind == "shape":
        turn = np.linspace(0, 2 * np.pi, 33)[:-1]
        yield Area([np.c_[30 + 17 * np.cos(turn), 24 + 17 * np.sin(turn)]], t.cloth, t.ink, WEIGHT["line"])
        wedge = np.array([[52, 50], [84, 50], [68, 20]], dtype=float)
        yield Area([wedge], t.raised, t.accent, WEIGHT["line"])
    elif kind == "old":
        for k in range(3):
            at = 18.0 + 8 * k
            card = np.array([[at, at - 10], [at + 44, at - 10], [at + 44, at + 22], [at, at + 22]])
            yield Area([card], t.raised, t.ink, WEIGHT["line"])
        yield Area([_petal(40, 30, 32, 18)], t.resin_new, t.ink, WEIGHT["thin"])
    elif kind == "demo":
        yield Area([_petal(14, 10, 68, 44)], t.cloth, t.ink, WEIGHT["line"])
        half = _petal(14, 10, 68, 44)
        yield Area([half[(half[:, 0] < 52)]], t.resin_new, None)
        yield Line([np.array([[20.0, 16], [20, 48]])], t.feed, WEIGHT["heavy"])
        yield Line([np.array([[80.0, 24], [80, 40]])], t.vacuum, WEIGHT["heavy"])
    elif kind == "practise":
        turn = np.linspace(0, 2 * np.pi, 49)[:-1]
        yield Area([np.c_[48 + 24 * np.cos(turn), 34 + 24 * np.sin(turn)]], t.raised, t.ink, WEIGHT["line"])
        yield Line(
            [np.array([[48.0, 34], [48, 18]]), np.array([[48.0, 34], [60, 40]])], t.accent, WEIGHT["heavy"]
        )
        yield Area([np.array([[44, 4], [52, 4], [52, 10], [44, 10]], dtype=float)], t.ink, None)
    else:
        yield Label(WIDE / 2, HIGH / 2, "?", t.ink, 20)
