"""The job document: a frozen tree, checked when it is made, changed by making another."""

from collections.abc import Callable
from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.bag import BagPlan
from bibulon.core.model.base import Coordinate, Density, Frozen, Id, NonNegative, Point, Positive, Share, said
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
    pieces: Annotated[tuple[Outline, ...], Meta(max_length=200)] = ()
    holes: Annotated[tuple[Outline, ...], Meta(max_length=200)] = ()

    def mapped(self, to: Callable[[Outline], Outline]) -> "MeshExtent":
        """Return it with each of its outlines changed."""
        pieces, holes = (tuple(to(ring) for ring in rings) for rings in (self.pieces, self.holes))
        return self.replaced(outline=to(self.outline), pieces=pieces, holes=holes)

    @property
    def rings(self) -> tuple[Outline, ...]:
        """All of its outlines, those of its holes too."""
        return (self.outline, *self.pieces, *self.holes)

    def with_ring(self, number: int, ring: Outline) -> "MeshExtent":
        """Return it with one of its ``rings`` in another place."""
        outline, *rest = (ring if k == number else x for k, x in enumerate(self.rings))
        count = len(self.pieces)
        return self.replaced(outline=outline, pieces=tuple(rest[:count]), holes=tuple(rest[count:]))


class CutLine(Frozen):
    """Where the section is taken."""

    path: Annotated[tuple[Point, ...], Meta(min_length=2, max_length=50)]


class Conditions(Frozen):
    """Pressures [Pa, absolute], temperatures [K] and height of the bucket below the part [m].

    ``mould_temperature`` None means that the mould is as warm as the resin.
    """

    atmosphere: Annotated[float, Meta(ge=4e4, le=1.1e5)] = 101325.0
    vacuum: Annotated[float, Meta(ge=0, le=1.1e5)] = 2000.0
    resin_temperature: Annotated[float, Meta(ge=253, le=423)] = 295.15
    mould_temperature: Annotated[float, Meta(ge=253, le=473)] | None = None
    bucket_below: Annotated[float, Meta(ge=-5, le=5)] = 0.5
    mixed_before_start: Annotated[NonNegative, said("s from mixing to opening the first feed")] = 180.0
    edge_gap: Annotated[
        float, Meta(ge=0, le=0.02), said("m, along core edges and the rim, where resin races")
    ] = 0.0

    def __post_init__(self) -> None:
        if self.vacuum > self.atmosphere:
            raise ValueError(tr("the vacuum lies above today's air: its absolute pressure is too high"))


class Drum(Frozen):
    """What stands in the store of one part of the resin: so much of it [kg], and the day up to which it is good."""

    part: Literal["A", "B", "accelerator"] = "A"
    mass: Annotated[NonNegative, said("kg")]
    use_by: Annotated[
        str, Meta(pattern=r"^(\d{4}-\d{2}-\d{2})?$"), said("as 2027-03-31; empty where unknown")
    ] = ""
    label: Annotated[str, Meta(max_length=60)] = ""


Adding = Literal["resin", "accelerator", "peroxide", "hardener", "stir"]


class ChargePlan(Frozen):
    """What is mixed beyond what the part drinks, in how many batches, in what, and by how many people.

    count : batches; None for the fewest that the resin's largest allows.  starts : when mixing of each begins, counted
    from opening the first feed [s], as set by hand; None while they follow from the part's draw.
    """

    heel: Annotated[NonNegative, said("kg left in the bucket")] = 0.4
    catch_pot: Annotated[NonNegative, said("kg let through to the catch pot")] = 0.2
    margin: Share = 0.08
    count: Annotated[int, Meta(ge=1, le=100)] | None = None
    starts: Annotated[tuple[Coordinate, ...], Meta(max_length=100)] | None = None
    people: Annotated[int, Meta(ge=1, le=20), said("who mix at one time")] = 1
    rest: Annotated[NonNegative, said("s that a batch rests or is degassed after mixing")] = 60.0
    reserve: Annotated[NonNegative, said("kg over the heel at which the next batch goes in")] = 0.3
    scale_step: Annotated[Positive, said("kg")] = 0.002
    vessel: Literal["pot", "tray", "bath"] = "pot"
    width: Annotated[float, Meta(ge=0.05, le=2), said("m across the vessel")] = 0.25
    room: Annotated[float, Meta(ge=253, le=333), said("K where it is mixed")] = 293.15
    dose: Annotated[
        Annotated[float, Meta(gt=0, le=10)] | None,
        said("parts of peroxide per 100 of resin; None for what the sheet asks at the room's temperature"),
    ] = None
    syringe: Annotated[Positive, said("m3 from mark to mark of the syringe")] = 1e-6
    order: (
        Annotated[tuple[Adding, ...], Meta(max_length=12), said("of adding; None for the usual one")] | None
    ) = None
    core_uptake: Annotated[
        NonNegative | None, said("kg/m2 that a core sample took; None for the library's")
    ] = None
    leftovers: Annotated[
        tuple[NonNegative, ...], Meta(max_length=50), said("kg left of earlier jobs like it")
    ] = ()
    measured_density: Annotated[Density | None, said("kg/m3 of the resin as weighed")] = None
    drums: Annotated[tuple[Drum, ...], Meta(max_length=60)] = ()
    day: Annotated[str, Meta(pattern=r"^(\d{4}-\d{2}-\d{2})?$"), said("of the shot, as 2026-11-25")] = ""


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

    labour: Annotated[NonNegative, said("an hour")] = 42.0
    resin: Annotated[NonNegative, said("a kg, where the job has no resin yet")] = 9.0
    cloth: Annotated[NonNegative, said("a kg of fibre, where the stack has no prices")] = 9.0
    tube: Annotated[NonNegative, said("a metre of spiral, strip or braid")] = 2.4
    hose: Annotated[NonNegative, said("a metre")] = 1.3
    fitting: Annotated[NonNegative, said("a tee, valve or clamp")] = 1.8
    quantity: Annotated[int, Meta(ge=1, le=100_000)] = 20
    faces: Literal[1, 2] = 1


class Variant(Frozen):
    """Another plan of the same job, kept beside it; it has no variants of its own."""

    id: Id
    name: Annotated[str, Meta(min_length=1, max_length=80)]
    job: "Job"

    def __post_init__(self) -> None:
        if self.job.variants:
            raise ValueError(tr("a variant holds no variants of its own"))


class Job(Frozen):
    """One job: everything that was decided or measured, with its own copy of materials and rules."""

    format: Literal["bibulon-job"] = "bibulon-job"
    version: Literal[2] = 2
    name: Annotated[str, Meta(min_length=1, max_length=120)] = "Untitled job"
    mould: str = ""
    process: Literal["infusion", "light RTM", "RTM"] = "infusion"
    part: Part
    materials: dict[Id, Material] = {}
    stack: Annotated[tuple[Layer, ...], Meta(max_length=500)] = ()
    resin: Resin | None = None
    mesh: MeshExtent | None = None
    lines: Annotated[tuple[FlowLine, ...], Meta(max_length=200)] = ()
    manifolds: Annotated[tuple[Manifold, ...], Meta(max_length=50)] = ()
    buckets: Annotated[tuple[Bucket, ...], Meta(max_length=20)] = ()
    pots: Annotated[tuple[CatchPot, ...], Meta(max_length=20)] = ()
    bypasses: Annotated[tuple[Bypass, ...], Meta(max_length=20)] = ()
    pump: Pump = Pump()
    bag: BagPlan = BagPlan()
    cure: CurePlan = CurePlan()
    closed: ClosedMould = ClosedMould()
    breather: Annotated[Outline | None, said("loose breather or mesh that lies beyond the part")] = None
    cut: CutLine | None = None
    conditions: Conditions = Conditions()
    charge: ChargePlan = ChargePlan()
    rules: RuleSet = RuleSet()
    test: DropTest = DropTest()
    accepted: tuple[Accepted, ...] = ()
    rates: Rates = Rates()
    variants: Annotated[tuple[Variant, ...], Meta(max_length=30)] = ()
    notes: str = ""

    @property
    def heel(self) -> float:
        """Resin that stays in the bucket when its hose draws air [kg]: in all of the job's own, or as the charge has it."""
        own = [b.heel for b in self.buckets if not b.by_head]
        return sum(own) if self.buckets else self.charge.heel

    def __post_init__(self) -> None:
        for faults in (
            check_layers(self.stack, self.part, self.materials),
            check_mesh(self.mesh.material if self.mesh else None, self.materials),
            check_lines(self.lines, self.manifolds),
            check_buckets(self.buckets, self.lines, self.manifolds),
            check_pots(self.pots, self.bypasses, self.lines, self.manifolds),
        ):
            for fault in faults:
                raise fault
