"""Other fields than the wet region on the plan: pressure, thickness, age, viscosity, lead; each with a legend."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from shapely.geometry import Polygon
from shapely.geometry import box as rectangle

from bibulon.core.drawing.kit.field import Contours, Sampler
from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Clip, Item, Label, Line
from bibulon.core.drawing.kit.tokens import RAMP, SIZE, WEIGHT
from bibulon.core.flow.forecast import Forecast
from bibulon.core.flow.moment import Moment
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show

__all__ = ["FIELDS", "RESIN", "FieldMap", "draw_field", "field_map", "legend", "told"]

Floats = npt.NDArray[np.float64]
RESIN = "resin"


class Field(Struct, frozen=True, eq=False):
    """What a field is called, what it is measured in, and where a moment has it."""

    title: str
    quantity: str
    read: Callable[[Moment, Forecast, str | None], Floats]


FIELDS: dict[str, Field] = {
    "pressure": Field("Resin pressure above the vacuum", "pressure", lambda m, f, s: m.of_slot(m.pressure, f, s)),
    "thickness": Field("Thickness", "thickness", lambda m, f, s: m.thickness),
    "age": Field("Age of the resin", "time", lambda m, f, s: m.of_slot(m.age, f, s)),
    "viscosity": Field("Viscosity", "viscosity", lambda m, f, s: m.of_slot(m.viscosity, f, s)),
    "lead": Field("Tool side later than the top by", "time", lambda m, f, s: m.lead),
}  # fmt: skip


def told(name: str, value: float, system: System) -> str:
    """Return a field's value as people read it: times as on a clock."""
    quantity = FIELDS[name].quantity
    return clock(value) if quantity == "time" else show(value, quantity, system)


class FieldMap(Struct, frozen=True, eq=False):
    """A field ready to draw: its contours and the levels between its tones, RAMP + 1 of them."""

    name: str
    contours: Contours
    levels: Floats


def field_map(name: str, moment: Moment, forecast: Forecast, slot: str | None, sampler: Sampler) -> FieldMap:
    """Return a field of a moment; a field that is the same everywhere has levels around that value."""
    values = FIELDS[name].read(moment, forecast, slot)
    finite = values[np.isfinite(values)]
    low, high = (float(np.quantile(finite, q)) for q in (0.01, 0.99)) if len(finite) else (0.0, 1.0)
    if high - low < 1e-9 * max(abs(high), 1e-12):
        pad = max(abs(high) * 0.05, 1e-9)
        low, high = low - pad, high + pad
    return FieldMap(name, sampler.contours(values), np.linspace(low, high, RAMP + 1))


def draw_field(job: Job, look: PlanLook, field: FieldMap) -> Iterator[Item]:
    """Yield a field's tones inside the part."""
    theme = look.theme
    whole = rings_of(regions(job.part).whole, look.view)
    bands: list[Item] = []
    levels = field.levels.copy()
    levels[0], levels[-1] = -np.inf, field.contours.top
    for k in range(RAMP):
        rings = field.contours.between(max(float(levels[k]), -1e30), float(levels[k + 1]))
        bands.append(
            Area(
                [look.view.to(r) for r in rings],
                theme.tone((k + 0.5) / RAMP),
                theme.ground,
                WEIGHT["hair"],
                opacity=0.94,
            )
        )
    yield Clip(whole, tuple(bands))


def legend(job: Job, look: PlanLook, field: FieldMap, width: float, height: float) -> Iterator[Item]:
    """Yield the legend below, where it covers less of the part: a swatch a tone, with the values between them."""
    theme, spec = look.theme, FIELDS[field.name]
    y, w, h = height - 30.0, 40.0, 12.0
    wide = w * RAMP
    whole = Polygon(rings_of(regions(job.part).whole, look.view)[0])

    def covers(x: float) -> float:
        return float(whole.intersection(rectangle(x - 8, y - 26, x + wide + 40, y + 28)).area)

    x = min((16.0, width - wide - 190), key=covers)
    box = np.array([[x - 8, y - 26], [x + wide + 40, y - 26], [x + wide + 40, y + 28], [x - 8, y + 28]])
    yield Area([box], theme.ground, theme.edge, WEIGHT["thin"], opacity=0.94)
    yield Label(x, y - 14, spec.title, theme.ink, SIZE["small"] + 0.5, True, "l")
    for k in range(RAMP):
        rect = np.array([[x + k * w, y], [x + (k + 1) * w, y], [x + (k + 1) * w, y + h], [x + k * w, y + h]])
        yield Area([rect], theme.tone((k + 0.5) / RAMP), theme.ink, WEIGHT["hair"])
    for k in (0, 2, 5, RAMP):
        yield Line([np.array([[x + k * w, y + h], [x + k * w, y + h + 4]])], theme.ink, WEIGHT["thin"])
        text = told(field.name, float(field.levels[k]), look.system)
        yield Label(x + k * w, y + h + 11, text, theme.ink, 11, anchor="l" if k == 0 else "m")
