"""The cloth in a closed mould, place by place: how full the gap is, where splices double it, where it does not reach.

V_f = Σ fibre volume/(gap − what else lies in it); a splice lays its own ply once more over its lap.  The push is that of
the compaction curve read at the gap (``fibres``), a lapped ply counted twice.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from bibulon.core.model.job import Job, Layer
from bibulon.core.mould.fibres import PRESSES, TOUCHES, Spring
from bibulon.core.stack.laid import places
from bibulon.core.stack.laminate import STAYS, layers_at, thickness_under, zone_stack
from bibulon.core.units.remember import by_identity

__all__ = ["Cloth", "Filled", "cloth_of", "push_at"]

SLIVER = 1e-6  # m² of a lap that counts
Floats = npt.NDArray[np.float64]


class Filled(Struct, frozen=True):
    """A region of the plan [m] with its fibre share, and the push of its plies on the halves [Pa].

    share is inf where nothing is left for plies; lapped : the layer that lies there twice, empty for none.
    """

    place: str
    region: BaseGeometry
    share: float
    push: float
    lapped: str = ""

    @property
    def force(self) -> float:
        """Return what its plies push the halves apart with [N]."""
        return self.push * float(self.region.area)


class Cloth(Struct, frozen=True):
    """All places of a cavity, the laps of splices on top of them, and the strip along its edges that no ply reaches.

    ``edge`` is empty where plies reach the edge.
    """

    places: tuple[Filled, ...]
    laps: tuple[Filled, ...]
    edge: BaseGeometry

    @property
    def loose(self) -> tuple[Filled, ...]:
        """Return the places where plies do not touch both faces."""
        return tuple(x for x in self.places if x.share > 0 and x.push < TOUCHES)


def push_at(gap: float, thickness: Floats) -> float:
    """Return the push [Pa] of plies whose thickness at ``PRESSES`` is given [m], held to a gap [m]."""
    return float(Spring(np.zeros(1, dtype=np.int64), (thickness,)).push(np.array([gap]))[0])


@by_identity(1, 8)
def cloth_of(job: Job) -> Cloth:
    """Return how plies fill the gap of a job's closed mould.

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    plan, gap = places(job), job.part.cavity
    found, laps = [], []
    for place, region in plan.zones.items():
        if region.is_empty:
            continue
        states = {s.layer.id: s for s in zone_stack(job, place).layers}
        solid = sum(s.fibre_volume for s in states.values() if s.kind == "fabric")
        room = gap - sum(s.thickness for s in states.values() if s.kind in STAYS - {"fabric"})
        table = thickness_under(job, place, PRESSES)
        found.append(Filled(place, region, _share(solid, room), push_at(gap, table)))
        for layer in layers_at(job, place):
            once = _alone(job, layer)
            strip = _strip(job, layer).intersection(region)
            if strip.area < SLIVER or states[layer.id].kind != "fabric":
                continue
            share = _share(solid + states[layer.id].fibre_volume, room)
            laps.append(Filled(place, strip, share, push_at(gap, table + once), layer.id))
    empty = job.conditions.edge_gap
    edge = plan.whole.difference(plan.whole.buffer(-empty)) if empty > 0 else Polygon()
    return Cloth(tuple(found), tuple(laps), edge)


def _share(solid: float, room: float) -> float:
    return solid / room if room > 0 else math.inf


def _strip(job: Job, layer: Layer) -> BaseGeometry:
    """Return where a ply lies twice: its splices, as wide as they lap."""
    lap = job.rules.overlap_longest if layer.overlap is None else layer.overlap
    paths = [LineString(s.path) for s in layer.seams if s.kind == "splice"]
    if not paths or lap <= 0:
        return Polygon()
    return shapely.union_all([p.buffer(lap / 2, cap_style="flat") for p in paths])


def _alone(job: Job, layer: Layer) -> Floats:
    """Return the thickness of one layer by itself at ``PRESSES`` [m]."""
    return thickness_under(job.replaced(stack=(layer.replaced(zones=(), outline=None),)), "", PRESSES)
