"""What the front marks of a run tell about the cloth."""

from __future__ import annotations

from collections.abc import Sequence

from shapely.geometry import Point

from bibulon.core.geometry.paths import shape_of
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, rows_of, run_state

__all__ = ["strip_of_run"]


def strip_of_run(job: Job, journal: Sequence[Entry]) -> list[tuple[float, float]]:
    """Return (time since the feed opened [s], distance from it [m]) of the last run's marks, in order.

    The feed is the one that was opened first.  Marks made within a second are one reading, their mean.
    """
    state = run_state(journal)
    opened = [e for e in rows_of(journal, "open") if e.run == state.run]
    lines = {x.id: x for x in job.lines if x.role == "feed"}
    first = next((e for e in opened if str(e.data.get("line")) in lines), None)
    if first is None:
        return []
    path = lines[str(first.data["line"])].path
    feed = shape_of(path)
    rows = sorted(
        (m.time - first.clock, feed.distance(Point(m.x, m.y))) for m in state.marks if m.kind == "front"
    )
    out: list[tuple[float, float]] = []
    together: list[tuple[float, float]] = []
    for time, far in [*rows, (float("inf"), 0.0)]:
        if together and time - together[0][0] > 1.0:
            n = len(together)
            out.append((sum(t for t, _ in together) / n, sum(d for _, d in together) / n))
            together = []
        together.append((time, far))
    return [r for r in out if r[0] > 0]
