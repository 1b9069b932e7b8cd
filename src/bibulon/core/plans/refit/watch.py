"""Judgements while resin runs: what the day does that the plan did not, and what must not be missed."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec import Struct

from bibulon.core.findings.base import Finding
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job, OnFront
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.run.journal import RunState
from bibulon.core.run.valves import left_to_do, valve_acts
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RunEvidence", "run_findings"]

MISSED = 60.0  # s after its time from which a call counts as missed
EARLY = 0.8  # of the time at which its line is passed, under which an opening locks off
CHANCE = 0.10  # of gel before full, or of resin running short
WEAKER = 0.10  # of the drive
STILL_DRY = 0.03  # of the part: less is what comes last
LOUD = 0.5  # chance from which on it blocks
Rule = Callable[["RunEvidence"], Iterator[Finding]]


class RunEvidence(Struct, frozen=True, eq=False):
    """What is known of a run at a moment [s].

    left : resin in the bucket [kg]; short : chance that it runs short; batch_age, batch_life : of the oldest batch in the
    bucket [s]; gauge : last reading in the bag [Pa]; held : when the hold was broken [s].
    """

    job: Job
    forecast: Forecast
    state: RunState
    now: float
    refit: Refit | None = None
    left: float | None = None
    short: float | None = None
    batch_age: float | None = None
    batch_life: float | None = None
    gauge: float | None = None
    held: float | None = None
    gel: float = float("inf")


def front_off(e: RunEvidence) -> Iterator[Finding]:
    """The front is outside what the plan allowed."""
    r = e.refit
    if r is None or not any(m.kind == "front" for m in r.marks):
        return
    planned = e.forecast.fill_time
    if r.fill.low > planned or r.fill.high < planned:
        slow = r.fill.low > planned
        yield Finding(
            "front-slow" if slow else "front-fast", "warning" if slow else "note",
            tr("The front is {} than planned", "slower" if slow else "faster"),
            tr("wet through in {0} to {1}", clock(r.fill.low, r.fill.high), clock(r.fill.high)), tr("{} planned", clock(planned)),
            tr("Nine times in ten, by the marks.") if slow else tr("Calls come earlier; resin that runs ahead on one side locks air off."),
            tr("Warm the resin, a deeper vacuum, the next feed, a port.") if slow else tr("Throttle the outlet on the side that is ahead."), "Shoot",
        )  # fmt: skip


def feed_at_heel(e: RunEvidence) -> Iterator[Finding]:
    """An open feed with the bucket at its heel sucks air."""
    feeds = any(x.role == "feed" and x.id in e.state.open for x in e.job.lines)
    if e.left is not None and feeds and e.state.wet_at is None and e.left <= e.job.heel:
        yield Finding(
            "heel", "blocking", "A feed is open and the bucket is at its heel", figure(max(e.left, 0.0), "mass", 2),
            tr("over {}", figure(e.job.heel, "mass", 2)), "The hose sucks air, and the air goes into the part.",
            "Clamp the feed, pour, then open it again.", "Shoot",
        )  # fmt: skip


def call_missed(e: RunEvidence) -> Iterator[Finding]:
    """A feed that should be open is not."""
    for line in e.job.lines:
        if line.role != "feed" or line.id in e.state.open:
            continue
        due = e.forecast.history.opened.get(line.id)
        if (
            due is not None
            and due > 0
            and e.now > due + MISSED
            and e.state.wet_at is None
            and line.id not in e.state.opened
        ):
            yield Finding(
                f"missed:{line.id}", "warning", tr("{} was to be opened", line.label), tr("{} ago", clock(e.now - due)), tr("at {}", clock(due)),
                "The front slows with the distance from the last open feed.", tr("Is the front past {}? Then open it.", line.label), "Shoot",
            )  # fmt: skip


def clamp_missed(e: RunEvidence) -> Iterator[Finding]:
    """A vacuum line that resin has passed, and that was to be clamped, still pulls."""
    for line in e.job.lines:
        if line.role != "vacuum":
            continue
        acts = valve_acts(e.job, e.forecast, line, "metric")
        for act, _ in left_to_do(acts, e.state.valves.get(line.id, ()), line):
            due = act.time
            if e.refit is not None and e.refit.marks and isinstance(act.rule, OnFront):
                due = max(due, e.refit.passed(act.rule.line) + act.rule.delay)
            if act.kind == "shut" and e.now > due + MISSED:
                yield Finding(
                    f"missed:{line.id}", "warning", tr("{} was to be clamped", line.label), tr("{} ago", clock(e.now - due)), tr("at {}", clock(due)),
                    "Resin that has passed it goes to the catch pot.", tr("Is {} full of resin? Then clamp it, once no bubbles are seen.", line.label), "Shoot",
                )  # fmt: skip


def call_early(e: RunEvidence) -> Iterator[Finding]:
    """A feed that was opened before the front had passed it locks air off between."""
    r = e.refit
    for line in e.job.lines:
        at = e.state.opened.get(line.id)
        if line.role != "feed" or not at:
            continue
        nodes = e.forecast.model.lines[line.id]
        if r is not None and len(nodes) and r.prior.model.lines.get(line.id) is not None:
            when = r.passed(line.id)
        else:
            when = float(e.forecast.wet_at[nodes].max(initial=0.0))
        planned = e.forecast.history.opened.get(line.id, 0.0)
        if at < EARLY * min(when, max(planned, 1.0)):
            x, y = line.path[len(line.path) // 2]
            yield Finding(
                f"early:{line.id}", "warning", tr("{} was opened before the front had passed it", line.label),
                tr("at {}", clock(at)), tr("wet there at {}", clock(when)), "Resin from it meets the front, and the air between stays.",
                tr("Clamp {} until the front is past it; look for a dry place between.", line.label), "Shoot", ((x, y),),
            )  # fmt: skip


def vacuum_weakens(e: RunEvidence) -> Iterator[Finding]:
    """The vacuum is weaker than planned."""
    if e.gauge is None:
        return
    c = e.job.conditions
    full = c.atmosphere - c.vacuum
    lost = (e.gauge - c.vacuum) / full
    if lost > WEAKER:
        yield Finding(
            "weaker", "warning", "The vacuum is weaker than planned", figure(e.gauge, "pressure"), tr("{} planned", figure(c.vacuum, "pressure")),
            tr("{:.0f} % of the drive is gone; the front slows as much.", lost * 100), "Look for a leak, at the pump first.", "Shoot",
        )  # fmt: skip


def batch_old(e: RunEvidence) -> Iterator[Finding]:
    """Resin that stands in the bucket past its life."""
    if (
        e.batch_age is not None
        and e.batch_life is not None
        and e.batch_age > e.batch_life
        and e.state.wet_at is None
    ):
        yield Finding(
            "batch-old", "blocking", "The batch in the bucket is past its life", clock(e.batch_age), clock(e.batch_life),
            "It thickens, heats and may smoke.", "Feed clamped, bucket outside on metal, a fresh one in its place.", "Shoot",
        )  # fmt: skip


def gel_first(e: RunEvidence) -> Iterator[Finding]:
    """Gel before the part is full."""
    r = e.refit
    if r is None or e.state.wet_at is not None:
        return
    chance = 1 - r.full_before_gel
    if chance > CHANCE:
        yield Finding(
            "gel-first", "blocking" if chance > LOUD else "warning", "Gel before the part is full is likely",
            f"{chance * 100:.0f} in 100", tr("under {:.0f}", CHANCE * 100), tr("It gels at {0}; wet through {1}.", clock(r.gel), r.fill.words()),
            "Open the next feed now; a deeper vacuum; warm the mould, not the bucket.", "Shoot",
        )  # fmt: skip


def resin_short(e: RunEvidence) -> Iterator[Finding]:
    """Resin that will not do."""
    if e.short is not None and e.short > CHANCE and e.state.wet_at is None:
        yield Finding(
            "short-likely", "blocking" if e.short > LOUD else "warning", "The resin may not do", f"{e.short * 100:.0f} in 100",
            tr("under {:.0f}", CHANCE * 100), "A bucket that runs dry sucks air into the feed.", "Mix another batch now: mixing takes its time.", "Shoot",
        )  # fmt: skip


def resin_in_pot(e: RunEvidence) -> Iterator[Finding]:
    """An outlet that resin has reached while cloth is dry draws resin past it."""
    r = e.refit
    if r is None or not r.marks or e.state.wet_at is not None:
        return
    through = r.through[1]
    cloth = through > 0
    dry = float((through[cloth] > e.now).mean()) if cloth.any() else 0.0
    for line in e.job.lines:
        nodes = r.prior.model.lines.get(line.id) if line.role == "vacuum" and not line.membrane else None
        if nodes is None or not len(nodes) or dry <= STILL_DRY:
            continue
        since = e.now - float(r.top[1][nodes].min())
        if since > MISSED:
            x, y = line.path[len(line.path) // 2]
            yield Finding(
                f"pot:{line.id}", "warning", tr("Resin runs into {} while cloth is dry", line.label), tr("for {0}, {1:.0f} % still dry", clock(since), dry * 100),
                tr("under {0}, or {1:.0f} %", clock(MISSED), STILL_DRY * 100), "What goes to the catch pot is missing in the part, and its pull no longer reaches what is dry.",
                tr("Throttle {}, or clamp it if another outlet still draws; look how full the pot is.", line.label), "Shoot", ((x, y),),
            )  # fmt: skip


def hold_broken(e: RunEvidence) -> Iterator[Finding]:
    """A vacuum that was let go before gel."""
    if e.held is not None and e.held < e.gel:
        yield Finding(
            "hold-broken", "warning", "The hold was broken before gel", clock(e.held), clock(e.gel),
            "Resin flows back and air comes in until it gels.", "Vacuum on again, at once, if it still flows.", "Shoot",
        )  # fmt: skip


RUN_RULES: tuple[Rule, ...] = (
    front_off,
    feed_at_heel,
    call_missed,
    clamp_missed,
    call_early,
    vacuum_weakens,
    batch_old,
    gel_first,
    resin_short,
    resin_in_pot,
    hold_broken,
)
_ORDER = {"blocking": 0, "warning": 1, "note": 2}


def run_findings(evidence: RunEvidence) -> list[Finding]:
    """Return all findings of a run, the weightiest first."""
    found = [f for rule in RUN_RULES for f in rule(evidence)]
    return sorted(found, key=lambda f: _ORDER[f.weight])
