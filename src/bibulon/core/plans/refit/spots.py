"""Where a shot may differ from its plan: zones, edges along which resin may race, and how links of the network follow."""

from __future__ import annotations

import math
from collections import defaultdict
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow.build.builder import FlowModel

__all__ = ["Edge", "Links", "links_of"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
CORNER = math.radians(30)
MOST_EDGES = 10
SHORTEST = 0.08  # of the longest edge: shorter ones are no path of their own


class Edge(Struct, frozen=True, eq=False):
    """A stretch of rim or of a border between zones along which resin may race: its name, links, and middle [m]."""

    name: str
    links: Ints
    middle: tuple[float, float]
    length: float


class Links(Struct, frozen=True, eq=False):
    """What each link of a network is: of which zone (−1 none), in the mesh, through the thickness; its middle [m].

    ``reference`` is the conductance of a usual link of the mesh, or of ten of the cloth's where there is no mesh [m³].
    """

    zone: Ints
    mesh: Bools
    through: Bools
    cloth: Bools
    middle: Floats
    edges: tuple[Edge, ...]
    reference: float
    zones: tuple[str, ...]


def links_of(model: FlowModel) -> Links:
    """Return what the links of a flow model are."""
    net = model.network
    a, b = net.a, net.b
    m = len(a)
    va, vb = net.vertex[a], net.vertex[b]
    inside = (va >= 0) & (vb >= 0)
    cloth = np.zeros(m, dtype=bool)
    cloth[: model.cloth_links] = True
    cloth &= inside
    slot_is_mesh = np.array([s.slot == "mesh" for s in model.sheets])
    sheet = net.sheet
    through = cloth & (va == vb)
    meshed = cloth & ~through & slot_is_mesh[np.maximum(sheet[a], 0)]
    points = model.mesh.points
    middle = np.full((m, 2), np.nan)
    middle[inside] = (points[va[inside]] + points[vb[inside]]) / 2
    of_vertex = _zone_of_vertices(model)
    zone = np.full(m, -1, dtype=np.int64)
    zone[cloth] = of_vertex[va[cloth]]
    plies = cloth & ~through & ~meshed
    usual = float(np.median(net.conductance[plies])) if plies.any() else 0.0
    reference = float(np.median(net.conductance[meshed])) if meshed.any() else 10 * usual
    return Links(
        zone, meshed, through, cloth, middle, tuple(_edges(model, plies, va, vb)), reference, tuple(model.plan.zones)
    )  # fmt: skip


def _zone_of_vertices(model: FlowModel) -> Ints:
    count = np.zeros((len(model.mesh.points), max(len(model.plan.zones), 1)))
    for corner in range(3):
        np.add.at(count, (model.mesh.triangles[:, corner], model.zone), model.areas)
    return np.asarray(count.argmax(axis=1), dtype=np.int64)


def _edges(model: FlowModel, plies: Bools, va: Ints, vb: Ints) -> list[Edge]:
    """Return rim and zone borders, cut at their corners; the longest ones."""
    triangles, zone, points = model.mesh.triangles, model.zone, model.mesh.points
    sides: dict[tuple[int, int], list[int]] = defaultdict(list)
    for t, (i, j, k) in enumerate(triangles.tolist()):
        for p, q in ((i, j), (j, k), (k, i)):
            sides[(min(p, q), max(p, q))].append(int(zone[t]))
    kinds: dict[str, list[tuple[int, int]]] = defaultdict(list)
    names = list(model.plan.zones)
    for side, zones in sides.items():
        if len(zones) == 1:
            kinds["rim"].append(side)
        elif zones[0] != zones[1]:
            low, high = sorted(zones)
            kinds[f"border of {names[high]} to {names[low]}"].append(side)
    link_of: dict[tuple[int, int], list[int]] = defaultdict(list)
    for k in np.flatnonzero(plies).tolist():
        link_of[(min(va[k], vb[k]), max(va[k], vb[k]))].append(k)
    out = []
    for name, found in kinds.items():
        for number, chain in enumerate(_chains(found, points), 1):
            links = [k for p, q in pairwise(chain) for k in link_of.get((min(p, q), max(p, q)), [])]
            path = points[chain]
            length = float(np.hypot(*np.diff(path, axis=0).T).sum())
            if links:
                x, y = path[len(path) // 2]
                out.append(
                    Edge(f"{name} {number}", np.array(links, dtype=np.int64), (float(x), float(y)), length)
                )
    longest = max((e.length for e in out), default=0.0)
    kept = sorted((e for e in out if e.length >= SHORTEST * longest), key=lambda e: -e.length)
    return kept[:MOST_EDGES]


def _chains(sides: list[tuple[int, int]], points: Floats) -> list[list[int]]:
    """Return sides joined end to end, cut where they turn by more than a corner does or branch."""
    beside: dict[int, list[int]] = defaultdict(list)
    for p, q in sides:
        beside[p].append(q)
        beside[q].append(p)

    def ends(v: int) -> bool:
        if len(beside[v]) != 2:
            return True
        one, other = beside[v]
        u, w = points[v] - points[one], points[other] - points[v]
        turn = abs(math.atan2(u[0] * w[1] - u[1] * w[0], float(u @ w)))
        return turn > CORNER

    left = {tuple(sorted(s)) for s in sides}
    out = []
    starts = [v for v in beside if ends(v)] or list(beside)[:1]
    for start in [*starts, *beside]:
        for first in beside[start]:
            if tuple(sorted((start, first))) not in left:
                continue
            chain = [start, first]
            left.discard(tuple(sorted((start, first))))
            while not ends(chain[-1]):
                ahead = [q for q in beside[chain[-1]] if tuple(sorted((chain[-1], q))) in left]
                if not ahead:
                    break
                left.discard(tuple(sorted((chain[-1], ahead[0]))))
                chain.append(ahead[0])
            out.append(chain)
    return out
