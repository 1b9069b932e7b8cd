"""The drive as it was read: where it differs from the plan, ∫ p/μ dt re-times a forecast exactly."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.resin.clock import NO_GEL, flow_clock
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = ["Drive", "drive_of", "gel_at", "warmed"]

Floats = npt.NDArray[np.float64]
FAR = 1e7  # s
# Of a re-timing: moments, how far it goes [s], and up to what share of the gel.
STEPS, LONGEST, LAST = 700, 6 * 3600.0, 0.98


class Drive(Struct, frozen=True, dict=True):
    """Readings (time [s], drive over the plan's): straight between them, the last one held; without any the plan's own."""

    readings: tuple[tuple[float, float], ...] = ()

    @cached_property
    def _course(self) -> tuple[Floats, Floats, float]:
        if not self.readings:
            return np.array([0.0]), np.array([0.0]), 1.0
        time = np.array([t for t, _ in self.readings])
        share = np.array([s for _, s in self.readings])
        if time[0] > 0:  # before the first reading it was as then
            time, share = np.r_[0.0, time], np.r_[share[0], share]
        work = np.r_[0.0, np.cumsum((share[1:] + share[:-1]) / 2 * np.diff(time))]
        return time, work, float(share[-1])

    def plan_time(self, time: float) -> float:
        """Return the plan's time by which as much is done as by a real one [s]."""
        at, work, last = self._course
        return float(np.interp(time, at, work)) + max(time - float(at[-1]), 0.0) * last

    def times(self, plan: Floats) -> Floats:
        """Return the real times of the plan's [s], same shape."""
        at, work, last = self._course
        beyond = np.minimum(np.maximum(plan - work[-1], 0.0) / max(last, 1e-6), FAR)
        return np.asarray(np.interp(plan, work, at) + beyond + np.minimum(plan, 0.0))

    def time(self, plan: float) -> float:
        """Return the real time of one of the plan's [s]."""
        return float(self.times(np.array([plan]))[0])


def gel_at(job: Job, warm: float) -> float:
    """Return when the first batch gels [s into the run] with resin so warm [K]."""
    assert job.resin is not None
    gel = flow_clock(job.resin, warm, job.conditions.mixed_before_start).gel
    return gel if gel < NO_GEL else math.inf


def warmed(job: Job, drive: Drive, warmth: Sequence[tuple[float, float]]) -> Drive:
    """Return a drive re-timed for a resin whose temperature was read at times [s, K].

    dt_plan/dt = s μ_plan(t_plan)/μ(t), with s the drive's share and μ(t) that of a resin which has been as warm as it reads; between
    readings ln μ goes straight from one to the next, the last is held.
    """
    return _warmed(job, drive, tuple(warmth)) if job.resin is not None and warmth else drive


@by_identity(1, 4)  # each mark asks
def _warmed(job: Job, drive: Drive, warmth: tuple[tuple[float, float], ...]) -> Drive:
    assert job.resin is not None
    before = job.conditions.mixed_before_start
    plan = flow_clock(job.resin, job.conditions.resin_temperature, before)
    read = [flow_clock(job.resin, warm, before) for _, warm in warmth]
    end = min(LONGEST, LAST * min(plan.gel, *(c.gel for c in read)))
    time = end * np.linspace(0.0, 1.0, STEPS) ** 2  # fine while it is young
    logs = np.array([np.log(np.interp(time, c.time, c.viscosity)) for c in read])
    at = np.interp(time, [t for t, _ in warmth], np.arange(len(read)))
    low = np.minimum(at.astype(int), len(read) - 1)
    high = np.minimum(low + 1, len(read) - 1)
    steps = np.arange(STEPS)
    mu = np.exp(logs[low, steps] + (at - low) * (logs[high, steps] - logs[low, steps]))
    share = np.gradient(np.array([drive.plan_time(float(t)) for t in time]), time)
    rate, gone = np.empty(STEPS), 0.0
    for k in range(STEPS):
        rate[k] = share[k] * plan.at(gone) / mu[k]
        if k + 1 < STEPS:  # Heun
            first = gone + rate[k] * (time[k + 1] - time[k])
            gone += (rate[k] + share[k + 1] * plan.at(first) / mu[k + 1]) / 2 * (time[k + 1] - time[k])
    return Drive(tuple(zip(time.tolist(), rate.tolist(), strict=True)))


def drive_of(gauge: Sequence[tuple[float, float]], air: float, planned: float) -> Drive:
    """Return the drive of gauge readings (time [s], absolute pressure [Pa]) against the plan's vacuum.

    Raises
    ------
    ValueError : when times do not rise, or a reading leaves no drive.
    """
    if any(b[0] <= a[0] for a, b in pairwise(gauge)):
        raise ValueError(tr("the gauge's times must rise"))
    full = air - planned
    out = []
    for time, pressure in gauge:
        share = (air - pressure) / full
        if share <= 0.02:
            raise ValueError(tr("the gauge at {:.0f} s leaves no drive: how does it read?", time))
        out.append((float(time), share))
    return Drive(tuple(out))
