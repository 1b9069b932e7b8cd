"""What a drawing holds before it is an outline: chains of corners, by layer, in the drawing's own unit."""

from __future__ import annotations

from dataclasses import dataclass

from msgspec import Struct, field

from bibulon.core.units.figures import Told

__all__ = ["Chain", "Drawing", "DrawingError"]


class DrawingError(Told):
    """A drawing that gives no outline; the text says what is wrong and where."""


@dataclass
class Chain:
    """Corners (x, y, bulge of the side that leaves it) in the drawing's units; bulge is tan(angle/4), anticlockwise positive."""

    layer: str
    corners: list[tuple[float, float, float]]
    closed: bool = False


class Drawing(Struct, frozen=True):
    """What a file holds: chains, the unit that it states (None when it states none), what was passed over."""

    name: str
    chains: tuple[Chain, ...]
    unit: str | None
    passed: dict[str, int] = field(default_factory=dict)
    faces: int = 0

    @property
    def layers(self) -> tuple[str, ...]:
        """Names of the layers that hold lines, in order."""
        return tuple(dict.fromkeys(c.layer for c in self.chains))
