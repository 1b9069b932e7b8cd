"""What moulds are made of: stiffness and weight of an upper half, heat through a tool.  Round figures of common materials.

Metals: Incropera, *Heat Transfer*, appendix A, and Roark, *Stress and Strain*; laminates and boards: middle of what data
sheets give, through the thickness where it is heat.  Whoever has a sheet types its figures.
"""

from __future__ import annotations

from msgspec import Struct

__all__ = ["TOOLING", "Tooling", "tooling_like"]


class Tooling(Struct, frozen=True):
    """Modulus [Pa], Poisson's ratio, density [kg/m³]; conductivity [W/(m K)] and stored heat [J/(m³ K)]."""

    name: str
    modulus: float
    poisson: float
    density: float
    conductivity: float
    stored: float


TOOLING = (
    Tooling("glass laminate", 14e9, 0.3, 1800.0, 0.3, 1.9e6),
    Tooling("carbon laminate", 50e9, 0.3, 1550.0, 0.7, 1.6e6),
    Tooling("aluminium", 70e9, 0.33, 2700.0, 160.0, 2.4e6),
    Tooling("steel", 205e9, 0.29, 7850.0, 45.0, 3.7e6),
    Tooling("tooling board", 1.5e9, 0.3, 700.0, 0.2, 1.0e6),
)


def tooling_like(**figures: float) -> Tooling | None:
    """Return the material that has these figures, by their names; None where none has."""
    return next(
        (t for t in TOOLING if all(abs(getattr(t, k) - v) <= 1e-6 * abs(v) for k, v in figures.items())), None
    )
