"""When a series is due for service: a figure that drifts towards its limit, and what was serviced when.

The last values since a service are followed by a straight line; level and slope have their joint t-distribution (ordinary least
squares, flat prior), and each draw of them passes the limit after so many parts.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from bibulon.core.run.journal import Entry, rows_of
from bibulon.core.series.rows import AFTER

__all__ = ["SERVICED", "Due", "due", "serviced_entry", "serviced_of"]

SERVICED = ("outer seal", "inner seal", "pump and its oil", "mould release", "hoses and clamps")
LEAST, WINDOW = 5, 10  # values that a line goes through
SURE = 0.95  # of the draws that must rise before it counts as a drift
DRAWS = 4000


class Due(Struct, frozen=True):
    """Parts until the mean passes the limit: low, middle, high nine times in ten; nought where it has, inf where it may never."""

    low: float
    middle: float
    high: float


def due(values: Sequence[float], limit: float, side: int = 1, seed: int = 7) -> Due | None:
    """Return when a figure's mean passes a limit above it (``side`` 1) or below (−1); None where no drift is sure."""
    y = side * np.asarray(values[-WINDOW:], dtype=float)
    n = len(y)
    if n < LEAST or not math.isfinite(limit):
        return None
    x = np.arange(n, dtype=float) - (n - 1)  # 0 is the latest part
    middle = x.mean()
    sxx = float(((x - middle) ** 2).sum())
    slope = float(((x - middle) * y).sum()) / sxx
    mean = float(y.mean())
    spread = math.sqrt(float(((y - mean - slope * (x - middle)) ** 2).sum()) / (n - 2))
    rng = np.random.default_rng(seed)
    wide = spread * np.sqrt((n - 2) / rng.chisquare(n - 2, DRAWS))  # one σ a draw, for level and slope alike
    slopes = slope + wide / math.sqrt(sxx) * rng.standard_normal(DRAWS)
    if float((slopes > 0).mean()) < SURE:
        return None
    level = mean + wide / math.sqrt(n) * rng.standard_normal(DRAWS) - slopes * middle
    left = np.where(slopes > 0, (side * limit - level) / np.maximum(slopes, 1e-300), np.inf)
    low, mid, high = np.quantile(left, (0.05, 0.5, 0.95), method="nearest")
    return Due(max(float(low), 0.0), max(float(mid), 0.0), max(float(high), 0.0))


def serviced_entry(what: str, by: str, now: float) -> Entry:
    """Return the row of a service that was done after this part."""
    return Entry(AFTER, 0.0, "serviced", {"text": what, "by": by}, now)


def serviced_of(journal: Sequence[Entry]) -> tuple[str, ...]:
    """Return what was serviced after this part."""
    return tuple(str(e.data.get("text", "")) for e in rows_of(journal, "serviced") if e.data.get("text"))
