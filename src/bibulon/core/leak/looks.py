"""A verdict while a test is still recording: looks at set times, each so cautious that all together seldom err.

An interval that holds nineteen times in twenty, looked at every second, is wrong far more often than once in twenty.  So
it is looked at only where the record has grown by a set share, and with wider intervals; the first look that lies wholly
on one side of the limit decides, and the decision stays.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from msgspec import Struct

from bibulon.core.leak.droptest import LeakError, LeakResult, fit_test
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest, Job
from bibulon.core.model.rules import School
from bibulon.core.units.words import tr

__all__ = ["FIRST", "LEVEL", "Look", "Standing", "air_limit", "look_times", "standing", "what_tells"]

FIRST = 90.0  # s
GROWS = 1.3  # from look to look
LOOKS = 26
# Quantiles of each look: with them under one verdict in twenty is wrong, and half come within 1.3 times what a single
# look of equal error takes (bin/bench looks).
LEVEL = (0.012, 0.987)

Outcome = Literal["good", "leaks", "not yet"]


class Look(Struct, frozen=True):
    """What a look showed: when [s], and the rise [Pa/s] low, middle and high at the looks' own level."""

    time: float
    low: float
    middle: float
    high: float


class Standing(Struct, frozen=True, eq=False):
    """Where a test stands: the looks so far, what they have decided and when [s], how many more seconds should tell.

    ``more`` is None where recording on does not help.  ``limit`` is the rise that divides good from bad [Pa/s].
    """

    outcome: Outcome
    limit: float
    looks: tuple[Look, ...]
    decided_at: float | None
    more: float | None
    latest: LeakResult | None


def look_times(until: float) -> list[float]:
    """Return the times of the looks that a record of a length has room for [s]."""
    times = [FIRST * GROWS**k for k in range(LOOKS)]
    return [t for t in times if t <= until * (1 + 1e-9)]


def air_limit(job: Job, pores: float, gel: float) -> float:
    """Return the leak that this part can bear [Pa m³/s].

    What a leak lets in from wet through until gel, at a pressure half way between bag and air as it is while pressures
    even out, may be ``air_share`` of the pores.

    Parameters
    ----------
    pores : volume of plies, core and mesh [m³].
    gel : time until the resin in the part gels [s].
    """
    held = (job.conditions.atmosphere + job.conditions.vacuum) / 2
    return job.rules.air_share * pores * held / gel


def limit_of(school: School, volume: float, borne: float | None) -> float:
    """Return the rise [Pa/s] that divides good from bad: what the part can bear, else what the school allows."""
    if borne is not None:
        return borne / volume
    if school.leak_limit:
        return school.leak_limit / volume
    return school.allowed_drop / (school.minutes * 60)


def _until(readings: Sequence[Reading], time: float) -> tuple[Reading, ...]:
    start = readings[0].time
    return tuple(r for r in readings if r.time - start <= time * (1 + 1e-9))


def standing(test: DropTest, limit: float, known: Sequence[Look] = ()) -> Standing:
    """Return where a test stands.

    Parameters
    ----------
    test : as recorded so far.
    limit : the rise that divides good from bad [Pa/s].
    known : looks that were made before: a look is made once, and is not changed by what comes after.
    """
    readings = test.readings
    span = readings[-1].time - readings[0].time if readings else 0.0
    looks = list(known)
    latest: LeakResult | None = None
    for time in look_times(span)[len(looks) :]:
        if (found := _fitted(test, _until(readings, time))) is not None:
            low, high = found.spread.quantiles(*LEVEL)
            looks.append(Look(time, low, found.rise, high))
    if span >= FIRST / 2:
        latest = _fitted(test, readings)
    if latest is not None and latest.spread.falls:  # a falling pressure is no tight bag
        return Standing("not yet", limit, tuple(looks), None, None, latest)
    for look in looks:
        if look.high < limit:
            return Standing("good", limit, tuple(looks), look.time, 0.0, latest)
        if look.low > limit:
            return Standing("leaks", limit, tuple(looks), look.time, 0.0, latest)
    return Standing("not yet", limit, tuple(looks), None, _more(looks, limit, span), latest)


def _fitted(test: DropTest, readings: tuple[Reading, ...]) -> LeakResult | None:
    try:
        return fit_test(test.replaced(readings=readings))
    except LeakError:
        return None


def _more(looks: Sequence[Look], limit: float, span: float) -> float | None:
    """Return how much longer to record [s]; the width of a fit with a fade shrinks about as the time grows."""
    if not looks:
        return max(FIRST - span, 1.0)
    last = looks[-1]
    off = abs(last.middle - limit)
    if off <= 0.02 * limit:
        return None  # it lies on the limit: no test of a reasonable length tells
    half = (last.high - last.middle) if last.middle < limit else (last.middle - last.low)
    wanted = last.time * max(half / off, 1.0)
    after = FIRST * GROWS ** math.ceil(math.log(max(wanted, FIRST) / FIRST) / math.log(GROWS) - 1e-9)
    if after <= last.time * 1.0001:
        after = last.time * GROWS
    more = after - span
    return more if more < 24 * 3600 else None


def what_tells(found: LeakResult) -> list[str]:
    """Return, in words, what a record cannot tell apart yet and what would."""
    out: list[str] = []
    low, high = found.spread.quantiles(0.025, 0.975)
    width = high - low
    if found.duration <= 0 or width <= 0:
        return out
    fades = found.fading > 0.5 * width * found.duration
    if fades and found.spread.slow_share > 0.3:
        out.append(
            tr(
                "Outgassing or a settling bag that fades as slowly as this looks like a leak. Pump again and repeat: a leak comes back the same, outgassing does not."
            )
        )
    if found.spread.step and found.spread.step / found.duration > 0.15 * width:
        out.append(tr("The gauge's step is most of the doubt: read a finer one, or hold longer."))
    warm = float(found.start / 293.15 / found.duration)
    if warm > 0.2 * width:
        out.append(
            tr(
                "A degree that the bag warms looks as large: log its temperature, or wait until the shop is steady."
            )
        )
    return out
