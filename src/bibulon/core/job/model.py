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
    "ChargePlan",
    "Conditions",
    "Corner",
    "CutLine",
    "DropTest",
    "FlowLine",
    "Inset",
    "Job",
    "Layer",
    "MeshExtent",
    "OnFront",
    "Opening",
    "Outline",
    "Part",
    "Zone",
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


class Zone(Frozen):
    """A region with its own stack; where zones overlap, the later one counts."""

    id: Id
    name: str = Field(min_length=1, max_length=80)
    area: Annotated[Inset | Drawn, Field(discriminator="shape")]


class Part(Frozen):
    """The part as seen from the bag side; what no zone claims belongs to the rim zone."""

    outline: Outline
    holes: tuple[Outline, ...] = ()
    zones: tuple[Zone, ...] = ()
    rim_name: str = "Rim"
    draw_factor: Annotated[float, Field(ge=1, le=5)] = 1.0


RIM = "rim"


class Layer(Frozen):
    """One layer of the stack, counted from the tool; ``zones`` empty means everywhere."""

    id: Id
    material: Id
    angle_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0
    zones: tuple[str, ...] = ()


class AtTime(Frozen):
    """Open (or shut) at a time after resin starts [s]."""

    rule: Literal["time"] = "time"
    time: NonNegative = 0.0


class OnFront(Frozen):
    """Open when the front has wetted the whole of a line, and ``delay`` seconds later."""

    rule: Literal["front"] = "front"
    line: Id
    delay: NonNegative = 0.0


Opening = Annotated[AtTime | OnFront, Field(discriminator="rule")]


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
    opens: Opening = AtTime()
    shuts: AtTime | None = None


class MeshExtent(Frozen):
    """Where flow mesh lies on top of the stack."""

    material: Id
    outline: Outline


class CutLine(Frozen):
    """Where the section is taken."""

    path: tuple[Point, ...] = Field(min_length=2, max_length=50)


class Conditions(Frozen):
    """Pressures [Pa, absolute], temperature [K] and height of the bucket below the part [m]."""

    atmosphere: Annotated[float, Field(ge=4e4, le=1.1e5)] = 101325.0
    vacuum: Annotated[float, Field(ge=0, le=1.1e5)] = 2000.0
    resin_temperature: Annotated[float, Field(ge=253, le=423)] = 295.15
    bucket_below: Annotated[float, Field(ge=-5, le=5)] = 0.5
    mixed_before_start: NonNegative = Field(180.0, description="s from mixing to opening the first feed")

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
    cut: CutLine | None = None
    conditions: Conditions = Conditions()
    charge: ChargePlan = ChargePlan()
    rules: RuleSet = RuleSet()
    test: DropTest = DropTest()
    accepted: tuple[Accepted, ...] = ()
    notes: str = ""

    @model_validator(mode="after")
    def _refers_to_what_exists(self) -> Job:
        zones = {z.id for z in self.part.zones} | {RIM}
        if len(zones) != len(self.part.zones) + 1:
            raise ValueError("two zones have the same id, or one is called “rim”")
        for layer in self.stack:
            if layer.material not in self.materials:
                raise ValueError(
                    f"layer {layer.id} is of “{layer.material}”, which is not among the materials"
                )
            if missing := set(layer.zones) - zones:
                raise ValueError(f"layer {layer.id} lies in “{missing.pop()}”, which is no zone")
        lines = {line.id for line in self.lines}
        if len(lines) != len(self.lines):
            raise ValueError("two lines have the same id")
        for line in self.lines:
            if isinstance(line.opens, OnFront) and line.opens.line not in lines:
                raise ValueError(f"{line.label} opens on “{line.opens.line}”, which is no line")
        if self.mesh and self.mesh.material not in self.materials:
            raise ValueError(f"the flow mesh is of “{self.mesh.material}”, which is not among the materials")
        return self
