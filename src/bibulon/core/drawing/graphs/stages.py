"""What each stage of a leak test leaks beyond the one before it, as a row with its range, beside what the part can bear."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.chart import ticks
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.run.stages import ADDED, Added
from bibulon.core.units.words import tr

__all__ = ["draw_stages", "tall"]

HEIGHT = 34.0  # px of a row
HEAD, FOOT = 6.0, 40.0
UNIT = 0.1  # Pa m³/s of a mbar·L/s


def tall(rows: int) -> float:
    """Return how tall the drawing is [px]."""
    return HEAD + HEIGHT * rows + FOOT


def draw_stages(
    added: Sequence[Added], borne: float | None, size: tuple[float, float], theme: Theme
) -> Iterator[Item]:
    """Yield a row for each stage in a field of px; ``borne`` is what the part can bear [Pa m³/s]."""
    width, _ = size
    ends = [0.0, *(q for a in added for q in (a.low, a.high)), *([borne] if borne else [])]
    low, high = min(ends), max(*ends, 1e-9)
    span = (high - low) * 1.08 or 1.0
    left, right = 8.0, width - 14.0
    base = HEAD + HEIGHT * len(added)

    def at(leak: float) -> float:
        return left + (leak - low) / span * (right - left)

    for leak in ticks(low / UNIT, high / UNIT, 4):
        x = at(leak * UNIT)
        zero = abs(leak) < 1e-12
        yield Line(
            [np.array([[x, HEAD], [x, base]])],
            theme.soft if zero else theme.edge,
            WEIGHT["line" if zero else "hair"],
        )
        yield Label(x, base + 11, f"{leak:.4g}", theme.soft, 11)
    if borne:
        x = at(borne)
        rows = [HEAD + HEIGHT * k for k in range(len(added))]  # beside the bars, clear of the words
        yield Line([np.array([[x, y + 16], [x, y + HEIGHT - 3]]) for y in rows], theme.alarm, WEIGHT["line"])
        yield Label(
            min(max(x, left + 46), right - 46),
            base + 26,
            tr("this part can bear {:.3f}", borne / UNIT),
            theme.alarm,
            11,
        )
    for k, a in enumerate(added):
        y = HEAD + HEIGHT * k
        text = f"+ {ADDED[a.stage]}" if a.before else ADDED[a.stage]
        yield Label(left, y + 8, text, theme.ink, 11, anchor="l")
        told = f"{a.leak / UNIT:.4f}" if a.sure else tr("none for certain")
        yield Label(right, y + 8, told, theme.ink if a.sure else theme.soft, 11, anchor="r")
        colour = theme.alarm if a.sure and borne and a.low > borne else theme.accent if a.sure else theme.soft
        bar = y + 23
        yield Line([np.array([[at(a.low), bar], [at(a.high), bar]])], colour, 2 * WEIGHT["heavy"])
        middle = at(a.leak)
        yield Line([np.array([[middle, bar - 5], [middle, bar + 5]])], theme.ink, WEIGHT["heavy"])
