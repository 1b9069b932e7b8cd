"""Judgements on how the part cures: too hot, too green, too late, too cold, and what an oven does to it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.cure.places import cure_of
from bibulon.core.cure.postcure import SERVICE, after_oven, schedule_end
from bibulon.core.findings.base import Evidence, Finding, Rule
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.model.materials import Core
from bibulon.core.run.youngest import out_last, vacuum_until
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RULES"]

FAR_OVER = 25.0  # K over what part and tool bear, from which on nobody may shrug
LATE_GEL = 1.0  # times the first gel that the last may come after it
PRINTS = 20.0  # K between the peaks of neighbours, from which on a step shows through a thin skin
FOLLOWED = 48 * 3600.0


def _named(job: Job, zone: str) -> str:
    return next((z.name for z in job.part.zones if z.id == zone), job.part.rest_name)


def too_hot(evidence: Evidence) -> Iterator[Finding]:
    """The exotherm against what part, tool and bag bear."""
    job, field = evidence.job, evidence.cure
    if field is None:
        return
    hot, limit = field.hottest, job.cure.part_limit
    if hot.peak > limit:
        yield Finding(
            "cure-hot", "blocking" if hot.peak > limit + FAR_OVER else "warning", tr("The part gets too hot in {}", _named(job, hot.zone)),
            tr("{0} at {1}", figure(hot.peak, "temperature"), clock(hot.peak_at)), figure(limit, "temperature"),
            "Heat scorches resin, softens core, bag and tool, and prints the weave through.",
            "A slower hardener, less peroxide, thinner steps laid in two shots, less blanket, or a fan on the bag.", "Cure",
            ((hot.x, hot.y),), hot.peak_at,
        )  # fmt: skip


def _cores(job: Job) -> dict[str, tuple[str, float]]:
    """Return by zone the name of its most tender core, and what it bears [K]."""
    out: dict[str, tuple[str, float]] = {}
    for zone in regions(job.part).zones:
        for state in zone_stack(job, zone).layers:
            material = job.materials.get(state.layer.material)
            if (
                isinstance(material, Core)
                and material.bears is not None
                and material.bears < out.get(zone, ("", math.inf))[1]
            ):
                out[zone] = (material.name, material.bears)
    return out


def core_too_hot(evidence: Evidence) -> Iterator[Finding]:
    """The exotherm, and the oven, against what core bears."""
    job, field, forecast = evidence.job, evidence.cure, evidence.forecast
    if field is None or forecast is None:
        return
    zones = list(regions(job.part).zones)
    of = regions(job.part).zone_at(forecast.model.mesh.points)
    for zone, (name, bears) in _cores(job).items():
        there = np.flatnonzero((of == zones.index(zone)) & np.isfinite(field.peak))
        if len(there) and field.peak[there].max() > bears:
            k = there[int(np.argmax(field.peak[there]))]
            x, y = forecast.model.mesh.points[k]
            yield Finding(
                f"core-hot:{zone}", "warning", tr("{} gets hotter than its sheet bears", name), figure(float(field.peak[k]), "temperature"),
                figure(bears, "temperature"), "Foam that is too warm swells, gives off gas, or collapses under the vacuum.",
                "A slower hardener, or a core that bears more.", "Cure", ((float(x), float(y)),),
            )  # fmt: skip
        hottest = max((s.temperature for s in job.cure.steps), default=0.0)
        if hottest > bears:
            yield Finding(
                f"post-core:{zone}", "warning", tr("The oven goes above what {} bears", name), figure(hottest, "temperature"), figure(bears, "temperature"),
                "Core that softens in the oven lets the skins print and the part sag.",
                "Hold longer at a lower temperature, or take a core that bears more.", "Cure",
            )  # fmt: skip


def gels_late(evidence: Evidence) -> Iterator[Finding]:
    """A place that gels long after the rest keeps the vacuum on."""
    field = evidence.cure
    if field is None:
        return
    first, last = field.quickest, field.slowest
    if not math.isfinite(last.gel):
        return  # told as too cold
    if last.gel - last.arrived > (1 + LATE_GEL) * (first.gel - first.arrived) and last.zone != first.zone:
        yield Finding(
            "gel-late", "note", tr("{0} gels long after {1}", _named(evidence.job, last.zone), _named(evidence.job, first.zone)), tr("{0} against {1}", clock(last.gel), clock(first.gel)),
            tr("within {:g} times", LATE_GEL), "Thin plies over core stay cold; thick ones warm themselves. The vacuum stays on for the last.",
            tr("Hold the vacuum until {}, by the cup and by hand; warm the thin end.", clock(last.gel)), "Cure",
            ((last.x, last.y),), last.gel,
        )  # fmt: skip


def prints_through(evidence: Evidence) -> Iterator[Finding]:
    """Neighbours of which one gets far hotter shrink apart, and the step shows."""
    job, field, forecast = evidence.job, evidence.cure, evidence.forecast
    if field is None or forecast is None:
        return
    plan = regions(job.part)
    zones, of = list(plan.zones), plan.zone_at(forecast.model.mesh.points)
    peaks = {}
    for k, zone in enumerate(zones):
        there = (of == k) & np.isfinite(field.peak)
        if there.any():
            peaks[zone] = float(field.peak[there].max())
    for a in peaks:
        for b in peaks:
            if peaks[a] - peaks[b] <= PRINTS or plan.zones[a].distance(plan.zones[b]) > 1e-6:
                continue
            shared = plan.zones[a].buffer(1e-6).intersection(plan.zones[b].boundary)
            place = (
                shared.representative_point() if not shared.is_empty else plan.zones[a].representative_point()
            )
            yield Finding(
                f"print:{a}:{b}", "note", "A step may print through where two stacks meet",
                tr("{0} beside {1}", figure(peaks[a], "temperature"), figure(peaks[b], "temperature")), tr("within {}", figure(PRINTS, "warming")),
                "What cures hotter shrinks more when it cools; under a thin skin that is seen.",
                "Taper the step, a resin that cures cooler, or a coat that hides it.", "Cure", ((float(place.x), float(place.y)),),
            )  # fmt: skip


def too_cold(evidence: Evidence) -> Iterator[Finding]:
    """A shop in which the part does not get hard."""
    job, field = evidence.job, evidence.cure
    if field is None or math.isfinite(field.last.demould[1]):
        return
    part = field.last
    yield Finding(
        "cure-cold", "warning", "It does not get hard enough to demould in two days", tr("cured {:.0f} %", part.alpha_end * 100),
        f"{job.cure.demould_alpha * 100:.0f} %", tr("At {} the cure dies out first: resin turns to glass where it stands.", figure(part_temperature(job), "temperature")),
        "Warm the shop or tent the mould, take a quicker hardener, or cure it under heat before it is taken out.", "Cure",
        ((part.x, part.y),),
    )  # fmt: skip


def taken_out_early(evidence: Evidence) -> Iterator[Finding]:
    """The planned time of demoulding against gel and hardness."""
    job, field = evidence.job, evidence.cure
    at = job.cure.taken_out
    if field is None or at is None or evidence.forecast is None:
        return
    until = vacuum_until(job, evidence.forecast, field)
    if at < until:
        of = (
            _named(job, field.slowest.zone)
            if until == field.slowest.gel
            else tr("the resin of the last batch")
        )
        yield Finding(
            "released", "blocking", "It is planned to be let go before it has gelled", clock(at), tr("gel at {0}: {1}", clock(until), of),
            "Opened before gel the part springs back, drinks air and is lost; wet resin and peroxide burn skin and eyes.",
            "Keep the vacuum until the last place has gelled, by the cup and by hand.", "Cure", ((field.slowest.x, field.slowest.y),), at,
        )  # fmt: skip
        return
    place = out_last(job, evidence.forecast, field, False)
    if at < place.demould[1]:
        told = clock(place.demould[1]) if math.isfinite(place.demould[1]) else tr("not within two days")
        where = _named(job, place.zone) if place is field.last else tr("the resin of the last batch")
        yield Finding(
            "green", "warning", "It is planned to be taken out green", clock(at), tr("{0}, in {1}", told, where),
            "A green part bends, creeps on its stands and prints.", "Wait, or warm it in the mould; the shop's hardness check decides.", "Cure",
            ((place.x, place.y),), at,
        )  # fmt: skip


def oven_ahead(evidence: Evidence) -> Iterator[Finding]:
    """A post-cure that runs ahead of the glass transition, or ends short of it."""
    job, field, forecast = evidence.job, evidence.cure, evidence.forecast
    if field is None or forecast is None or job.resin is None or not job.cure.steps:
        return
    end = schedule_end(job.cure, part_temperature(job))
    place = cure_of(job, forecast, [(field.last.x, field.last.y)], ranges=False, until=max(end, FOLLOWED))[0]
    told = after_oven(job.cure, job.resin, place)
    if told.glass is None:
        return
    if told.margin < -job.cure.post_over:
        yield Finding(
            "post-over", "warning", "The oven runs ahead of the part's glass transition", tr("{0} above it at {1}", figure(-told.margin, "warming"), clock(told.margin_at)),
            f"{figure(job.cure.post_over, 'warming')}", "A part that is warmer than its glass transition is soft: it sags, and its print comes through.",
            "Rise more slowly or hold before the next rise; “Lay a schedule” does.", "Cure", ((place.x, place.y),), told.margin_at,
        )  # fmt: skip
    if told.reached < job.cure.service + SERVICE:
        yield Finding(
            "post-short", "note", "After the oven the part is not ready for its service", tr("glass transition {}", figure(told.reached, "temperature")),
            tr("{0} over {1}", figure(SERVICE, "warming"), figure(job.cure.service, "temperature")), "In the sun, or in use, it turns soft.",
            "Hold longer or warmer, within what core and tool bear.", "Cure", ((place.x, place.y),),
        )  # fmt: skip


RULES: list[Rule] = [too_hot, core_too_hot, gels_late, prints_through, too_cold, taken_out_early, oven_ahead]
