"""Judgements on the resin itself: dose, order of adding, warmth, viscosity, store, and the last of it that goes in."""

from __future__ import annotations

import math
from collections.abc import Iterator

from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.resin.bucket import Vessel
from bibulon.core.resin.clock import flow_clock, viscosity_at
from bibulon.core.resin.dose import dose_of, parts_b
from bibulon.core.resin.order import order_of, order_troubles
from bibulon.core.run.schedule import schedule_of
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RULES"]

STATION = "Charge"
OFF_DENSITY = 0.02  # of the density, from which a filled resin has settled or lacks filler


def dose_in_band(evidence: Evidence) -> Iterator[Finding]:
    """Peroxide is dosed as the sheet allows at the temperature of the room."""
    job, plan = evidence.job, evidence.charge
    if plan is None or job.resin is None or job.resin.cures != "peroxide":
        return
    dose = dose_of(job.resin, job.charge, plan.batches[0].mass)
    if dose.refused:
        yield Finding(
            "dose", "blocking", "The peroxide's dose is not one that the sheet stands behind", tr("{:.2f} parts to 100 of resin", dose.of_mark),
            tr("{0:g} to {1:g}", job.resin.dose_low, job.resin.dose_high), tr("Here {}.", dose.refused),
            "Dose as the sheet says, warm the shop, or take a finer syringe.", STATION, (), None,
            Remedy("Dose as the sheet asks", lambda j: j.replaced(charge=j.charge.replaced(dose=None))) if job.charge.dose else None,
        )  # fmt: skip


def sound_order(evidence: Evidence) -> Iterator[Finding]:
    """A batch is put together in an order in which accelerator and peroxide never meet unmixed."""
    job = evidence.job
    if job.resin is None:
        return
    troubles = order_troubles(order_of(job.resin, job.charge), job.resin)
    if troubles:
        yield Finding(
            "order", "blocking", "The order of mixing is not safe", troubles[0], "each stirred in before the next",
            "A metal-salt accelerator and a peroxide react at once and violently where they meet.",
            "Stir the accelerator into the resin before the peroxide is opened; keep the two apart in the store.", STATION, (), None,
            Remedy("Back to the usual order", lambda j: j.replaced(charge=j.charge.replaced(order=None))) if job.charge.order else None,
        )  # fmt: skip


def not_too_warm(evidence: Evidence) -> Iterator[Finding]:
    """Resin is not warmed over what its sheet lets."""
    resin = evidence.job.resin
    at = evidence.job.conditions.resin_temperature
    if resin is not None and resin.warm_limit is not None and at > resin.warm_limit + 1e-9:
        yield Finding(
            "too-warm", "blocking", "The resin is warmer than its sheet lets", figure(at, "temperature"), figure(resin.warm_limit, "temperature"),
            "Styrene boils off, flashes and gels early; other resins run away in the bucket.",
            "Warm it less; warm the mould instead, or take a thinner resin.", STATION,
        )  # fmt: skip


def flows_as_infusion_needs(evidence: Evidence) -> Iterator[Finding]:
    """The fresh mix is neither too thick to go through cloth nor so thin that it races and froths."""
    job = evidence.job
    if job.resin is None:
        return
    rules, now = job.rules, viscosity_at(job.resin, job.conditions.resin_temperature)
    if now > rules.viscosity_most:
        yield Finding(
            "too-thick", "warning", "The resin is thick for this process", figure(now, "viscosity"), figure(rules.viscosity_most, "viscosity"),
            "It goes through cloth so slowly that the gel comes first, or only what lies under the mesh is wet.",
            "Warm resin and mould, as far as the sheet lets; or take a resin made for infusion.", STATION,
        )  # fmt: skip
    elif now < rules.viscosity_least:
        yield Finding(
            "too-thin", "note", "The resin is very thin", figure(now, "viscosity"), figure(rules.viscosity_least, "viscosity"),
            "It races along every edge, and drains from steep walls before it gels.", "Let it cool, or throttle the feed.", STATION,
        )  # fmt: skip


def shallow_enough(evidence: Evidence) -> Iterator[Finding]:
    """Resin does not stand deep in its vessel: the core of a deep one keeps its heat."""
    job, plan = evidence.job, evidence.charge
    if plan is None or job.resin is None:
        return
    mass = max(b.mass for b in plan.batches)
    deep = Vessel(job.charge.vessel, job.charge.width).fill(mass / plan.density)
    if deep > job.rules.vessel_deepest:
        yield Finding(
            "vessel-deep", "warning", "The resin stands deep in its vessel", figure(deep, "length"), figure(job.rules.vessel_deepest, "length"),
            "Its core keeps the heat of its own cure and runs away, whatever cools the skin.",
            "A wider vessel or a tray, or smaller batches.", STATION,
        )  # fmt: skip


def store_holds_it(evidence: Evidence) -> Iterator[Finding]:
    """Enough of each part stands in the store, and is in date on the day."""
    job, plan = evidence.job, evidence.charge
    if plan is None or not job.charge.drums:
        return
    wanted = {"A": plan.part_a, "B": plan.part_b, "accelerator": plan.accelerator}
    for part, need in wanted.items():
        mine = [d for d in job.charge.drums if d.part == part]
        good = [d for d in mine if not (d.use_by and job.charge.day and d.use_by < job.charge.day)]
        there = sum(d.mass for d in good)
        if mine and need > there:
            yield Finding(
                f"store-short:{part}", "blocking", tr("There is too little of {} in the store", _part(part)), figure(there, "mass", 2), figure(need, "mass", 2),
                tr("A shot that stops for want of resin is lost.") + (tr(" Drums past their date are not counted.") if len(good) < len(mine) else ""),
                "Get more before the bag is closed.", STATION,
            )  # fmt: skip
        for old in (d for d in mine if d not in good):
            yield Finding(
                f"out-of-date:{part}:{old.label or old.use_by}", "warning", tr("A drum of {} is past its date", _part(part)), tr("good until {}", old.use_by), tr("used on {}", job.charge.day),
                "Old resin is thicker and gels otherwise; old peroxide has lost strength.", "Try a cup of it first, or take a fresh drum.", STATION,
            )  # fmt: skip


def _part(part: str) -> str:
    return part if part == "accelerator" else tr("part {}", part)


def filler_as_planned(evidence: Evidence) -> Iterator[Finding]:
    """A filled resin weighs what its sheet says: else it has settled, or filler is missing."""
    job = evidence.job
    if job.resin is None or job.charge.measured_density is None:
        return
    measured, told = job.charge.measured_density, job.resin.density
    off = measured / told - 1
    if abs(off) > OFF_DENSITY:
        yield Finding(
            "density-off", "warning", "The resin does not weigh what its sheet says", figure(measured, "density"), figure(told, "density"),
            (tr("It is heavy: filler from the bottom of the drum, or too much of it.") if off > 0 else tr("It is light: filler has settled or is missing, or there is air in it."))
            if job.resin.filler_share else tr("Air stirred in makes it light; a wrong product, either way."),
            "Stir the drum from the bottom and weigh a cup again.", STATION,
        )  # fmt: skip


def last_in_still_flows(evidence: Evidence) -> Iterator[Finding]:
    """The batch that goes in last is still liquid when all is wet, also where it was mixed early by hand."""
    job, plan, forecast = evidence.job, evidence.charge, evidence.forecast
    if (
        plan is None
        or forecast is None
        or job.resin is None
        or job.buckets
        or len(forecast.history.frames) < 3
    ):
        return
    if not forecast.filled:
        return  # told by its own rule
    made = schedule_of(job, plan, forecast)
    last = [b for b in made.batches if b.used][-1]
    gels = last.start + flow_clock(job.resin, job.conditions.resin_temperature).gel
    if math.isfinite(gels) and gels < made.draw.end:
        yield Finding(
            "last-gels", "blocking", "What goes in last gels before the part is full", tr("gels at {}", clock(max(gels, 0.0))), tr("full at {}", clock(made.draw.end)) if made.draw.full else tr("it never is"),
            "It stands in the feed lines: once it gels there, nothing more gets in.", "Mix the last batch later, or fill faster.", STATION, (), max(gels, 0.0),
        )  # fmt: skip


def ratio_of_sheet(evidence: Evidence) -> Iterator[Finding]:
    """A ratio set by hand for a peroxide is told where it leaves what the sheet asks at this temperature."""
    job = evidence.job
    if job.resin is None or job.resin.cures != "peroxide" or job.charge.dose is None or not job.resin.doses:
        return
    asked = parts_b(job.resin, job.charge.replaced(dose=None))
    if (
        abs(job.charge.dose - asked) > 0.3 * asked
        and job.resin.dose_low <= job.charge.dose <= job.resin.dose_high
    ):
        yield Finding(
            "dose-unusual", "note", "The dose is not what the sheet asks at this temperature", tr("{:.2f} parts", job.charge.dose), tr("{:.2f} parts", asked),
            "Gel comes sooner or later than the forecast's law says.", "Try a cup and time it.", STATION,
        )  # fmt: skip


RULES: list[Rule] = [
    dose_in_band, sound_order, not_too_warm, flows_as_infusion_needs, shallow_enough, store_holds_it, filler_as_planned,
    last_in_still_flows, ratio_of_sheet,
]  # fmt: skip
