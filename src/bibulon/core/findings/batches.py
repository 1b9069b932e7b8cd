"""Judgements on the batches: hands, heel, what is short or too much, and the scale that they are weighed on."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.resin.mix import mix_of
from bibulon.core.resin.need import need_of
from bibulon.core.run.schedule import Schedule, schedule_of
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RULES"]

STATION = "Charge"
SHORT = 0.10  # chance of running short from which it is told
BY_SYRINGE = 5.0  # parts per hundred below which the second part is dosed by volume, not weighed
WASTEFUL = 0.35  # of what is needed that is mixed too much


def _schedule(evidence: Evidence) -> Schedule | None:
    forecast, plan = evidence.forecast, evidence.charge
    if forecast is None or plan is None or len(forecast.history.frames) < 3:
        return None
    return schedule_of(evidence.job, plan, forecast)


def batches_in_time(evidence: Evidence) -> Iterator[Finding]:
    """Every batch is mixed by somebody, ready when it is wanted, and poured before the bucket is at its heel."""
    made = _schedule(evidence)
    for batch in made.batches if made else ():
        told = {
            "not ready when the feed opens": ("first", "blocking", tr("The first batch is not ready when the feed opens"), tr("ready at {}", clock(max(batch.ready, 0.0))), tr("before 0:00"), tr("Begin it sooner.")),
            "the bucket is at its heel before it is poured": ("heel", "blocking", tr("The bucket is at its heel before batch {} is poured", batch.number), tr("poured at {}", clock(max(batch.pour, 0.0))), tr("before the heel is reached"), tr("Begin it sooner, or mix larger batches.")),
            "poured before it is mixed": ("early", "blocking", tr("Batch {} is poured before it is mixed", batch.number), tr("poured at {}", clock(max(batch.pour, 0.0))), tr("mixed at {}", clock(max(batch.start, 0.0))), tr("Begin it sooner, or pour it later.")),
            "nobody is free to mix it": ("hands", "warning", tr("Nobody is free to mix batch {}", batch.number), tr("begun at {}", clock(max(batch.start, 0.0))), tr("one batch to a pair of hands"), tr("Begin it when the one before is ready, or take another pair of hands.")),
        }  # fmt: skip
        for trouble in batch.troubles:
            if trouble not in told:
                continue  # past its life: told by a rule of its own
            key, weight, title, number, limit, mend = told[trouble]
            yield Finding(
                f"batch-{key}:{batch.number}", "blocking" if weight == "blocking" else "warning", title, number, limit,
                "A hose that draws air puts it into the part; a batch mixed in haste is not mixed through.", mend, STATION,
                (), max(batch.start, 0.0), Remedy("Let the batches follow from the draw", lambda j: j.replaced(charge=j.charge.replaced(starts=None))) if evidence.job.charge.starts else None,
            )  # fmt: skip


def likely_short(evidence: Evidence) -> Iterator[Finding]:
    """What is mixed is enough in nine jobs of ten, and not much more than enough."""
    plan = evidence.charge
    if plan is None or plan.total <= 0:
        return
    need = need_of(plan, evidence.job.charge.leftovers)
    if need.short > SHORT:
        yield Finding(
            "likely-short", "warning", "It may run short", tr("short in {} of such jobs", figure(need.short, "share")), f"{figure(SHORT, 'share')}",
            tr("Needed are {0} to {1}: thickness and core take more or less than the sheet says.", figure(need.low, "mass"), figure(need.high, "mass")),
            "Raise the margin, or have another batch ready to mix.", STATION,
        )  # fmt: skip
    elif plan.total > (1 + WASTEFUL) * need.middle:
        yield Finding(
            "wasteful", "note", "Much of the resin will be left over", tr("{} mixed", figure(plan.total, "mass")),
            f"{figure((1 + WASTEFUL) * need.middle, 'mass')}", "What is left in the bucket heats itself and is thrown away.",
            "Lower the margin.", STATION,
        )  # fmt: skip


def scale_too_coarse(evidence: Evidence) -> Iterator[Finding]:
    """A step of the scale moves the ratio by less than its tolerance."""
    job, plan = evidence.job, evidence.charge
    if (
        plan is None
        or job.resin is None
        or job.resin.parts_b_per_100 < BY_SYRINGE
        or job.resin.cures == "peroxide"
    ):
        return
    smallest = min(plan.batches, key=lambda b: b.mass)
    mix = mix_of(job.resin, job.charge, smallest.mass)
    if mix.too_coarse:
        yield Finding(
            "scale-coarse", "warning", tr("The scale is too coarse for batch {}", smallest.number), tr("{} of the ratio", figure(mix.worst, "share", 1)),
            f"{figure(mix.tolerance, 'share', 1)}", "Half a step on either part moves the ratio: too little hardener never cures, too much makes heat.",
            "Weigh the small part on a finer scale, or mix larger batches.", STATION,
        )  # fmt: skip


RULES: list[Rule] = [batches_in_time, likely_short, scale_too_coarse]
