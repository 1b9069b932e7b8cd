"""What the board says, out of forecast, refit and rows: one place for its figures."""

from __future__ import annotations

from bibulon.app.session.session import Session
from bibulon.core.findings.base import Finding
from bibulon.core.plans.refit.refit import Refit
from bibulon.core.plans.refit.today import Bucket, bucket_of, findings_of_run
from bibulon.core.run.day import gauge_readings
from bibulon.core.units.units import clock, show

__all__ = ["bucket_now", "findings_of", "headline", "troubles"]


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
        words = f"Mark {odd.mark + 1} is {abs(odd.sigma):.1f} sigma {later} than the others say"
        lines.append((words, f"may be, of 100: {offers}"))
    found = findings_of(session, refit, bucket)
    return lines + [(f"{f.title}: {f.number}", f.mend) for f in found if f.weight != "note"]


def headline(session: Session, refit: Refit | None, waiting: str, holding: list[str]) -> str:
    """Return the lines beside the clock."""
    state, now, s = session.run_state(), session.elapsed(), session.system
    outlook = session.outlook
    forecast = outlook.forecast if outlook else None
    if not state.run:
        return "Every stamp is stored the moment it is made." + (f"\n{waiting}" if waiting else "")
    words = []
    if state.wet_at is not None:
        words += [f"all wet at {clock(state.wet_at)}", *holding]
    elif refit is not None and any(m.kind == "front" for m in refit.marks):
        low, middle, high = (max(t - now, 0.0) for t in (refit.fill.low, refit.fill.middle, refit.fill.high))
        words.append(f"wet through in {clock(middle)} ({clock(low)} to {clock(high)})")
        planned = f"planned {clock(forecast.fill_time)}" if forecast is not None and forecast.filled else ""
        words.append(
            " · ".join(
                x
                for x in (
                    planned,
                    f"{len(refit.marks)} marks",
                    "" if refit.gauge_read else "if the vacuum holds",
                )
                if x
            )
        )
    elif forecast is not None and forecast.filled:
        words.append(
            f"wet through in {clock(max(forecast.fill_time - now, 0))}, planned {clock(forecast.fill_time)}"
        )
        words.append(waiting or "mark the front: the range follows")
    gauge = gauge_readings(session.journal)
    if gauge:
        words.append(f"bag {show(gauge[-1][1], 'pressure', s)} at {clock(gauge[-1][0])}")
    return "\n".join(words[:3])
