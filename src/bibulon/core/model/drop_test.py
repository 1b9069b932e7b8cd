"""The leak test of a job: how it is judged, and what gauge and thermometer said."""

from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Finite, Frozen, NonNegative, Positive, said

__all__ = ["DropTest", "Reading", "Warmth"]


class Reading(Frozen):
    """One gauge reading: seconds since the pump was shut off, absolute pressure [Pa]."""

    time: NonNegative
    pressure: NonNegative


class Warmth(Frozen):
    """The bag's temperature [K], logged beside the gauge at a time [s]."""

    time: Finite
    temperature: Annotated[float, Meta(ge=253, le=373)]


class DropTest(Frozen):
    """A drop test: the gauge read against time with the pump shut off."""

    name: str = "Drop test"
    volume: Annotated[Positive, said("m3: pores, mesh, lines, hoses and pots")] = 0.004
    school: str = "small-drop"
    feed_fitted: bool = True
    stage: Literal["pump", "lines", "bag", "overnight"] = "bag"
    gauge: Annotated[Literal["absolute", "dial"], said("a dial reads against today's air")] = "absolute"
    gauge_place: Annotated[Literal["flange", "hose", "pump"], said("where it is screwed in")] = "flange"
    gauge_step: Annotated[
        NonNegative, said("Pa, the smallest change it shows; 0 for what the record shows")
    ] = 0.0
    readings: Annotated[tuple[Reading, ...], Meta(max_length=200_000)] = ()
    warmth: Annotated[tuple[Warmth, ...], Meta(max_length=20_000)] = ()
    pump_down: Annotated[tuple[Reading, ...], Meta(max_length=20_000)] = ()
    pump_speed: Annotated[NonNegative, said("m3/s that the pump is sold with; 0 when not known")] = 0.0
    recorded_at: Annotated[Finite | None, said("Unix time at which a recorded test ended")] = None
