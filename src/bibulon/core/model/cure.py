"""What a part cures on and in: tool, air, blanket, and the schedule of an oven."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from bibulon.core.model.base import Frozen, NonNegative, Positive
from bibulon.core.units.words import tr

__all__ = ["CurePlan", "CureStep", "WarmthRead"]

Kelvin = Annotated[float, Field(ge=253, le=573)]


class CureStep(Frozen):
    """A step of an oven: to a temperature [K] at a rate [K/s], then held [s]."""

    temperature: Kelvin
    ramp: Positive = Field(20.0 / 3600, description="K/s")
    hold: NonNegative = Field(3600.0, description="s")


class WarmthRead(Frozen):
    """A thermometer's reading: time from opening the first feed [s], temperature [K]."""

    time: NonNegative
    temperature: Kelvin


class CurePlan(Frozen):
    """Tool and films [W/(m² K)], the shop's air, what is asked before the part leaves the mould, and the post-cure."""

    tool_thickness: NonNegative = Field(0.010, description="m; 0 for none")
    tool_k: Positive = Field(0.3, description="W/(m K): glass laminate")
    tool_rho_c: Positive = Field(1.9e6, description="J/(m3 K)")
    h_tool: Positive = Field(8.0, description="W/(m2 K): still air 8, moving air 25, liquid 200")
    h_bag: Positive = 8.0
    blanket: NonNegative = Field(0.0, description="m, of insulation over the bag")
    night: NonNegative = Field(0.0, description="K by which the shop is cooler twelve hours after the shot")
    demould_alpha: Annotated[float, Field(gt=0, lt=1)] = 0.80
    demould_below: Kelvin = Field(328.15, description="K that the part must be under when it is taken out")
    over_glass: NonNegative = Field(5.0, description="K by which the glass transition must be over the part")
    part_limit: Kelvin = Field(353.15, description="K that part, tool and bag bear")
    oven_after: NonNegative = Field(24 * 3600.0, description="s from the shot until the oven starts")
    steps: tuple[CureStep, ...] = Field((), max_length=20)
    heater: Literal["oven", "blanket"] = Field("oven", description="a blanket warms the bag's side alone")
    hardness: NonNegative = Field(
        0.0, description="least reading at demould, in the shop's own scale; 0 where none is asked"
    )
    service: Kelvin = Field(318.15, description="K that the part will see in use")
    post_over: NonNegative = Field(
        0.0, description="K by which the part may be over its glass transition in the oven"
    )
    taken_out: NonNegative | None = Field(
        None, description="s from the shot at which it is planned to be demoulded"
    )

    read: tuple[WarmthRead, ...] = Field((), max_length=20_000)
    read_at: tuple[float, float] | None = Field(None, description="m, where the thermometer sits")
    read_where: Literal["tool", "middle", "bag"] = Field("bag", description="of the thickness")

    @model_validator(mode="after")
    def _bears(self) -> CurePlan:
        if self.demould_below >= self.part_limit + 100:
            raise ValueError(tr("a part is not taken out hotter than it bears"))
        return self
