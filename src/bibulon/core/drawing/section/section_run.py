"""One run of equal places in a section: its layers with textures, core cuts and bevels, and the resin in them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.scene import Area, Item, Line, Texture
from bibulon.core.drawing.kit.tokens import PITCH, WEIGHT, Theme
from bibulon.core.flow.build.columns import CORE
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.materials import Core
from bibulon.core.stack.laminate import LayerState

__all__ = ["TEXTURE", "Frame", "Run", "Slice"]

Floats = npt.NDArray[np.float64]
BEVEL = 1.73  # length of a core's bevel over its thickness: 30 degrees
TEXTURE = {"fabric": "ply", "porous": "ply", "core": "cells", "mesh": "net", "peel": "", "coat": ""}


class Slice(Struct, frozen=True, eq=False):
    """A section: distances along it [m], column kind of each sample, wet times per sheet.

    where : shape (n,); column : shape (n,), −1 outside the part; wet_at : shape (n, s), nan where no sheet.
    path [m] : what was cut along; places : of the samples [m]; triangle, weights : where they lie on the mesh.
    """

    where: Floats
    column: npt.NDArray[np.int64]
    wet_at: Floats
    length: float
    path: Floats
    places: Floats
    triangle: npt.NDArray[np.int64]
    weights: Floats

    def along(self, values: Floats, triangles: npt.NDArray[np.int64]) -> Floats:
        """Return a field of the mesh's points, shape (v,), along the section, shape (n,); nan outside."""
        out = np.full(len(self.where), np.nan)
        inside = self.triangle >= 0
        out[inside] = np.einsum("ni,ni->n", self.weights[inside], values[triangles[self.triangle[inside]]])
        return out


class Frame(Struct, frozen=True):
    """The scales of a drawn section: px across a metre, px up a metre, px of the origin, the mould's face."""

    across: float
    up: float
    left: float
    base: float
    times: int

    def x(self, where: float) -> float:
        """Return the px of a place along the section [m]."""
        return self.left + where * self.across


class Run(Struct, frozen=True, dict=True):
    """One run of equal places; ``bare`` tells whether the core ends in a bevel at either side."""

    forecast: Forecast
    section: Slice
    layers: list[tuple[LayerState, str]]
    span: tuple[int, int]
    ends: tuple[float, float]
    bare: tuple[bool, bool]
    frame: Frame
    time: float
    theme: Theme

    @cached_property
    def core(self) -> float:
        """Thickness of core [m]."""
        return sum(s.thickness for s, slot in self.layers if slot == CORE)

    @cached_property
    def _bevel(self) -> float:
        return min(self.core * BEVEL, (self.ends[1] - self.ends[0]) / 2)

    def _share(self, where: float) -> float:
        """Return how much of the core's thickness there is at a place along the section, 0 to 1."""
        bevel = self._bevel
        share = 1.0
        if bevel > 0:
            for bare, distance in zip(self.bare, (where - self.ends[0], self.ends[1] - where), strict=True):
                if bare:
                    share = min(share, max(distance / bevel, 0.0))
        return share

    def _ring(self, a: float, b: float, low: tuple[float, float], high: tuple[float, float]) -> Floats:
        """Return the ring between two heights (z, core below it) from a to b along the section.

        In plain numbers: a section has a hundred rings of a few corners each, at every tick of the clock.
        """
        bevel, frame = self._bevel, self.frame
        knots = [a, *(x for x in (self.ends[0] + bevel, self.ends[1] - bevel) if a < x < b), b]
        corners = []
        for where, (z, cored) in [(w, low) for w in knots] + [(w, high) for w in reversed(knots)]:
            height = z - cored * (1 - self._share(where)) if cored else z
            corners.append((frame.x(where), frame.base - height * frame.up))
        return np.array(corners)

    def top(self) -> Floats:
        """Return the upper surface as px, shape (k, 2)."""
        thick = sum(s.thickness for s, _ in self.layers)
        ring = self._ring(*self.ends, (thick, self.core), (thick, self.core))
        return ring[: len(ring) // 2]

    def items(self) -> Iterator[Item]:
        """Yield the layers with their textures and resin."""
        z, cored = 0.0, 0.0
        for slot in dict.fromkeys(s for _, s in self.layers):
            mine = [s for s, name in self.layers if name == slot]
            thick = sum(s.thickness for s in mine)
            core = thick if slot == CORE else 0.0
            low, high = (z, cored), (z + thick, cored + core)
            yield Area(
                [self._ring(*self.ends, low, high)], self.theme.core if slot == CORE else self.theme.cloth
            )
            if slot == CORE:
                yield from self._core(mine, low, high)
            else:
                yield from self._resin(slot, low, high)
                yield from self._plies(mine, z, cored)
            z, cored = z + thick, cored + core

    def _wet(self, sheet: int) -> Iterator[tuple[float, float, str]]:
        """Yield (from, to, tone) of the wet parts of a sheet."""
        start, stop = self.span
        times = self.section.wet_at[start:stop, sheet]
        for a, b in _wet_spans(self.section.where[start:stop], times, self.time):
            age = 0.75 * (self.time - float(np.nanmin(times))) / max(self.time, 1.0)
            yield max(a, self.ends[0]), min(b, self.ends[1]), self.theme.resin(min(age, 0.75))

    def _sheets(self, slot: str) -> list[int]:
        return [k for k, sheet in enumerate(self.forecast.model.sheets) if sheet.slot == slot]

    def _resin(self, slot: str, low: tuple[float, float], high: tuple[float, float]) -> Iterator[Item]:
        parts = self._sheets(slot)
        for n, k in enumerate(parts):
            z1 = low[0] + (high[0] - low[0]) * n / len(parts)
            z2 = low[0] + (high[0] - low[0]) * (n + 1) / len(parts)
            for a, b, tone in self._wet(k):
                yield Area([self._ring(a, b, (z1, low[1]), (z2, low[1]))], tone, opacity=0.95)

    def _plies(self, mine: list[LayerState], z: float, cored: float) -> Iterator[Item]:
        for s in mine:
            ring = self._ring(*self.ends, (z, cored), (z + s.thickness, cored))
            texture = TEXTURE.get(s.kind, "")
            if texture and s.thickness * self.frame.up > 3:
                yield Texture([ring], texture, self.theme.ink, PITCH["ply"], WEIGHT["hair"], 0.22)
            yield Area([ring], None, self.theme.ink, WEIGHT["hair"])
            z += s.thickness

    def _core(
        self, mine: list[LayerState], low: tuple[float, float], high: tuple[float, float]
    ) -> Iterator[Item]:
        """Core body, its grooves along the faces and its holes through, with the resin in them."""
        ring = self._ring(*self.ends, low, high)
        yield Texture([ring], "cells", self.theme.ink, 9.0, WEIGHT["hair"], 0.2)
        material = self.forecast.job.materials[mine[0].layer.material]
        if isinstance(material, Core):
            wet = [span for k in self._sheets(CORE) for span in self._wet(k)]
            ways: dict[str, list[Floats]] = {}
            for a, b, middle in self._channels(material):
                tone = next((t for f, g, t in wet if f <= middle <= g), self.theme.edge)
                ways.setdefault(tone, []).append(self._ring(a, b, low, high))
            for tone, rings in ways.items():
                yield Area(rings, tone)
            if material.grooves:
                yield from self._grooves(material.grooves.depth, high)
        yield Area([ring], None, self.theme.ink, WEIGHT["hair"])

    def _channels(self, core: Core) -> Iterator[tuple[float, float, float]]:
        """Yield (from, to, middle) along the section of holes, at most one in 7 px."""
        if not core.hole_diameter:
            return
        every = max(1, int(np.ceil(7 / max(core.hole_pitch * self.frame.across, 1e-6)))) * core.hole_pitch
        wide = max(core.hole_diameter, 2.0 / self.frame.across)
        inside = (self.ends[0] + self._bevel * self.bare[0], self.ends[1] - self._bevel * self.bare[1])
        for middle in np.arange(inside[0] + every / 2, inside[1], every):
            yield float(middle) - wide / 2, float(middle) + wide / 2, float(middle)

    def _grooves(self, depth: float, high: tuple[float, float]) -> Iterator[Item]:
        """Grooves are where mesh-like flow runs in the core: a strip under its upper face."""
        seen = max(depth, 2.5 / self.frame.up)
        for k in self._sheets(CORE):
            for a, b, tone in self._wet(k):
                yield Area([self._ring(a, b, (high[0] - seen, high[1]), high)], tone)
        under = self._ring(*self.ends, (high[0] - seen, high[1]), high)
        yield Line([under[: len(under) // 2]], self.theme.ink, WEIGHT["hair"])


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
