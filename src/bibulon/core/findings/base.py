"""What a finding is, what rules may look at, and the registry that they join."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from bibulon.core.flow.forecast import Forecast
from bibulon.core.leak.droptest import LeakResult, Verdict
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge

__all__ = ["Evidence", "Finding", "Remedy", "Weight", "rule", "rules"]

Weight = Literal["blocking", "warning", "note"]


@dataclass(frozen=True)
class Remedy:
    """What the program can do about a finding: a label and the changed job."""

    label: str
    apply: Callable[[Job], Job]


@dataclass(frozen=True)
class Finding:
    """One verdict: what, where, the number against the limit, why it matters, what would mend it.

    ``key`` stays the same while the fact does, so that an acceptance finds it again.
    ``places`` are points of the plan [m]; ``time`` a moment of the clock [s].
    """

    key: str
    weight: Weight
    title: str
    number: str
    limit: str
    why: str
    mend: str
    station: str
    places: tuple[tuple[float, float], ...] = ()
    time: float | None = None
    remedy: Remedy | None = None


@dataclass(frozen=True)
class Evidence:
    """All that a rule may look at; what could not be worked out is None."""

    job: Job
    forecast: Forecast | None = None
    charge: Charge | None = None
    leak: LeakResult | None = None
    verdict: Verdict | None = None
    leak_problem: str = ""  # why a record cannot be judged


Rule = Callable[[Evidence], Iterator[Finding]]
_RULES: list[Rule] = []


def rule(function: Rule) -> Rule:
    """Register a rule; rules run in the order of registration."""
    _RULES.append(function)
    return function


def rules() -> tuple[Rule, ...]:
    """Return all registered rules."""
    return tuple(_RULES)
