"""Everything that follows from a job, worked out off the interface thread."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct, field
from msgspec.structs import replace

from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.findings.base import Evidence, Finding
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import Forecast, Resolution, flow_key, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job
from bibulon.core.units.figures import told_by

__all__ = ["THROUGH", "Outlook", "look_ahead"]

THROUGH = "wet through"


class Outlook(Struct, frozen=True, eq=False):
    """A job with its forecast, contours by layer name, figures and findings.

    ``problem`` says what a forecast still needs when there is none; ``fine`` whether it is the last word;
    ``judged`` whether the findings are of this forecast, rather than of the one before; ``lead`` is by how far the top leads the tool side where the mesh ends [m].
    """

    job: Job
    forecast: Forecast | None
    contours: dict[str, Contours] = field(default_factory=dict)
    sampler: Sampler | None = None
    evidence: Evidence | None = None
    findings: tuple[Finding, ...] = ()
    problem: str = ""
    fine: bool = True
    lead: float = 0.0
    judged: bool = True


def look_ahead(
    job: Job,
    resolution: Resolution,
    *,
    fine: bool,
    before: Outlook | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
    drawn: bool = True,
) -> Outlook:
    """Work everything out; the forecast of ``before`` is kept when nothing that it depends on changed.

    Without ``drawn`` there are no contours and no sampler, where nothing is drawn from them.
    A preview that follows an answer keeps that one's charge, bag, findings and lead: fronts come sooner, and judgements
    on a rough mesh would only flicker.
    """
    same = (
        before is not None
        and before.fine
        and before.forecast is not None
        and flow_key(before.job) == flow_key(job)
    )
    if same and before is not None:
        evidence = evidence_of(job, before.forecast)
        return Outlook(
            job,
            before.forecast,
            before.contours,
            before.sampler,
            evidence,
            find(evidence),
            "",
            True,
            before.lead,
        )
    try:
        result = forecast(job, resolution, progress=progress, cancelled=cancelled)
    except (BuildError, OutlineError, FillError) as error:
        evidence = evidence_of(job)
        return Outlook(job, None, {}, None, evidence, find(evidence), told_by(error), fine)
    sampler = Sampler(result.model.mesh, 280 if fine else 140) if drawn else None
    contours: dict[str, Contours] = {}
    if sampler is not None:
        contours = {THROUGH: sampler.contours(result.wet_through)}
        # What is shown first is cut here, off the thread that paints.
        _ = contours[THROUGH].bands, contours[THROUGH].lines
        contours |= {slot: sampler.contours(result.slot_wet_at(slot)) for slot in result.model.slots}
    if not fine and before is not None and before.forecast is not None and before.evidence is not None:
        known = replace(before.evidence, job=job, forecast=result)
        return Outlook(
            job, result, contours, sampler, known, before.findings, "", fine, before.lead, judged=False
        )
    evidence = evidence_of(job, result)
    lead = lead_at_mesh_end(result)[0]
    return Outlook(job, result, contours, sampler, evidence, find(evidence), "", fine, lead)
