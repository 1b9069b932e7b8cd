"""A surface in space as flat shaded triangles, seen from where a hand has turned it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.drawing.kit.scene import Area, Item, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme, mix

__all__ = ["SHADES", "draw_solid", "turned"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
SHADES = 10


def turned(space: Floats, round_: float, tilt: float) -> Floats:
    """Return points turned by angles [°] round the upright and towards the eye: x, y on the picture, z to the eye."""
    a, b = math.radians(round_), math.radians(tilt)
    x = space[:, 0] * math.cos(a) - space[:, 1] * math.sin(a)
    y = space[:, 0] * math.sin(a) + space[:, 1] * math.cos(a)
    z = space[:, 2]
    return np.column_stack([x, y * math.sin(b) + z * math.cos(b), z * math.sin(b) - y * math.cos(b)])


def draw_solid(
    space: Floats,
    triangles: Ints,
    rim: Floats,
    round_: float,
    tilt: float,
    width: float,
    height: float,
    theme: Theme,
) -> Iterator[Item]:
    """Yield the triangles from far to near, in runs of one shade, and the rim, shape (k, 3), over them."""
    middle = (space.min(axis=0) + space.max(axis=0)) / 2
    seen = turned(space - middle, round_, tilt)
    # As large as it can be turned round at this tilt without leaving the picture.
    wide = float(np.hypot(*(space - middle)[:, :2].T).max()) or 1.0
    tall = float(np.ptp(space[:, 2])) / 2
    lean = math.radians(tilt)
    high = wide * abs(math.sin(lean)) + tall * math.cos(lean)
    scale = 0.46 * min(width / wide, height / max(high, 0.1 * wide))

    def px(points: Floats) -> Floats:
        return np.column_stack([width / 2 + points[:, 0] * scale, height / 2 - points[:, 1] * scale])

    corners = seen[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    light = np.abs(normal @ np.array([0.35, 0.5, 0.79]))
    shade = np.minimum((light * SHADES).astype(int), SHADES - 1)
    order = np.argsort(corners[:, :, 2].mean(axis=1), kind="stable")
    flat = px(seen)
    runs = np.flatnonzero(np.diff(shade[order])) + 1
    for run in np.split(order, runs):
        colour = mix(theme.tool, theme.cloth, (shade[run[0]] + 0.5) / SHADES)
        yield Area([flat[t] for t in triangles[run]], colour, colour, WEIGHT["hair"])
    edge = px(turned(rim - middle, round_, tilt))
    yield Line([np.vstack([edge, edge[:1]])], theme.ink, WEIGHT["line"])
