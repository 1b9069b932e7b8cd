"""The job document: a frozen tree, checked when it is made, changed by making another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.model.bag import BagPlan
from bibulon.core.model.base import Coordinate, Density, Frozen, Id, NonNegative, Point, Positive, Share
from bibulon.core.model.cure import CurePlan
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
VERSION = 1


class MeshExtent(Frozen):
    """Where flow mesh lies on top of the stack."""

    material: Id
    outline: Outline


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


class Reading(Frozen):
    """One gauge reading: seconds since the pump was shut off, absolute pressure [Pa]."""

    time: NonNegative
    pressure: NonNegative


class Warmth(Frozen):
    """The bag's temperature [K], logged beside the gauge at a time [s]."""

    time: float
    temperature: Annotated[float, Field(ge=253, le=373)]


class DropTest(Frozen):
    """A drop test: the gauge read against time with the pump shut off."""

    name: str = "Drop test"
    volume: Positive = Field(0.004, description="m3: pores, mesh, lines, hoses and pots")
    school: str = "small-drop"
    feed_fitted: bool = True
    stage: Literal["pump", "lines", "bag", "overnight"] = "bag"
    gauge: Literal["absolute", "dial"] = Field("absolute", description="a dial reads against today's air")
    gauge_place: Literal["flange", "hose", "pump"] = Field("flange", description="where it is screwed in")
    gauge_step: NonNegative = Field(
        0.0, description="Pa, the smallest change it shows; 0 for what the record shows"
    )
    readings: tuple[Reading, ...] = Field((), max_length=200_000)
    warmth: tuple[Warmth, ...] = Field((), max_length=20_000)
    pump_down: tuple[Reading, ...] = Field((), max_length=20_000)
    pump_speed: NonNegative = Field(0.0, description="m3/s that the pump is sold with; 0 when not known")
    recorded_at: float | None = Field(None, description="Unix time at which a recorded test ended")


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
    version: Literal[1] = 1
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

    @model_validator(mode="after")
    def _refers_to_what_exists(self) -> Job:
        self._check_layers()
        self._check_lines()
        self._check_buckets()
        self._check_pots()
        if self.mesh and self.mesh.material not in self.materials:
            raise ValueError(
                tr("the flow mesh is of “{}”, which is not among the materials", self.mesh.material)
            )
        return self

    def _check_layers(self) -> None:
        zones = {z.id for z in self.part.zones} | {RIM}
        bare = {z.id: z for z in self.part.zones if not z.laid}
        if len(zones) != len(self.part.zones) + 1:
            raise ValueError(tr("two zones have the same id, or one is called “rim”"))
        for layer in self.stack:
            if layer.material not in self.materials:
                raise ValueError(
                    tr("layer {0} is of “{1}”, which is not among the materials", layer.id, layer.material)
                )
            if missing := set(layer.zones) - zones:
                raise ValueError(tr("layer {0} lies in “{1}”, which is no zone", layer.id, missing.pop()))
            if within := [bare[z] for z in layer.zones if z in bare]:
                raise ValueError(
                    tr("layer {0} lies in {1}, a {2} zone", layer.id, within[0].name, within[0].kind)
                )

    def _check_lines(self) -> None:
        lines, manifolds = {line.id for line in self.lines}, {m.id for m in self.manifolds}
        if len(lines) != len(self.lines):
            raise ValueError(tr("two lines have the same id"))
        if len(manifolds) != len(self.manifolds) or manifolds & lines:
            raise ValueError(tr("two manifolds, or a manifold and a line, have the same id"))
        for line in self.lines:
            if line.manifold is not None and (line.manifold not in manifolds or line.role != "feed"):
                raise ValueError(
                    tr("{0} hangs on “{1}”, which is no manifold for it", line.label, line.manifold)
                )
            if line.manifold is not None and line.rate is not None:
                raise ValueError(
                    tr("{} hangs on a manifold: a pump of its own has no place there", line.label)
                )

    def _check_buckets(self) -> None:
        lines, buckets = {line.id for line in self.lines}, {bucket.id for bucket in self.buckets}
        inlets = {x.id for x in self.lines if x.role == "feed" and x.manifold is None} | {
            m.id for m in self.manifolds
        }
        if len(buckets) != len(self.buckets):
            raise ValueError(tr("two buckets have the same id"))
        waits = [(line.label, when) for line in self.lines for when in line.moments]
        for bucket in self.buckets:
            waits += [(tr("a batch of bucket {}", bucket.id), batch.poured) for batch in bucket.batches]
            if missing := set(bucket.feeds) - inlets:
                raise ValueError(
                    tr(
                        "bucket {0} feeds “{1}”, which is no feed or manifold of its own",
                        bucket.id,
                        missing.pop(),
                    )
                )
        for name, when in waits:
            if isinstance(when, OnFront) and when.line not in lines:
                raise ValueError(tr("{0} waits for “{1}”, which is no line", name, when.line))
            if isinstance(when, OnEmpty) and when.bucket not in buckets:
                raise ValueError(tr("{0} waits for “{1}”, which is no bucket", name, when.bucket))

    def _check_pots(self) -> None:
        pots = {pot.id for pot in self.pots}
        feeds = {line.id for line in self.lines} | {m.id for m in self.manifolds}
        if len(pots) != len(self.pots):
            raise ValueError(tr("two catch pots have the same id"))
        for line in self.lines:
            if line.pot is not None and (line.pot not in pots or line.role != "vacuum"):
                raise ValueError(tr("{0} leads to “{1}”, which is no catch pot for it", line.label, line.pot))
        for way in self.bypasses:
            if way.pot not in pots or way.feed not in feeds:
                raise ValueError(tr("bypass {} leads from or to what is not there", way.label))


Variant.model_rebuild()
