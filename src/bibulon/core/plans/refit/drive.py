"""The drive as it was read: where it differs from the plan, ∫ p/μ dt re-times a forecast exactly."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt

__all__ = ["Drive", "drive_of"]

Floats = npt.NDArray[np.float64]
FAR = 1e7  # s


@dataclass(frozen=True)
class Drive:
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


def drive_of(
    gauge: Sequence[tuple[float, float]],
    air: float,
    planned: float,
    thickness: Sequence[tuple[float, float]] = (),
) -> Drive:
    """Return the drive of gauge readings (time [s], absolute pressure [Pa]) against the plan's vacuum.

    thickness : (time [s], viscosity over the plan's) as the resin's temperature makes it.

    Raises
    ------
    ValueError : when times do not rise, or a reading leaves no drive.
    """
    if any(b[0] <= a[0] for a, b in pairwise(gauge)):
        raise ValueError("the gauge's times must rise")
    full = air - planned
    out = []
    thick_at = np.array([t for t, _ in thickness]) if thickness else np.array([0.0])
    thick = np.array([m for _, m in thickness]) if thickness else np.array([1.0])
    rows = gauge or [(float(t), planned) for t in thick_at]
    for time, pressure in rows:
        share = (air - pressure) / full
        if share <= 0.02:
            raise ValueError(f"the gauge at {time:.0f} s leaves no drive: how does it read?")
        out.append((float(time), share / float(np.interp(time, thick_at, thick))))
    return Drive(tuple(out))
