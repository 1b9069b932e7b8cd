"""What to do first: the next thing that a job lacks before it can be judged."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.core.model.job import Job

__all__ = ["Step", "next_step"]


@dataclass(frozen=True)
class Step:
    """One thing to do, and the station where it is done."""

    text: str
    station: str


def next_step(job: Job) -> Step | None:
    """Return what is next in shop order; None once a forecast is possible."""
    if not job.stack:
        return Step(
            "Set the outline in Part: draw it, type it, or load a drawing. Then lay the stack.", "Stack"
        )
    if job.resin is None:
        return Step("Choose a resin: its viscosity sets the pace, and its gel the end.", "Charge")
    roles = {line.role for line in job.lines}
    if "feed" not in roles:
        return Step("Draw a feed where resin begins, or let Suggest lay the lines.", "Lines")
    if "vacuum" not in roles:
        return Step("Draw a vacuum line where resin should arrive last.", "Lines")
    return None
