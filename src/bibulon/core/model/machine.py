"""What an injection machine gives, where one feeds a job."""

from __future__ import annotations

from bibulon.core.model.job import Job

__all__ = ["machine_rate"]


def machine_rate(job: Job) -> float | None:
    """Return what an injection machine gives all inlets together [m³/s]; None where an open bucket feeds."""
    injects = job.process != "infusion" and job.closed.injection is not None
    return job.closed.machine.rate if injects else None
