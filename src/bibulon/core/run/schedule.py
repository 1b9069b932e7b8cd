"""When each batch is mixed, poured and gone, against the curve that the part draws."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import AtTime, Bucket, Job
from bibulon.core.resin.charge import Charge
from bibulon.core.units.remember import kept_with
from bibulon.core.units.words import tr

__all__ = [
    "BatchPlan",
    "Draw",
    "Schedule",
    "Terms",
    "draw_of",
    "fewest",
    "schedule",
    "schedule_of",
    "terms_of",
]

Floats = npt.NDArray[np.float64]


class Draw(Struct, frozen=True, eq=False):
    """What the part has drawn over time: times [s] from opening the first feed, masses [kg], both rising; full : whether it is wet through in the end."""

    time: Floats
    mass: Floats
    full: bool = True

    def slower(self, factor: float) -> Draw:
        """Return the same draw with a front that takes so many times longer."""
        return replace(self, time=self.time * factor)

    def when(self, mass: float) -> float:
        """Return when so much has been drawn [s]; inf when it never is."""
        if mass <= self.mass[0]:
            return float(self.time[0])
        k = int(np.searchsorted(self.mass, mass - 1e-12))
        if k >= len(self.mass):
            return math.inf
        share = (mass - self.mass[k - 1]) / max(self.mass[k] - self.mass[k - 1], 1e-300)
        return float(self.time[k - 1] + share * (self.time[k] - self.time[k - 1]))

    def by(self, time: float) -> float:
        """Return what has been drawn by a time [kg]."""
        return float(np.interp(time, self.time, self.mass))

    @property
    def end(self) -> float:
        """When the part draws no more [s]."""
        return float(self.time[-1])

    @property
    def total(self) -> float:
        """All that it draws [kg]."""
        return float(self.mass[-1])


class Terms(Struct, frozen=True):
    """What a schedule keeps to: masses [kg], times [s].

    life : of a batch, counted from the start of its mixing; before : how long before the feed opens the first is mixed.
    """

    heel: float
    reserve: float
    mixing: float
    rest: float
    life: float
    people: int = 1
    before: float = 0.0

    @property
    def making(self) -> float:
        """From the start of mixing until a batch may be poured [s]."""
        return self.mixing + self.rest


class BatchPlan(Struct, frozen=True):
    """A batch: when mixing starts, when it may be poured, is poured, is gone, and must not be used any more [s].

    ``used`` whether the part needs it at all; ``troubles`` what goes wrong with it, in words.
    """

    number: int
    mass: float
    start: float
    ready: float
    pour: float
    gone: float
    life_end: float
    used: bool = True
    troubles: tuple[str, ...] = ()


class Schedule(Struct, frozen=True, eq=False):
    """All batches, the level in the bucket over time [s], [kg], what is left over [kg], and what stands in the way."""

    batches: tuple[BatchPlan, ...]
    time: Floats
    level: Floats
    left: float
    draw: Draw
    terms: Terms

    @property
    def troubles(self) -> tuple[str, ...]:
        """All that goes wrong, in order."""
        return tuple(t for b in self.batches for t in b.troubles)

    @property
    def lowest(self) -> float:
        """The lowest level while the part draws [kg]."""
        while_drawn = (self.time >= 0) & (self.time <= self.draw.end)
        return float(self.level[while_drawn].min(initial=math.inf))


def schedule(
    draw: Draw, masses: tuple[float, ...], terms: Terms, starts: tuple[float, ...] | None = None
) -> Schedule:
    """Line batches up so that each is poured before the bucket comes to its heel, and mixed as late as may be.

    starts : as set by hand; a batch is then poured as soon as it is ready and there is need.
    """
    before = np.concatenate([[0.0], np.cumsum(masses)])
    needed = [
        draw.when(float(m) - terms.heel - terms.reserve) if k else 0.0 for k, m in enumerate(before[:-1])
    ]
    used = [k == 0 or needed[k] < draw.end for k in range(len(masses))]
    begin = (
        _begun(needed, used, terms, draw.end)
        if starts is None or len(starts) != len(masses)
        else list(starts)
    )
    plans = []
    for k, mass in enumerate(masses):
        ready = begin[k] + terms.making
        pour = max(ready, needed[k]) if k else ready
        gone = min(draw.when(float(before[k + 1]) - terms.heel), draw.end)
        plans.append(
            BatchPlan(k + 1, mass, begin[k], ready, pour, max(gone, pour), begin[k] + terms.life, used[k])
        )
    time, level = _level(draw, plans)
    plans = [
        replace(p, troubles=tuple(_troubles(k, plans, draw, terms, before))) for k, p in enumerate(plans)
    ]
    mixed = sum(p.mass for p in plans if p.used)
    return Schedule(tuple(plans), time, level, mixed - draw.total, draw, terms)


def _begun(needed: list[float], used: list[bool], terms: Terms, end: float) -> list[float]:
    """Return when mixing starts: as late as may be, one after another where hands are few, from the last back."""
    out = [0.0] * len(needed)
    taken: list[float] = []  # starts that are set, latest first
    for k in reversed(range(len(needed))):
        at = (needed[k] if used[k] else end) - terms.making
        if k == 0:
            at = -max(terms.before, terms.making)
        if used[k] and len(taken) >= terms.people:
            at = min(at, taken[-terms.people] - terms.making)
        out[k] = at
        if used[k]:
            taken.append(at)
    return out


def _level(draw: Draw, plans: list[BatchPlan]) -> tuple[Floats, Floats]:
    """Return the level in the bucket at the corners of its course."""
    pours = [(p.pour, p.mass) for p in plans if p.used]
    first = min(t for t, _ in pours)
    at = np.unique(
        np.concatenate(
            [[first - 1e-6], draw.time, [t for t, _ in pours], [t - 1e-6 for t, _ in pours], [draw.end]]
        )
    )
    poured = np.array([sum(m for t, m in pours if t <= x + 1e-9) for x in at])
    drawn = np.where(at < draw.time[0], 0.0, np.interp(at, draw.time, draw.mass))
    return at, poured - drawn


def _troubles(k: int, plans: list[BatchPlan], draw: Draw, terms: Terms, before: Floats) -> list[str]:
    """Say what goes wrong with a batch."""
    p = plans[k]
    if not p.used:
        return []
    found = []
    if k == 0 and p.ready > 1e-6:
        found.append("not ready when the feed opens")
    heel_at = draw.when(float(before[k]) - terms.heel) if k else math.inf
    if k and p.pour > heel_at + 1e-6:
        found.append("the bucket is at its heel before it is poured")
    if p.gone > p.life_end + 1e-6:
        found.append(tr("past its life before it is drawn"))
    busy = sum(
        q.used and (q.start, n) < (p.start, k) and q.ready > p.start + 1e-6 for n, q in enumerate(plans)
    )
    if busy >= terms.people:
        found.append("nobody is free to mix it")
    return found


def fewest(draw: Draw, total: float, largest: float, terms: Terms, most: int = 60) -> tuple[Schedule, bool]:
    """Return the schedule with the fewest even batches that nothing stands in the way of, and whether there is one.

    Where there is none, that with the fewest troubles.
    """
    first = max(1, math.ceil(total / largest - 1e-9))
    best: Schedule | None = None
    for count in range(first, max(most, first) + 1):
        found = schedule(draw, (total / count,) * count, terms)
        if not found.troubles:
            return found, True
        if total / count <= terms.heel + terms.reserve:
            break  # smaller ones would not even lift the bucket off its heel
        if best is None or len(found.troubles) < len(best.troubles):
            best = found
    return best or schedule(draw, (total / first,) * first, terms), False


# -- from a job


def draw_of(forecast: Forecast) -> Draw:
    """Return what a forecast draws until the part is wet through, or to its end where it never is."""
    time, mass = _fed(forecast, range(len(forecast.model.network.ports)))
    end = forecast.fill_time if math.isfinite(forecast.fill_time) else float(time[-1])
    kept = time < end
    at_end = float(np.interp(end, time, mass))
    time, mass = np.append(time[kept], end), np.append(mass[kept], at_end)
    return Draw(time, np.maximum.accumulate(mass), math.isfinite(forecast.fill_time))


def terms_of(job: Job) -> Terms:
    """Return what a job's schedule keeps to; the sheet's pot life, of the largest batch, is the safe side for smaller ones."""
    assert job.resin is not None
    c = job.charge
    return Terms(
        c.heel,
        c.reserve,
        job.resin.mixing_time,
        c.rest,
        job.resin.pot_life,
        c.people,
        job.conditions.mixed_before_start,
    )


@kept_with(2, 3, 2)
def schedule_of(job: Job, plan: Charge, forecast: Forecast, slower: float = 1.0) -> Schedule:
    """Return the schedule of a job's own batches, for a front that takes so many times longer.

    Those of its own buckets are poured when the forecast pours them.
    """
    if job.buckets:
        return _of_buckets(job, plan, forecast, slower)
    masses = tuple(b.mass for b in plan.batches)
    return schedule(draw_of(forecast).slower(slower), masses, terms_of(job), job.charge.starts)


def _of_buckets(job: Job, plan: Charge, forecast: Forecast, slower: float) -> Schedule:
    """Return when the batches of a job's own buckets are poured and gone, in the order in which it names them."""
    terms, draw = terms_of(job), draw_of(forecast).slower(slower)
    poured = {(p.bucket, p.batch): p.time for p in forecast.history.poured}
    masses, plans = [b.mass for b in plan.batches], list[BatchPlan]()
    for bucket in job.buckets:
        own, before = _drawn_from(bucket, forecast).slower(slower), 0.0
        for k, batch in enumerate(bucket.batches):
            # While the job is edited the charge may be that of a moment ago.
            mass = masses[len(plans)] if len(plans) < len(masses) else batch.mass
            at = poured.get((bucket.id, k))
            pour = draw.end if at is None else at if isinstance(batch.poured, AtTime) else at * slower
            start = pour - terms.making if batch.mixed is None else batch.mixed
            before += mass
            gone = max(min(own.when(before - bucket.heel), draw.end), pour)
            life = math.inf if batch.mixed is None else start + terms.life
            used = at is not None and pour < draw.end
            troubles = ["poured before it is mixed"] if used and pour < start - 1 else []
            troubles += [tr("past its life before it is drawn")] if used and gone > life + 1e-6 else []
            made = BatchPlan(len(plans) + 1, mass, start, start + terms.making, pour, gone, life, used)
            plans.append(replace(made, troubles=tuple(troubles)))
    if not any(p.used for p in plans):
        plans[0] = replace(plans[0], used=True)
    time, level = _level(draw, plans)
    return Schedule(tuple(plans), time, level, sum(p.mass for p in plans if p.used) - draw.total, draw, terms)


def _drawn_from(bucket: Bucket, forecast: Forecast) -> Draw:
    """Return what a bucket's own feeds draw."""
    names = [p.id for p in forecast.model.network.ports]
    mine = [k for k, name in enumerate(names) if not bucket.feeds or name in bucket.feeds]
    time, mass = _fed(forecast, mine)
    return Draw(time, np.maximum.accumulate(mass))


def _fed(forecast: Forecast, ports: Iterable[int]) -> tuple[Floats, Floats]:
    """Return the moments of a forecast [s], and what some ports have given by then [kg]."""
    frames, ports = forecast.history.frames, list(ports)
    mass = np.array([sum(f.fed[k] for k in ports) for f in frames]) * forecast.density
    return np.array([f.time for f in frames]), mass
