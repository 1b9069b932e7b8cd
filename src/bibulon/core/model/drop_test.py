"""The leak test of a job: how it is judged, and what gauge and thermometer said, kept by columns."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, PlainSerializer, WithJsonSchema

from bibulon.core.model.base import Frozen, NonNegative, Positive
from bibulon.core.units.words import tr

__all__ = ["DropTest", "Reading", "Warmth"]


class Reading(Frozen):
    """One gauge reading: seconds since the pump was shut off, absolute pressure [Pa]."""

    time: NonNegative
    pressure: NonNegative


class Warmth(Frozen):
    """The bag's temperature [K], logged beside the gauge at a time [s]."""

    time: float
    temperature: Annotated[float, Field(ge=253, le=373)]


def _rows(value: Any) -> Any:
    """Return rows out of columns; what is no columns stays for the check that follows."""
    if not isinstance(value, dict):
        return value
    if len({len(c) if isinstance(c, list) else -1 for c in value.values()}) > 1:
        raise ValueError(tr("its columns are not of one length"))
    return [dict(zip(value, cells, strict=True)) for cells in zip(*value.values(), strict=True)]


def _kept(*names: str) -> tuple[BeforeValidator, PlainSerializer, WithJsonSchema]:
    """Return how rows with these fields are read and written: by columns, a tenth of the text."""

    def columns(rows: tuple[Frozen, ...]) -> dict[str, list[float]]:
        return {name: [getattr(row, name) for row in rows] for name in names}

    cells = {name: {"type": "array", "items": {"type": "number"}} for name in names}
    schema = {"type": "object", "properties": cells, "required": list(names), "additionalProperties": False}
    return BeforeValidator(_rows), PlainSerializer(columns, when_used="json"), WithJsonSchema(schema)


Pressures = Annotated[tuple[Reading, ...], *_kept("time", "pressure")]
Warmths = Annotated[tuple[Warmth, ...], *_kept("time", "temperature")]


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
    readings: Pressures = Field((), max_length=200_000)
    warmth: Warmths = Field((), max_length=20_000)
    pump_down: Pressures = Field((), max_length=20_000)
    pump_speed: NonNegative = Field(0.0, description="m3/s that the pump is sold with; 0 when not known")
    recorded_at: float | None = Field(None, description="Unix time at which a recorded test ended")
