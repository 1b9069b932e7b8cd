"""What places of a part come to: gel, peak, hardness and when it may leave the mould, from where and when resin arrived."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.cure.heat import MOST, Cured, air_beside, cure, ready
from bibulon.core.cure.section import Cells, cells_of, section_of
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.model.materials import CastroMacosko, Resin
from bibulon.core.resin.clock import cure_course
from bibulon.core.units.words import tr

__all__ = ["LAW", "NINE_IN_TEN", "ROOM", "PlaceCure", "course_at", "cure_of"]

Floats = npt.NDArray[np.float64]
FOLLOWED = 48 * 3600.0  # s
LAW, ROOM = (
    0.15,
    2.0,
)  # spread of the law's factor, as a logarithm, and of the shop's warmth [K]: one standard deviation
NINE_IN_TEN = 1.645
QUICK = 0.012  # of α in a step, where only the end of a range is wanted
ASIDE = 1.5  # spreads of the shop's warmth at which its effect is looked at
COOLED = 3.0  # K over the shop's air, from which on nothing more is to come
WEEK = 7 * 86400.0


class PlaceCure(Struct, frozen=True, eq=False):
    """A place [m] of a zone: times from opening the first feed [s].

    arrived; gel of the last of its thickness, and of the first; peak [K] and when; demould (low, middle, high), inf where never;
    alpha_end : of the coldest cell at the end of what was followed.
    """

    x: float
    y: float
    zone: str
    arrived: float
    gel: float
    first_gel: float
    peak: float
    peak_at: float
    demould: tuple[float, float, float]
    alpha_end: float
    course: Cured
    number: int  # of its column in the course


def cure_of(
    job: Job,
    forecast: Forecast,
    places: Sequence[tuple[float, float]],
    *,
    came: tuple[float, float] | None = None,
    ranges: bool = True,
    until: float = FOLLOWED,
    only_out: bool = False,
) -> list[PlaceCure]:
    """Return what places come to.

    Parameters
    ----------
    places : on the plan [m].
    came : (when the resin that lies there in the end was mixed, when it came) [s]; without it what came with the front, mixed
        before the first feed opened, as the job tells.
    only_out : whether the course ends once the part may be taken out and has cooled: alpha_end is of that moment then.
    ranges : whether the time to demould is told with its range of nine in ten, by the spreads of law and shop.

    Raises
    ------
    ValueError : when the resin has no cure law, or a place lies off the part or stays dry.
    """
    resin = job.resin
    if resin is None:
        raise ValueError(tr("Choose a resin first."))
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        raise ValueError(
            tr("{} has no cure law: its heat and gel through the thickness cannot be reckoned", resin.name)
        )
    warm = part_temperature(job)
    pot = cure_course(law, job.conditions.resin_temperature, WEEK)
    found_at = [_arrival(job, forecast, place) for place in places]
    arrived, zones = [when for when, _ in found_at], [zone for _, zone in found_at]
    mixed = -job.conditions.mixed_before_start
    if came is not None:
        mixed, arrived = came[0], [max(when, came[1]) for when in arrived]
    out: list[PlaceCure | None] = [None] * len(places)
    for zone in sorted(set(zones)):
        of = [k for k, z in enumerate(zones) if z == zone]
        ages = np.array([arrived[k] - mixed for k in of])
        alpha = np.interp(ages, *pot)
        begin = float(np.mean([arrived[k] for k in of]))
        cells = cells_of(section_of(job, zone), job.cure)
        run = partial(_run, job, cells, alpha, warm, until, begin)
        found = run(1.0, 0.0, only_out)
        middle = found.demould(job.cure, resin)
        low = high = middle
        if ranges:
            warmer = run(1.0, ASIDE * ROOM, True, most=QUICK).demould(job.cure, resin)
            colder = run(1.0, -ASIDE * ROOM, True, most=QUICK).demould(job.cure, resin)
            low, high = _end(middle, warmer), _end(middle, colder)
        for j, k in enumerate(of):
            t0 = arrived[k]
            out[k] = PlaceCure(
                *places[k], zone, t0, t0 + float(found.gel[j]), t0 + float(found.first_gel[j]), float(found.peak[j]),
                t0 + float(found.peak_at[j]), (t0 + float(low[j]), t0 + float(middle[j]), t0 + float(high[j])),
                float(found.alpha[-1, j].min()), found, j,
            )  # fmt: skip
    return [p for p in out if p is not None]


def course_at(
    job: Job,
    forecast: Forecast,
    place: tuple[float, float],
    quicker: float,
    warmer: float,
    until: float = FOLLOWED,
    *,
    whole: bool = False,
) -> tuple[Cured, float]:
    """Return the course of one place [m] with a law so many times as quick in a shop so much warmer [K], and when it was wet [s].

    whole : whether it keeps the temperature of tool and core too.

    Raises
    ------
    ValueError : when the resin has no cure law, or the place lies off the part or stays dry.
    """
    if job.resin is None or not isinstance(job.resin.viscosity, CastroMacosko):
        raise ValueError(tr("the resin has no cure law: its heat cannot be reckoned"))
    when, zone = _arrival(job, forecast, place)
    cells = cells_of(section_of(job, zone), job.cure)
    pot = cure_course(job.resin.viscosity, job.conditions.resin_temperature, WEEK)
    alpha = np.interp([when + job.conditions.mixed_before_start], *pot)
    return _run(job, cells, alpha, part_temperature(job), until, when, quicker, warmer, True, whole), when


def _arrival(job: Job, forecast: Forecast, place: tuple[float, float]) -> tuple[float, str]:
    """Return when the last layer of a place [m] is wet [s], and its zone.

    Raises
    ------
    ValueError : when it lies off the part, or stays dry.
    """
    x, y = place
    when = max((t for t in forecast.probe(x, y).values() if np.isfinite(t)), default=float("nan"))
    if not np.isfinite(when):
        raise ValueError(tr("x {0:.0f}, y {1:.0f} mm stays dry: nothing cures there", x * 1000.0, y * 1000.0))
    return when, list(regions(job.part).zones)[int(regions(job.part).zone_at(np.array([place]))[0])]


def _end(middle: Floats, moved: Floats) -> Floats:
    """Return the end of nine in ten of times that fall as e^-x, by their own time with the shop ASIDE of its spreads off.

    The logarithm of a time shifts by LAW with one spread of the law's factor, to within a tenth for all resins here, and by
    what was found with one of the shop's warmth, cold days more than warm ones: so that each side has its own.
    """
    with np.errstate(invalid="ignore"):  # ∞ − ∞: one that is never ready has no range
        by_room = np.log(moved / middle) / ASIDE
    return np.asarray(middle * np.exp(np.sign(by_room) * NINE_IN_TEN * np.hypot(LAW, by_room)))


def _run(
    job: Job,
    cells: Cells,
    alpha: Floats,
    warm: float,
    until: float,
    begin: float,
    by: float,
    warmer: float,
    only_out: bool,
    whole: bool = False,
    most: float = MOST,
) -> Cured:
    assert job.resin is not None
    plan, resin, room = job.cure, _quicker(job.resin, by), warm + warmer

    def out(cured: Floats, temperature: Floats) -> bool:
        return bool(ready(plan, resin, cured, temperature).all() and temperature.max() < room + COOLED)

    air = air_beside(plan, room)
    stop = out if only_out and not plan.steps else None
    return cure(
        cells, resin, air, alpha, np.full(len(alpha), room), until, begin, most=most, whole=whole, enough=stop
    )


def _quicker(resin: Resin, factor: float) -> Resin:
    """Return the resin with a cure law so many times as quick."""
    law = resin.viscosity
    assert isinstance(law, CastroMacosko)
    if factor == 1.0:
        return resin
    faster = law.cure.replaced(a1=law.cure.a1 * factor, a2=law.cure.a2 * factor)
    return resin.replaced(viscosity=law.replaced(cure=faster))
