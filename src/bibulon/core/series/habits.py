"""What a shop's records say of itself: how long its stages take, and where its bags leaked.

Hours of a stage are log-normal over the jobs; the next one's range is Student's (Gelman and others, section 3.2).  Leaks by kind of
place are counts over what the usual weights of the hunt would expect, shrunk towards them by a gamma prior (section 2.6).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence

import numpy as np
import scipy
from msgspec import Struct

from bibulon.core.bag.bag import bag_of
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.hunt import places_of
from bibulon.core.model.job import Job
from bibulon.core.run.hunting import mended
from bibulon.core.run.journal import Entry, number, rows_of, run_state
from bibulon.core.series.weighed import Range

__all__ = [
    "STAGES",
    "Leaks",
    "Stage",
    "hours_by_process",
    "leaks_of",
    "leaks_told",
    "spans_of",
    "stages_told",
]

STAGES = {  # a stage's words, and the kinds of rows between whose first and last it lies
    "laying up": ("laid", "loaded"),
    "bag and draw down": ("drawn", "bridge"),
    "leak tests and hunt": ("test", "tested", "heard", "clamped", "mended"),
    "filling": (),
    "until it left the mould": (),
}
LONGEST = 72 * 3600.0  # s; what took longer was left over a weekend
PRIOR = 10.0  # leaks that the usual weights are worth


class Stage(Struct, frozen=True):
    """How long a stage takes [s]: its range of the next one, nine times in ten (inf from one job alone), and how many are known."""

    name: str
    time: Range
    jobs: int


class Leaks(Struct, frozen=True):
    """A kind of place: how often it leaked, how often the usual weights expect, and the factor on its weight, nine in ten."""

    kind: str
    found: int
    expected: float
    factor: Range


def spans_of(journal: Sequence[Entry]) -> dict[str, float]:
    """Return how long the stages of a job took [s], those that its rows tell."""
    out = {}
    for name, kinds in STAGES.items():
        at = [e.written_at for e in rows_of(journal, *kinds) if e.written_at > 0]
        if len(at) > 1:
            out[name] = max(at) - min(at)
    state = run_state(journal)
    if state.wet_at is not None:
        out["filling"] = state.wet_at
    demould = [v for e in rows_of(journal, "weighed") if (v := number(e.data, "demould")) is not None]
    if demould:
        out["until it left the mould"] = demould[-1]
    return {name: span for name, span in out.items() if 0 < span <= LONGEST}


def stages_told(jobs: Iterable[Mapping[str, float]]) -> tuple[Stage, ...]:
    """Return what the spans [s] of many jobs say of each stage, in shop order."""
    by: dict[str, list[float]] = {}
    for spans in jobs:
        for name, span in spans.items():
            by.setdefault(name, []).append(math.log(span))
    out = []
    for name in STAGES:
        if name in by:
            logs = np.array(by[name])
            n, middle = len(logs), float(logs.mean())
            wide = math.inf
            if n > 1:
                wide = (
                    float(scipy.special.stdtrit(n - 1, 0.95)) * float(logs.std(ddof=1)) * math.sqrt(1 + 1 / n)
                )
            ends = (math.exp(middle - wide), math.exp(middle), math.exp(min(middle + wide, 700.0)))
            out.append(Stage(name, Range(*ends), n))
    return tuple(out)


def hours_by_process(jobs: Iterable[tuple[str, Mapping[str, float]]]) -> dict[str, tuple[float, int]]:
    """Return hours of work a part by process, and from how many jobs: the usual times of what hands do, from laying up to full."""
    by: dict[str, list[Mapping[str, float]]] = {}
    for process, spans in jobs:
        if "laying up" in spans:
            by.setdefault(process, []).append(spans)
    out = {}
    for process, rows in by.items():
        usual = [s.time.middle for s in stages_told(rows) if s.name != "until it left the mould"]
        out[process] = (round(sum(usual) / 3600, 2), len(rows))
    return out


def leaks_of(job: Job, journal: Sequence[Entry]) -> tuple[tuple[str, dict[str, float]], ...]:
    """Return each leak that was mended: the kind of place it was at, and each kind's share of the usual weights on this bag."""
    found = mended(journal)
    if not found or job.process != "infusion":
        return ()
    try:
        places = places_of(job, bag_of(job))
    except (OutlineError, ValueError):
        return ()
    whole = sum(p.weight for p in places)
    shares: dict[str, float] = {}
    for p in places:
        shares[p.kind] = shares.get(p.kind, 0.0) + p.weight / whole
    told = {kind: round(share, 5) for kind, share in shares.items()}
    return tuple((min(places, key=lambda p: math.hypot(p.x - x, p.y - y)).kind, told) for x, y, _ in found)


def leaks_told(found: Sequence[tuple[str, Mapping[str, float]]]) -> tuple[Leaks, ...]:
    """Return what the leaks of many jobs say of each kind of place, those that leaked most first."""
    kinds = {kind for kind, _ in found} | {k for _, shares in found for k in shares}
    out = []
    for kind in kinds:
        count = sum(1 for k, _ in found if k == kind)
        expected = sum(shares.get(kind, 0.0) for _, shares in found)
        before = PRIOR * expected / max(len(found), 1)  # the prior knows as much of each kind as its share is
        shape, rate = before + count, before + expected
        if rate <= 0:
            continue
        low, high = (float(scipy.special.gammaincinv(shape, q)) / rate for q in (0.05, 0.95))
        out.append(Leaks(kind, count, expected, Range(low, shape / rate, high)))
    return tuple(sorted(out, key=lambda x: (-x.found, x.kind)))
