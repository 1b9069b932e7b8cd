"""The cut: a section through the stack along a line, thickness exaggerated, with the resin in it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
import shapely
from shapely.geometry import LineString, Point

from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.drawing.section.section_run import Frame, Run, Slice
from bibulon.core.flow.build.columns import CORE, MESH, slots_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job, Layer
from bibulon.core.stack.laminate import LayerState, layer_state, zone_stack
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["cut_through", "draw_cut"]

Floats = npt.NDArray[np.float64]
SAMPLES = 260
NEVER = 1e12  # s
HEAD, FOOT = 42, 34  # px over and under the stack
HALF = 9.0  # px of an upper half


def cut_through(forecast: Forecast, path: Floats) -> Slice:
    """Sample a forecast along a path [m], shape (k, 2)."""
    line = LineString(path)
    where = np.linspace(0, line.length, SAMPLES)
    mesh = forecast.model.mesh
    places = shapely.get_coordinates(shapely.line_interpolate_point(line, where))
    column = np.full(SAMPLES, -1, dtype=np.int64)
    wet = np.full((SAMPLES, len(forecast.model.sheets)), np.nan)
    # "Never" becomes a late number, so that it mixes with its neighbours into a late time too.
    times = np.where(np.isinf(forecast.wet_at), NEVER, forecast.wet_at)
    triangle, weights = mesh.locate(places)
    inside = triangle >= 0
    found = triangle[inside]
    column[inside] = 2 * forecast.model.zone[found] + forecast.model.meshed[found]
    wet[inside] = np.einsum("ni,nis->ns", weights[inside], times[mesh.triangles[found]])
    return Slice(where, column, wet, float(line.length), np.asarray(path), places, triangle, weights)


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


def _frame(
    stacks: dict[int, list[tuple[LayerState, str]]], length: float, box: tuple[float, float, float, float]
) -> Frame | None:
    """Return scales that fill a box of px, with a round exaggeration of the thickness."""
    x0, y0, width, height = box
    thick = max((sum(s.thickness for s, _ in layers) for layers in stacks.values()), default=0.0)
    if thick <= 0 or length <= 0:
        return None
    across = (width - 56) / length
    ratio = (height - HEAD - FOOT) / thick / across
    times = max(int(ratio), 1) if ratio < 20 else int(ratio // 5 * 5)
    return Frame(across, times * across, x0 + 28, y0 + height - FOOT, times)


def draw_cut(
    job: Job, forecast: Forecast, section: Slice, time: float, box: tuple[float, float, float, float],
    theme: Theme, system: System, pressure: Floats | None = None,
) -> Iterator[Item]:  # fmt: skip
    """Yield the section in a box of px (x, y, width, height) at a moment [s].

    pressure : of the resin along the section [Pa], shape (n,), nan where it is dry; drawn when given.
    """
    zones = tuple(forecast.model.plan.zones)
    stacks = {int(c): _layers(job, zones[c // 2], bool(c % 2)) for c in np.unique(section.column) if c >= 0}
    frame = _frame(stacks, section.length, box)
    if frame is None:
        return
    runs = list(_runs(section.column))
    surface: list[Floats] = []
    for k, (start, stop, column) in enumerate(runs):
        ends = (float(section.where[start]), float(section.where[min(stop, SAMPLES - 1)]))
        bare = tuple(not _cored(stacks, runs, n) for n in (k - 1, k + 1))
        run = Run(
            forecast, section, stacks[column], (start, stop), ends, (bare[0], bare[1]), frame, time, theme
        )
        yield from run.items()
        surface.append(run.top())
    left, right = frame.x(0), frame.x(section.length)
    floor = np.array([[left - 14, frame.base], [right + 14, frame.base]])
    yield Area([np.vstack([floor, floor[::-1] + (0, 9)])], theme.tool)
    infused = job.process == "infusion"
    if surface:
        top = np.vstack(surface)
        yield from _bag(top, frame, theme) if infused else _upper(section, top, frame, theme)
        yield from _crossings(job, section, top, frame, theme)
    if pressure is not None:
        yield from _pressure(pressure, section, frame, box[1] + 16, theme, system)
    foot = (
        tr("mould · thickness ×{}", frame.times)
        if infused
        else tr("both halves · thickness ×{}", frame.times)
    )
    yield Label(left, frame.base + 21, foot, theme.soft, 12, anchor="l")
    yield from _lead(section, time, frame.left, frame.across, frame.base, theme, system)


def _cored(stacks: dict[int, list[tuple[LayerState, str]]], runs: list[tuple[int, int, int]], k: int) -> bool:
    """Whether a neighbouring run has core; beyond the section there is none."""
    return 0 <= k < len(runs) and any(slot == CORE for _, slot in stacks[runs[k][2]])


def _bag(top: Floats, frame: Frame, theme: Theme) -> Iterator[Item]:
    """The film over everything, taped to the mould at both ends."""
    first, last = top[0], top[-1]
    ends = (
        np.array([[first[0] - 12, frame.base], [first[0] - 5, frame.base - 3]]),
        np.array([[last[0] + 5, frame.base - 3], [last[0] + 12, frame.base]]),
    )
    film = np.vstack([ends[0], top - (0, 4), ends[1]])
    yield Line([film], theme.accent, WEIGHT["line"])


def _upper(section: Slice, top: Floats, frame: Frame, theme: Theme) -> Iterator[Item]:
    """The upper half of a closed mould on the stack, and a seal where the section leaves the cavity; not where it ends in its midst."""
    first, last = top[0], top[-1]
    roof = float(top[:, 1].min()) - HALF
    under = np.vstack([(first[0] - 14, first[1]), top, (last[0] + 14, last[1])])
    yield Area([np.vstack([under, (last[0] + 14, roof), (first[0] - 14, roof)])], theme.tool)
    outside = section.column[0] < 0, section.column[-1] < 0
    for leaves, (x, y), off in zip(outside, (top[0], top[-1]), (-11.0, 5.0), strict=True):
        if leaves:
            left, right = x + off, x + off + 6
            yield Area(
                [np.array([(left, y), (right, y), (right, frame.base), (left, frame.base)])], theme.accent
            )


def _crossings(job: Job, section: Slice, top: Floats, frame: Frame, theme: Theme) -> Iterator[Item]:
    """Lines that the section passes through, as rings on the surface with their labels: a ring of feed has two."""
    way = LineString(section.path)
    turn = np.linspace(0, 2 * np.pi, 21)
    ring = 5 * np.c_[np.cos(turn), np.sin(turn)]
    for line in job.lines:
        path = LineString(line.path) if len(line.path) > 1 else Point(line.path[0]).buffer(0.01)
        met = shapely.get_parts(way.intersection(path))
        feed = line.role == "feed"
        colour = theme.feed if feed else theme.vacuum
        for at in sorted(float(way.project(place.centroid)) for place in met if not place.is_empty):
            x = frame.x(at)
            y = float(np.interp(x, top[:, 0], top[:, 1])) - 9
            yield Area([ring + (x, y)], colour if feed else theme.ground, colour, WEIGHT["heavy"])
            yield Label(x, y - 15, line.label, colour, 11.5, True)


def _pressure(
    pressure: Floats, section: Slice, frame: Frame, y: float, theme: Theme, system: System
) -> Iterator[Item]:
    """A thin line of the pressure along the section, over the stack; its highest value is told."""
    good = np.isfinite(pressure)
    if not good.any():
        return
    most = max(float(np.nanmax(pressure)), 1.0)
    x = frame.left + section.where[good] * frame.across
    floor = y + 34
    yield Line([np.array([[x[0], floor], [frame.x(section.length), floor]])], theme.edge, WEIGHT["thin"])
    yield Line([np.c_[x, floor - pressure[good] / most * 32]], theme.accent, WEIGHT["line"])
    yield Label(
        frame.x(section.length),
        y - 4,
        tr("pressure, to {}", show(most, "pressure", system)),
        theme.accent,
        11.5,
        True,
        "r",
    )


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
        (a + b) / 2, y + 11, tr("lead {}", show(max(tops) - tool, "length", system)), theme.front, 12, True
    )
