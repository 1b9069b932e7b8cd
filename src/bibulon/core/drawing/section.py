"""The cut: a section through the stack along a line, thickness exaggerated, with the resin in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely.geometry import LineString

from bibulon.core.drawing.scene import Area, Clip, Item, Label, Line, hatch
from bibulon.core.drawing.tokens import WEIGHT, Theme
from bibulon.core.flow.columns import CORE, MESH, slots_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.job.model import Job, Layer
from bibulon.core.stack.laminate import LayerState, layer_state, zone_stack
from bibulon.core.units import System, show

__all__ = ["TEXTURE", "Slice", "cut_through", "draw_cut"]

Floats = npt.NDArray[np.float64]
SAMPLES = 260
NEVER = 1e12  # s
TEXTURE = {"fabric": "ply", "porous": "ply", "core": "cells", "mesh": "net", "peel": "", "coat": ""}


@dataclass(frozen=True)
class Slice:
    """A section: distances along it [m], column kind of each sample, wet times per sheet.

    where : shape (n,); column : shape (n,), −1 outside the part; wet_at : shape (n, s), nan where no sheet.
    """

    where: Floats
    column: npt.NDArray[np.int64]
    wet_at: Floats
    length: float


def cut_through(forecast: Forecast, path: Floats) -> Slice:
    """Sample a forecast along a path [m], shape (k, 2)."""
    line = LineString(path)
    where = np.linspace(0, line.length, SAMPLES)
    mesh = forecast.model.mesh
    places = np.array([line.interpolate(d).coords[0] for d in where])
    column = np.full(SAMPLES, -1, dtype=np.int64)
    wet = np.full((SAMPLES, len(forecast.model.sheets)), np.nan)
    # "Never" becomes a late number, so that it mixes with its neighbours into a late time too.
    times = np.where(np.isinf(forecast.wet_at), NEVER, forecast.wet_at)
    triangle, weights = mesh.locate(places)
    inside = triangle >= 0
    found = triangle[inside]
    column[inside] = 2 * forecast.model.zone[found] + forecast.model.meshed[found]
    wet[inside] = np.einsum("ni,nis->ns", weights[inside], times[mesh.triangles[found]])
    return Slice(where, column, wet, float(line.length))


def _runs(column: npt.NDArray[np.int64]) -> Iterator[tuple[int, int, int]]:
    """Yield (first, last + 1, column) of runs of equal columns inside the part."""
    edges = np.flatnonzero(np.diff(column)) + 1
    for start, stop in zip(np.r_[0, edges], np.r_[edges, len(column)], strict=True):
        if column[start] >= 0:
            yield int(start), int(stop), int(column[start])


def _layers(job: Job, zone: str, meshed: bool) -> list[tuple[LayerState, str]]:
    """Return the layers of a place from the tool up, each with the slot that its resin is told by."""
    slot = dict(zip((x.id for x in job.stack), slots_of(job), strict=True))
    out = [(s, slot[s.layer.id]) for s in zone_stack(job, zone).layers]
    if meshed and job.mesh:
        out.append((layer_state(Layer(id="cover", material=job.mesh.material), job), MESH))
    return out


def draw_cut(
    job: Job,
    forecast: Forecast,
    section: Slice,
    time: float,
    box: tuple[float, float, float, float],
    theme: Theme,
    system: System,
) -> Iterator[Item]:
    """Yield the section in a box of px (x, y, width, height) at a moment [s]."""
    x0, y0, width, height = box
    zones = tuple(forecast.model.plan.zones)
    stacks = {c: _layers(job, zones[c // 2], bool(c % 2)) for c in np.unique(section.column) if c >= 0}
    thick = max((sum(s.thickness for s, _ in layers) for layers in stacks.values()), default=0.0)
    if thick <= 0 or section.length <= 0:
        return
    across = (width - 56) / section.length
    up = (height - 64) / thick
    ratio = up / across
    times = max(int(ratio), 1) if ratio < 20 else int(ratio // 5 * 5)
    up = times * across
    base = y0 + height - 34
    left = x0 + 28
    floor = np.array([[left - 14, base], [left + section.length * across + 14, base]])
    for start, stop, column in _runs(section.column):
        xa = left + float(section.where[start]) * across
        xb = left + float(section.where[min(stop, SAMPLES - 1)]) * across
        yield from _stack_run(
            forecast, section, stacks[column], (start, stop), (xa, xb), base, up, left, across, time, theme
        )
    yield Area([np.vstack([floor, floor[::-1] + (0, 9)])], theme.tool)
    yield Label(left, base + 21, "mould", theme.soft, 12, anchor="l")
    right = left + section.length * across
    yield Label(right, base + 21, f"thickness ×{times}", theme.soft, 12, anchor="r")
    yield from _lead(section, time, left, across, base, theme, system)


def _stack_run(
    forecast: Forecast, section: Slice, layers: list[tuple[LayerState, str]], span: tuple[int, int], xs: tuple[float, float],
    base: float, up: float, left: float, across: float, time: float, theme: Theme,
) -> Iterator[Item]:  # fmt: skip
    """Yield the layers of one run of equal places."""
    start, stop = span
    xa, xb = xs
    z = 0.0
    sheets = forecast.model.sheets
    for slot in dict.fromkeys(s for _, s in layers):
        mine = [s for s, name in layers if name == slot]
        thick = sum(s.thickness for s in mine)
        low, high = base - z * up, base - (z + thick) * up
        yield Area([_rect(xa, high, xb, low)], theme.core if slot == CORE else theme.cloth)
        parts = [k for k, sheet in enumerate(sheets) if sheet.slot == slot]
        for n, k in enumerate(parts):
            y1 = low + (high - low) * n / len(parts)
            y2 = low + (high - low) * (n + 1) / len(parts)
            times = section.wet_at[start:stop, k]
            for a, b in _wet_spans(section.where[start:stop], times, time):
                x1, x2 = left + a * across, min(left + b * across, xb)
                oldest = float(np.nanmin(times))
                tone = theme.resin(min(0.75 * (time - oldest) / max(time, 1.0), 0.75))
                opacity = 0.55 if slot == CORE else 0.95
                yield Area([_rect(max(x1, xa), y2, x2, y1)], tone, opacity=opacity)
        step = low
        for s in mine:
            top = step - s.thickness * up
            rect = _rect(xa, top, xb, step)
            texture = TEXTURE.get(s.kind, "")
            if texture and step - top > 3:
                pitch = 9.0 if texture == "cells" else 5.0
                yield Clip(
                    [rect],
                    (
                        Line(
                            hatch(texture, (xa, top, xb, step), pitch),
                            theme.ink,
                            WEIGHT["hair"],
                            opacity=0.22,
                            round_ends=False,
                        ),
                    ),
                )
            yield Area([rect], None, theme.ink, WEIGHT["hair"])
            step = top
        z += thick


def _rect(x1: float, y1: float, x2: float, y2: float) -> Floats:
    return np.array([[x1, y1], [x2, y1], [x2, y2], [x1, y2]])


def _wet_spans(where: Floats, times: Floats, now: float) -> Iterator[tuple[float, float]]:
    """Yield (from, to) [m] where a sheet is wet; ends lie between the samples where the front is."""
    wet = times <= now
    if not wet.any():
        return
    edges = np.flatnonzero(np.diff(wet.astype(int))) + 1
    for a, b in zip(np.r_[0, edges], np.r_[edges, len(wet)], strict=True):
        if not wet[a]:
            continue
        start, stop = float(where[a]), float(where[min(b, len(where) - 1)])
        if a > 0 and np.isfinite(times[a - 1]):
            start = _between(where, times, a - 1, a, now)
        if b < len(wet) and np.isfinite(times[b]):
            stop = _between(where, times, b - 1, b, now)
        yield start, stop


def _between(where: Floats, times: Floats, i: int, j: int, now: float) -> float:
    share = (now - times[i]) / (times[j] - times[i]) if times[j] != times[i] else 0.5
    return float(where[i] + (where[j] - where[i]) * min(max(share, 0.0), 1.0))


def _furthest(section: Slice, sheet: int, now: float) -> float | None:
    """Return how far along the cut a sheet is wet without a gap from its first wet place [m]."""
    times = section.wet_at[:, sheet]
    wet = times <= now
    if not wet.any() or wet[np.isfinite(times)].all():
        return None
    return float(section.where[np.flatnonzero(wet)[-1]])


def _lead(
    section: Slice, now: float, left: float, across: float, base: float, theme: Theme, system: System
) -> Iterator[Item]:
    """Dimension the lead of the top side over the tool side."""
    present = [k for k in range(section.wet_at.shape[1]) if np.isfinite(section.wet_at[:, k]).any()]
    if len(present) < 2:
        return
    tool = _furthest(section, present[0], now)
    tops = [f for k in present[1:] if (f := _furthest(section, k, now)) is not None]
    if tool is None or not tops or max(tops) - tool < 0.008:
        return
    a, b = left + tool * across, left + max(tops) * across
    y = base + 17
    yield Line(
        [np.array([[a, y], [b, y]]), np.array([[a, y - 4], [a, y + 4]]), np.array([[b, y - 4], [b, y + 4]])],
        theme.front,
        WEIGHT["line"],
    )
    yield Label(
        (a + b) / 2, y + 11, f"lead {show(max(tops) - tool, 'length', system)}", theme.front, 12, True
    )
