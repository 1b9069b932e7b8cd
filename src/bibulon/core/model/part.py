"""The part of a job: outline, zones, mould and surface, and the layers laid in it."""

from collections.abc import Container, Iterator, Sequence
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from bibulon.core.model.base import Coordinate, Frozen, Id, NonNegative, Point, Positive, said
from bibulon.core.model.invalid import Fault
from bibulon.core.units.words import tr

__all__ = [
    "RIM",
    "UNLAID",
    "Corner",
    "DrawFactor",
    "Drawn",
    "Inset",
    "Layer",
    "MouldCorner",
    "Outline",
    "Part",
    "Seam",
    "Spot",
    "Surface",
    "Zone",
    "ZoneKind",
    "check_layers",
    "check_mesh",
]


class Corner(Frozen):
    """A corner of an outline [m]; ``bow`` is the rise of the side that leaves it, outward positive."""

    x: Coordinate
    y: Coordinate
    bow: Coordinate = 0.0


Outline = Annotated[tuple[Corner, ...], Meta(min_length=3, max_length=5000)]


class Inset(Frozen, tag_field="shape", tag="inset"):
    """A zone that is the part less a border of this width [m]."""

    shape: ClassVar[Literal["inset"]] = "inset"
    distance: NonNegative


class Drawn(Frozen, tag_field="shape", tag="drawn"):
    """A zone with an outline of its own."""

    shape: ClassVar[Literal["drawn"]] = "drawn"
    outline: Outline
    holes: Annotated[tuple[Outline, ...], Meta(max_length=200)] = ()


ZoneKind = Literal["single skin", "cored", "thick", "flange", "cut-out", "keep-out", "no-mesh"]
UNLAID: frozenset[str] = frozenset({"cut-out", "keep-out", "no-mesh"})
DrawFactor = Annotated[float, Meta(ge=1, le=5)]


class Zone(Frozen):
    """A region with its own stack; where zones overlap, the later one counts.

    A cut-out is taken out of the part.  Keep-out and no-mesh zones have no stack of their own: they
    lie over the others, and bar lines or mesh.  ``draw_factor`` is developed over plan area, the
    part's when None; ``depth`` how deep it is drawn [m].
    """

    id: Id
    name: Annotated[str, Meta(min_length=1, max_length=80)]
    area: Inset | Drawn
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
    radius: Annotated[NonNegative, said("m, of the mould's face")]
    angle_deg: Annotated[float, Meta(gt=0, le=180), said("through which cloth is turned")] = 90.0
    path: Annotated[tuple[Point, ...], Meta(min_length=2, max_length=500)]


class Surface(Frozen):
    """The mould's face as triangles: places in space [m], where each lies on the plan [m], corners of triangles.

    ``laid`` tells how the plan came about: seen from above, or unrolled.
    """

    space: Annotated[tuple[tuple[float, float, float], ...], Meta(min_length=3, max_length=200_000)]
    plan: Annotated[tuple[Point, ...], Meta(min_length=3, max_length=200_000)]
    triangles: Annotated[tuple[tuple[int, int, int], ...], Meta(min_length=1, max_length=400_000)]
    laid: Literal["above", "unrolled"] = "above"
    source: str = ""

    def __hash__(self) -> int:
        """From a few points only: surfaces are large, and asked for often."""
        return hash((len(self.space), len(self.triangles), self.space[0], self.space[-1], self.laid))

    def __post_init__(self) -> None:
        n = len(self.space)
        if len(self.plan) != n:
            raise ValueError(tr("a surface needs a place on the plan for each of its points"))
        if any(not 0 <= i < n for t in self.triangles for i in t):
            raise ValueError(tr("a triangle of the surface names a point that is not there"))


class Spot(Frozen):
    """The height z of the part at a place on the plan [m]."""

    x: Coordinate
    y: Coordinate
    z: Coordinate


class Part(Frozen):
    """The part as seen from the bag side; what no zone claims belongs to the rim zone."""

    outline: Outline
    holes: tuple[Outline, ...] = ()
    zones: tuple[Zone, ...] = ()
    rim_name: str = "Rim"
    heights: Annotated[tuple[Spot, ...], Meta(max_length=2000)] = ()
    flange: Annotated[NonNegative, said("m, of the mould beyond the part")] = 0.0
    draw_factor: DrawFactor = 1.0
    depth: Annotated[NonNegative, said("m, how deep the mould is drawn")] = 0.0
    draft_deg: Annotated[float, Meta(ge=0, le=90), said("of its sides from the draw")] = 0.0
    face: Literal["female", "male"] = "female"
    corners: Annotated[tuple[MouldCorner, ...], Meta(max_length=500)] = ()
    surface: Surface | None = None
    copies: Annotated[int, Meta(ge=0, le=100_000)] = 1
    mirror_copies: Annotated[int, Meta(ge=0, le=100_000)] = 0
    cavity: Annotated[NonNegative, said("m, gap of a closed mould; 0 where a bag presses")] = 0.0
    target_mass: Annotated[Positive | None, said("kg, of the finished part")] = None

    @property
    def rest_name(self) -> str:
        """What people call what no zone claims: a part without zones has no rim."""
        return self.rim_name if self.zones or self.rim_name != "Rim" else tr("Whole part")


RIM = "rim"


class Seam(Frozen):
    """Where a ply is pieced together or slit: a splice with its overlap, or a dart."""

    kind: Literal["splice", "dart"] = "splice"
    path: Annotated[tuple[Point, ...], Meta(min_length=2, max_length=200)]


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
    angle_deg: Annotated[float, Meta(ge=-180, le=180)] = 0.0
    zones: tuple[str, ...] = ()
    outline: Outline | None = None
    runs_on: Annotated[float, Meta(ge=-10, le=10)] = 0.0
    overlap: NonNegative | None = None
    seams: Annotated[tuple[Seam, ...], Meta(max_length=100)] = ()
    bevel: NonNegative = 0.0
    curve: NonNegative = 0.0


def check_layers(stack: Sequence[Layer], part: Part, materials: Container[str]) -> Iterator[Fault]:
    """Yield what layers refer to that is not there, or may not be."""
    zones = {z.id for z in part.zones} | {RIM}
    bare = {z.id: z for z in part.zones if not z.laid}
    if len(zones) != len(part.zones) + 1:
        yield Fault(("part", "zones"), tr("two zones have the same id, or one is called “rim”"))
    for k, layer in enumerate(stack):
        place = ("stack", k)
        if layer.material not in materials:
            yield Fault(
                place, tr("layer {0} is of “{1}”, which is not among the materials", layer.id, layer.material)
            )
        if missing := set(layer.zones) - zones:
            yield Fault(place, tr("layer {0} lies in “{1}”, which is no zone", layer.id, min(missing)))
        if within := [bare[z] for z in layer.zones if z in bare]:
            yield Fault(
                place, tr("layer {0} lies in {1}, a {2} zone", layer.id, within[0].name, within[0].kind)
            )


def check_mesh(material: str | None, materials: Container[str]) -> Iterator[Fault]:
    """Yield that the flow mesh is of nothing."""
    if material is not None and material not in materials:
        yield Fault(("mesh",), tr("the flow mesh is of “{}”, which is not among the materials", material))
