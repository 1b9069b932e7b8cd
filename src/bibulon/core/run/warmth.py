"""What a thermometer on the part said after the resin came there, as rows of the record."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.core.model.cure import WarmthRead
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, number, rows_of, runs_of
from bibulon.core.units.remember import by_identity

__all__ = ["EVERY", "warm_entry", "with_readings"]

EVERY = 20.0  # s between two rows
MOST = 2000  # readings that are carried on; of more the later ones of each pair are left out
COLD, HOT = 253.0, 573.0  # K that a part's thermometer can read


def warm_entry(
    run: str, since: float, temperature: float, place: tuple[float, float], where: str, now: float
) -> Entry:
    """Return the row of a reading [K] so many seconds into a run, at a place [m]; ``now`` is Unix time."""
    data: dict[str, object] = {
        "temperature": round(temperature, 2), "x": round(place[0], 4), "y": round(place[1], 4), "where": where,
    }  # fmt: skip
    return Entry(run, since, "warm", data, now)


@by_identity(2, 2)  # a drawing asks whenever it is painted
def with_readings(job: Job, journal: Sequence[Entry]) -> Job:
    """Return the job with what a thermometer read live in the last run as its log, at the place where it sits now.

    Rows of a place that it has left, and rows that lack a figure, are passed over; a job without rows comes back as it is.
    """
    runs = runs_of(journal)
    rows = [e for e in rows_of(journal, "warm") if runs and e.run == runs[-1]]
    if not rows:
        return job
    last = rows[-1].data
    x, y, where = number(last, "x"), number(last, "y"), str(last.get("where", ""))
    if x is None or y is None or where not in {"tool", "middle", "bag"}:
        return job
    read: list[WarmthRead] = []
    for e in rows:
        warm = number(e.data, "temperature")
        same = (number(e.data, "x"), number(e.data, "y"), e.data.get("where")) == (x, y, where)
        later = e.clock >= 0 and (not read or e.clock > read[-1].time)
        if warm is not None and COLD <= warm <= HOT and same and later:
            read.append(WarmthRead(time=e.clock, temperature=warm))
    while len(read) > MOST:
        read = read[::2]
    return job.replaced(cure=job.cure.replaced(read=tuple(read), read_at=(x, y), read_where=where))
