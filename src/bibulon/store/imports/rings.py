"""From chains to an outline: joined into rings, the largest is the part, those inside it are its holes."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
import scipy
from msgspec import Struct
from shapely.geometry import Polygon

from bibulon.core.geometry.outline import OutlineError, check
from bibulon.core.model.job import Corner, Outline
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr
from bibulon.store.imports.chains import Chain, Drawing, DrawingError

__all__ = ["UNITS", "Taken", "assemble"]

UNITS = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254, "ft": 0.3048}
MOST_CORNERS = 5000
MOST_CHAINS = 50_000
LARGEST = 9000.0  # m: a job's coordinates end at 10 km


class Taken(Struct, frozen=True):
    """An outline with its holes [m], the gaps that were closed [m], and what to tell the person."""

    outline: Outline
    holes: tuple[Outline, ...]
    gaps: tuple[float, ...]
    notes: tuple[str, ...]


def assemble(drawing: Drawing, layers: Iterable[str], unit: str, tolerance: float) -> Taken:
    """Join chains into rings and take the largest as the outline, those inside it as holes.

    A ring that cannot be one (two corners, crossing itself) is passed over and told, with its place.

    Parameters
    ----------
    unit : a name in ``UNITS``.
    tolerance : gaps up to this are closed [m].

    Raises
    ------
    DrawingError : when no ring closes within the tolerance, or none can be taken; says where.
    """
    wanted = set(layers)
    chosen = [c for c in drawing.chains if c.layer in wanted]
    if not chosen:
        raise DrawingError(tr("No layer is chosen: choose those that hold the outline."))
    if len(chosen) > MOST_CHAINS:
        raise DrawingError(
            tr("{0} lines are chosen, {1} at most: choose fewer layers.", len(chosen), MOST_CHAINS)
        )
    chains, low = _shifted(chosen, UNITS[unit])
    rings, gaps, loose = _rings(chains, tolerance)
    if not rings:
        worst = max(loose, key=_length)
        (x, y, _), (u, v, _) = worst.corners[0], worst.corners[-1]
        raise DrawingError(
            tr(
                "No ring closes: the longest line ends at x {0}, y {1}, {2} from where it began; "
                "gaps up to {3} are closed.",
                figure(u + low[0], "length", 1),
                figure(v + low[1], "length", 1),
                figure(math.hypot(x - u, y - v), "length", 1),
                figure(tolerance, "length", 1),
            )
        )
    good, faults = _sound(rings, low)
    if not good:
        raise DrawingError(faults[0])
    good.sort(key=lambda pair: -pair[1].area)
    (outline, whole), inside = good[0], good[1:]
    holes = tuple(o for o, shape in inside if whole.contains(shape))
    corner = whole.bounds
    moved = [
        tuple(Corner(x=c.x - corner[0], y=c.y - corner[1], bow=c.bow) for c in o) for o in (outline, *holes)
    ]
    notes = _notes(drawing, faults, loose, gaps, len(inside) - len(holes))
    return Taken(moved[0], tuple(moved[1:]), tuple(gaps), notes)


def _shifted(chains: list[Chain], scale: float) -> tuple[list[Chain], tuple[float, float]]:
    """Return the chains in m from their own low corner, and where that is: survey drawings lie far out."""
    points = np.array([c[:2] for chain in chains for c in chain.corners]) * scale
    low = points.min(axis=0)
    size = float((points.max(axis=0) - low).max())
    if size > LARGEST:
        raise DrawingError(
            tr("The lines are {:.0f} km apart: choose another unit, or fewer layers.", size / 1000.0)
        )
    return [
        Chain(c.layer, [(x * scale - low[0], y * scale - low[1], b) for x, y, b in c.corners], c.closed)
        for c in chains
    ], (float(low[0]), float(low[1]))


def _sound(rings: list[Chain], low: tuple[float, float]) -> tuple[list[tuple[Outline, Polygon]], list[str]]:
    """Return the rings that are outlines, and what is wrong with the others, with their places."""
    good, faults = [], []
    for ring in rings:
        x, y = ring.corners[0][0] + low[0], ring.corners[0][1] + low[1]
        try:
            outline = _outline(ring)
            shape = check(outline)
        except (DrawingError, OutlineError, ValueError) as error:
            told = (
                str(error) if isinstance(error, (DrawingError, OutlineError)) else tr("A ring is too large.")
            )
            faults.append(
                tr("{0} (ring from x {1}, y {2})", told, figure(x, "length", 0), figure(y, "length", 0))
            )
        else:
            good.append((outline, shape))
    return good, faults


def _notes(
    drawing: Drawing, faults: list[str], loose: list[Chain], gaps: list[float], apart: int
) -> tuple[str, ...]:
    def many(n: int, word: str) -> str:
        return f"{n} {word}{'' if n == 1 else 's'}"

    notes = []
    if faults:
        notes.append(
            tr(
                "{0} passed over: {1}{2}",
                many(len(faults), "ring"),
                faults[0],
                " …" if len(faults) > 1 else ".",
            )
        )
    if apart:
        notes.append(tr("{} beside the largest left out.", many(apart, "outline")))
    if loose:
        notes.append(tr("{} left out.", many(len(loose), "open line")))
    if gaps:
        notes.append(
            tr("{0} closed, the widest {1}.", many(len(gaps), "gap"), figure(max(gaps), "length", 2))
        )
    if drawing.passed:
        notes.append(tr("Passed over: ") + ", ".join(f"{n} × {k}" for k, n in drawing.passed.items()) + ".")
    return tuple(notes)


def _length(chain: Chain) -> float:
    points = np.array([c[:2] for c in chain.corners])
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def _rings(chains: list[Chain], tolerance: float) -> tuple[list[Chain], list[float], list[Chain]]:
    """Return closed chains, gaps that were closed, and chains that stay open."""
    rings = [c for c in chains if c.closed and len(c.corners) > 1]
    open_ = [c for c in chains if not c.closed]
    gaps: list[float] = []
    loose: list[Chain] = []
    ends = _Ends(open_)
    while (k := ends.take_last()) is not None:
        chain, turned = open_[k], False
        while True:
            end = chain.corners[-1]
            shut = math.dist(end[:2], chain.corners[0][:2]) if len(chain.corners) > 2 else math.inf
            far, i, side = ends.nearest(end[:2], tolerance)
            if shut <= min(tolerance, far):
                if shut > 1e-7:
                    gaps.append(shut)
                chain.corners.pop()
                rings.append(Chain(chain.layer, chain.corners, True))
                break
            if far > tolerance:
                if turned:
                    loose.append(chain)
                    break
                # From its other end it may still go on.
                chain, turned = Chain(chain.layer, _reversed(chain.corners)), True
                continue
            ends.take(i)
            corners = open_[i].corners if side == 0 else _reversed(open_[i].corners)
            if far > 1e-7:
                gaps.append(far)
            chain, turned = Chain(chain.layer, [*chain.corners[:-1], *corners]), False
    return rings, gaps, loose


class _Ends:
    """The two ends of every open chain that is not yet taken; the nearest one is found by a tree."""

    def __init__(self, chains: list[Chain]) -> None:
        self._points = np.array([c.corners[k][:2] for c in chains for k in (0, -1)]).reshape(-1, 2)
        self._there = np.ones(len(chains), dtype=bool)
        self._last = len(chains) - 1
        self._rebuild()

    def _rebuild(self) -> None:
        self._index = np.flatnonzero(np.repeat(self._there, 2))
        self._tree = scipy.spatial.cKDTree(self._points[self._index]) if len(self._index) else None
        self._gone = 0

    def take(self, k: int) -> None:
        """Take a chain: its ends are no more to be found."""
        self._there[k] = False
        self._gone += 2
        if 2 * self._gone > len(self._index):
            self._rebuild()

    def take_last(self) -> int | None:
        """Take the last chain that is still there, and return it."""
        while self._last >= 0 and not self._there[self._last]:
            self._last -= 1
        if self._last < 0:
            return None
        self.take(self._last)
        return self._last

    def nearest(self, place: tuple[float, float], most: float) -> tuple[float, int, int]:
        """Return distance, chain and end (0 or -1) of the nearest end within ``most``; inf when there is none."""
        count = 4
        while self._tree is not None and len(self._index):
            far, where = self._tree.query(
                place, k=min(count, len(self._index)), distance_upper_bound=most * 1.0001
            )
            far, where = np.atleast_1d(far), np.atleast_1d(where)
            for d, w in zip(far.tolist(), where.tolist(), strict=True):
                if not math.isfinite(d):
                    return math.inf, -1, 0
                if self._there[self._index[w] // 2]:
                    return d, int(self._index[w] // 2), -(int(self._index[w]) % 2)
            if count >= len(self._index):
                break
            count *= 4
        return math.inf, -1, 0


def _reversed(corners: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """Return a chain walked the other way: each side's bulge moves to its other end, turned."""
    back = corners[::-1]
    bulges = [-c[2] for c in corners[-2::-1]] + [0.0]
    return [(x, y, b) for (x, y, _), b in zip(back, bulges, strict=True)]


def _outline(chain: Chain) -> Outline:
    """Return a ring as corners; bow is bulge times half the chord, outward positive."""
    corners = [
        c
        for c, d in zip(chain.corners, [*chain.corners[1:], chain.corners[0]], strict=True)
        if math.dist(c[:2], d[:2]) > 1e-7
    ]
    if len(corners) == 2 and any(abs(c[2]) > 1e-9 for c in corners):
        corners = _halved(corners)
    if len(corners) < 3:
        raise DrawingError(tr("A ring has fewer than three corners."))
    if len(corners) > MOST_CORNERS:
        raise DrawingError(tr("A ring has {0} corners: {1} at most.", len(corners), MOST_CORNERS))
    # The turn of the corners alone, as ``outline`` takes it.
    twice = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(corners, [*corners[1:], corners[0]], strict=True))
    turn = 1.0 if twice >= 0 else -1.0
    return tuple(
        Corner(x=a[0], y=a[1], bow=turn * a[2] * math.dist(a[:2], b[:2]) / 2)
        for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)
    )


def _halved(corners: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """Cut the sides of a lens in two, so that it has corners enough."""
    out = []
    for (x, y, b), (u, v, _) in zip(corners, [*corners[1:], corners[0]], strict=True):
        # The arc's middle lies bulge × half the chord to the right of the chord.
        mx, my = (x + u) / 2 + b * (v - y) / 2, (y + v) / 2 - b * (u - x) / 2
        half = math.tan(math.atan(b) / 2)
        out += [(x, y, half), (mx, my, half)]
    return out
