"""What a test is held against: what was judged of it, and the leak that this part can bear."""

from __future__ import annotations

from bibulon.app.session.session import Session
from bibulon.core.findings.base import Evidence
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.leak.droptest import school_of
from bibulon.core.leak.looks import air_limit, limit_of
from bibulon.core.leak.volume import bag_volume

__all__ = ["borne_leak", "evidence_now", "limit_now"]


def evidence_now(session: Session) -> Evidence | None:
    """Return what was worked out, if it is of the test as it stands."""
    outlook = session.outlook
    evidence = outlook.evidence if outlook else None
    job = session.job
    same = evidence is not None and evidence.job.test is job.test and evidence.job.rules is job.rules
    return evidence if same else None


def borne_leak(session: Session) -> float | None:
    """Return what this part can bear [Pa m³/s]; None while no forecast says when it gels."""
    forecast = session.outlook.forecast if session.outlook else None
    if forecast is None or not 0 < forecast.clock.gel < 1e8:
        return None
    try:
        pores = bag_volume(session.job).get("plies, core and mesh", 0.0)
    except OutlineError:
        return None
    return (
        air_limit(session.job, pores, max(forecast.clock.gel - forecast.fill_time, 60.0))
        if pores > 0
        else None
    )


def limit_now(session: Session) -> float:
    """Return the rise that divides good from bad [Pa/s]."""
    job = session.job
    return limit_of(school_of(job), job.test.volume, borne_leak(session))
