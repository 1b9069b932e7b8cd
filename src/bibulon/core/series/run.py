"""A series of parts: each figure on its chart, what drifts, and what that usually is."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.series.charts import LEAST, Chart, chart, drift_words
from bibulon.core.series.record import FIGURES

__all__ = ["Series", "series_of"]

LATE = 6  # signals of the last parts count as a drift


class Series(Struct, frozen=True, eq=False):
    """Charts by figure, with the numbers of the parts that each value is of; figures that drift, 1 up; what that may be."""

    charts: dict[str, Chart]
    parts: dict[str, tuple[int, ...]]
    moved: dict[str, int]
    words: tuple[str, ...]
    baseline: int


def series_of(figures: Sequence[dict[str, float]], baseline: int | None = None) -> Series:
    """Return the series of parts in order, each with the figures that are known of it [SI].

    baseline : how many of the first parts the limits come from; by default half of them, from eight to twenty.
    """
    if baseline is None:  # not of those that may drift later
        baseline = min(max(len(figures) // 2, LEAST), 20)
    charts: dict[str, Chart] = {}
    parts: dict[str, tuple[int, ...]] = {}
    moved: dict[str, int] = {}
    for key in FIGURES:
        there = [k for k, f in enumerate(figures) if key in f]
        if not there:
            continue
        made = chart([figures[k][key] for k in there], baseline)
        charts[key], parts[key] = made, tuple(there)
        late = [s for s in made.signals if s.point >= len(there) - LATE]
        if late:
            moved[key] = late[-1].side
    return Series(charts, parts, moved, tuple(drift_words(moved)), min(baseline, len(figures)))
