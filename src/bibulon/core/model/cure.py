"""What a part cures on and in: tool, air, blanket, and the schedule of an oven."""

from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Finite, Frozen, NonNegative, Positive, said
from bibulon.core.units.words import tr

__all__ = ["CurePlan", "CureStep", "WarmthRead"]

Kelvin = Annotated[float, Meta(ge=253, le=573)]


class CureStep(Frozen):
    """A step of an oven: to a temperature [K] at a rate [K/s], then held [s]."""

    temperature: Kelvin
    ramp: Annotated[Positive, said("K/s")] = 20.0 / 3600
    hold: Annotated[NonNegative, said("s")] = 3600.0


class WarmthRead(Frozen):
    """A thermometer's reading: time from opening the first feed [s], temperature [K]."""

    time: NonNegative
    temperature: Kelvin


class CurePlan(Frozen):
    """Tool and films [W/(m² K)], the shop's air, what is asked before the part leaves the mould, and the post-cure."""

    tool_thickness: Annotated[NonNegative, said("m; 0 for none")] = 0.010
    tool_k: Annotated[Positive, said("W/(m K): glass laminate")] = 0.3
    tool_rho_c: Annotated[Positive, said("J/(m3 K)")] = 1.9e6
    h_tool: Annotated[Positive, said("W/(m2 K): still air 8, moving air 25, liquid 200")] = 8.0
    h_bag: Positive = 8.0
    blanket: Annotated[NonNegative, said("m, of insulation over the bag")] = 0.0
    night: Annotated[
        float, Meta(ge=0, le=60), said("K by which the shop is cooler twelve hours after the shot")
    ] = 0.0
    demould_alpha: Annotated[float, Meta(gt=0, lt=1)] = 0.80
    demould_below: Annotated[Kelvin, said("K that the part must be under when it is taken out")] = 328.15
    over_glass: Annotated[NonNegative, said("K by which the glass transition must be over the part")] = 5.0
    part_limit: Annotated[Kelvin, said("K that part, tool and bag bear")] = 353.15
    oven_after: Annotated[NonNegative, said("s from the shot until the oven starts")] = 24 * 3600.0
    steps: Annotated[tuple[CureStep, ...], Meta(max_length=20)] = ()
    heater: Annotated[Literal["oven", "blanket"], said("a blanket warms the bag's side alone")] = "oven"
    hardness: Annotated[
        NonNegative, said("least reading at demould, in the shop's own scale; 0 where none is asked")
    ] = 0.0
    service: Annotated[Kelvin, said("K that the part will see in use")] = 318.15
    post_over: Annotated[
        NonNegative, said("K by which the part may be over its glass transition in the oven")
    ] = 0.0
    taken_out: Annotated[
        NonNegative | None, said("s from the shot at which it is planned to be demoulded")
    ] = None

    read: Annotated[tuple[WarmthRead, ...], Meta(max_length=20_000)] = ()
    read_at: Annotated[tuple[Finite, Finite] | None, said("m, where the thermometer sits")] = None
    read_where: Annotated[Literal["tool", "middle", "bag"], said("of the thickness")] = "bag"

    def __post_init__(self) -> None:
        if self.demould_below >= self.part_limit + 100:
            raise ValueError(tr("a part is not taken out hotter than it bears"))
