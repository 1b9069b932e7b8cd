"""The forecast of a job: when each place of each layer is wet, and the figures that follow."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.flow.build.builder import BuildError, FlowModel, build
from bibulon.core.flow.build.mesh_end import end_nodes
from bibulon.core.flow.build.orders import part_temperature, program_of
from bibulon.core.flow.build.program import Program
from bibulon.core.flow.fill.arrivals import passed
from bibulon.core.flow.fill.carry import mean_viscosity
from bibulon.core.flow.fill.filling import Cancelled, fill
from bibulon.core.flow.fill.history import History, Known, Reason
from bibulon.core.flow.fill.pressure import pressure_at
from bibulon.core.flow.pocket import GRAIN, Pocket, pockets_of
from bibulon.core.model.job import Job
from bibulon.core.model.machine import machine_rate
from bibulon.core.resin.clock import FlowClock, flow_clock
from bibulon.core.units.figures import Told, figure
from bibulon.core.units.words import tr

__all__ = [
    "COARSE",
    "FINE",
    "FINEST",
    "STRAGGLES",
    "Forecast",
    "Pocket",
    "Resolution",
    "clock_of",
    "flow_key",
    "forecast",
    "topmost",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Resolution(Struct, frozen=True):
    """How fine a forecast is: points of the plan mesh, sheets under the mesh, steps.

    ``air`` whether air that is shut in holds against resin; pockets are told in either case.  ``lead`` whether steps end
    where the lead at the mesh's end is read, which takes as many again; without, it is read between them.  ``spill`` is the
    share of a step's resin that may be left to the next.
    """

    points: int
    parts: int
    frames: int
    air: bool = True
    lead: bool = True
    spill: float = 5e-4


# The two in which people are told figures, whichever door they come by: window, card, lists, commands.
COARSE, FINE = Resolution(900, 2, 16), Resolution(2600, 2, 24)
FINEST = Resolution(5000, 3, 32)
STRAGGLES = 0.2  # of the time that all else takes: corners that come so much later do not decide


class Forecast(Struct, frozen=True, eq=False, dict=True):
    """What a job's resin will do.  Times count from opening the first feed [s]; inf means never."""

    job: Job
    model: FlowModel
    history: History
    clock: FlowClock
    wet_at: Floats
    pockets: tuple[Pocket, ...]
    density: float
    mixed_before: float

    @cached_property
    def wet_through(self) -> Floats:
        """When each vertex is wet in all its layers [s], shape (v,)."""
        return np.where(self.model.node_at >= 0, self.wet_at, -np.inf).max(axis=1)

    def slot_wet_at(self, slot: str) -> Floats:
        """Return when each vertex is wet through one named layer [s], shape (v,); nan where it is not."""
        which = [k for k, s in enumerate(self.model.sheets) if s.slot == slot]
        here = self.model.node_at[:, which] >= 0
        times = np.where(here, self.wet_at[:, which], -np.inf).max(axis=1)
        return np.where(here.any(axis=1), times, np.nan)

    @cached_property
    def filled(self) -> bool:
        """Whether every place gets wet, but for what the shop's rules call too small to count."""
        return self.never_wet_area <= self._no_matter

    @property
    def _cell_area(self) -> float:
        return self.model.mesh.size**2

    @cached_property
    def _cloth(self) -> npt.NDArray[np.bool_]:
        return np.asarray((self.model.node_at >= 0).any(axis=1))

    @property
    def _no_matter(self) -> float:
        """Area of dry cloth that does not count [m²]: the shop rule's, or what the mesh cannot tell."""
        return max(self.job.rules.smallest_dry, GRAIN * self._cell_area)

    @cached_property
    def late_corners(self) -> npt.NDArray[np.bool_]:
        """Vertices of last corners that are too small to decide when the part is wet through, shape (v,).

        They are together no more than what counts as dry, and come much later than all the rest; where fronts
        merely close, the last small area is wet soon after.
        """
        late = np.zeros(len(self.wet_through), dtype=bool)
        if not self.filled:
            return late
        at = np.flatnonzero(self._cloth)
        order = at[np.argsort(-self.wet_through[at], kind="stable")]
        small = np.cumsum(self.model.vertex_areas()[order]) <= self._no_matter
        count = int(small.sum())
        if 0 < count < len(order):
            rest = self.wet_through[order[count]]
            times = self.wet_through[order[:count]]
            late[order[:count][times > (1 + STRAGGLES) * rest]] = True
        return late

    @cached_property
    def late_area(self) -> float:
        """Area of the late corners [m²]."""
        return float(self.model.vertex_areas()[self.late_corners].sum())

    @cached_property
    def fill_time(self) -> float:
        """When all but ``late_corners`` is wet through [s]; inf when more stays dry than ``filled`` allows."""
        times = self.wet_through[self._cloth & ~self.late_corners]
        return float(times[np.isfinite(times)].max(initial=0.0)) if self.filled else float("inf")

    @cached_property
    def last_wet(self) -> tuple[float, float, float]:
        """Place [m] and time [s] of the last wetting; where some stay dry, a dry place and inf."""
        times = np.where(self._cloth & ~self.late_corners, self.wet_through, -np.inf)
        if self.filled:
            times = np.where(np.isfinite(times), times, -np.inf)
        late = times == times.max()
        if late.sum() > 1:  # of a dry region, the place deepest in it
            middle = self.model.mesh.points[late].mean(axis=0)
            index = np.flatnonzero(late)[np.argmin(np.hypot(*(self.model.mesh.points[late] - middle).T))]
        else:
            index = int(np.argmax(times))
        x, y = self.model.mesh.points[index]
        return float(x), float(y), float(times[index])

    @cached_property
    def never_wet_area(self) -> float:
        """Area in which some layer is never wet [m²]; of cells that are wet in part, the dry part."""
        dry = ~np.isfinite(self.wet_through) & self._cloth
        nodes = self.model.node_at[dry]
        left = np.where(nodes >= 0, 1 - self.history.fraction[nodes], 0.0).max(axis=1, initial=0.0)
        return float(self.model.vertex_areas()[dry] @ left)

    @property
    def dry_area(self) -> float:
        """Area never wet and area that shut-in air keeps dry [m²]."""
        return self.never_wet_area + sum(p.gas_area for p in self.pockets if np.isfinite(p.wet_at))

    @property
    def resin_in_part(self) -> float:
        """Resin in plies, core, peel layers and mesh at the end [kg]."""
        return float(self.history.fraction @ self.model.cloth_volume) * self.density

    def resin_by_layer(self) -> dict[str, float]:
        """Return the resin in each named layer at the end [kg]; peel ply and film count with the plies below them."""
        held = self.history.fraction * self.model.cloth_volume * self.density
        sheet = self.model.network.sheet
        out = dict.fromkeys(self.model.slots, 0.0)
        for k, s in enumerate(self.model.sheets):
            out[s.slot] += float(held[sheet == k].sum())
        return out

    @property
    def resin_in_lines(self) -> float:
        """Resin in tubes and hoses at the end [kg]."""
        held = self.model.network.volume - self.model.cloth_volume
        return float(self.history.fraction @ held) * self.density

    @property
    def resin_to_catch_pot(self) -> float:
        """Resin that passed the vents by the time the part is wet through, or to the end where it never is [kg]."""
        return self.bled_by(self.fill_time) * self.density

    @property
    def resin_run_on(self) -> float:
        """Resin that would pass the vents after that, while the late corners fill with the feed left open [kg]."""
        return self.history.bled * self.density - self.resin_to_catch_pot

    def bled_by(self, time: float) -> float:
        """Return the resin that passed all vents by a moment [m³]."""
        frames = self.history.frames
        return float(np.interp(time, [f.time for f in frames], [sum(f.bled) for f in frames]))

    @property
    def ended(self) -> Reason:
        """How the filling ended, as the part sees it: a part that is wet through is full, whatever late corners did."""
        return Reason.FULL if self.filled else self.history.reason

    @property
    def end(self) -> float:
        """Last moment of the forecast [s]: when it is full, whatever late corners do, or when the front stands."""
        if self.filled:
            return self.fill_time
        finite = self.wet_at[np.isfinite(self.wet_at)]
        return float(finite.max()) if len(finite) else 0.0

    def probe(self, x: float, y: float) -> dict[str, float]:
        """Return when each layer at a place [m] is wet [s], between the points of the mesh.

        Raises
        ------
        ValueError : when the place lies outside the part.
        """
        vertices, weights = self.locate(x, y)
        out = {}
        for slot in self.model.slots:
            times = self.slot_wet_at(slot)[vertices]
            if not np.isnan(times).any():
                out[slot] = float(times @ weights) if np.isfinite(times).all() else float("inf")
        return out

    def locate(self, x: float, y: float) -> tuple[Ints, Floats]:
        """Return the three vertices around a place [m] and their weights."""
        triangle, weights = self.model.mesh.locate(np.array([[x, y]]))
        if triangle[0] < 0:
            raise Told(tr("x {0}, y {1} lies outside the part", figure(x, "length"), figure(y, "length")))
        return self.model.mesh.triangles[triangle[0]], weights[0]

    def line_wet_at(self, line: str) -> Floats:
        """Return when the top layer is wet along a line [s], in its order, shape (k,): where anything is laid under it, and
        of that k there may be none.
        """
        times, there = self.wet_at[self.model.lines[line]], self.model.node_at[self.model.lines[line]] >= 0
        return topmost(times, there)[there.any(axis=1)]

    def pressure(self, time: float) -> Floats:
        """Return the pressure above the vacuum at a moment [Pa], per (vertex, sheet); nan where no layer is."""
        frame, viscosity = self.history.frame_at(time), None
        if len(frame.born):
            viscosity = mean_viscosity(self.clock, frame.born.astype(np.float64), time, time)
        field = pressure_at(self.history, time, viscosity)
        return np.where(self.model.node_at >= 0, field[self.model.node_at], np.nan)


def topmost(values: Floats, there: npt.NDArray[np.bool_]) -> Floats:
    """Return of values, shape (k, s), that of the topmost sheet that is there, shape (k,); of any where none is."""
    top = there.shape[1] - 1 - np.argmax(there[:, ::-1], axis=1)
    return np.asarray(values[np.arange(len(values)), top])


def flow_key(job: Job) -> tuple[object, ...]:
    """Return what a forecast depends on: when it is unchanged, so is the forecast."""
    return (
        job.part, tuple(job.materials.items()), job.stack, job.resin, job.mesh, job.lines, job.manifolds, job.buckets,
        job.pots, job.conditions, job.rules.smallest_pocket, job.rules.smallest_dry,
        job.bag.bridges, job.process, job.closed.injection, machine_rate(job),
    )  # fmt: skip


def forecast(
    job: Job,
    resolution: Resolution = FINEST,
    *,
    start: Known | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Forecast:
    """Forecast a job, from dry or from a known state of its network.

    Raises
    ------
    BuildError : when something that a forecast needs is missing; the text says what.
    OutlineError : when an outline is crossed or empty.
    Cancelled, FillError : see ``fill``.
    """
    if job.resin is None:
        raise BuildError(tr("Choose a resin first: without its viscosity nothing can be forecast."))
    if not any(line.role == "feed" for line in job.lines):
        raise BuildError(tr("There is no feed yet: draw a feed line in Lines."))

    def pause() -> None:
        if cancelled is not None and cancelled():
            raise Cancelled

    model = build(job, resolution.points, resolution.parts, pause)
    pause()
    program = program_of(job, model.network)
    if resolution.lead:
        program = replace(program, looks=end_nodes(job, model))
    clock = clock_of(job, program)
    history = fill(
        model.network,
        program,
        clock,
        vacuum=job.conditions.vacuum if resolution.air else 0.0,
        start=start,
        frames=resolution.frames,
        spill=resolution.spill,
        progress=progress,
        cancelled=cancelled,
    )
    pause()
    nodes = model.node_at
    at_points = passed(model.network, history.filled_at, np.arange(model.network.size))
    times = np.where(nodes >= 0, at_points[nodes], np.nan)
    return Forecast(
        job,
        model,
        history,
        clock,
        times,
        pockets_of(job, model, history),
        job.resin.density,
        mixed_before(job),
    )


def clock_of(job: Job, program: Program) -> FlowClock:
    """Return the clock of a job's resin: from the opening of the first feed, or from mixing where batches differ in age."""
    assert job.resin is not None
    before = 0.0 if program.ages_differ else mixed_before(job)
    return flow_clock(job.resin, part_temperature(job), before)


def mixed_before(job: Job) -> float:
    """Return how long before the first feed opens the first pot was mixed [s]."""
    if job.buckets and (mixed := job.buckets[0].batches[0].mixed) is not None:
        return max(-mixed, 0.0)
    return job.conditions.mixed_before_start
