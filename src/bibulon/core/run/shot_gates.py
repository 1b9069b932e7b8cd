"""The last gates, at the mould: what must stand ready before the first feed opens, each noted by one press."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.model.job import AtTime, Job
from bibulon.core.resin.charge import Charge
from bibulon.core.run.before import BEFORE, mixing_waits
from bibulon.core.run.journal import Entry
from bibulon.core.run.layup import noted
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = ["ShotGate", "gate_entry", "gates_left", "shot_gates", "waits_for"]


class ShotGate(Struct, frozen=True):
    """A gate: its name on a large key, and what it asks, with figures."""

    key: str
    name: str
    words: str


def shot_gates(job: Job, plan: Charge | None) -> tuple[ShotGate, ...]:
    """Return the gates of a job, in order."""
    feeds = [x for x in job.lines if x.role == "feed"]
    first = ", ".join(x.label for x in feeds if isinstance(x.opens, AtTime) and x.opens.time == 0) or tr(
        "the first"
    )
    rest = ", ".join(x.label for x in feeds if not (isinstance(x.opens, AtTime) and x.opens.time == 0))
    then = tr(", then {}", rest) if rest else ""
    batch = f"{figure(plan.batches[0].mass, 'mass', 2)}, " if plan is not None and plan.batches else ""
    return (
        ShotGate("shot:valves", tr("Valves named"), tr("Each valve is named aloud by who turns it: {0} opens{1}; all are shut", first, then)),
        ShotGate("shot:heel", tr("Heel marked"), tr("The bucket is marked at {}, the hose ends below it and is tied", figure(job.heel, "mass", 2))),
        ShotGate("shot:batch", tr("Batch 1 ready"), tr("The first batch, {}stands in the bucket, mixed by its card", batch)),
        ShotGate("shot:people", tr("All in place"), tr("Somebody at the bucket, at the valves, at the gauge, and at this board")),
    )  # fmt: skip


def gate_entry(gate: ShotGate, words: str, by: str, now: float) -> Entry:
    """Return the row that notes a gate, and who noted it; ``words`` as they were read."""
    return Entry(BEFORE, 0.0, "proven", {"step": gate.key, "text": words, "by": by}, now)


def gates_left(gates: Sequence[ShotGate], journal: Sequence[Entry]) -> list[ShotGate]:
    """Return the gates that are still shut: a shot that was begun before used up what was noted for it."""
    begun = max((k for k, e in enumerate(journal) if e.kind == "start"), default=-1)
    done = noted(journal[begun + 1 :], "proven", "unproven", "step")
    return [g for g in gates if g.key not in done]


def waits_for(gates: Sequence[ShotGate], journal: Sequence[Entry]) -> str:
    """Return, in words, what a start would pass over; empty where nothing stands against it."""
    left = [g.name.lower() for g in gates_left(gates, journal)]
    if mixing_waits(journal):
        left.insert(0, tr("the gates before resin (Prove, Before resin)"))
    return tr("Not yet: {}.", ", ".join(left)) if left else ""
