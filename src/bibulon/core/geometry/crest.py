"""Where fronts that come from all round a shape close last."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import scipy
import shapely
from msgspec import Struct
from shapely.geometry import Polygon

from bibulon.core.geometry.prepared import within
from bibulon.core.units.words import tr

__all__ = ["Crest", "crest_of"]

Floats = npt.NDArray[np.float64]

ACROSS = 14  # cells over the widest place
MOST, FIELD = 5000, 200_000  # cells, about: of the shape, and of the field that it lies in
TOP = 0.99  # of the height, over which the top is the mean of what is higher


class Crest(Struct, frozen=True, eq=False):
    """Height over a raster of places, as a share of the highest: ``height`` of shape (rows, columns), nought outside.

    corner, cell : the first place and the pitch of the raster [m]; top : the highest place [m].
    """

    height: Floats
    corner: tuple[float, float]
    cell: float
    top: tuple[float, float]

    def at(self, places: Floats) -> Floats:
        """Return the height at places in the shape [m], shape (n, 2), bilinear between the raster's: shape (n,)."""
        # By hand: SciPy's own takes a fifth of a second to load, and is wanted at a press.
        column, row = ((np.asarray(places, dtype=float) - self.corner) / self.cell).T
        i = np.clip(row.astype(np.int64), 0, self.height.shape[0] - 2)
        j = np.clip(column.astype(np.int64), 0, self.height.shape[1] - 2)
        v, u = row - i, column - j
        below = (1 - u) * self.height[i, j] + u * self.height[i, j + 1]
        above = (1 - u) * self.height[i + 1, j] + u * self.height[i + 1, j + 1]
        return np.asarray((1 - v) * below + v * above)


def crest_of(shape: Polygon) -> Crest:
    """Return ∇²φ = −1 with φ = 0 on the outline (the torsion function, Prandtl 1903), and no flow through the rims of holes.

    Resin in a thin film that is fed from all round closes along its crest: the medial axis alone runs on to where fronts
    come from three sides, which are wet long before.

    Raises
    ------
    ValueError : when the shape is narrower than a cell of its raster, as a needle is.
    """
    filled = Polygon(shape.exterior)
    depth = float(
        shapely.maximum_inscribed_circle(filled, tolerance=0.01 * filled.exterior.length / 8).length
    )
    x0, y0, x1, y1 = filled.bounds
    cell = max(2 * depth / ACROSS, math.sqrt(filled.area / MOST), math.sqrt((x1 - x0) * (y1 - y0) / FIELD))
    x, y = (_spread(low, high, cell) for low, high in ((x0, x1), (y0, y1)))
    places = np.stack(np.meshgrid(x, y), axis=-1)
    # A hair inside: what lies on an edge counts as outside whichever edge it is.
    flat, hair = places.reshape(-1, 2), -1e-6 * cell
    inside = within(filled.buffer(hair), flat).reshape(places.shape[:2])
    cloth = inside & within(shape.buffer(hair), flat).reshape(inside.shape)
    number = np.where(cloth, np.cumsum(cloth).reshape(cloth.shape) - 1, -1)
    n = int(cloth.sum())
    if n == 0:
        raise ValueError(tr("The part is too narrow to say where fronts from all round close last."))
    rim, links = np.zeros(n), list[npt.NDArray[np.int64]]()
    for here, there in ((np.s_[:, :-1], np.s_[:, 1:]), (np.s_[:-1], np.s_[1:])):
        for a, b in ((here, there), (there, here)):
            rim += np.bincount(number[a][cloth[a] & ~inside[b]], minlength=n)
            both = cloth[a] & cloth[b]
            links.append(np.stack([number[a][both], number[b][both]]))
    pairs = np.concatenate(links, axis=1)
    # What hangs on necks narrower than a cell alone has no way to the rim here: let out as it lies, it is no top.
    net = scipy.sparse.coo_array((np.ones(pairs.shape[1]), tuple(pairs)), shape=(n, n))
    count, piece = scipy.sparse.csgraph.connected_components(net, directed=False)
    rim += np.bincount(piece, rim, minlength=count)[piece] == 0
    matrix = (
        scipy.sparse.diags_array(net.sum(axis=1) + rim) - net
    )  # to cloth, or out over the rim; not into a hole
    height = np.zeros(cloth.shape)
    height[cloth] = scipy.sparse.linalg.spsolve(matrix.tocsc(), np.ones(n))
    height /= height.max()
    # Of a shape with several lobes the highest: the mean of all would lie in a neck between them.
    over = np.maximum(height[cloth] - TOP, 0.0)
    up = over > 0
    joined = pairs[:, up[pairs].all(axis=0)]
    net = scipy.sparse.coo_array((np.ones(joined.shape[1]), tuple(joined)), shape=(n, n))
    _, lobe = scipy.sparse.csgraph.connected_components(net, directed=False)
    over[lobe != lobe[int(np.argmax(over))]] = 0.0
    top = (places[cloth] * over[:, None]).sum(axis=0) / over.sum()
    return Crest(height, (float(x[0]), float(y[0])), cell, (float(top[0]), float(top[1])))


def _spread(low: float, high: float, cell: float) -> Floats:
    """Return places a cell apart about the middle of a span, one beyond either end [m]."""
    count = math.ceil((high - low) / cell) + 2
    return np.asarray((low + high) / 2 + (np.arange(count) - (count - 1) / 2) * cell)
