"""What a hand does to the pleats of a bag, Job -> Job: from then on they stand as set, whatever the mould does."""

from __future__ import annotations

from bibulon.core.bag.bag import Bag
from bibulon.core.model.bag import PleatAt
from bibulon.core.model.job import Job

__all__ = ["add_pleat", "change_pleat", "remove_pleat", "split_pleat", "work_out"]

NEW = 0.06  # m of a pleat that is added
APART = 0.10  # m between the halves of one that is split


def _set(job: Job, pleats: list[PleatAt]) -> Job:
    return job.replaced(bag=job.bag.replaced(pleats=tuple(pleats)))


def _own(bag: Bag) -> list[PleatAt]:
    return [
        PleatAt(id=p.id, at=p.at, size=p.size, lean="against the walk" if p.lean != "with the walk" else "with the walk", closing=p.closing)
        for p in bag.pleats
    ]  # fmt: skip


def _free(pleats: list[PleatAt]) -> str:
    taken = {p.id for p in pleats}
    return next(f"P{k}" for k in range(1, 10_000) if f"P{k}" not in taken)


def work_out(job: Job) -> Job:
    """Let the pleats follow from the mould again."""
    return job.replaced(bag=job.bag.replaced(pleats=None))


def add_pleat(job: Job, bag: Bag, at: float, size: float = NEW) -> Job:
    """Add a pleat a length along the walk [m]."""
    own = _own(bag)
    return _set(job, [*own, PleatAt(id=_free(own), at=at % bag.walk.length, size=size)])


def change_pleat(job: Job, bag: Bag, pleat: str, **fields: object) -> Job:
    """Change a pleat's place, size or lean."""
    if "at" in fields and isinstance(fields["at"], float):
        fields["at"] = fields["at"] % bag.walk.length
    return _set(job, [p.replaced(**fields) if p.id == pleat else p for p in _own(bag)])


def split_pleat(job: Job, bag: Bag, pleat: str) -> Job:
    """Put two of half the height in a pleat's place."""
    out: list[PleatAt] = []
    own = _own(bag)
    for p in own:
        if p.id != pleat:
            out.append(p)
            continue
        half = max(p.size / 2, 0.005)
        out.append(p.replaced(size=half, at=max(p.at - APART / 2, 0.0)))
        out.append(
            PleatAt(id=_free([*own, *out]), at=(p.at + APART / 2) % bag.walk.length, size=half, lean=p.lean)
        )
    return _set(job, out)


def remove_pleat(job: Job, bag: Bag, pleat: str) -> Job:
    """Take a pleat away."""
    return _set(job, [p for p in _own(bag) if p.id != pleat])
