"""The job document: a frozen tree, checked when it is made, changed by making another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.job.base import Coordinate, Frozen, NonNegative, Point, Positive, Share
from bibulon.core.job.materials import Material, Resin
from bibulon.core.job.rules import RuleSet

__all__ = [
    "FORMAT",
    "VERSION",
    "Accepted",
    "AtTime",
    "Bucket",
    "ByHand",
    "Bypass",
    "CatchPot",
    "ChargePlan",
    "Conditions",
    "Corner",
    "CutLine",
    "Drawn",
    "DropTest",
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
    "PouredBatch",
    "Pump",
    "Rates",
    "Seam",
    "Spot",
    "Surface",
    "ValveTurn",
    "Variant",
    "Zone",
    "ZoneKind",
]

FORMAT = "bibulon-job"
VERSION = 1

Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_.-]+$")]


class Corner(Frozen):
    """A corner of an outline [m]; ``bow`` is the rise of the side that leaves it, outward positive."""

    x: Coordinate
    y: Coordinate
    bow: Coordinate = 0.0


Outline = Annotated[tuple[Corner, ...], Field(min_length=3, max_length=5000)]


class Inset(Frozen):
    """A zone that is the part less a border of this width [m]."""

    shape: Literal["inset"] = "inset"
    distance: NonNegative


class Drawn(Frozen):
    """A zone with an outline of its own."""

    shape: Literal["drawn"] = "drawn"
    outline: Outline
    holes: tuple[Outline, ...] = Field((), max_length=200)


ZoneKind = Literal["single skin", "cored", "thick", "flange", "cut-out", "keep-out", "no-mesh"]
UNLAID: frozenset[str] = frozenset({"cut-out", "keep-out", "no-mesh"})
DrawFactor = Annotated[float, Field(ge=1, le=5)]


class Zone(Frozen):
    """A region with its own stack; where zones overlap, the later one counts.

    A cut-out is taken out of the part.  Keep-out and no-mesh zones have no stack of their own: they
    lie over the others, and bar lines or mesh.  ``draw_factor`` is developed over plan area, the
    part's when None; ``depth`` how deep it is drawn [m].
    """

    id: Id
    name: str = Field(min_length=1, max_length=80)
    area: Annotated[Inset | Drawn, Field(discriminator="shape")]
    kind: ZoneKind = "single skin"
    draw_factor: DrawFactor | None = None
    depth: NonNegative = 0.0

    @property
    def laid(self) -> bool:
        """Whether cloth may be laid there as a stack of its own."""
        return self.kind not in UNLAID


class MouldCorner(Frozen):
    """A corner of the mould along a path on the plan: inside ones bridge, outside ones wrinkle."""

    id: Id
    kind: Literal["inside", "outside"] = "inside"
    radius: NonNegative = Field(description="m, of the mould's face")
    angle_deg: Annotated[float, Field(gt=0, le=180)] = Field(
        90.0, description="through which cloth is turned"
    )
    path: tuple[Point, ...] = Field(min_length=2, max_length=500)


class Surface(Frozen):
    """The mould's face as triangles: places in space [m], where each lies on the plan [m], corners of triangles.

    ``laid`` tells how the plan came about: seen from above, or unrolled.
    """

    space: tuple[tuple[float, float, float], ...] = Field(min_length=3, max_length=200_000)
    plan: tuple[Point, ...] = Field(min_length=3, max_length=200_000)
    triangles: tuple[tuple[int, int, int], ...] = Field(min_length=1, max_length=400_000)
    laid: Literal["above", "unrolled"] = "above"
    source: str = ""

    def __hash__(self) -> int:
        """From a few points only: surfaces are large, and asked for often."""
        return hash((len(self.space), len(self.triangles), self.space[0], self.space[-1], self.laid))

    @model_validator(mode="after")
    def _fits(self) -> Surface:
        n = len(self.space)
        if len(self.plan) != n:
            raise ValueError("a surface needs a place on the plan for each of its points")
        if any(not 0 <= i < n for t in self.triangles for i in t):
            raise ValueError("a triangle of the surface names a point that is not there")
        return self


class Part(Frozen):
    """The part as seen from the bag side; what no zone claims belongs to the rim zone."""

    outline: Outline
    holes: tuple[Outline, ...] = ()
    zones: tuple[Zone, ...] = ()
    rim_name: str = "Rim"
    heights: tuple[Spot, ...] = Field((), max_length=2000)
    flange: NonNegative = Field(0.0, description="m, of the mould beyond the part")
    draw_factor: DrawFactor = 1.0
    depth: NonNegative = Field(0.0, description="m, how deep the mould is drawn")
    draft_deg: Annotated[float, Field(ge=0, le=90)] = Field(0.0, description="of its sides from the draw")
    face: Literal["female", "male"] = "female"
    corners: tuple[MouldCorner, ...] = Field((), max_length=500)
    surface: Surface | None = None
    copies: Annotated[int, Field(ge=0, le=100_000)] = 1
    mirror_copies: Annotated[int, Field(ge=0, le=100_000)] = 0
    cavity: NonNegative = Field(0.0, description="m, gap of a closed mould; 0 where a bag presses")
    target_mass: Positive | None = Field(None, description="kg, of the finished part")


RIM = "rim"


class Seam(Frozen):
    """Where a ply is pieced together or slit: a splice with its overlap, or a dart."""

    kind: Literal["splice", "dart"] = "splice"
    path: tuple[Point, ...] = Field(min_length=2, max_length=200)


class Layer(Frozen):
    """One layer of the stack, counted from the tool; ``zones`` empty means everywhere.

    outline : its own shape, in place of zones.
    runs_on : how far it runs on over the border of its zones [m], as a ply lapped on to core does;
        negative where it drops off short of it.
    overlap : of its splices [m]; the shop rule's when None.
    bevel : width over which a core's edge is bevelled [m].
    curve : radius over which a scored core opens [m]; 0 where it lies flat.
    """

    id: Id
    material: Id
    angle_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0
    zones: tuple[str, ...] = ()
    outline: Outline | None = None
    runs_on: Annotated[float, Field(ge=-10, le=10)] = 0.0
    overlap: NonNegative | None = None
    seams: tuple[Seam, ...] = Field((), max_length=100)
    bevel: NonNegative = 0.0
    curve: NonNegative = 0.0


class AtTime(Frozen):
    """Open (or shut) at a time after resin starts [s]."""

    rule: Literal["time"] = "time"
    time: NonNegative = 0.0


class OnFront(Frozen):
    """When the front has wetted the whole of a line, has gone ``beyond`` it [m], and ``delay`` seconds later."""

    rule: Literal["front"] = "front"
    line: Id
    beyond: NonNegative = 0.0
    delay: NonNegative = 0.0


class OnEmpty(Frozen):
    """When a bucket has come to its heel, and ``delay`` seconds later."""

    rule: Literal["empty"] = "empty"
    bucket: Id
    delay: NonNegative = 0.0


class ByHand(Frozen):
    """When somebody judges it right, reckoned to be at ``about`` [s]."""

    rule: Literal["hand"] = "hand"
    about: NonNegative = 0.0


Opening = Annotated[AtTime | OnFront | OnEmpty | ByHand, Field(discriminator="rule")]

LineKind = Literal[
    "spiral tube", "shrouded spiral", "mesh strip", "cut channel", "strip feed", "braid", "rope ring", "membrane", "point",
]  # fmt: skip
Clamp = Literal["ball valve", "screw clamp", "lever clamp", "pliers", "none"]
Tube = Literal["soft", "hard"]


class Hose(Frozen):
    """What a hose is made of and how it is fitted: for judgements, and for the line diagram.

    tee_bore : of the tee or barb that it is pushed on [m], None where it has the hose's own.
    bend_radius : of its tightest bend [m], None where it lies straight.
    notch : height of the notch at its end in the bucket [m].
    """

    tube: Tube = "soft"
    clamp: Clamp = "screw clamp"
    sealed: bool = True
    tee_bore: NonNegative | None = None
    bend_radius: NonNegative | None = None
    notch: NonNegative = 0.005


class ValveTurn(Frozen):
    """A valve set to ``share`` of fully open, a vacuum line or feed to an absolute ``pressure`` [Pa], or both."""

    when: Opening
    share: Share | None = None
    pressure: NonNegative | None = None


class Spot(Frozen):
    """The height z of the part at a place on the plan [m]."""

    x: Coordinate
    y: Coordinate
    z: Coordinate


class FlowLine(Frozen):
    """A feed or vacuum line along a path on the plan, with the hose that joins it to bucket or pot.

    The hose joins at the first point of the path.  A bore of zero means that the line and its
    hose take no pressure at all, which textbook cases want.
    """

    id: Id
    label: str = Field(min_length=1, max_length=24)
    role: Literal["feed", "vacuum"]
    path: tuple[Point, ...] = Field(min_length=1, max_length=2000)
    bore: NonNegative = Field(0.010, description="m, inner bore of the spiral tube")
    hose_bore: NonNegative = Field(0.010, description="m")
    hose_length: NonNegative = Field(1.5, description="m")
    rate: Positive | None = Field(
        None, description="m3/s that a pump gives a feed, up to the pull's pressure"
    )
    membrane: bool = Field(False, description="a vacuum line that passes air and stops resin")
    pull: NonNegative | None = Field(
        None, description="Pa absolute, the vacuum that this vacuum line is throttled to; the job's when None"
    )
    manifold: Id | None = Field(
        None, description="that a feed hangs on; a hose of its own to the bucket when None"
    )
    kind: LineKind = "spiral tube"
    hose: Hose = Hose()
    pot: Id | None = Field(None, description="catch pot that a vacuum line's hose leads to")
    opens: Opening = AtTime()
    shuts: Opening | None = None
    turns: tuple[ValveTurn, ...] = Field((), max_length=100)

    @property
    def moments(self) -> tuple[Opening, ...]:
        """All that its valve waits for."""
        return (self.opens, *((self.shuts,) if self.shuts else ()), *(turn.when for turn in self.turns))


class Manifold(Frozen):
    """A tee or manifold that several feeds hang on, with the hose that joins it to the bucket."""

    id: Id
    label: str = Field(min_length=1, max_length=24)
    volume: NonNegative = Field(2e-4, description="m3, of its own body")
    hose_bore: Positive = Field(0.012, description="m")
    hose_length: Positive = Field(1.5, description="m")
    hose: Hose = Hose()


class CatchPot(Frozen):
    """A sealed pot between vacuum lines and pump; ``regulated`` is the absolute pressure that it is held at [Pa]."""

    id: Id
    label: str = Field(min_length=1, max_length=24)
    volume: Positive = Field(0.010, description="m3")
    hose_bore: Positive = Field(0.010, description="m, of the hose to the pump")
    hose_length: Positive = Field(2.0, description="m")
    regulated: NonNegative | None = None


class Bypass(Frozen):
    """A clamped hose from a feed or manifold to a catch pot, for what is left in the lines at the end."""

    id: Id
    label: str = Field(min_length=1, max_length=24)
    feed: Id
    pot: Id
    clamp: Clamp = "ball valve"
    tube: Tube = "soft"


class Pump(Frozen):
    """The vacuum pump: speed [m³/s], and the absolute pressure that it ends at [Pa]."""

    label: str = Field("pump", min_length=1, max_length=24)
    speed: Positive = Field(0.0028, description="m3/s")
    ultimate: NonNegative = 500.0


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
                "the vacuum must be deeper than the atmosphere: its absolute pressure is too high"
            )
        return self


class ChargePlan(Frozen):
    """What is mixed beyond what the part drinks."""

    heel: NonNegative = Field(0.4, description="kg left in the bucket")
    catch_pot: NonNegative = Field(0.2, description="kg let through to the catch pot")
    margin: Share = 0.08


class PouredBatch(Frozen):
    """A batch in a bucket: mass [kg], when it was mixed [s from opening the first feed], when it is poured.

    ``mixed`` None means that a mixing head mixes it as it enters.
    """

    mass: Positive
    mixed: Coordinate | None = 0.0
    poured: Opening = AtTime()


class Bucket(Frozen):
    """A bucket, the feeds and manifolds that stand in it (all when none is named) and its batches in order."""

    id: Id
    feeds: tuple[Id, ...] = ()
    heel: NonNegative = Field(0.4, description="kg at which its hoses draw air")
    width: Positive = Field(0.25, description="m across its floor")
    below: Annotated[float, Field(ge=-5, le=5)] | None = Field(
        None, description="m below the part; the job's when None"
    )
    batches: tuple[PouredBatch, ...] = Field(min_length=1, max_length=100)


class Reading(Frozen):
    """One gauge reading: seconds since the pump was shut off, absolute pressure [Pa]."""

    time: NonNegative
    pressure: NonNegative


class DropTest(Frozen):
    """A drop test: the gauge read against time with the pump shut off."""

    name: str = "Drop test"
    volume: Positive = Field(0.004, description="m3: pores, mesh, lines, hoses and pots")
    school: str = "small-drop"
    feed_fitted: bool = True
    readings: tuple[Reading, ...] = Field((), max_length=200_000)


class Accepted(Frozen):
    """A warning that somebody accepted, with the reason."""

    key: str
    by: str
    reason: str
    when: str


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
            raise ValueError("a variant holds no variants of its own")
        return self


class Job(Frozen):
    """One job: everything that was decided or measured, with its own copy of materials and rules."""

    format: Literal["bibulon-job"] = "bibulon-job"
    version: Literal[1] = 1
    name: str = Field("Untitled job", min_length=1, max_length=120)
    mould: str = ""
    process: Literal["infusion", "light RTM"] = "infusion"
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
        zones = {z.id for z in self.part.zones} | {RIM}
        bare = {z.id: z for z in self.part.zones if not z.laid}
        if len(zones) != len(self.part.zones) + 1:
            raise ValueError("two zones have the same id, or one is called “rim”")
        for layer in self.stack:
            if layer.material not in self.materials:
                raise ValueError(
                    f"layer {layer.id} is of “{layer.material}”, which is not among the materials"
                )
            if missing := set(layer.zones) - zones:
                raise ValueError(f"layer {layer.id} lies in “{missing.pop()}”, which is no zone")
            if within := [bare[z] for z in layer.zones if z in bare]:
                raise ValueError(f"layer {layer.id} lies in {within[0].name}, a {within[0].kind} zone")
        lines = {line.id for line in self.lines}
        if len(lines) != len(self.lines):
            raise ValueError("two lines have the same id")
        manifolds = {m.id for m in self.manifolds}
        if len(manifolds) != len(self.manifolds) or manifolds & lines:
            raise ValueError("two manifolds, or a manifold and a line, have the same id")
        for line in self.lines:
            if line.manifold is not None and (line.manifold not in manifolds or line.role != "feed"):
                raise ValueError(f"{line.label} hangs on “{line.manifold}”, which is no manifold for it")
            if line.manifold is not None and line.rate is not None:
                raise ValueError(f"{line.label} hangs on a manifold: a pump of its own has no place there")
        buckets = {bucket.id for bucket in self.buckets}
        if len(buckets) != len(self.buckets):
            raise ValueError("two buckets have the same id")
        waits = [(line.label, when) for line in self.lines for when in line.moments]
        for bucket in self.buckets:
            waits += [(f"a batch of bucket {bucket.id}", batch.poured) for batch in bucket.batches]
            inlets = {x.id for x in self.lines if x.role == "feed" and x.manifold is None} | manifolds
            if missing := set(bucket.feeds) - inlets:
                raise ValueError(
                    f"bucket {bucket.id} feeds “{missing.pop()}”, which is no feed or manifold of its own"
                )
        for name, when in waits:
            if isinstance(when, OnFront) and when.line not in lines:
                raise ValueError(f"{name} waits for “{when.line}”, which is no line")
            if isinstance(when, OnEmpty) and when.bucket not in buckets:
                raise ValueError(f"{name} waits for “{when.bucket}”, which is no bucket")
        pots = {pot.id for pot in self.pots}
        if len(pots) != len(self.pots):
            raise ValueError("two catch pots have the same id")
        for line in self.lines:
            if line.pot is not None and (line.pot not in pots or line.role != "vacuum"):
                raise ValueError(f"{line.label} leads to “{line.pot}”, which is no catch pot for it")
        for way in self.bypasses:
            if way.pot not in pots or way.feed not in lines | manifolds:
                raise ValueError(f"bypass {way.label} leads from or to what is not there")
        if self.mesh and self.mesh.material not in self.materials:
            raise ValueError(f"the flow mesh is of “{self.mesh.material}”, which is not among the materials")
        return self


Variant.model_rebuild()
