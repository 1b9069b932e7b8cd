"""Edits of the line diagram: manifolds, buckets, pots, bypass and pump added, changed and taken away."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from bibulon.core.edit.edit import change, change_line, new_id
from bibulon.core.model.job import (
    AtTime,
    Bucket,
    Bypass,
    CatchPot,
    Job,
    Manifold,
    OnEmpty,
    PouredBatch,
)
from bibulon.core.model.line_kinds import KINDS
from bibulon.core.units.words import tr

__all__ = [
    "add_bucket",
    "add_bypass",
    "add_manifold",
    "add_pot",
    "change_bucket",
    "change_hose",
    "change_manifold",
    "change_pot",
    "change_pump",
    "drop_node",
    "set_kind",
]


def set_kind(job: Job, line_id: str, kind: str) -> Job:
    """Make a line of another kind: its bore and whether it is a membrane follow."""
    told = KINDS[kind]  # type: ignore[index]
    return change_line(job, line_id, kind=kind, bore=told.bore, membrane=told.membrane)


def change_hose(job: Job, key: str, **fields: Any) -> Job:
    """Change what a line's or a manifold's hose is made of and how it is fitted."""
    if line := next((x for x in job.lines if x.id == key), None):
        return change_line(job, key, hose=line.hose.replaced(**fields))
    manifold = next(m for m in job.manifolds if m.id == key)
    return change_manifold(job, key, hose=manifold.hose.replaced(**fields))


def add_manifold(job: Job) -> Job:
    """Add a manifold on which all feeds hang that have no pump of their own."""
    key = new_id("M", [m.id for m in job.manifolds] + [x.id for x in job.lines])
    made = Manifold(id=key, label=key)
    lines = tuple(
        x.replaced(manifold=key) if x.role == "feed" and x.manifold is None and x.rate is None else x
        for x in job.lines
    )
    feeds = {x.id for x in lines if x.manifold == key}
    buckets = tuple(
        b.replaced(feeds=tuple(dict.fromkeys(key if f in feeds else f for f in b.feeds))) if b.feeds else b
        for b in job.buckets
    )
    return change(job, manifolds=(*job.manifolds, made), lines=lines, buckets=buckets)


def change_manifold(job: Job, key: str, **fields: Any) -> Job:
    """Change some fields of a manifold."""
    manifolds = tuple(m.replaced(**fields) if m.id == key else m for m in job.manifolds)
    return change(job, manifolds=manifolds)


def add_bucket(job: Job) -> Job:
    """Add a bucket; the first holds the charge's batches, a later one a batch poured when the one before is empty."""
    from bibulon.core.resin.charge import charge

    key = new_id("B", [b.id for b in job.buckets])
    mixed = -job.conditions.mixed_before_start
    if not job.buckets:
        batches = charge(job).batches if job.resin else ()
        poured = tuple(
            PouredBatch(mass=b.mass, mixed=mixed, poured=AtTime() if k == 0 else OnEmpty(bucket=key))
            for k, b in enumerate(batches)
        ) or (PouredBatch(mass=1.0),)
        made = Bucket(id=key, heel=job.charge.heel, batches=poured)
        return change(job, buckets=(made,))
    taken = {f for b in job.buckets for f in b.feeds}
    inlets = [x.id for x in job.lines if x.role == "feed" and x.manifold is None] + [
        m.id for m in job.manifolds
    ]
    free = [i for i in inlets if i not in taken]
    if len(inlets) < 2 or (not free and all(b.feeds for b in job.buckets)):
        raise ValueError(
            tr("A second bucket needs a feed of its own: every feed stands in a bucket already.")
        )
    mine = free[-1] if free else inlets[-1]
    buckets = tuple(b.replaced(feeds=tuple(f for f in (b.feeds or inlets) if f != mine)) for b in job.buckets)
    return change(
        job,
        buckets=(
            *buckets,
            Bucket(
                id=key, feeds=(mine,), heel=job.charge.heel, batches=(PouredBatch(mass=2.0, mixed=mixed),)
            ),
        ),
    )


def change_bucket(job: Job, key: str, **fields: Any) -> Job:
    """Change some fields of a bucket."""
    buckets = tuple(b.replaced(**fields) if b.id == key else b for b in job.buckets)
    return change(job, buckets=buckets)


def fill_bucket(job: Job, batches: Sequence[tuple[float, float, float]]) -> Job:
    """Put other batches into a job's only bucket: masses [kg], when mixing begins and when they are poured [s].

    Raises
    ------
    ValueError : when it has several, since nobody says which batch goes into which.
    """
    if len(job.buckets) != 1:
        raise ValueError(tr("There are {} buckets: set their batches on the diagram.", len(job.buckets)))
    made = tuple(
        PouredBatch(mass=mass, mixed=mixed, poured=AtTime(time=max(poured, 0.0)))
        for mass, mixed, poured in batches
    )
    return change_bucket(job, job.buckets[0].id, batches=made)


def begin_batch(job: Job, number: int, mixed: float, ready: float) -> Job:
    """Mix a batch of the job's buckets, counted from 0 through all of them, at another moment, and pour it once it is ready [s]."""
    for bucket in job.buckets:
        if number < len(bucket.batches):
            old = bucket.batches[number]
            poured = old.poured if number == 0 else AtTime(time=max(ready, 0.0))
            batches = list(bucket.batches)
            batches[number] = old.replaced(mixed=mixed, poured=poured)
            return change_bucket(job, bucket.id, batches=tuple(batches))
        number -= len(bucket.batches)
    return job


def add_pot(job: Job) -> Job:
    """Add a catch pot; vacuum lines that lead to none lead to it."""
    key = new_id("P", [p.id for p in job.pots])
    lines = tuple(x.replaced(pot=key) if x.role == "vacuum" and x.pot is None else x for x in job.lines)
    return change(job, pots=(*job.pots, CatchPot(id=key, label=tr("pot {}", len(job.pots) + 1))), lines=lines)


def change_pot(job: Job, key: str, **fields: Any) -> Job:
    """Change some fields of a catch pot; its regulator sets the pull of every line that leads to it."""
    pots = tuple(p.replaced(**fields) if p.id == key else p for p in job.pots)
    job = change(job, pots=pots)
    if "regulated" in fields:
        for line in job.lines:
            if line.pot == key:
                job = change_line(job, line.id, pull=fields["regulated"])
    return job


def add_bypass(job: Job) -> Job:
    """Add a clamped bypass from the first manifold or feed to the first pot.

    Raises
    ------
    ValueError : when there is no feed or no pot to lead it between.
    """
    feeds = [m.id for m in job.manifolds] + [x.id for x in job.lines if x.role == "feed"]
    if not feeds or not job.pots:
        raise ValueError(tr("A bypass leads from a feed to a catch pot: add both first."))
    key = new_id("Y", [w.id for w in job.bypasses])
    return change(job, bypasses=(*job.bypasses, Bypass(id=key, label=key, feed=feeds[0], pot=job.pots[0].id)))


def change_pump(job: Job, **fields: Any) -> Job:
    """Change some fields of the pump."""
    return change(job, pump=job.pump.replaced(**fields))


def drop_node(job: Job, kind: str, key: str) -> Job:
    """Take something of the diagram away; what hung on it hangs on nothing."""
    from bibulon.core.edit.edit import remove_line

    match kind:
        case "feed" | "vacuum":
            bypasses = tuple(w for w in job.bypasses if w.feed != key)
            return remove_line(change(job, bypasses=bypasses), key)
        case "manifold":
            hung = tuple(x.id for x in job.lines if x.manifold == key)
            lines = tuple(x.replaced(manifold=None) if x.manifold == key else x for x in job.lines)
            buckets = tuple(
                b.replaced(feeds=tuple(g for f in b.feeds for g in (hung if f == key else (f,))))
                for b in job.buckets
            )
            kept = tuple(b for b, old in zip(buckets, job.buckets, strict=True) if b.feeds or not old.feeds)
            return change(
                job, lines=lines, manifolds=tuple(m for m in job.manifolds if m.id != key), buckets=kept,
                bypasses=tuple(w for w in job.bypasses if w.feed != key),
            )  # fmt: skip
        case "bucket":
            return change(
                job,
                buckets=tuple(b for b in job.buckets if b.id != key),
                lines=tuple(_freed(x, key) for x in job.lines),
            )
        case "pot":
            lines = tuple(x.replaced(pot=None) if x.pot == key else x for x in job.lines)
            return change(
                job, lines=lines, pots=tuple(p for p in job.pots if p.id != key),
                bypasses=tuple(w for w in job.bypasses if w.pot != key),
            )  # fmt: skip
        case "bypass":
            return change(job, bypasses=tuple(w for w in job.bypasses if w.id != key))
    return job


def _freed(line: Any, bucket: str) -> Any:
    """Return a line that no longer waits for a bucket."""
    fields: dict[str, Any] = {}
    if isinstance(line.opens, OnEmpty) and line.opens.bucket == bucket:
        fields["opens"] = AtTime()
    if isinstance(line.shuts, OnEmpty) and line.shuts.bucket == bucket:
        fields["shuts"] = None
    return line.replaced(**fields) if fields else line
