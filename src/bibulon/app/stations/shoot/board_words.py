"""What the board says, out of forecast, refit and rows: one place for its figures."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.app.session.session import Session
from bibulon.core.findings.base import Finding
from bibulon.core.plans.refit.moved import moved_calls
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.plans.refit.today import Bucket, bucket_of, findings_of_run
from bibulon.core.run.calls import Call, calls
from bibulon.core.run.day import gauge_readings
from bibulon.core.run.journal import RunState
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = [
    "bucket_now",
    "bucket_words",
    "coming_calls",
    "findings_of",
    "gel_words",
    "headline",
    "next_words",
    "troubles",
]

NEVER = 1e8  # s, from which on a resin does not gel


def bucket_now(session: Session, refit: Refit | None) -> Bucket | None:
    """Return the bucket as it stands; None without a charge or a forecast."""
    outlook = session.outlook
    plan = outlook.evidence.charge if outlook and outlook.evidence else None
    if outlook is None or plan is None or outlook.forecast is None:
        return None
    state, now = session.run_state(), session.elapsed()
    return bucket_of(outlook.job, plan, outlook.forecast, state, refit, now, session.journal)


def findings_of(session: Session, refit: Refit | None, bucket: Bucket | None) -> list[Finding]:
    """Return what is wrong with the run now, in this person's units."""
    outlook = session.outlook
    if outlook is None or outlook.forecast is None:
        return []
    found = findings_of_run(outlook.job, outlook.forecast, session.journal, refit, bucket, session.elapsed())
    return [f.worded(session.system) for f in found]


def troubles(session: Session, refit: Refit | None, bucket: Bucket | None) -> list[tuple[str, str]]:
    """Return what must be looked at, the weightiest first: what it is, and what to do; a mark that the others do not bear out before all."""
    lines: list[tuple[str, str]] = []
    if refit is not None and refit.contradictions:
        odd = refit.contradictions[0]
        later = "later" if odd.sigma > 0 else "earlier"
        offers = "; ".join(f"{w} ({share * 100:.0f})" for w, share in odd.explanations[:2])
        words = tr("Mark {0} is {1:.1f} sigma {2} than the others say", odd.mark + 1, abs(odd.sigma), later)
        lines.append((words, tr("may be, of 100: {}", offers)))
    found = findings_of(session, refit, bucket)
    return lines + [(f"{f.title}: {f.number}", f.mend) for f in found if f.weight != "note"]


def headline(session: Session, refit: Refit | None, waiting: str, holding: list[str]) -> str:
    """Return the lines beside the clock."""
    state, now, s = session.run_state(), session.elapsed(), session.system
    outlook = session.outlook
    forecast = outlook.forecast if outlook else None
    if not state.run:
        return tr("Every stamp is stored the moment it is made.") + (f"\n{waiting}" if waiting else "")
    words = []
    if state.wet_at is not None:
        words += [tr("all wet at {}", clock(state.wet_at)), *holding]
    elif refit is not None and any(m.kind == "front" for m in refit.marks):
        low, middle, high = (max(t - now, 0.0) for t in (refit.fill.low, refit.fill.middle, refit.fill.high))
        words.append(
            tr("wet through in {0} ({1} to {2})", clock(middle, high), clock(low, high), clock(high))
        )
        planned = (
            tr("planned {}", clock(forecast.fill_time)) if forecast is not None and forecast.filled else ""
        )
        words.append(
            " · ".join(
                x
                for x in (
                    planned,
                    tr("{} marks", len(refit.marks)),
                    "" if refit.gauge_read else tr("if the vacuum holds"),
                )
                if x
            )
        )
    elif forecast is not None and forecast.filled:
        words.append(
            tr(
                "wet through in {0}, planned {1}",
                clock(max(forecast.fill_time - now, 0)),
                clock(forecast.fill_time),
            )
        )
        words.append(waiting or tr("mark the front: the range follows"))
    gauge = gauge_readings(session.journal)
    if gauge:
        words.append(tr("bag {0} at {1}", show(gauge[-1][1], "pressure", s), clock(gauge[-1][0])))
    return "\n".join(words[:3])


def coming_calls(session: Session, refit: Refit | None) -> tuple[Call, ...]:
    """Return what is still to be called, the next first, at the times that the marks make of them."""
    outlook = session.outlook
    if outlook is None or outlook.forecast is None:
        return ()
    plan = outlook.evidence.charge if outlook.evidence else None
    found = calls(outlook.job, outlook.forecast, plan, session.run_state(), session.system)
    return moved_calls(outlook.job, outlook.forecast, refit, found, session.system)


def next_words(coming: Sequence[Call], state: RunState, now: float, held: str) -> tuple[str, str]:
    """Return the next call and why, or what there is to do without one: what is ``held`` until gel."""
    if not state.run:
        return tr("Start the clock"), tr("when the first feed opens")
    if not coming:
        return held, ""
    wait = coming[0].time - now
    when = tr("in {}", clock(wait)) if wait > 0 else tr("now")
    return coming[0].text, f"{coming[0].why} · {when}"


def bucket_words(bucket: Bucket, scale: str, heel: float, system: System) -> tuple[str, str]:
    """Return what is left in the bucket, and what is still needed; ``scale`` says how it is weighed, if it is."""
    needed = show(bucket.needed, "mass", system)
    if bucket.between is not None:
        low, high = (show(m, "mass", system) for m in bucket.between)
        needed = tr("{0} to {1}", low, high) if low != high else low
    how = scale or (tr("weighed") if bucket.weighed else tr("by the forecast"))
    left = tr("{} left", show(bucket.left, "mass", system))
    return left, tr("{0} still needed, {1}; heel at {2}", needed, how, show(heel, "mass", system))


def gel_words(planned: float, refit: Refit | None, now: float) -> tuple[str, str]:
    """Return how long until the first batch gels [s, by the clock], and the chance to be full before it."""
    gel = refit.gel if refit is not None else planned
    if gel >= NEVER:
        return tr("no data"), ""
    chance = ""
    if refit is not None and refit.marks:
        chance = tr(" · full before it: {:.0f} in 100", refit.full_before_gel * 100)
    return clock(gel - now), tr("until the first batch gels in the part{}", chance)
