"""What the whole part comes to: area, mass, cost and material, zone by zone and ply by ply."""

from __future__ import annotations

import math

from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import Core, Fabric
from bibulon.core.stack.derived import loose_thickness
from bibulon.core.stack.laid import developed_area, layer_area, places
from bibulon.core.stack.laminate import STAYS, ZoneStack, layer_state, zone_stack
from bibulon.core.stack.mesh_cover import mesh_cover

__all__ = ["Need", "PartTotals", "StackFigures", "needs", "part_totals", "stack_figures"]

RESIN_DENSITY = 1100.0  # kg/m³ while no resin is chosen


def _density(job: Job) -> float:
    return job.resin.density if job.resin else RESIN_DENSITY


class StackFigures(Struct, frozen=True):
    """A stack a m²: thickness and loose thickness [m], V_f, fibre mass share, masses [kg/m²], cost [1/m²]."""

    thickness: float
    loose: float
    fibre_volume: float
    fibre_mass: float
    dry: float
    resin: float
    cost: float

    @property
    def mass(self) -> float:
        """Mass of the finished part [kg/m²]."""
        return self.dry + self.resin


def stack_figures(job: Job, stack: ZoneStack) -> StackFigures:
    """Return the figures of a stack; the fibre mass share is V_f ρ_f / (V_f ρ_f + φ ρ_r) over the plies."""
    density = _density(job)
    fibre = sum(s.dry_mass for s in stack.layers if s.kind == "fabric")
    in_plies = sum(s.pores for s in stack.layers if s.kind == "fabric") * density
    resin = stack.pores * density
    price = job.resin.price_per_kg if job.resin else 0.0
    return StackFigures(
        stack.thickness,
        loose_thickness(stack, job),
        stack.fibre_fraction,
        fibre / (fibre + in_plies) if fibre else 0.0,
        stack.dry_mass,
        resin,
        stack.price + resin * price,
    )


class PartTotals(Struct, frozen=True):
    """One part: area on the mould [m²], masses [kg], cost of what is laid and of the resin that stays."""

    area: float
    fibre: float
    core: float
    other: float
    resin: float
    cost: float

    @property
    def mass(self) -> float:
        """Mass of the finished part [kg]."""
        return self.fibre + self.core + self.other + self.resin


def part_totals(job: Job) -> PartTotals:
    """Add up one part; skin coat and tack count as other, peel ply and mesh come off again.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    area = resin = cost = 0.0
    dry = {"fabric": 0.0, "core": 0.0, "other": 0.0}
    for place, region in places(job).zones.items():
        here = developed_area(job.part, place, region)
        stack = zone_stack(job, place)
        area += here
        figures = stack_figures(job, stack)
        resin += here * figures.resin
        cost += here * figures.cost
        for state in stack.layers:
            if state.kind in STAYS:
                dry[state.kind if state.kind in dry else "other"] += here * state.dry_mass
    return PartTotals(area, dry["fabric"], dry["core"], dry["other"], resin, cost)


class Need(Struct, frozen=True):
    """What must be bought of one material for all copies.

    laid : area as laid [m²]; bought : with seams and waste [m²]; mass [kg]; length off the roll [m],
    0 where it comes in sheets; sheets : whole ones, 0 off a roll; cost in the shop's money.
    """

    material: str
    name: str
    kind: str
    laid: float
    bought: float
    mass: float
    length: float
    sheets: int
    cost: float


def seam_area(job: Job, layer: Layer) -> float:
    """Return what the splices of a ply take more of it [m²]: length times overlap."""
    overlap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
    return sum(LineString(s.path).length * overlap for s in layer.seams if s.kind == "splice")


def needs(job: Job) -> tuple[Need, ...]:
    """Return the material for all copies, left and right hand, in the order of the stack; mesh last.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    areas: dict[str, tuple[float, float]] = {}
    for layer in job.stack:
        laid, extra = areas.get(layer.material, (0.0, 0.0))
        areas[layer.material] = (laid + layer_area(job, layer), extra + seam_area(job, layer))
    if job.mesh and (cover := mesh_cover(job)) is not None:
        zones = regions(job.part).zones.items()
        mesh = sum(
            developed_area(job.part, z, r.intersection(cover)) for z, r in zones if r.intersects(cover)
        )
        laid, extra = areas.get(job.mesh.material, (0.0, 0.0))
        areas[job.mesh.material] = (laid + mesh, extra)
    copies = job.part.copies + job.part.mirror_copies
    return tuple(_need(job, key, copies * laid, copies * extra) for key, (laid, extra) in areas.items())


def _need(job: Job, key: str, laid: float, extra: float) -> Need:
    material = job.materials[key]
    state = layer_state(Layer(id="one", material=key), job)
    waste = 0.0 if state.kind in {"coat", "tack"} else job.rules.waste
    bought = (laid + extra) * (1 + waste)
    length = bought / material.roll_width if isinstance(material, Fabric) else 0.0
    sheets = 0
    if isinstance(material, Core):
        sheets = math.ceil(bought / (material.sheet_length * material.sheet_width) - 1e-9)
        bought = sheets * material.sheet_length * material.sheet_width
    return Need(
        key, material.name, state.kind, laid, bought, bought * state.dry_mass, length, sheets,
        bought * material.price_per_m2,
    )  # fmt: skip
