"""What a thermometer on the part says: by what factor it cures quicker than the law, how the shop's warmth differs, and when it is done.

The law's factor and the shop's warmth have the spreads that a forecast without a thermometer has; readings narrow them by Bayes, with
the courses linearised about the likeliest ones (Gauss–Newton).  A thermocouple is wrong by much the same all day, so that many
readings are little better than a dozen.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.cure.heat import Cured
from bibulon.core.cure.places import FOLLOWED, LAW, NINE_IN_TEN, ROOM, course_at
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["Corrected", "corrected", "read_cell"]

Floats = npt.NDArray[np.float64]
NOISE, BIAS = 0.5, 0.8  # K of each reading, and of all of a log alike: one standard deviation
MOST = 12  # readings that count, spread over the log
ROUNDS = 2
STEP = 0.4  # spreads by which a course is moved to see how it answers


class Corrected(Struct, frozen=True, eq=False):
    """The course that fits, factor of the law and warmth of the shop [K] with standard deviations, demould (low, middle, high) [s].

    Times of the course count from when the place was wet, that of demould from opening the first feed; inf where it never is.
    """

    course: Cured
    arrived: float
    quicker: float
    quicker_sd: float
    warmer: float
    warmer_sd: float
    demould: tuple[float, float, float]
    misfit: float


def read_cell(plan: CurePlan, course: Cured) -> int:
    """Return the cell that the thermometer touches, of those that hold resin."""
    count = course.temperature.shape[2]
    return {"tool": 0, "middle": count // 2, "bag": count - 1}[plan.read_where]


def corrected(
    job: Job, forecast: Forecast, readings: Sequence[tuple[float, float]], place: tuple[float, float]
) -> Corrected:
    """Return what readings (time from opening the first feed [s], temperature [K]) at a place [m] make of its cure.

    Raises
    ------
    ValueError : when there are fewer than three after the place was wet, or its cure cannot be reckoned.
    """
    assert job.resin is not None
    arrived = course_at(job, forecast, place, 1.0, 0.0, until=60.0)[1]
    later = [(t - arrived, warm) for t, warm in readings if t >= arrived]
    if len(later) < 3:
        raise ValueError(tr("three readings or more after resin came there are wanted"))
    picks = np.unique(np.linspace(0, len(later) - 1, min(MOST, len(later))).round().astype(int))
    when = np.array([later[k][0] for k in picks])
    read = np.array([later[k][1] for k in picks])
    resin, plan = job.resin, job.cure

    def told(theta: Floats) -> tuple[Cured, Floats, float]:
        course, _ = course_at(
            job, forecast, place, math.exp(LAW * theta[0]), ROOM * float(theta[1]), until=FOLLOWED
        )
        at = np.interp(when, course.time, course.temperature[:, 0, read_cell(plan, course)])
        return course, at, float(course.demould(plan, resin)[0])

    weight = np.linalg.inv(NOISE**2 * np.eye(len(when)) + BIAS**2)
    theta = np.zeros(2)
    for _ in range(ROUNDS):
        _, at, before = told(theta)
        moved = [told(theta + STEP * np.eye(2)[k]) for k in range(2)]
        slope = np.array([(m[1] - at) / STEP for m in moved]).T  # K a spread
        inverse = slope.T @ weight @ slope + np.eye(2)
        theta = np.clip(np.linalg.solve(inverse, slope.T @ weight @ (read - at + slope @ theta)), -4, 4)
    spread = np.linalg.inv(inverse)
    course, at, out = told(theta)
    low = high = out
    if math.isfinite(out) and math.isfinite(before) and all(math.isfinite(m[2]) for m in moved):
        answer = np.array([math.log(max(m[2], 1.0) / max(before, 1.0)) / STEP for m in moved])
        wide = NINE_IN_TEN * math.sqrt(float(answer @ spread @ answer))
        low, high = out * math.exp(-wide), out * math.exp(wide)
    return Corrected(
        course, arrived, math.exp(LAW * theta[0]), LAW * math.sqrt(spread[0, 0]), ROOM * float(theta[1]), ROOM * math.sqrt(spread[1, 1]),
        (arrived + low, arrived + out, arrived + high), float(np.sqrt(np.mean((read - at) ** 2))),
    )  # fmt: skip
