"""When a line opens and shuts, set by dragging its bar: a time, or a delay after the front."""

from __future__ import annotations

from bibulon.core.edit.edit import change_line
from bibulon.core.model.job import AtTime, ByHand, Job, OnEmpty, OnFront, Opening

__all__ = ["open_later", "shut_later"]


def _shifted(when: Opening, time: float, before: float) -> Opening:
    """Return a rule whose moment is moved from ``before`` to ``time`` [s]; a delay does not go below nothing."""
    if isinstance(when, OnFront | OnEmpty):
        return when.replaced(delay=max(round(when.delay + time - before, 1), 0.0))
    if isinstance(when, ByHand):
        return ByHand(about=max(round(time, 1), 0.0))
    return AtTime(time=max(round(time, 1), 0.0))


def open_later(job: Job, line_id: str, time: float, before: float) -> Job:
    """Open a line at another moment than ``before`` [s]: in its own way, at a time or after the front."""
    line = next(x for x in job.lines if x.id == line_id)
    return change_line(job, line_id, opens=_shifted(line.opens, time, before))


def shut_later(job: Job, line_id: str, time: float, before: float, end: float) -> Job:
    """Shut a line at another moment; one dragged to the end of all [s] is left open."""
    line = next(x for x in job.lines if x.id == line_id)
    if time >= end:
        return change_line(job, line_id, shuts=None)
    return change_line(job, line_id, shuts=_shifted(line.shuts or AtTime(time=before), time, before))
