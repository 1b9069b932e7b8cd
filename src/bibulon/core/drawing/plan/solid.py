"""A surface in space as flat shaded triangles, seen from where a hand has turned it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.drawing.kit.scene import Area, Item, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme, mix
from bibulon.core.geometry.coarser import coarser
from bibulon.core.geometry.surface import border_rings
from bibulon.core.model.job import Surface
from bibulon.core.units.remember import by_identity

__all__ = ["Solid", "draw_solid", "solid_of", "turned"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
SHADES = 10
MOST = 2400  # triangles that are shown: each turn of the hand paints them all
KEPT = 4  # surfaces held ready


def turned(space: Floats, round_: float, tilt: float) -> Floats:
    """Return points turned by angles [°] round the upright and towards the eye: x, y on the picture, z to the eye."""
    a, b = math.radians(round_), math.radians(tilt)
    x = space[:, 0] * math.cos(a) - space[:, 1] * math.sin(a)
    y = space[:, 0] * math.sin(a) + space[:, 1] * math.cos(a)
    z = space[:, 2]
    return np.column_stack([x, y * math.sin(b) + z * math.cos(b), z * math.sin(b) - y * math.cos(b)])


class Solid(Struct, frozen=True, eq=False):
    """A surface as it is shown: points in space, shape (n, 3) [m], triangles, shape (m, 3), and its rim, shape (k, 3)."""

    space: Floats
    triangles: Ints
    rim: Floats


@by_identity(1, KEPT)
def solid_of(surface: Surface) -> Solid:
    """Return a surface with no more triangles than a small view shows; made once."""
    space, triangles = np.array(surface.space), np.array(surface.triangles, dtype=np.int64)
    rim = space[border_rings(triangles)[0]]
    if len(triangles) > MOST:
        space, triangles = coarser(space, triangles, MOST, keep_rim=False)
    return Solid(space, triangles, rim)


def draw_solid(
    solid: Solid, round_: float, tilt: float, width: float, height: float, theme: Theme
) -> Iterator[Item]:
    """Yield the triangles from far to near, in runs of one shade, and the rim over them."""
    space, triangles = solid.space, solid.triangles
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
    colours = [mix(theme.tool, theme.cloth, (k + 0.5) / SHADES) for k in range(SHADES)]
    for run in np.split(order, runs):
        colour = colours[shade[run[0]]]
        yield Area([flat[t] for t in triangles[run]], colour, colour, WEIGHT["hair"])
    edge = px(turned(solid.rim - middle, round_, tilt))
    yield Line([np.vstack([edge, edge[:1]])], theme.ink, WEIGHT["line"])
