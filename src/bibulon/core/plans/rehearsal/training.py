"""A person's training log: a line a rehearsal, as JSON."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable

from msgspec import Struct

from bibulon.core.plans.rehearsal.debrief import Debrief

__all__ = ["Trained", "trained_of", "training_line"]

MOST = 20  # rehearsals that are told


class Trained(Struct, frozen=True):
    """A rehearsal: Unix time, the job, how it came out, and of how many faults how many were noticed."""

    at: float
    job: str
    outcome: str
    faults: int
    noticed: int


def training_line(person: str, job: str, at: float, told: Debrief) -> str:
    """Return the line of a rehearsal that has ended; ``at`` is Unix time."""
    row = {
        "unix_s": at, "person": person, "job": job, "outcome": told.outcome, "loss": round(told.loss, 4),
        "faults": {f.fault.kind: f.noticed for f in told.found},
    }  # fmt: skip
    return json.dumps(row, ensure_ascii=False)


def trained_of(lines: Iterable[str], person: str) -> tuple[Trained, ...]:
    """Return a person's rehearsals, the latest first; lines that cannot be read are passed over."""
    out = []
    for line in lines:
        try:
            row = json.loads(line)
        except json.JSONDecodeError:
            continue
        if not isinstance(row, dict) or row.get("person", person) != person:
            continue
        at, faults = row.get("unix_s"), row.get("faults")
        if not isinstance(at, int | float) or not math.isfinite(at) or not isinstance(faults, dict):
            continue
        seen = sum(v is not None for v in faults.values())
        out.append(
            Trained(float(at), str(row.get("job", "")), str(row.get("outcome", "")), len(faults), seen)
        )
    return tuple(sorted(out, key=lambda t: -t.at)[:MOST])
