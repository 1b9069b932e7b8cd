"""Factors on the library's permeabilities that a shop's runs bear, as bars about one."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.series.learn import Proposal
from bibulon.core.series.settled import KINDS
from bibulon.core.units.words import tr

__all__ = ["ROW", "draw_learned"]

ROW, LEFT, RIGHT = 46.0, 230.0, 150.0  # px
WIDEST = math.log(4)  # a factor of four either way fills the field


def draw_learned(found: Sequence[Proposal], width: float, theme: Theme) -> Iterator[Item]:
    """Yield a row a material: its range, its middle, and how many runs it is from."""
    if not found:
        return
    half = (width - LEFT - RIGHT) / 2
    middle = LEFT + half

    def x(factor: float) -> float:
        return middle + half * min(max(math.log(factor) / WIDEST, -1), 1)

    base = 34 + ROW * len(found)
    for factor, words in ((0.25, "¼"), (0.5, "½"), (1.0, tr("as the library")), (2.0, "2 ×"), (4.0, "4 ×")):
        heavy = factor == 1.0
        yield Line(
            [np.array([[x(factor), 26.0], [x(factor), base]])],
            theme.soft if heavy else theme.edge,
            WEIGHT["line" if heavy else "hair"],
        )
        yield Label(x(factor), 14, words, theme.soft, 12)
    for k, p in enumerate(found):
        y = 34 + ROW * (k + 0.5)
        yield Label(12, y - 8, p.material, theme.ink, 13, True, "l")
        yield Label(
            12,
            y + 10,
            KINDS[p.quantity][0] if p.quantity in KINDS else p.quantity,
            theme.soft,
            12,
            anchor="l",
        )
        bar = np.array([[x(p.low), y - 7], [x(p.high), y - 7], [x(p.high), y + 7], [x(p.low), y + 7]])
        yield Area([bar], theme.accent, opacity=0.35)
        yield Line([np.array([[x(p.middle), y - 10], [x(p.middle), y + 10]])], theme.accent, WEIGHT["heavy"])
        words = tr("× {0:.2f}, {1:.2f} to {2:.2f}", p.middle, p.low, p.high)
        yield Label(width - RIGHT + 8, y - 8, words, theme.ink, 12, anchor="l")
        yield Label(
            width - RIGHT + 8,
            y + 9,
            tr("{0} run{1}", p.runs, "s" * (p.runs != 1)),
            theme.soft,
            12,
            anchor="l",
        )
