"""Judgements on the leak test and the charge."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from bibulon.core.edit.edit import change
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule
from bibulon.core.model.job import Job
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

STEP = 0.05  # kg to which an allowance is told


def bag_leaks(evidence: Evidence) -> Iterator[Finding]:
    """A bag that fails its school is not shot."""
    verdict = evidence.verdict
    if verdict is None or verdict.outcome == "pass":
        return
    fails = verdict.outcome == "fail"
    yield Finding(
        "leak", "blocking" if fails else "warning",
        tr("The bag leaks too much to shoot") if fails else tr("The leak test cannot tell yet"),
        verdict.figure, verdict.limit,
        verdict.reason + (tr(" Air that leaks in ends as bubbles in the part.") if fails else ""),
        tr("Listen along tape, tubes and pleats; halve the bag by clamps; then test again.") if fails
        else tr("Hold the bag shut longer and record on."),
        "Prove",
    )  # fmt: skip


def charge_short_of_forecast(evidence: Evidence) -> Iterator[Finding]:
    """The charge must cover what the forecast puts into part, lines and catch pot."""
    plan, forecast = evidence.charge, evidence.forecast
    if plan is None or forecast is None or not forecast.filled:
        return
    used = forecast.resin_in_part + forecast.resin_in_lines + forecast.resin_to_catch_pot
    available = plan.total - evidence.job.heel
    if used > available:
        more = math.ceil((used - available) / (1 + evidence.job.charge.margin) / STEP) * STEP
        pot = evidence.job.charge.catch_pot + more
        yield Finding(
            "short", "blocking", "The charge runs short", tr("{} above the heel", figure(available, "mass", 2)), tr("{} forecast", figure(used, "mass", 2)),
            "A bucket that runs dry sucks air into the feed.",
            "Raise the margin, or the allowance for the catch pot.", "Charge",
            remedy=Remedy(tr("Allow {} for the catch pot", figure(pot, "mass", 2)), partial(_allowing, pot=pot)),
        )  # fmt: skip


def _allowing(job: Job, pot: float) -> Job:
    """Return the job with so much let through to the catch pot [kg]."""
    return change(job, charge=job.charge.replaced(catch_pot=pot))


RULES: tuple[Rule, ...] = (
    bag_leaks,
    charge_short_of_forecast,
)
