"""The bag of a job: school, film and tape, and what was decided by hand about its pleats."""

from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Coordinate, Frozen, Id, NonNegative, Point, Positive, Share, said
from bibulon.core.units.words import tr

__all__ = ["BagPlan", "BagSchool", "Bridge", "Film", "Lean", "PleatAt", "SealTape"]

BagSchool = Literal["single bag", "double bag", "envelope", "membrane"]
Lean = Literal["with the walk", "against the walk"]
PleatSize = Annotated[float, Meta(ge=0.005, le=1.0)]


class Film(Frozen):
    """Bagging film: width and length of a roll [m], what it bears, what it costs.

    tube : whether it comes as a tube, whose width is then that of the tube laid flat.
    elongation : share by which it may be stretched when warm; stiff_below : temperature below which it is stiff [K].
    """

    name: Annotated[str, Meta(min_length=1, max_length=120)] = "Film, invented, 60 µm"
    roll_width: Annotated[Positive, said("m")] = 1.5
    roll_length: Annotated[Positive, said("m")] = 100.0
    tube: bool = False
    elongation: Share = 0.6
    stiff_below: Annotated[Positive, said("K")] = 288.15
    hottest: Annotated[Positive, said("K")] = 393.15
    areal_mass: Annotated[NonNegative, said("kg/m2")] = 0.068
    price_per_m2: NonNegative = 1.1


class SealTape(Frozen):
    """Sealing tape on rolls."""

    name: Annotated[str, Meta(min_length=1, max_length=120)] = "Sealing tape, invented, 12 mm"
    width: Annotated[Positive, said("m")] = 0.012
    roll_length: Annotated[Positive, said("m")] = 15.0
    price_per_roll: NonNegative = 7.5
    mass_per_m: Annotated[NonNegative, said("kg/m")] = 0.055


class PleatAt(Frozen):
    """A pleat set by hand: how far along the walk it stands, how tall it is [m], and which way it leans."""

    id: Id
    at: NonNegative
    size: PleatSize
    lean: Lean = "with the walk"
    closing: bool = False


class Bridge(Frozen):
    """Where the bag was found to span a corner and is left so: the film stands off the stack there.

    width : across the place [m]; gap : between film and stack [m].
    """

    id: Id
    x: Coordinate
    y: Coordinate
    width: Annotated[float, Meta(gt=0, le=1.0)] = 0.03
    gap: Annotated[float, Meta(gt=0, le=0.05)] = 0.002


class BagPlan(Frozen):
    """What was chosen for the bag; what follows from it is worked out.

    allowance : share by which each length of film exceeds the girth; None for the shop rule.
    start : where the walk round the tape begins; None for the corner nearest to the far left.
    tape_off : how far the tape lies outside the part's edge [m]; None for what the flange leaves.
    pleats : as set by hand; None while they are worked out.
    film_left, tape_left : what the shop has [m], None where nobody counted.
    laid_out : names of the kit that have been ticked; bridges : those that were found and stay.
    """

    school: BagSchool = "single bag"
    film: Film = Film()
    tape: SealTape = SealTape()
    allowance: Annotated[float, Meta(ge=0, le=1)] | None = None
    start: Point | None = None
    tape_off: Annotated[float, Meta(ge=0, le=1)] | None = None
    pleats: Annotated[tuple[PleatAt, ...], Meta(max_length=400)] | None = None
    film_left: NonNegative | None = None
    tape_left: NonNegative | None = None
    laid_out: Annotated[tuple[str, ...], Meta(max_length=200)] = ()
    bridges: Annotated[tuple[Bridge, ...], Meta(max_length=100)] = ()
    temperature: Annotated[
        Annotated[float, Meta(ge=253, le=423)] | None,
        said("K, of the film when it is laid; the resin's when None"),
    ] = None

    def __post_init__(self) -> None:
        pleats = self.pleats or ()
        if len({p.id for p in pleats}) != len(pleats):
            raise ValueError(tr("two pleats have the same id"))
        if sum(p.closing for p in pleats) > 1:
            raise ValueError(tr("two pleats are called the closing one"))
