"""Run all rules on a job."""

from __future__ import annotations

import contextlib
import inspect
import logging
import math

from msgspec.structs import replace

from bibulon.core.bag.bag import bag_of
from bibulon.core.findings import (
    bag,
    batches,
    cure,
    feeds,
    fittings,
    fronts,
    layout,
    mesh,
    mould,
    part,
    prove,
    resin,
    stack,
    test_and_charge,
)
from bibulon.core.findings.base import Evidence, Finding, Rule
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.droptest import LeakError, LeakResult, Verdict, fit_test, judge, school_of
from bibulon.core.model.job import Accepted, DropTest, Job
from bibulon.core.model.rules import RuleSet, School
from bibulon.core.mould.mould import mould_of
from bibulon.core.resin.charge import ChargeError, charge
from bibulon.core.units.figures import told_by
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = ["RULES", "acceptance_of", "evidence_of", "fault_of", "find", "is_accepted"]

log = logging.getLogger(__name__)

_ORDER = {"blocking": 0, "warning": 1, "note": 2}
# Where rules of a module are told, when one of them fails; else at Lines, where most are.
_STATIONS = {
    "bag": "Bag", "batches": "Charge", "cure": "Cure", "mould": "Mould", "part": "Part", "prove": "Prove", "resin": "Charge",
    "stack": "Stack", "test_and_charge": "Charge",
}  # fmt: skip
RULES: list[Rule] = [
    r
    for module in (
        part,
        stack,
        layout,
        mesh,
        feeds,
        fronts,
        fittings,
        bag,
        mould,
        batches,
        resin,
        cure,
        prove,
        test_and_charge,
    )
    for r in module.RULES
]


def evidence_of(job: Job, forecast: Forecast | None = None) -> Evidence:
    """Work out what the rules look at, as far as the job goes."""
    plan = leak = verdict = None
    problem = ""
    with contextlib.suppress(ChargeError, OutlineError):
        plan = charge(job)
    if job.test.readings:
        try:
            leak = _fitted(job.test)
            verdict = _judged(job.test, leak, school_of(job), job.conditions.atmosphere)
        except LeakError as error:
            problem = told_by(error)
    laid = None
    if job.process == "infusion":
        with contextlib.suppress(OutlineError):
            laid = bag_of(job)
    mould = None
    if job.process != "infusion" and forecast is not None:
        with contextlib.suppress(OutlineError):
            mould = mould_of(job, forecast)
    return Evidence(job, forecast, plan, leak, verdict, laid, mould, problem)


@by_identity(1, 3)
def _fitted(test: DropTest) -> LeakResult:
    """Return the fit of a drop test; the same record is fitted once."""
    return fit_test(test)


@by_identity(3, 3)
def _judged(test: DropTest, leak: LeakResult, school: School, atmosphere: float) -> Verdict:
    """Return what a school makes of a fit; told once of the same: a dragged line changes nothing of it."""
    return judge(test, leak, school, atmosphere)


def find(evidence: Evidence) -> tuple[Finding, ...]:
    """Return all findings, the weightiest first; accepted warnings last among theirs."""
    found: list[Finding] = []
    for rule in RULES:
        try:
            found += [replace(f, rule=rule.__name__) for f in rule(evidence)]
        except OutlineError:
            continue  # told by a rule of its own
        except Exception as error:
            # One rule, maybe somebody's own, must not take forecast and findings along.
            found.append(replace(fault_of(rule, error), rule=rule.__name__))
    return tuple(sorted(found, key=lambda f: (_ORDER[f.weight], is_accepted(evidence.job, f))))


def fault_of(rule: Rule, error: Exception) -> Finding:
    """Return what is told of a rule that failed: silence would read as all being well."""
    log.error("rule %s failed", rule.__name__, exc_info=error)
    practice = (inspect.getdoc(rule) or rule.__name__).split("\n")[0]
    return Finding(
        f"untold:{rule.__name__}", "warning", "A check could not be made", "it failed on this job", tr(practice),
        "What it would have told is not known; all others stand.", "Look at it yourself, and send the log to who keeps this program.",
        _STATIONS.get(rule.__module__.rpartition(".")[2], "Lines"),
    )  # fmt: skip


def is_accepted(job: Job, finding: Finding) -> bool:
    """Whether somebody accepted this warning; what blocks cannot be accepted."""
    return acceptance_of(job, finding) is not None


def acceptance_of(job: Job, finding: Finding) -> Accepted | None:
    """Return who accepted this warning and why; None when nobody did, or it has moved or grown since."""
    if finding.weight == "blocking":
        return None
    return next((a for a in job.accepted if _covers(a, finding, job.rules)), None)


def _covers(accepted: Accepted, finding: Finding, rules: RuleSet) -> bool:
    if finding.size is None:
        return accepted.key == finding.key
    if accepted.place is None or accepted.size is None or not finding.places:
        return False
    return (
        accepted.key.partition(":")[0] == finding.kind
        and math.dist(accepted.place, finding.places[0]) <= rules.accepted_moves
        and finding.size <= accepted.size * (1 + rules.accepted_grows)
    )
