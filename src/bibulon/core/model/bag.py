"""The bag of a job: school, film and tape, and what was decided by hand about its pleats."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.model.base import Coordinate, Frozen, Id, NonNegative, Point, Positive, Share
from bibulon.core.units.words import tr

__all__ = ["BagPlan", "BagSchool", "Bridge", "Film", "Lean", "PleatAt", "SealTape"]

BagSchool = Literal["single bag", "double bag", "envelope", "membrane"]
Lean = Literal["with the walk", "against the walk"]
PleatSize = Annotated[float, Field(ge=0.005, le=1.0)]


class Film(Frozen):
    """Bagging film: width and length of a roll [m], what it bears, what it costs.

    tube : whether it comes as a tube, whose width is then that of the tube laid flat.
    elongation : share by which it may be stretched when warm; stiff_below : temperature below which it is stiff [K].
    """

    name: str = Field("Film, invented, 60 µm", min_length=1, max_length=120)
    roll_width: Positive = Field(1.5, description="m")
    roll_length: Positive = Field(100.0, description="m")
    tube: bool = False
    elongation: Share = 0.6
    stiff_below: Positive = Field(288.15, description="K")
    hottest: Positive = Field(393.15, description="K")
    areal_mass: NonNegative = Field(0.068, description="kg/m2")
    price_per_m2: NonNegative = 1.1


class SealTape(Frozen):
    """Sealing tape on rolls."""

    name: str = Field("Sealing tape, invented, 12 mm", min_length=1, max_length=120)
    width: Positive = Field(0.012, description="m")
    roll_length: Positive = Field(15.0, description="m")
    price_per_roll: NonNegative = 7.5
    mass_per_m: NonNegative = Field(0.055, description="kg/m")


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
    width: Positive = Field(0.03, le=1.0)
    gap: Positive = Field(0.002, le=0.05)


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
    allowance: Annotated[float, Field(ge=0, le=1)] | None = None
    start: Point | None = None
    tape_off: Annotated[float, Field(ge=0, le=1)] | None = None
    pleats: tuple[PleatAt, ...] | None = Field(None, max_length=400)
    film_left: NonNegative | None = None
    tape_left: NonNegative | None = None
    laid_out: tuple[str, ...] = Field((), max_length=200)
    bridges: tuple[Bridge, ...] = Field((), max_length=100)
    temperature: Annotated[float, Field(ge=253, le=423)] | None = Field(
        None, description="K, of the film when it is laid; the resin's when None"
    )

    @model_validator(mode="after")
    def _one_of_each(self) -> BagPlan:
        pleats = self.pleats or ()
        if len({p.id for p in pleats}) != len(pleats):
            raise ValueError(tr("two pleats have the same id"))
        if sum(p.closing for p in pleats) > 1:
            raise ValueError(tr("two pleats are called the closing one"))
        return self
