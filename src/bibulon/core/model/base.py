"""What every part of a job document has in common: frozen, checked, no unknown fields."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["Coordinate", "Density", "Fault", "Frozen", "Id", "NonNegative", "Point", "Positive", "Share"]

Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
NonNegative = Annotated[float, Field(ge=0, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Density = Annotated[float, Field(ge=500, le=5000, allow_inf_nan=False)]  # kg/m3, of fibres and resins
Coordinate = Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]


class Frozen(BaseModel):
    """An immutable value; a field that the format does not know is refused, not dropped."""

    model_config = ConfigDict(frozen=True, extra="forbid", ser_json_inf_nan="strings")

    def replaced(self, **fields: Any) -> Self:
        """Return this value with some fields replaced, checked as when it is made.

        Raises
        ------
        pydantic.ValidationError : when a field is not known, or the result is no valid value.
        """
        return type(self).model_validate({**dict(self), **fields})


class Fault(ValueError):
    """What is wrong between parts that each pass by themselves; ``place`` says which of the document is at fault, as (field, index or key)."""

    def __init__(self, place: tuple[str | int, ...], text: str) -> None:
        super().__init__(text)
        self.place = place


Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_.-]+$")]
