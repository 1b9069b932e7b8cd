"""Drop tests: how fast a shut-off bag leaks, and whether a school passes it.

p(t) = p_0 + a t + b (1 − e^(−t/τ)): a is the leak, b what fades (outgassing, moisture, the bag
settling).  For each τ the rest is linear least squares; τ is scanned and the interval of a is the
union over every τ that the record cannot rule out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import stats

from bibulon.core.model.job import DropTest, Job, Reading
from bibulon.core.model.rules import School
from bibulon.core.units.units import clock

__all__ = ["LeakError", "LeakResult", "Verdict", "fit_drop", "judge", "school_of"]

Floats = npt.NDArray[np.float64]
CONFIDENCE = 0.95


class LeakError(ValueError):
    """A record that cannot be judged; the text says what is wrong and where."""


@dataclass(frozen=True)
class LeakResult:
    """The fitted record: rise [Pa/s] with its 95 % interval, leak V a [Pa m³/s], what fades [Pa]."""

    start: float
    rise: float
    rise_low: float
    rise_high: float
    fading: float
    fading_time: float
    scatter: float
    duration: float
    volume: float

    @property
    def leak(self) -> float:
        """Leak rate q = V dp/dt [Pa m³/s]."""
        return self.volume * self.rise

    @property
    def leak_interval(self) -> tuple[float, float]:
        """Its 95 % interval [Pa m³/s]."""
        return self.volume * self.rise_low, self.volume * self.rise_high

    def pressure(self, time: Floats) -> Floats:
        """Return the fitted pressure [Pa] at times [s], same shape."""
        fade = self.fading * (1 - np.exp(-time / self.fading_time)) if self.fading else 0.0
        return self.start + self.rise * time + fade


@dataclass(frozen=True)
class Verdict:
    """``outcome`` is "pass", "fail" or "cannot tell"; ``figures`` says what against what."""

    outcome: str
    reason: str
    figure: str
    limit: str


def _checked(readings: Sequence[Reading]) -> tuple[Floats, Floats]:
    if len(readings) < 3:
        raise LeakError(
            f"At least three readings are needed; there {'is' if len(readings) == 1 else 'are'} {len(readings)}."
        )
    time = np.array([r.time for r in readings])
    pressure = np.array([r.pressure for r in readings])
    back = np.flatnonzero(np.diff(time) <= 0)
    if len(back):
        k = int(back[0]) + 1
        raise LeakError(f"Reading {k + 1} at {clock(time[k])} does not come after the one before it.")
    return time - time[0], pressure


def _solve(time: Floats, pressure: Floats, tau: float | None) -> tuple[Floats, float, float]:
    """Return coefficients (p0, a[, b]), residual sum of squares and standard error of a."""
    columns = [np.ones_like(time), time] + ([1 - np.exp(-time / tau)] if tau else [])
    design = np.column_stack(columns)
    scale = np.abs(design).max(axis=0)
    coefficient, *_ = np.linalg.lstsq(design / scale, pressure, rcond=None)
    residual = pressure - design / scale @ coefficient
    ssr = float(residual @ residual)
    freedom = max(len(time) - design.shape[1], 1)
    cover = np.linalg.pinv((design / scale).T @ (design / scale)) * ssr / freedom
    return coefficient / scale, ssr, float(np.sqrt(max(cover[1, 1], 0.0)) / scale[1])


def fit_drop(readings: Sequence[Reading], volume: float) -> LeakResult:
    """Fit a drop test.

    Parameters
    ----------
    readings : in the order of time; at least three.
    volume : volume shut off with the bag [m³].

    Raises
    ------
    LeakError : when there are too few readings or their times do not rise.
    """
    if volume <= 0:
        raise LeakError("The volume of bag, hoses and pots must be more than nothing.")
    time, pressure = _checked(readings)
    n, length = len(time), float(time[-1])
    line, line_ssr, line_error = _solve(time, pressure, None)
    span = stats.t.ppf((1 + CONFIDENCE) / 2, max(n - 2, 1))
    best = LeakResult(
        line[0], line[1], line[1] - span * line_error, line[1] + span * line_error, 0.0, 1.0,
        float(np.sqrt(line_ssr / max(n - 2, 1))), length, volume,
    )  # fmt: skip
    if n < 6:
        return best
    fits = [(tau, *_solve(time, pressure, tau)) for tau in np.geomspace(length / 30, length / 1.5, 24)]
    fits = [f for f in fits if f[1][2] >= 0] or fits
    tau, coefficient, ssr, _ = min(fits, key=lambda f: f[2])
    freedom = max(n - 4, 1)
    floor = 1e-12 * float(pressure @ pressure)
    gain = (line_ssr - ssr) / 2 / max(ssr / freedom, floor)
    if gain < stats.f.ppf(CONFIDENCE, 2, freedom):
        return best
    span = stats.t.ppf((1 + CONFIDENCE) / 2, freedom)
    allowed = max(ssr, floor) * (1 + stats.f.ppf(CONFIDENCE, 1, freedom) / freedom)
    likely = [f for f in fits if f[2] <= allowed]
    return LeakResult(
        coefficient[0], coefficient[1],
        min(f[1][1] - span * f[3] for f in likely), max(f[1][1] + span * f[3] for f in likely),
        coefficient[2], tau, float(np.sqrt(ssr / freedom)), length, volume,
    )  # fmt: skip


def school_of(job: Job) -> School:
    """Return the school that the job's test is judged by; the first when it names none it knows."""
    return next((s for s in job.rules.schools if s.id == job.test.school), job.rules.schools[0])


def judge(test: DropTest, result: LeakResult, school: School) -> Verdict:
    """Judge a fitted test by a school."""
    if school.start_below and result.start > school.start_below:
        return Verdict(
            "fail", "The bag never got deep enough for this test to show its leak.",
            f"{result.start / 100:.0f} mbar at the start", f"under {school.start_below / 100:.0f} mbar",
        )  # fmt: skip
    if school.leak_limit:
        return _by_rate(result, school)
    seconds = school.minutes * 60
    if result.duration < seconds * 0.995:
        rate = max(result.rise_low, 0.0) * seconds
        if rate <= school.allowed_drop:
            return Verdict(
                "cannot tell", f"The record is too short: this school wants {school.minutes:g} min.",
                f"{clock(result.duration)} recorded", f"{school.minutes:g} min",
            )  # fmt: skip
    time = np.array([r.time for r in test.readings]) - test.readings[0].time
    pressure = np.array([r.pressure for r in test.readings])
    until = min(seconds, result.duration)
    drop = float(np.interp(until, time, pressure) - pressure[0])
    figure = f"{drop / 100:.1f} mbar lost in {clock(until)}"
    limit = f"{school.allowed_drop / 100:g} mbar in {school.minutes:g} min"
    if drop > school.allowed_drop:
        return Verdict("fail", "The bag loses more than this school allows.", figure, limit)
    return Verdict("pass", school.reason, figure, limit)


def _by_rate(result: LeakResult, school: School) -> Verdict:
    low, high = (q * 10 for q in result.leak_interval)
    figure = f"{result.leak * 10:.4f} mbar·L/s ({low:.4f} to {high:.4f})"
    limit = f"{school.leak_limit * 10:g} mbar·L/s"
    if high <= school.leak_limit * 10:
        return Verdict("pass", school.reason, figure, limit)
    if low > school.leak_limit * 10:
        return Verdict(
            "fail", "The leak is over the limit even at the low end of its interval.", figure, limit
        )
    return Verdict(
        "cannot tell",
        "The record is too short or too rough: the limit lies inside the interval. Hold longer.",
        figure,
        limit,
    )
