"""The places of a forecast that lost their last way to a vent, and what their air shrinks to."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.flow.build.builder import FlowModel
from bibulon.core.flow.fill.history import Frame, History
from bibulon.core.flow.fill.pockets import ShutRegion, shut_regions
from bibulon.core.flow.fill.pressure import pressure_field
from bibulon.core.model.job import Job

__all__ = ["GRAIN", "LASTING", "Pocket", "pockets_of", "regions_told"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

GRAIN = 3  # a pocket of fewer points than this is the mesh's grain too
LASTING = 0.01  # share of the fill time that a place must stay shut in to be told; less is the mesh's grain


class Pocket(Struct, frozen=True):
    """A dry place that lost its last way to an open vent.

    place [m] is where it closes last; area [m²] and volume of air space [m³] are those at
    ``closed`` [s]; ``gas_volume`` is what the shut-in air shrinks to, p0 V0 / p, with vents open, and
    ``gas_clamped`` with them clamped, when resin comes to the feed's pressure everywhere.
    """

    place: tuple[float, float]
    closed: float
    wet_at: float
    area: float
    volume: float
    gas_volume: float
    gas_area: float
    layers: tuple[str, ...]
    gas_clamped: float


def pockets_of(job: Job, model: FlowModel, history: History) -> tuple[Pocket, ...]:
    """Return the places shut in that are larger than the shop rule's smallest."""
    told = regions_told(model, history.filled_at, job.rules.smallest_pocket, LASTING * history.end)
    if not told:
        return ()
    areas = model.vertex_areas()
    wet, last = np.isfinite(history.filled_at), history.frames[-1]
    pressure = pressure_field(model.network, wet, last)
    at_rest = _at_rest(model, wet, last)
    out = []
    for region, real, vertices in told:
        area = float(areas[vertices].sum())
        gas, squeezed = (
            region.volume * min(job.conditions.vacuum / max(job.conditions.vacuum + p, 1e-9), 1.0)
            for p in (_beside(model, region.nodes, wet, pressure), _beside(model, region.nodes, wet, at_rest))
        )
        x, y = model.mesh.points[max(model.network.vertex[region.last_node], 0)]
        layers = tuple(
            model.slots[i]
            for i in sorted(
                {model.slots.index(model.sheets[k].slot) for k in np.unique(model.network.sheet[real])}
            )
        )
        held = area * gas / region.volume
        out.append(
            Pocket(
                (float(x), float(y)),
                region.closed,
                region.last_wet,
                area,
                region.volume,
                gas,
                held,
                layers,
                squeezed,
            )
        )
    return tuple(out)


def regions_told(
    model: FlowModel, filled_at: Floats, smallest: float, lasting: float
) -> list[tuple[ShutRegion, Ints, Ints]]:
    """Return each region shut in that is no grain of the mesh, with its nodes in cloth and their vertices.

    filled_at : when each node is full, shape (n,) [s].  smallest : area below which none is told, over the whole of the cloth's
    depth [m²].  lasting : how long a region stays shut in at the least [s].
    """
    depth = float(model.cloth_volume.sum() / model.vertex_areas().sum())
    told = []
    for region in shut_regions(model.network, filled_at, smallest * depth):
        real = region.nodes[model.network.vertex[region.nodes] >= 0]
        if not len(real) or region.last_wet - region.closed < lasting:
            continue
        vertices = np.unique(model.network.vertex[real])
        if len(vertices) >= GRAIN:
            told.append((region, real, vertices))
    return told


def _at_rest(model: FlowModel, wet: npt.NDArray[np.bool_], last: Frame) -> Floats:
    """Return the pressure once all vents are clamped [Pa]: the feeds' everywhere, on a level part fed at one pressure."""
    fed = {p for p in last.at_port if not math.isnan(p)}
    if len(fed) == 1 and not model.network.lifts:
        return np.where(wet, fed.pop(), 0.0)
    clamped = replace(last, at_vent=tuple(math.nan for _ in last.at_vent))
    return pressure_field(model.network, wet, clamped)


def _beside(model: FlowModel, nodes: Ints, wet: npt.NDArray[np.bool_], pressure: Floats) -> float:
    """Return the highest resin pressure in a region, or beside it where it stays dry [Pa above the vacuum]."""
    _, cols, _ = model.network.entries(nodes)
    around = np.concatenate([nodes, cols])
    return float(np.where(wet[around], pressure[around], 0.0).max(initial=0.0))
