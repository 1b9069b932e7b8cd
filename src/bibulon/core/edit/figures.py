"""One figure of a job by its path, such as “closed.machine.rate”."""

from __future__ import annotations

from typing import Any

from bibulon.core.model.job import Job

__all__ = ["figure_at", "with_figure"]


def figure_at(job: Job, path: str) -> Any:
    """Return what stands at a path."""
    there: Any = job
    for name in path.split("."):
        there = getattr(there, name)
    return there


def with_figure(job: Job, path: str, value: object) -> Job:
    """Return the job with another value at a path.

    Raises
    ------
    Invalid : when the job cannot have it.
    """

    def changed(there: Any, names: list[str]) -> Any:
        first, *rest = names
        return there.replaced(**{first: changed(getattr(there, first), rest) if rest else value})

    made: Job = changed(job, path.split("."))
    return made
