"""How far the upper half of a mould lifts, place by place, and what the part becomes of it: thickness and fibre share."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Job
from bibulon.core.model.mould import ClosedMould
from bibulon.core.mould.closing import nearest_pressure
from bibulon.core.mould.fibres import spring_of
from bibulon.core.mould.flange import flange_of
from bibulon.core.mould.plate import Plate, bending_stiffness, plate_over
from bibulon.core.stack.laid import places
from bibulon.core.stack.laminate import STAYS, zone_stack
from bibulon.core.units.remember import by_identity

__all__ = ["Bow", "bow_holding", "bow_of", "upper_plate"]

Floats = npt.NDArray[np.float64]
POINTS = 480  # of the plate: table values are met within 1 %


class Bow(Struct, frozen=True, eq=False):
    """The upper mould at a moment [s] over a mesh of the plan: how far it lifts [m], shape (n,).

    thickness [m] and fibre : of the part, shape (n,), nan beyond it; area : of the plan a point stands for [m²], shape (n,).
    linear : whether deflections are small enough for a thin plate; beyond that the true ones are smaller.
    """

    time: float
    mesh: TriMesh
    lift: Floats
    thickness: Floats
    fibre: Floats
    area: Floats
    linear: bool

    @property
    def inside(self) -> npt.NDArray[np.bool_]:
        """Which points lie over the part, shape (n,)."""
        return ~np.isnan(self.thickness)

    @property
    def most(self) -> float:
        """The most that it lifts over the part [m]; negative where it is pressed down everywhere."""
        return float(self.lift[self.inside].max())

    @property
    def where(self) -> tuple[float, float]:
        """Where it lifts most [m]."""
        at = np.flatnonzero(self.inside)[int(np.argmax(self.lift[self.inside]))]
        return float(self.mesh.points[at, 0]), float(self.mesh.points[at, 1])

    @property
    def extra(self) -> float:
        """Resin that goes in more than the cavity holds [m³]; negative where less does."""
        here = self.inside
        return float(self.lift[here] @ self.area[here])


def _stiffness(closed: ClosedMould) -> float:
    upper = closed.upper
    return bending_stiffness(
        upper.modulus, upper.poisson, upper.thickness, upper.skin, upper.thickness - upper.skin
    )


@by_identity(1, 8)
def upper_plate(job: Job) -> Plate:
    """Return the upper half up to the inner seal as a plate.

    Raises
    ------
    OutlineError : when the outline is crossed, empty or too narrow.
    """
    upper = job.closed.upper
    ribs = [(LineString(rib.path), rib.stiffness) for rib in upper.ribs]
    return plate_over(
        flange_of(job).pressed, _stiffness(job.closed), upper.poisson, upper.edge == "clamped", ribs, POINTS
    )


def _stacks(job: Job, points: Floats) -> tuple[Floats, Floats]:
    """Return fibre and what else lies in the cavity, each as a thickness [m], shape (n,)."""
    plan = places(job)
    fibre, other = [], []
    for place in plan.zones:
        states = zone_stack(job, place).layers
        fibre.append(sum(s.fibre_volume for s in states if s.kind == "fabric"))
        other.append(sum(s.thickness for s in states if s.kind in STAYS - {"fabric"}))
    which = plan.zone_at(points)
    return np.array(fibre)[which], np.array(other)[which]


def bow_of(job: Job, forecast: Forecast, time: float) -> Bow:
    """Return how the upper mould stands at a moment of a fill [s].

    Raises
    ------
    OutlineError : when the outline is crossed, empty or too narrow.
    PlateError : when no balance is found.
    """
    near = scipy.spatial.cKDTree(forecast.model.mesh.points).query(upper_plate(job).mesh.points)[1]
    return _bow(job, nearest_pressure(forecast, time)[near], time)


@by_identity(1, 4)
def bow_holding(job: Job) -> Bow:
    """Return how the upper mould stands while the cavity is held until gel: what the part's thickness becomes."""
    plate = upper_plate(job)
    return _bow(job, np.full(len(plate.mesh.points), job.closed.holding), np.inf)


def _bow(job: Job, pressure: Floats, time: float) -> Bow:
    """Lift the plate by what the cavity has over the air outside, p − p_atm, and by the plies' push.

    The push falls as the plies get room; a thin plate, so that lifts over half its thickness are told too large.
    """
    plate = upper_plate(job)
    points = plate.mesh.points
    whole = places(job).whole
    inside = within(whole.buffer(1e-9), points)
    blown = job.closed.bladder
    if blown is not None:  # it bears resin and plies together
        pressure = np.where(inside, blown, pressure)
    net = pressure - job.conditions.atmosphere
    spring, gap = spring_of(job, points), job.part.cavity

    def push(w: Floats) -> tuple[Floats, Floats]:
        here, slope = spring.bed(np.maximum(gap + w, 1e-5))
        if blown is not None:
            return np.zeros_like(w), np.zeros_like(w)
        return np.where(inside, here, 0.0), np.where(inside, slope, 0.0)

    # Where the air presses, plies alone would balance it so far down.
    alone = np.where(inside & (net < 0), np.minimum(spring.loose(-net, gap), gap) - gap, 0.0)
    lift = plate.bow_on(net, push, alone, 0.3 * gap)
    fibre, other = _stacks(job, points)
    thickness = np.where(inside, gap + lift, np.nan)
    share = np.where(inside, fibre / np.maximum(gap + lift - other, 1e-6), np.nan)
    linear = bool(np.abs(lift).max() <= job.closed.upper.thickness / 2)
    return Bow(time, plate.mesh, lift, thickness, share, plate.areas, linear)
