"""What each stage of a leak test leaks beyond the one before it, as a row with its range, beside what the part can bear."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.field import nice_step
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.run.stages import ADDED, Added

__all__ = ["HEIGHT", "draw_stages"]

HEIGHT = 30.0  # px of a row
HEAD, FOOT = 8.0, 22.0
UNIT = 0.1  # Pa m³/s of a mbar·L/s


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

    step = nice_step(span / UNIT, 4)
    for k in range(int(np.ceil(low / UNIT / step)), int(high / UNIT / step) + 1):
        x = at(k * step * UNIT)
        yield Line(
            [np.array([[x, HEAD], [x, base]])],
            theme.edge if k else theme.soft,
            WEIGHT["hair" if k else "line"],
        )
        yield Label(x, base + 11, f"{k * step:.4g}", theme.soft, 11)
    if borne:
        x = at(borne)
        yield Line([np.array([[x, HEAD], [x, base]])], theme.alarm, WEIGHT["line"], (6, 4))
    for k, a in enumerate(added):
        y = HEAD + HEIGHT * k
        text = f"+ {ADDED[a.stage]}" if a.before else ADDED[a.stage]
        yield Label(left, y + 8, text, theme.ink, 11, anchor="l", ground=theme.ground)
        colour = theme.alarm if a.sure and borne and a.low > borne else theme.accent if a.sure else theme.soft
        bar = y + 21
        yield Line([np.array([[at(a.low), bar], [at(a.high), bar]])], colour, WEIGHT["heavy"])
        middle = at(a.leak)
        yield Line([np.array([[middle, bar - 5], [middle, bar + 5]])], theme.ink, WEIGHT["heavy"])
