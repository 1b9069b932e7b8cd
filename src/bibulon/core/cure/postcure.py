"""A post-cure in an oven: the part against its own glass transition on the way up, and a schedule that stays under it.

A part that is warmer than its glass transition is soft: it sags on its stands, and its print comes through.  The transition
rises while the part cures (DiBenedetto), so the oven may follow it, but not run ahead.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.cure.heat import glass_transition, kinetic_rate, oven_turns
from bibulon.core.cure.places import PlaceCure
from bibulon.core.model.cure import CurePlan, CureStep
from bibulon.core.model.materials import CastroMacosko, Resin
from bibulon.core.units.words import tr

__all__ = ["PostCure", "after_oven", "schedule_end", "suggested_steps"]

Floats = npt.NDArray[np.float64]
RISE = 10.0  # K of a step up
RAMP = 20.0 / 3600  # K/s at most on the way up
CLEAR = 2.0  # K that a schedule keeps below the line
SERVICE = 15.0  # K by which the transition is to be over the service temperature
QUARTER = 900.0  # s that a hold is rounded up to
LEAST_HOLD, LONGEST_HOLD = 3600.0, 16 * 3600.0
STEP = 60.0  # s


class PostCure(Struct, frozen=True, eq=False):
    """Times from the shot [s], hottest of the part and the lowest glass transition of the same moment [K], shape (t,).

    margin : least of glass transition less temperature of the same cell while the oven runs [K], and when [s]; nan where no
    glass transition is known.  reached : lowest transition at the end [K]; alpha : of the coldest cell then.
    """

    time: Floats
    part: Floats
    glass: Floats | None
    margin: float
    margin_at: float
    reached: float
    alpha: float


def schedule_end(plan: CurePlan, room: float) -> float:
    """Return when the part is back at the shop's air [s from the shot]."""
    return oven_turns(plan, room)[-1][0]


def after_oven(plan: CurePlan, resin: Resin, place: PlaceCure) -> PostCure:
    """Return what a schedule does at a place; its course must reach the schedule's end."""
    course, k = place.course, place.number
    time = place.arrived + course.time
    temperature, alpha = course.temperature[:, k], course.alpha[:, k]
    glass = glass_transition(resin, alpha)
    part, low = temperature.max(axis=1), None if glass is None else glass.min(axis=1)
    margin = at = reached = float("nan")
    if glass is not None and low is not None:
        spare = (glass - temperature).min(axis=1)
        hot = np.flatnonzero(time >= plan.oven_after) if plan.steps else np.array([], dtype=int)
        if len(hot):
            worst = hot[int(np.argmin(spare[hot]))]
            margin, at = float(spare[worst]), float(time[worst])
        reached = float(low[-1])
    return PostCure(time, part, low, margin, at, reached, float(alpha[-1].min()))


def suggested_steps(
    resin: Resin, alpha: float, start: float, service: float, highest: float, over: float = 0.0
) -> tuple[CureStep, ...]:
    """Return a schedule whose part stays under its glass transition and ends ``SERVICE`` over what it will serve at.

    The part is taken to follow the oven, as thin laminates do; whoever uses it looks at the course through the thickness.

    Parameters
    ----------
    alpha, start : degree of cure and temperature [K] when the oven starts.
    highest : temperature that nothing may pass [K].
    over : by how much the part may be over its transition [K].

    Raises
    ------
    ValueError : when the resin has no cure law or no glass transition, or cannot reach what is asked.
    """
    _may_be_laid(resin, service)
    now, cured = start, alpha
    steps: list[CureStep] = []
    while _glassy(resin, cured) < service + SERVICE:
        following = min(now + RISE, highest)
        rising = following > now + 0.5
        # Held until the next rise stays under the line; at the top, until what is asked is reached.
        wanted = following + CLEAR - over if rising else service + SERVICE
        held, cured = _held(resin, cured, now, wanted)
        if steps:
            steps[-1] = steps[-1].replaced(hold=held)
        elif held:
            steps.append(CureStep(temperature=now, ramp=RAMP, hold=held))
        if not rising:
            break
        for t in np.arange(0.0, (following - now) / RAMP, STEP):
            cured += STEP * float(kinetic_rate(resin, np.array(cured), np.array(now + RAMP * t)))
        now = following
        steps.append(CureStep(temperature=now, ramp=RAMP, hold=0.0))
    if not steps:
        return ()
    *before, last = steps
    return (*(s for s in before if s.hold > 0), last.replaced(hold=max(last.hold, LEAST_HOLD)))


def _may_be_laid(resin: Resin, service: float) -> None:
    """Raise ``ValueError`` where the resin's sheet does not tell enough, or it never gets as hard as is asked."""
    if not isinstance(resin.viscosity, CastroMacosko):
        raise ValueError(tr("{} has no cure law: a schedule cannot be reckoned", resin.name))
    if resin.glass_cured is None:
        raise ValueError(
            tr("the sheet of {} tells no glass transition: a schedule cannot be reckoned", resin.name)
        )
    if service + SERVICE > resin.glass_cured - 1:
        raise ValueError(
            tr(
                "fully cured, {0} turns soft at {1:.0f} °C: that is not {2:.0f} K over {3:.0f} °C",
                resin.name,
                resin.glass_cured - 273.15,
                SERVICE,
                service - 273.15,
            )
        )


def _glassy(resin: Resin, cured: float) -> float:
    found = glass_transition(resin, np.array(cured))
    assert found is not None
    return float(found)


def _held(resin: Resin, cured: float, at: float, wanted: float) -> tuple[float, float]:
    """Return how long it is held at a temperature [s] until its glass transition is what is wanted [K], and the cure then.

    Raises
    ------
    ValueError : when that takes too long.
    """
    held = 0.0
    while _glassy(resin, cured) < wanted:
        cured += STEP * float(kinetic_rate(resin, np.array(cured), np.array(at)))
        held += STEP
        if held > LONGEST_HOLD:
            raise ValueError(
                tr(
                    "at {0:.0f} °C it would take over {1:.0f} h to go on: a longer cure before the oven, "
                    "or a lower service temperature",
                    at - 273.15,
                    LONGEST_HOLD / 3600,
                )
            )
    return float(np.ceil(held / QUARTER) * QUARTER), cured
