"""The job document: a frozen tree, checked when it is made, changed by making another."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.model.bag import BagPlan
from bibulon.core.model.base import Coordinate, Density, Frozen, Id, NonNegative, Point, Positive, Share
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.drop_test import DropTest
from bibulon.core.model.lines import (
    AtTime,
    Bucket,
    ByHand,
    Bypass,
    CatchPot,
    Clamp,
    FlowLine,
    Hose,
    LineKind,
    Manifold,
    OnEmpty,
    OnFront,
    Opening,
    PouredBatch,
    Pump,
    Tube,
    ValveTurn,
    check_buckets,
    check_lines,
    check_pots,
)
from bibulon.core.model.materials import Material, Resin
from bibulon.core.model.mould import ClosedMould
from bibulon.core.model.part import (
    RIM,
    UNLAID,
    Corner,
    DrawFactor,
    Drawn,
    Inset,
    Layer,
    MouldCorner,
    Outline,
    Part,
    Seam,
    Spot,
    Surface,
    Zone,
    ZoneKind,
    check_layers,
    check_mesh,
)
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.words import tr

__all__ = [
    "FORMAT",
    "RIM",
    "UNLAID",
    "VERSION",
    "Accepted",
    "Adding",
    "AtTime",
    "Bucket",
    "ByHand",
    "Bypass",
    "CatchPot",
    "ChargePlan",
    "Clamp",
    "Conditions",
    "Corner",
    "CutLine",
    "DrawFactor",
    "Drawn",
    "DropTest",
    "Drum",
    "FlowLine",
    "Hose",
    "Inset",
    "Job",
    "Layer",
    "LineKind",
    "Manifold",
    "MeshExtent",
    "MouldCorner",
    "OnEmpty",
    "OnFront",
    "Opening",
    "Outline",
    "Part",
    "Point",
    "PouredBatch",
    "Pump",
    "Rates",
    "Seam",
    "Spot",
    "Surface",
    "Tube",
    "ValveTurn",
    "Variant",
    "Zone",
    "ZoneKind",
]

FORMAT = "bibulon-job"
VERSION = 2


class MeshExtent(Frozen):
    """Where flow mesh lies on top of the stack.

    ``pieces`` are further ones, beyond vacuum lines that part it; ``holes`` are cut out round vacuum ports in its midst.
    """

    material: Id
    outline: Outline
    pieces: tuple[Outline, ...] = Field((), max_length=200)
    holes: tuple[Outline, ...] = Field((), max_length=200)

    def mapped(self, to: Callable[[Outline], Outline]) -> MeshExtent:
        """Return it with each of its outlines changed."""
        pieces, holes = (tuple(to(ring) for ring in rings) for rings in (self.pieces, self.holes))
        return self.replaced(outline=to(self.outline), pieces=pieces, holes=holes)

    @property
    def rings(self) -> tuple[Outline, ...]:
        """All of its outlines, those of its holes too."""
        return (self.outline, *self.pieces, *self.holes)

    def with_ring(self, number: int, ring: Outline) -> MeshExtent:
        """Return it with one of its ``rings`` in another place."""
        outline, *rest = (ring if k == number else x for k, x in enumerate(self.rings))
        count = len(self.pieces)
        return self.replaced(outline=outline, pieces=tuple(rest[:count]), holes=tuple(rest[count:]))


class CutLine(Frozen):
    """Where the section is taken."""

    path: tuple[Point, ...] = Field(min_length=2, max_length=50)


class Conditions(Frozen):
    """Pressures [Pa, absolute], temperatures [K] and height of the bucket below the part [m].

    ``mould_temperature`` None means that the mould is as warm as the resin.
    """

    atmosphere: Annotated[float, Field(ge=4e4, le=1.1e5)] = 101325.0
    vacuum: Annotated[float, Field(ge=0, le=1.1e5)] = 2000.0
    resin_temperature: Annotated[float, Field(ge=253, le=423)] = 295.15
    mould_temperature: Annotated[float, Field(ge=253, le=473)] | None = None
    bucket_below: Annotated[float, Field(ge=-5, le=5)] = 0.5
    mixed_before_start: NonNegative = Field(180.0, description="s from mixing to opening the first feed")
    edge_gap: Annotated[float, Field(ge=0, le=0.02)] = Field(
        0.0, description="m, along core edges and the rim, where resin races"
    )

    @model_validator(mode="after")
    def _pulls(self) -> Conditions:
        if self.vacuum >= self.atmosphere:
            raise ValueError(
                tr("the vacuum must be deeper than the atmosphere: its absolute pressure is too high")
            )
        return self


class Drum(Frozen):
    """What stands in the store of one part of the resin: so much of it [kg], and the day up to which it is good."""

    part: Literal["A", "B", "accelerator"] = "A"
    mass: NonNegative = Field(description="kg")
    use_by: str = Field(
        "", pattern=r"^(\d{4}-\d{2}-\d{2})?$", description="as 2027-03-31; empty where unknown"
    )
    label: str = Field("", max_length=60)


Adding = Literal["resin", "accelerator", "peroxide", "hardener", "stir"]


class ChargePlan(Frozen):
    """What is mixed beyond what the part drinks, in how many batches, in what, and by how many people.

    count : batches; None for the fewest that the resin's largest allows.  starts : when mixing of each begins, counted
    from opening the first feed [s], as set by hand; None while they follow from the part's draw.
    """

    heel: NonNegative = Field(0.4, description="kg left in the bucket")
    catch_pot: NonNegative = Field(0.2, description="kg let through to the catch pot")
    margin: Share = 0.08
    count: Annotated[int, Field(ge=1, le=100)] | None = None
    starts: tuple[Coordinate, ...] | None = Field(None, max_length=100)
    people: Annotated[int, Field(ge=1, le=20)] = Field(1, description="who mix at one time")
    rest: NonNegative = Field(60.0, description="s that a batch rests or is degassed after mixing")
    reserve: NonNegative = Field(0.3, description="kg over the heel at which the next batch goes in")
    scale_step: Positive = Field(0.002, description="kg")
    vessel: Literal["pot", "tray", "bath"] = "pot"
    width: Annotated[float, Field(ge=0.05, le=2)] = Field(0.25, description="m across the vessel")
    room: Annotated[float, Field(ge=253, le=333)] = Field(293.15, description="K where it is mixed")
    dose: Annotated[float, Field(gt=0, le=10)] | None = Field(
        None,
        description="parts of peroxide per 100 of resin; None for what the sheet asks at the room's temperature",
    )
    syringe: Positive = Field(1e-6, description="m3 from mark to mark of the syringe")
    order: tuple[Adding, ...] | None = Field(
        None, max_length=12, description="of adding; None for the usual one"
    )
    core_uptake: NonNegative | None = Field(
        None, description="kg/m2 that a core sample took; None for the library's"
    )
    leftovers: tuple[NonNegative, ...] = Field(
        (), max_length=50, description="kg left of earlier jobs like it"
    )
    measured_density: Density | None = Field(None, description="kg/m3 of the resin as weighed")
    drums: tuple[Drum, ...] = Field((), max_length=60)
    day: str = Field("", pattern=r"^(\d{4}-\d{2}-\d{2})?$", description="of the shot, as 2026-11-25")


class Accepted(Frozen):
    """A warning that somebody accepted, with the reason; where it was [m] and how large, for one that has a size."""

    key: str
    by: str
    reason: str
    when: str
    place: Point | None = None
    size: NonNegative | None = None


class Rates(Frozen):
    """What things cost this shop, in its own money: for the comparison of ways to make the part."""

    labour: NonNegative = Field(42.0, description="an hour")
    resin: NonNegative = Field(9.0, description="a kg, where the job has no resin yet")
    cloth: NonNegative = Field(9.0, description="a kg of fibre, where the stack has no prices")
    tube: NonNegative = Field(2.4, description="a metre of spiral, strip or braid")
    hose: NonNegative = Field(1.3, description="a metre")
    fitting: NonNegative = Field(1.8, description="a tee, valve or clamp")
    quantity: Annotated[int, Field(ge=1, le=100_000)] = 20
    faces: Literal[1, 2] = 1


class Variant(Frozen):
    """Another plan of the same job, kept beside it; it has no variants of its own."""

    id: Id
    name: str = Field(min_length=1, max_length=80)
    job: Job

    @model_validator(mode="after")
    def _flat(self) -> Variant:
        if self.job.variants:
            raise ValueError(tr("a variant holds no variants of its own"))
        return self


class Job(Frozen):
    """One job: everything that was decided or measured, with its own copy of materials and rules."""

    format: Literal["bibulon-job"] = "bibulon-job"
    version: Literal[2] = 2
    name: str = Field("Untitled job", min_length=1, max_length=120)
    mould: str = ""
    process: Literal["infusion", "light RTM", "RTM"] = "infusion"
    part: Part
    materials: dict[Id, Material] = {}
    stack: tuple[Layer, ...] = Field((), max_length=500)
    resin: Resin | None = None
    mesh: MeshExtent | None = None
    lines: tuple[FlowLine, ...] = Field((), max_length=200)
    manifolds: tuple[Manifold, ...] = Field((), max_length=50)
    buckets: tuple[Bucket, ...] = Field((), max_length=20)
    pots: tuple[CatchPot, ...] = Field((), max_length=20)
    bypasses: tuple[Bypass, ...] = Field((), max_length=20)
    pump: Pump = Pump()
    bag: BagPlan = BagPlan()
    cure: CurePlan = CurePlan()
    closed: ClosedMould = ClosedMould()
    breather: Outline | None = Field(None, description="loose breather or mesh that lies beyond the part")
    cut: CutLine | None = None
    conditions: Conditions = Conditions()
    charge: ChargePlan = ChargePlan()
    rules: RuleSet = RuleSet()
    test: DropTest = DropTest()
    accepted: tuple[Accepted, ...] = ()
    rates: Rates = Rates()
    variants: tuple[Variant, ...] = Field((), max_length=30)
    notes: str = ""

    @property
    def heel(self) -> float:
        """Resin that stays in the bucket when its hose draws air [kg]: in all of the job's own, or as the charge has it."""
        own = [b.heel for b in self.buckets if not b.by_head]
        return sum(own) if self.buckets else self.charge.heel

    @model_validator(mode="after")
    def _refers_to_what_exists(self) -> Job:
        for faults in (
            check_layers(self.stack, self.part, self.materials),
            check_mesh(self.mesh.material if self.mesh else None, self.materials),
            check_lines(self.lines, self.manifolds),
            check_buckets(self.buckets, self.lines, self.manifolds),
            check_pots(self.pots, self.bypasses, self.lines, self.manifolds),
        ):
            for fault in faults:
                raise fault
        return self


Variant.model_rebuild()
