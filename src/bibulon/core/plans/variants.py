"""Plans of one job kept side by side, and what each comes to."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from msgspec import Struct

from bibulon.core.edit.edit import change, new_id
from bibulon.core.findings.judge import evidence_of, find, is_accepted
from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import FINE, Forecast, flow_key, forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import RIM, Job, Variant
from bibulon.core.stack.laminate import thickness_under, zone_stack
from bibulon.core.stack.totals import part_totals
from bibulon.core.units.words import tr

__all__ = [
    "Compared",
    "compared",
    "drop_variant",
    "keep_variant",
    "rename_variant",
    "swap_variant",
    "switch_process",
]

CAVITY_BELOW = 55_000.0  # Pa below the air, that a light mould's cavity is drawn down to: half of it


def bare(job: Job) -> Job:
    """Return a job without its variants."""
    return job.replaced(variants=())


def keep_variant(job: Job, name: str, plan: Job | None = None) -> Job:
    """Keep the plan as it is now, or another, beside it under a name."""
    new = Variant(id=new_id("plan", [v.id for v in job.variants]), name=name, job=bare(plan or job))
    return change(job, variants=(*job.variants, new))


def swap_variant(job: Job, variant_id: str, name: str = "As it was") -> Job:
    """Go on with a variant; the plan so far takes its place under a name, so that nothing is lost."""
    taken = next(v for v in job.variants if v.id == variant_id)
    kept = Variant(id=variant_id, name=name, job=bare(job))
    variants = tuple(kept if v.id == variant_id else v for v in job.variants)
    return change(taken.job, variants=variants)


def switch_process(job: Job, process: str) -> Job:
    """Go over to another process; the plan so far is kept beside it, and comes back when its process does.

    A mould that closes gets a gap as thick as the stack is under the holding vacuum, where it has none; one that is held
    shut by its flange's vacuum gets no deeper a cavity than light moulds have: a bag's would lift it.
    """
    if process == job.process:
        return job
    there = next((v for v in job.variants if v.job.process == process and v.name == _as(process)), None)
    if there is not None:
        return swap_variant(job, there.id, _as(job.process))
    gap = job.part.cavity
    if process != "infusion" and gap <= 0:
        press = np.array([job.conditions.atmosphere - job.closed.holding])
        gap = float(thickness_under(job, RIM, press)[0])
    conditions = job.conditions
    if process == "light RTM":
        conditions = conditions.replaced(vacuum=max(conditions.vacuum, conditions.atmosphere - CAVITY_BELOW))
    return change(
        keep_variant(job, _as(job.process)),
        process=process, part=job.part.replaced(cavity=gap), conditions=conditions,
    )  # fmt: skip


def _as(process: str) -> str:
    return tr("As {}", process)


def rename_variant(job: Job, variant_id: str, name: str) -> Job:
    """Give a variant another name."""
    variants = tuple(v.replaced(name=name) if v.id == variant_id else v for v in job.variants)
    return change(job, variants=variants)


def drop_variant(job: Job, variant_id: str) -> Job:
    """Forget a variant."""
    return change(job, variants=tuple(v for v in job.variants if v.id != variant_id))


class Compared(Struct, frozen=True, eq=False):
    """What one plan comes to; figures that could not be had are None.

    id : of the variant, empty for the plan that is open; ``problem`` is why there is no forecast.
    """

    id: str
    name: str
    job: Job
    area: float | None
    thickness: float | None
    mass: float | None
    cost: float | None
    charge: float | None
    forecast: Forecast | None
    to_settle: int
    problem: str = ""

    @property
    def fill_time(self) -> float | None:
        """When all is wet [s]; inf where some stays dry."""
        return self.forecast.fill_time if self.forecast else None

    @property
    def dry(self) -> float | None:
        """Area that stays dry [m²]."""
        return self.forecast.dry_area if self.forecast else None


def compared(
    job: Job, known: Iterable[Forecast] = (), cancelled: Callable[[], bool] | None = None
) -> tuple[Compared, ...]:
    """Work out the open plan and all its variants, as finely as figures are told elsewhere.

    known : such forecasts that are there already; those of the same flow are taken.
    """
    have = [(flow_key(f.job), f) for f in known]
    rows = [("", tr("this plan"), bare(job)), *((v.id, v.name, v.job) for v in job.variants)]
    return tuple(_one(key, name, plan, have, cancelled) for key, name, plan in rows)


def _one(
    key: str,
    name: str,
    job: Job,
    have: list[tuple[tuple[object, ...], Forecast]],
    cancelled: Callable[[], bool] | None,
) -> Compared:
    problem = ""
    try:
        totals = part_totals(job)
        thickness = max((zone_stack(job, z).thickness for z in regions(job.part).zones), default=0.0)
    except OutlineError as error:
        return Compared(key, name, job, None, None, None, None, None, None, 1, str(error))
    flow = flow_key(job)
    result = next((f for k, f in have if k == flow), None)
    try:
        result = result or forecast(job, FINE, cancelled=cancelled)
    except (BuildError, FillError, OutlineError) as error:
        problem = str(error)
    evidence = evidence_of(job, result)
    open_ = sum(f.weight != "note" and not is_accepted(job, f) for f in find(evidence))
    charge = evidence.charge.total if evidence.charge else None
    return Compared(
        key, name, job, totals.area, thickness, totals.mass, totals.cost, charge, result, open_, problem
    )
