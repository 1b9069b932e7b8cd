"""What each stage of a leak test added: pump alone, then lines, then the whole bag; what a later one leaks more came with it.

The difference of two leaks, each with its own volume; its range is √(h₁² + h₂²) about it, each side by the sides that make it.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence

from msgspec import Struct

from bibulon.core.leak.droptest import LeakError, LeakResult, fit_drop
from bibulon.core.run.recording import Recorded
from bibulon.core.units.words import tr

__all__ = ["ADDED", "Added", "added_of", "difference", "last_of", "leak_of"]

ORDER = ("pump", "lines", "bag")
ADDED = {
    "pump": tr("the pump and its hose"),
    "lines": tr("the lines and their joints"),
    "bag": tr("the bag, its feed and its fittings"),
}


class Added(Struct, frozen=True):
    """What a stage leaks beyond the one before it [Pa m³/s], 19 times in 20 between low and high; ``before`` is empty for the first."""

    stage: str
    before: str
    leak: float
    low: float
    high: float

    @property
    def sure(self) -> bool:
        """Whether what was added leaks beyond doubt."""
        return self.low > 0


def last_of(tests: Sequence[Recorded]) -> dict[str, Recorded]:
    """Return the last ended test of each stage, in the order of the stages."""
    last = {t.stage: t for t in tests if t.ended is not None}
    return {stage: last[stage] for stage in ORDER if stage in last}


def leak_of(test: Recorded) -> LeakResult | None:
    """Return what a recorded test leaks; None where its readings cannot be judged."""
    try:
        return fit_drop(test.readings, test.volume)
    except LeakError:
        return None


def difference(first: LeakResult, then: LeakResult) -> tuple[float, float, float]:
    """Return by how much a second leak is larger [Pa m³/s], and the low and high end of its range."""
    middle = then.leak - first.leak
    (low, high), (low_then, high_then) = first.leak_interval, then.leak_interval
    return (
        middle,
        middle - math.hypot(then.leak - low_then, high - first.leak),
        middle + math.hypot(high_then - then.leak, first.leak - low),
    )


def added_of(leaks: Mapping[str, LeakResult]) -> tuple[Added, ...]:
    """Return what each stage added to the one before it, out of the leaks by stage."""
    there = [stage for stage in ORDER if stage in leaks]
    out = [Added(there[0], "", leaks[there[0]].leak, *leaks[there[0]].leak_interval)] if there else []
    for before, stage in itertools.pairwise(there):
        out.append(Added(stage, before, *difference(leaks[before], leaks[stage])))
    return tuple(out)
