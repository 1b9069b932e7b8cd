"""What holds a closed mould shut and what opens it, over the whole of a fill; what flange and inlet may be at.

Held by (p_atm − p_flange) A_flange + ∫_{p<p_atm} (p_atm − p) dA + weight + clamps; opened by ∫_{p>p_atm} (p − p_atm) dA and
by the push of the compacted plies ∫ σ dA and of an inflated seal.  A bladder that presses the plies outwards carries resin and
plies together: then (p_bladder − p_atm) A_cavity opens, whatever the resin does.  Areas are those of the plan: pressure on a slope pulls as its shadow does.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.flow.build.tubes import GRAVITY, feed_pressure
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.surface import border_edges, lift_of
from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.model.job import Job
from bibulon.core.mould.fibres import spring_of
from bibulon.core.mould.flange import Flange, flange_of
from bibulon.core.units.remember import kept_with

__all__ = ["Closing", "closing_of", "forces", "held_at", "nearest_pressure", "seal_push"]

Floats = npt.NDArray[np.float64]
MOMENTS = 14
HIGHEST = 1.0e6  # Pa up to which a pressure to inject with is looked for


class Closing(Struct, frozen=True, eq=False):
    """Forces over time [N]; ``time`` [s], ``held`` and ``opened`` of shape (k,); ``pushed`` by plies, seal and bladder, in ``opened``.

    shut : what holds and what opens with the vents shut and the inlet still pushing: its pressure everywhere.
    least_flange : the absolute pressure at which the flange just holds by the rule [Pa], negative where no vacuum does.
    most_injection : the absolute pressure that may be injected with by the rule [Pa]; inf where any may up to what was tried.
    """

    flange: Flange
    time: Floats
    held: Floats
    opened: Floats
    pushed: float
    shut: tuple[float, float]
    least_flange: float
    most_injection: float

    @property
    def margin(self) -> Floats:
        """What is left of the hold [N], shape (k,)."""
        return self.held - self.opened

    @property
    def factor(self) -> Floats:
        """What holds over what opens, shape (k,)."""
        return self.held / np.maximum(self.opened, 1e-9)

    @property
    def worst(self) -> int:
        """The moment of the least factor."""
        return int(np.argmin(self.factor))

    @property
    def peak(self) -> int:
        """The moment at which most opens it."""
        return int(np.argmax(self.opened))


def forces(pressure: Floats, areas: Floats, air: float) -> tuple[float, float]:
    """Return what a cavity's absolute pressures [Pa] on areas [m²] hold shut and push open [N]."""
    return (
        float(np.maximum(air - pressure, 0.0) @ areas),
        float(np.maximum(pressure - air, 0.0) @ areas),
    )


def nearest_pressure(forecast: Forecast, time: float) -> Floats:
    """Return the absolute pressure at each vertex of the forecast's plan [Pa], shape (v,): of resin, or of the vacuum where dry."""
    vacuum = forecast.job.conditions.vacuum
    field = forecast.pressure(time)
    here = ~np.isnan(field)
    mean = np.where(here, field, 0.0).sum(axis=1) / np.maximum(here.sum(axis=1), 1)
    if not here.any(axis=1).all():  # bare vertices feel what is beside them
        known = np.flatnonzero(here.any(axis=1))
        points = forecast.model.mesh.points
        mean = mean[known][scipy.spatial.cKDTree(points[known]).query(points)[1]]
    return np.maximum(mean, 0.0) + vacuum


def _areas(forecast: Forecast, flange: Flange) -> Floats:
    """Return the area seen from above that each vertex stands for [m²]; what lies up to the inner seal goes with the rim beside it."""
    mesh = forecast.model.mesh
    areas = _seen_from_above(forecast)
    over = flange.pressed_area - float(mesh.areas.sum())
    rim = np.unique(border_edges(mesh.triangles))
    if over > 0 and len(rim):
        areas[rim] += over / len(rim)
    return areas


def _seen_from_above(forecast: Forecast) -> Floats:
    """Return the area that each vertex stands for as pressure on it opens and shuts the mould [m²]: on a wall there is little of it."""
    mesh, lift = forecast.model.mesh, lift_of(forecast.job.part)
    areas = (
        mesh.areas if lift is None else np.abs(TriMesh(lift(mesh.points)[:, :2], mesh.triangles, 0.0).areas)
    )
    return np.bincount(mesh.triangles.ravel(), np.repeat(areas / 3, 3), len(mesh.points)).astype(float)


def held_at(job: Job, flange: Flange, flange_pressure: float) -> float:
    """Return what flange, weight and clamps hold shut, the cavity left out [N]."""
    upper = job.closed.upper
    weight = upper.density * upper.thickness * flange.whole.area * GRAVITY
    return (job.conditions.atmosphere - flange_pressure) * flange.chamber_area + weight + job.closed.clamps


def seal_push(job: Job, flange: Flange) -> float:
    """Return what an inflated inner seal pushes the halves apart with [N]: its pressure over the air on all its width."""
    seal = job.closed.inner
    if seal.kind != "inflatable":
        return 0.0
    return max(seal.inflation - job.conditions.atmosphere, 0.0) * float(flange.inner_seal.area)


@kept_with(1, 2, 2)
def closing_of(job: Job, forecast: Forecast) -> Closing:
    """Return the forces on a closed mould over a fill.

    Raises
    ------
    OutlineError : when the outline is crossed or empty.
    """
    flange, air = flange_of(job), job.conditions.atmosphere
    areas = _areas(forecast, flange)
    end = forecast.end
    times = np.unique(np.concatenate([np.linspace(0.0, max(end, 1.0), MOMENTS), [0.98 * end]]))
    fields = [nearest_pressure(forecast, float(t)) for t in times]
    points = forecast.model.mesh.points
    spring = spring_of(job, points)
    gap = np.full(len(points), job.part.cavity)
    inside = _seen_from_above(forecast)
    pushed = float(spring.push(gap) @ inside) if job.part.cavity > 0 else 0.0
    pushed += seal_push(job, flange)
    if job.closed.bladder is not None:
        pushed = max(job.closed.bladder - air, 0.0) * float(inside.sum()) + seal_push(job, flange)
        fields = [np.full(len(areas), air) for _ in fields]  # the bladder bears what resin pushes and pulls
    base = held_at(job, flange, job.closed.flange)
    both = [forces(p, areas, air) for p in fields]
    held = np.array([base + close for close, _ in both])
    opened = np.array([pushed + open_ for _, open_ in both])
    inlet = _inlet(forecast.job)  # the fields are of that job
    close, open_ = forces(np.full(len(points), inlet if job.closed.bladder is None else air), areas, air)
    least = _least_flange(job, flange, held - base, opened)
    if job.closed.bladder is None:
        most = _most_injection(job, fields, areas, base, pushed, inlet)
    else:  # resin no longer opens it, until it pushes the bladder in
        most = job.closed.bladder - job.rules.inflated_over
    return Closing(flange, times, held, opened, pushed, (base + close, pushed + open_), least, most)


def _inlet(job: Job) -> float:
    """Return the absolute pressure at the inlet [Pa]."""
    return feed_pressure(job) + job.conditions.vacuum


def _least_flange(job: Job, flange: Flange, by_cavity: Floats, opened: Floats) -> float:
    """Return the highest absolute pressure of the flange with which the rule is kept at every moment [Pa]."""
    wanted = float((job.rules.closing_factor * opened - by_cavity).max())
    wanted -= held_at(job, flange, job.conditions.atmosphere)
    return float(job.conditions.atmosphere - max(wanted, 0.0) / max(flange.chamber_area, 1e-9))


def _most_injection(
    job: Job, fields: list[Floats], areas: Floats, base: float, pushed: float, inlet: float
) -> float:
    """Return the highest absolute pressure to inject with by the rule [Pa]: the fields grow with it, front by front."""
    vacuum, air = job.conditions.vacuum, job.conditions.atmosphere
    if inlet <= vacuum:
        return float("inf")

    def short(pressure: float) -> float:
        scale = (pressure - vacuum) / (inlet - vacuum)
        worst = float("inf")
        for field in fields:
            close, open_ = forces(vacuum + (field - vacuum) * scale, areas, air)
            worst = min(worst, base + close - job.rules.closing_factor * (pushed + open_))
        return worst

    if short(HIGHEST) >= 0:
        return float("inf")
    if short(vacuum) <= 0:
        return float(vacuum)
    from scipy.optimize import brentq  # half a second that the start does without

    found = float(brentq(short, vacuum, HIGHEST, xtol=1.0))
    return min(found, job.closed.machine.most, job.closed.pot_rated if job.pots else found)
