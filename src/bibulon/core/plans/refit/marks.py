"""Marks of the front: where, when, and whether resin was there; and how well each is known."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.plans.refit.basis import EARLY, Basis, Columns
from bibulon.core.plans.refit.condition import Seen
from bibulon.core.run.journal import FrontMark
from bibulon.core.units.words import tr

__all__ = ["Weighed", "seen_of"]

Floats = npt.NDArray[np.float64]
CLOCK = 3.0  # s by which a mark's time may be off
PEN = 0.010  # m by which its place may be off
WEIGHT = 0.03  # of the mass drawn: what a scale and hoses leave open
VALVE = 2.0  # s


class Weighed(Struct, frozen=True):
    """By a time [s] this share of what the plan draws had left the bucket."""

    share: float
    time: float


def seen_of(
    basis: Basis,
    marks: Sequence[FrontMark],
    weighed: Sequence[Weighed] = (),
    opened: dict[str, float] | None = None,
    masses: Sequence[float] = (),
    coming: dict[str, float] | None = None,
) -> Seen:
    """Return marks, weighings and valves that were opened by hand as conditions.

    Parameters
    ----------
    opened : by how many seconds after its plan each hand-opened feed was opened.
    masses : the shares that the basis tells the draw of.
    coming : by how many seconds after its plan each feed that is shut still is likely to be opened: its spread stays half of what it was.

    Raises
    ------
    ValueError : when a mark lies off the part.
    """
    passed = [m for m in marks if m.kind == "front"]
    dry = [m for m in marks if m.kind == "dry"]
    front, rate = _columns(basis, passed)
    early = np.array([m.time for m in passed]) + EARLY
    r = (CLOCK / early) ** 2 + (PEN * rate) ** 2
    y = np.log(early)
    for w in weighed:
        column, slope = _drawn(basis, w.share, masses)
        front = front + column
        y = np.append(y, np.log(w.time + EARLY))
        r = np.append(r, (CLOCK / (w.time + EARLY)) ** 2 + (WEIGHT * w.share * slope) ** 2)
    own = basis.of_parameters()
    for k, parameter in enumerate(basis.parameters):
        if opened and parameter.kind == "valve" and parameter.of in opened:
            one = parameter.value(1.0)
            front = front + own.picked(np.array([k]))
            y = np.append(y, opened[parameter.of] / one)
            r = np.append(r, (VALVE / one) ** 2)
        elif coming and parameter.kind == "valve" and parameter.of in coming:
            # Read twice as far off and as uncertain as it is beforehand, its mean is where it is expected.
            front = front + own.picked(np.array([k]))
            y = np.append(y, 2 * coming[parameter.of] / parameter.value(1.0))
            r = np.append(r, 1.0)
    below, _ = _columns(basis, dry)
    return Seen(front, y, r, below, np.log(np.array([m.time for m in dry]) + EARLY))


def _columns(basis: Basis, marks: Sequence[FrontMark]) -> tuple[Columns, Floats]:
    """Return what is seen at the marks' places, and how fast ln t changes there [1/m]."""
    if not marks:
        return basis.all.picked(np.zeros(0, dtype=np.int64)), np.zeros(0)
    points = np.array([(m.x, m.y) for m in marks])
    triangle, weights = basis.mesh.locate(points)
    off = np.flatnonzero(triangle < 0)
    if len(off):
        m = marks[int(off[0])]
        raise ValueError(
            tr("the mark at x {0:.0f} mm, y {1:.0f} mm lies off the part", m.x * 1000.0, m.y * 1000.0)
        )
    corners = basis.mesh.triangles[triangle]
    values = basis.all.mean[corners]
    at = basis.mesh.points[corners]
    edges = at[:, 1:] - at[:, :1]
    slope = np.linalg.solve(edges, (values[:, 1:] - values[:, :1])[..., None])[..., 0]
    return basis.all.weighted(corners, weights), np.hypot(slope[:, 0], slope[:, 1])


def _drawn(basis: Basis, share: float, masses: Sequence[float]) -> tuple[Columns, float]:
    """Return when a share is drawn, between those that are told, and how fast ln t changes with it."""
    first = 2 * basis.places + 1
    k = int(np.clip(np.searchsorted(masses, share) - 1, 0, len(masses) - 2))
    part = float(np.clip((share - masses[k]) / (masses[k + 1] - masses[k]), 0.0, 1.0))
    index, weights = np.array([[first + k, first + k + 1]]), np.array([[1 - part, part]])
    mean = basis.all.mean
    slope = abs(float(mean[first + k + 1] - mean[first + k])) / (masses[k + 1] - masses[k])
    return basis.all.weighted(index, weights), slope
