"""Write the textbook jobs of this folder: one JSON a case, with materials given outright.

Usage: python examples/make.py   (from the project's root, with src on the path)
Each case has a closed form, which tests/validation/test_closed_forms.py holds it to.
"""

from __future__ import annotations

import math
from pathlib import Path

from bibulon.core.job.materials import ConstantViscosity, PorousLayer, Resin
from bibulon.core.job.model import Conditions, Corner, Drawn, FlowLine, Job, Layer, Part, Zone
from bibulon.store.jobfile import save

HERE = Path(__file__).parent
PULL = 1.0e5  # Pa
MU = 0.1  # Pa s


def cloth(k: float, k2: float | None = None, porosity: float = 0.5, thickness: float = 0.005) -> PorousLayer:
    """A layer given outright."""
    return PorousLayer(
        name="Cloth given outright", thickness=thickness, porosity=porosity, k1=k, k2=k2 or k, k3=k
    )


def corners(*points: tuple[float, float]) -> tuple[Corner, ...]:
    """An outline of straight sides."""
    return tuple(Corner(x=x, y=y) for x, y in points)


def line(label: str, role: str, *path: tuple[float, float]) -> FlowLine:
    """A line that takes no pressure."""
    return FlowLine.model_validate({"id": label, "label": label, "role": role, "path": path, "bore": 0})


def textbook(name: str, **fields: object) -> Job:
    """A job in SI round numbers: 1 bar of pull, 100 mPa s."""
    return Job.model_validate(
        {
            "name": name,
            "resin": Resin(name="Constant oil", viscosity=ConstantViscosity(value=MU), density=1000.0),
            "conditions": Conditions(atmosphere=PULL, vacuum=0.0, bucket_below=0.0, mixed_before_start=0.0),
            "materials": {"cloth": cloth(1e-10)},
            "stack": (Layer(id="L1", material="cloth"),),
            **fields,
        }
    )


def rectilinear() -> Job:
    """A strip 1.0 m by 0.3 m, fed along one end."""
    return textbook(
        "Strip fed along one end",
        part=Part(outline=corners((0, 0), (1, 0), (1, 0.3), (0, 0.3))),
        lines=(line("F1", "feed", (0, 0), (0, 0.3)), line("V1", "vacuum", (1, 0), (1, 0.3))),
    )


def radial() -> Job:
    """A disc of radius 0.5 m, fed from a ring of radius 0.05 m at its middle."""
    half = Corner(x=-0.5, y=0.0, bow=0.5), Corner(x=0.5, y=0.0, bow=0.5)
    outline = (half[0], Corner(x=0.0, y=-0.5), half[1], Corner(x=0.0, y=0.5))
    bow = 0.5 * (1 - math.sqrt(0.5))
    outline = tuple(c.model_copy(update={"bow": bow}) for c in outline)
    ring = tuple(
        (0.05 * math.cos(2 * math.pi * k / 48), 0.05 * math.sin(2 * math.pi * k / 48)) for k in range(49)
    )
    return textbook("Disc fed from a ring", part=Part(outline=outline), lines=(line("F1", "feed", *ring),))


def series(first: float, second: float) -> Job:
    """A strip of two halves of different permeability [m²], fed along one end."""
    half = Zone(
        id="far", name="Far half", area=Drawn(outline=corners((0.5, 0), (1, 0), (1, 0.3), (0.5, 0.3)))
    )
    return textbook(
        "Two zones in series",
        part=Part(outline=corners((0, 0), (1, 0), (1, 0.3), (0, 0.3)), zones=(half,), rim_name="Near half"),
        materials={"near": cloth(first), "far": cloth(second)},
        stack=(
            Layer(id="L1", material="near", zones=("rim",)),
            Layer(id="L2", material="far", zones=("far",)),
        ),
        lines=(line("F1", "feed", (0, 0), (0, 0.3)), line("V1", "vacuum", (1, 0), (1, 0.3))),
    )


CASES = {
    "strip": rectilinear,
    "disc": radial,
    "series-fast-slow": lambda: series(2e-10, 5e-11),
    "series-slow-fast": lambda: series(5e-11, 2e-10),
}

if __name__ == "__main__":
    for name, make in CASES.items():
        save(make(), HERE / f"{name}.json")
