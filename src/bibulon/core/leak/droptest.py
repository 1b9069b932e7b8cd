"""Drop tests: how fast a shut-off bag leaks, and whether a school passes it.

p(t) = p_0 + a t + b (1 − e^(−t/τ)): a is the leak, b what fades (outgassing, moisture, the bag settling); what a
record can say of both is worked out in ``interval``.  A record shorter than its school never passes, a falling
pressure never passes, and where the limit lies inside the interval the verdict is that it cannot tell yet.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.leak.interval import Spread, spread_of
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest, Job
from bibulon.core.model.rules import School
from bibulon.core.resin.clock import NO_GEL, flow_clock
from bibulon.core.units.figures import Told, figure, worded
from bibulon.core.units.units import System, clock
from bibulon.core.units.words import tr

__all__ = [
    "NINE_IN_TEN",
    "LeakError",
    "LeakResult",
    "Verdict",
    "at_one_temperature",
    "fit_drop",
    "fit_test",
    "gel_of",
    "judge",
    "lasting",
    "school_of",
]

Floats = npt.NDArray[np.float64]
# The mixture's own 2.5 to 97.5 % held the truth in 90 to 92 % of records that wander and fade in two ways; these hold it
# in 95 to 100 % (bin/bench coverage, 500 logs a family), so they are what is called 95 %.
LEVEL = (0.009, 0.965)
NINE_IN_TEN = (0.03, 0.96)
ROOM = 293.15  # K
WEATHER = 300.0 / 3600  # Pa/s: 3 mbar an hour, a brisk change of weather
LEAST_READINGS = 8  # for a verdict
LEAST_SPAN = 60.0  # s
VOLUME = (1e-4, 10.0)  # m³ that a bag with its hoses and pots can have


class LeakError(Told):
    """A record that cannot be judged; the text says what is wrong and where."""


class LeakResult(Struct, frozen=True, eq=False):
    """The record's leak: middle and 95 % interval of the rise [Pa/s], leak V a [Pa m³/s], what fades [Pa], the likeliest curve."""

    rise: float
    rise_low: float
    rise_high: float
    fading: float
    duration: float
    volume: float
    count: int
    start: float
    spread: Spread

    @property
    def leak(self) -> float:
        """Leak rate q = V dp/dt [Pa m³/s]."""
        return self.volume * self.rise

    @property
    def leak_interval(self) -> tuple[float, float]:
        """Its 95 % interval [Pa m³/s]."""
        return self.volume * self.rise_low, self.volume * self.rise_high

    def pressure(self, time: Floats) -> Floats:
        """Return the likeliest pressure [Pa] at times [s], same shape."""
        return self.spread.pressure(time)


class Verdict(Struct, frozen=True):
    """``outcome`` is "pass", "fail" or "cannot tell"; ``figures`` says what against what.

    wait : how much longer to record until it should tell [s]; 0 when it has told, None where no waiting helps.
    """

    outcome: str
    reason: str
    figure: str
    limit: str
    wait: float | None = 0.0

    def worded(self, system: System) -> Verdict:
        """Return the verdict with its figures written out in a system's units."""
        reason, told, limit = (worded(t, system) for t in (self.reason, self.figure, self.limit))
        return Verdict(self.outcome, reason, told, limit, self.wait)


def _checked(readings: Sequence[Reading]) -> tuple[Floats, Floats]:
    if len(readings) < 3:
        raise LeakError(
            tr(
                "At least three readings are needed; there {0} {1}.",
                "is" if len(readings) == 1 else "are",
                len(readings),
            )
        )
    time = np.array([r.time for r in readings])
    pressure = np.array([r.pressure for r in readings])
    back = np.flatnonzero(np.diff(time) <= 0)
    if len(back):
        k = int(back[0]) + 1
        raise LeakError(
            tr("Reading {0} at {1} does not come after the one before it.", k + 1, clock(time[k]))
        )
    return time - time[0], pressure


def fit_drop(
    readings: Sequence[Reading], volume: float, *, swing: float = 1.0, weather: float = 0.0, step: float = 0.0
) -> LeakResult:
    """Fit a drop test.

    Parameters
    ----------
    readings : in the order of time; at least three.
    volume : volume shut off with the bag [m³].
    swing : by how much the bag may have warmed or cooled unseen [K]; 0 where its temperature was logged.
    weather : by how much the air outside may move under a dial gauge [Pa/s]; 0 for an absolute one.
    step : smallest change that the gauge shows [Pa]; 0 for what the record shows.

    Raises
    ------
    LeakError : when there are too few readings, their times do not rise, or the volume is no bag's.
    """
    if not VOLUME[0] <= volume <= VOLUME[1]:
        raise LeakError(
            tr(
                "The volume of bag, hoses and pots must lie between {0} and {1}; it is {2}.",
                figure(VOLUME[0], "volume", 1),
                figure(VOLUME[1], "volume", 0),
                figure(volume, "volume", 1),
            )
        )
    time, pressure = _checked(readings)
    spread = spread_of(time, pressure, step)
    unseen = math.hypot(float(pressure.mean()) / ROOM * swing / float(time[-1]), weather) / 1.96
    middle = float(np.median(spread.rise))
    spread = spread.widened(unseen)
    low, high = spread.quantiles(*LEVEL)
    # What the ends believe, that no hole blows air out, the middle does too: none lies outside its own interval.
    middle = min(max(middle, low), high)
    return LeakResult(
        middle, low, high, float(np.median(spread.fade)), float(time[-1]), volume, len(time),
        float(pressure[0]), spread,
    )  # fmt: skip


def at_one_temperature(
    readings: Sequence[Reading], logged: Sequence[tuple[float, float]]
) -> tuple[Reading, ...]:
    """Return readings as they would be at the first temperature: p T_0/T(t), gas alone; ``logged`` as (s, K), held beyond its ends.

    Raises
    ------
    LeakError : when nothing was logged, or a temperature is none that a shop has.
    """
    if not logged:
        raise LeakError(tr("There is no temperature in that log."))
    times, kelvin = (np.array(column) for column in zip(*logged, strict=True))
    if kelvin.min() < 253 or kelvin.max() > 373:
        raise LeakError(tr("A logged temperature is none that a bag has: check its unit."))
    at = np.interp([r.time for r in readings], times, kelvin)
    return tuple(
        Reading(time=r.time, pressure=r.pressure * float(at[0] / t))
        for r, t in zip(readings, at, strict=True)
    )


def fit_test(test: DropTest) -> LeakResult:
    """Fit a job's test as it stands: at one temperature where that was logged, with its gauge's kind and step.

    Raises
    ------
    LeakError : when its readings cannot be judged.
    """
    readings = test.readings
    if test.warmth:
        readings = at_one_temperature(readings, [(w.time, w.temperature) for w in test.warmth])
    return fit_drop(
        readings, test.volume, swing=0.0 if test.warmth else 1.0, weather=WEATHER if test.gauge == "dial" else 0.0,
        step=test.gauge_step,
    )  # fmt: skip


def school_of(job: Job) -> School:
    """Return the school that the job's test is judged by; the first when it names none it knows.

    One that holds as long as the resin takes to gel has the minutes of the job's resin, where that is known.
    """
    school = next((s for s in job.rules.schools if s.id == job.test.school), job.rules.schools[0])
    return lasting(school, gel_of(job)) if school.as_long_as == "gel" else school


def lasting(school: School, gel: float | None) -> School:
    """Return a school that holds until gel [s] with its minutes."""
    if school.as_long_as != "gel" or gel is None:
        return school
    return school.replaced(minutes=max(gel / 60, 1.0))


def gel_of(job: Job) -> float | None:
    """Return how long after mixing the job's resin gels at its temperature [s]; None where that is not known."""
    if job.resin is None:
        return None
    gel = flow_clock(job.resin, job.conditions.resin_temperature).gel
    return gel if gel < NO_GEL else None


def judge(test: DropTest, result: LeakResult, school: School, atmosphere: float = 101325.0) -> Verdict:
    """Judge a fitted test by a school; ``atmosphere`` is today's air [Pa]."""
    if result.start > atmosphere / 2:
        return Verdict(
            tr("cannot tell"), tr("That is no vacuum: was the gauge read below today's air instead of absolute?"),
            tr("{} at the start", figure(result.start, "pressure", 0)), tr("under {}, half of today's air", figure(atmosphere / 2, "pressure", 0)), None,
        )  # fmt: skip
    if school.start_below and result.start > school.start_below:
        return Verdict(
            "fail", tr("The bag never got deep enough for this test to show its leak."),
            tr("{} at the start", figure(result.start, "pressure", 0)), tr("under {}", figure(school.start_below, "pressure", 0)),
        )  # fmt: skip
    if result.rise_high < 0:
        return Verdict(
            tr("cannot tell"),
            tr("The pressure falls, which no shut bag does: the valve leaks to the pump, bag or gauge cool down, the air "
            "outside falls under a dial gauge, or a gauge that reads below air was taken as absolute."),
            tr("{} a minute", figure(result.rise * 60, "small pressure")), tr("not falling"), None,
        )  # fmt: skip
    told, limit, low, high, allowed = _measured(result, school)
    if low > allowed:
        return Verdict(
            "fail", tr("The bag loses more than this school allows, even at the low end."), told, limit
        )
    seconds = school.minutes * 60
    if result.duration < seconds * 0.995:
        return Verdict(
            tr("cannot tell"), tr("The record is too short: this school wants {}.", school.lasts),
            tr("{} recorded", clock(result.duration)), school.lasts, seconds - result.duration,
        )  # fmt: skip
    if result.count < LEAST_READINGS or result.duration < LEAST_SPAN:
        return Verdict(
            tr("cannot tell"), tr("A verdict wants {} readings over a minute at least.", LEAST_READINGS),
            tr("{0} readings over {1}", result.count, clock(result.duration)), tr("{} readings", LEAST_READINGS),
            max(LEAST_SPAN - result.duration, 10.0),
        )  # fmt: skip
    if high > allowed:
        wanted = _wanted(result, low, high, allowed)
        return Verdict(
            tr("cannot tell"),
            tr("The limit lies inside the interval. {}", _longer(wanted)),
            told,
            limit,
            wanted - result.duration if wanted is not None else None,
        )
    return Verdict("pass", school.reason, told, limit)


def _measured(result: LeakResult, school: School) -> tuple[str, str, float, float, float]:
    """Return figure and limit in words, and low end, high end and limit of what the school looks at."""
    if school.leak_limit:
        low, high = result.leak_interval
        told = tr("{0} ({1} to {2})", figure(result.leak, "leak"), figure(low, "leak"), figure(high, "leak"))
        return told, figure(school.leak_limit, "leak"), low, high, school.leak_limit
    seconds = school.minutes * 60
    until = min(seconds, result.duration)
    low, middle, high = result.spread.drop(until)
    if result.duration < seconds:  # it may fail early, by what it will have lost by then at the least
        low = max(low, result.spread.drop(seconds)[0])
    told = tr(
        "{0} lost in {1} ({2} to {3})",
        figure(middle, "pressure", 1),
        clock(until),
        figure(low, "pressure", 1),
        figure(high, "pressure", 1),
    )
    return (
        told,
        f"{figure(school.allowed_drop, 'pressure')} in {school.lasts}",
        low,
        high,
        school.allowed_drop,
    )


def _wanted(result: LeakResult, low: float, high: float, allowed: float) -> float | None:
    """Return how long a record would do [s], as far as its length is what is lacking: the width falls as its root at least."""
    off = min(abs(high - allowed), abs(allowed - low))
    short = (high - low) / 2 / max((high - low) / 2 - off, 1e-12)
    wanted = result.duration * short**2
    return wanted if math.isfinite(wanted) and wanted <= 20 * result.duration else None


def _longer(wanted: float | None) -> str:
    """Say how long a record would do."""
    if wanted is None:
        return tr("Hold much longer, or read a finer gauge.")
    return tr("Holding about {} should tell.", clock(math.ceil(wanted / 60) * 60))
