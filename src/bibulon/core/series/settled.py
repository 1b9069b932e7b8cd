"""What measured parts say of their materials: how far cloth packs, and how much resin a core takes up.

Packing: measured over planned fibre share of zones without a core, for each of their cloths.  Uptake: what a weighed part holds beyond
fibre, core, coat and the resin in plies that are as thick as measured, over what the cores' sheets say.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.model.materials import Core, Fabric, Material
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.series.thickness import CALIPER, measured_of, zone_shares
from bibulon.core.stack.laid import developed_area
from bibulon.core.stack.laminate import STAYS, core_uptake, zone_stack
from bibulon.core.stack.totals import part_totals

__all__ = ["KINDS", "Settled", "figure_of", "settled_of", "taken"]

Settled = tuple[
    str, str, float, float, float
]  # quantity, material, ln of the factor, its spread, the figure that it is of
NINE_IN_TEN = 1.645
WEIGHED = 0.02  # spread of cloth, core and coat by mass, as shares
KINDS = {  # words, spread of ln f about the library's figure, and from run to run
    "packing": ("fibre share under the bag", 0.08, 0.02),
    "uptake": ("resin that the core takes up", 0.5, 0.15),
}
VAGUE = 0.7  # spread of ln f from which on a part says nothing


def figure_of(material: Material, quantity: str) -> float | None:
    """Return the library's figure that a factor is of; None where the material has none."""
    if quantity == "packing":
        return material.vf_ref if isinstance(material, Fabric) else None
    return (core_uptake(material).total or None) if isinstance(material, Core) else None


def taken(material: Material, quantity: str, factor: float) -> Material:
    """Return the material with a figure times a factor."""
    if quantity == "packing" and isinstance(material, Fabric):
        return material.replaced(vf_ref=min(material.vf_ref * factor, 0.78))
    if quantity == "uptake" and isinstance(material, Core):
        more = (factor - 1) * core_uptake(material).total
        return material.replaced(surface_uptake=max(material.surface_uptake + more, 0.0))
    return material


def settled_of(job: Job, journal: Sequence[Entry]) -> tuple[Settled, ...]:
    """Return what a part that was measured, and weighed, says of its materials; nothing where it says nothing.

    Raises
    ------
    OutlineError : when the outline is crossed or empty.
    """
    zones = zone_shares(job, measured_of(journal))
    if not zones:
        return ()
    by: dict[str, list[tuple[float, float]]] = {}
    for z in zones:
        stack = zone_stack(job, z.zone)
        if z.vf is None or z.vf_planned <= 0 or any(s.kind == "core" for s in stack.layers):
            continue
        told = math.log(z.vf.middle / z.vf_planned), math.log(z.vf.high / z.vf.low) / (2 * NINE_IN_TEN)
        for key in dict.fromkeys(s.layer.material for s in stack.layers if s.kind == "fabric"):
            by.setdefault(key, []).append(told)
    out: list[Settled] = []
    for key, found in by.items():
        material = job.materials[key]
        if (ref := figure_of(material, "packing")) is not None:
            # Zones of one part share their cloth's and their caliper's errors: they are one run, no surer than the surest.
            weights = [1 / s**2 for _, s in found]
            y = sum(w * told for w, (told, _) in zip(weights, found, strict=True)) / sum(weights)
            out.append(("packing", material.name, round(y, 4), round(min(s for _, s in found), 4), ref))
    return (*out, *_uptake(job, journal, {z.zone: z.measured for z in zones}))


def _uptake(job: Job, journal: Sequence[Entry], measured: Mapping[str, float]) -> tuple[Settled, ...]:
    part = [v for e in rows_of(journal, "weighed") if (v := number(e.data, "part")) is not None]
    density = job.resin.density if job.resin else 1100.0
    plan = regions(job.part)
    stacks = {zone: zone_stack(job, zone) for zone in plan.zones}
    held = {z for z, s in stacks.items() if s.thickness > 0}
    if not part or not held <= set(measured):
        return ()
    totals = part_totals(job)
    in_plies = spread = planned = 0.0
    cores: dict[str, float] = {}
    for zone in held:
        area = developed_area(job.part, zone, plan.zones[zone])
        plies = [s for s in stacks[zone].layers if s.kind == "fabric"]
        rest = sum(s.thickness for s in stacks[zone].layers if s.kind in STAYS and s.kind != "fabric")
        room = max(measured[zone] - rest - sum(s.fibre_volume for s in plies), 0.0)
        in_plies += area * room * density
        spread += (area * density * CALIPER * measured[zone]) ** 2
        for s in stacks[zone].layers:
            if s.kind == "core" and s.pores > 0:
                cores[s.layer.material] = cores.get(s.layer.material, 0.0) + area * s.pores * density
                planned += area * s.pores * density
    found = part[-1] - totals.fibre - totals.core - totals.other - in_plies
    if planned <= 0 or found <= 0:
        return ()
    off = math.sqrt(spread + (WEIGHED * (totals.fibre + totals.core)) ** 2) / found
    if off > VAGUE:
        return ()
    factor = round(math.log(found / planned), 4)
    return tuple(
        ("uptake", job.materials[key].name, factor, round(off, 4), core_uptake(core).total)
        for key in cores
        if isinstance(core := job.materials[key], Core) and core_uptake(core).total > 0
    )
