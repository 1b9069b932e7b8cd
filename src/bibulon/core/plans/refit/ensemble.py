"""Many forecasts of one job on one mesh: each a set of factors on the same network, drawn from what is not known."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from bibulon.core.flow.build.builder import FlowModel, build
from bibulon.core.flow.build.orders import program_of
from bibulon.core.flow.fill.arrivals import passed
from bibulon.core.flow.fill.filling import FillError, fill
from bibulon.core.flow.forecast import STRAGGLES, Resolution, clock_of
from bibulon.core.flow.pocket import GRAIN
from bibulon.core.model.job import AtTime, ByHand, FlowLine, Job
from bibulon.core.model.materials import Confidence, Fabric, FlowMesh, PorousLayer
from bibulon.core.plans.refit.spots import Links, links_of
from bibulon.core.plans.work import Workers, each
from bibulon.core.resin.clock import FlowClock
from bibulon.core.units.words import tr

__all__ = [
    "MASSES",
    "NEVER",
    "ROUGH",
    "Answer",
    "Draw",
    "Parameter",
    "Runner",
    "ensemble",
    "fallen",
    "parameters_of",
    "prior_draws",
]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
ROUGH = Resolution(500, 1, 10, air=False)
MASSES = (0.1, 0.25, 0.4, 0.55, 0.7, 0.85)  # of the resin that the plan draws: when each is drawn is told
TOGETHER = 0.36  # how alike the zones' cloths are off
SIGMAS: dict[Confidence, float] = {"measured": 0.2, "data sheet": 0.3, "typical": 0.5, "guess": 0.7}
THROUGH, MESH, PORES, VISCOSITY, DRIVE = 0.4, 0.25, 0.04, 0.10, 0.03
LATE, LATE_SIGMA = 6.0, 0.7  # s until resin is in the line, and of its logarithm
PATH = 1.5  # of the mesh's conductance: how strong a path along an edge is
SELDOM = 0.8  # score from which on there is a path: one edge in five has one
HAND = 45.0  # s by which a hand opens a valve early or late
ROUGHNESS, ROUGH_MESH, ROUGH_LENGTH = 0.12, 0.06, 0.12  # of the cloth's own scatter, and over what length [m]
CHUNK = 8  # draws that share one building of the network in a process
NEVER = 3.0  # times the longest time of a run: what counts for a place that stays dry


class Parameter(Struct, frozen=True):
    """What is not known, as a score θ ~ N(0, 1): its name, kind, what it belongs to, and its spread."""

    name: str
    kind: str  # zone, through, mesh, pores, viscosity, drive, late, edge, valve
    of: str = ""
    sigma: float = 0.0

    def value(self, theta: float) -> float:
        """Return what a score stands for: a factor, or seconds."""
        if self.kind == "late":
            return LATE * math.exp(LATE_SIGMA * theta)
        if self.kind == "edge":
            return PATH * math.expm1(max(theta - SELDOM, 0.0))
        if self.kind == "valve":
            return HAND * theta
        return math.exp(self.sigma * theta)


class Draw(Struct, frozen=True):
    """Scores of all parameters, a seed for the cloth's own scatter (0 none), how rough it is, and faults laid over it.

    spots : (x, y, radius, factor) of places whose cloth is slower; paths : (edge, strength); fall : (from when [s],
    share of the drive that is lost by the end of the plan).
    """

    theta: tuple[float, ...]
    seed: int = 0
    rough: float = 1.0
    spots: tuple[tuple[float, float, float, float], ...] = ()
    paths: tuple[tuple[int, float], ...] = ()
    inner: tuple[tuple[float, float, float, float], ...] = ()  # (x, y, x, y) of a path across the cloth
    fall: tuple[float, float] | None = None


class Answer(Struct, frozen=True, eq=False):
    """When each vertex is wet as seen from the bag, and through, the fill time, and when shares of the resin are drawn [s]."""

    top: Floats
    through: Floats
    fill: float
    masses: Floats


def _sigma(job: Job, mesh: bool) -> float:
    kinds = (FlowMesh,) if mesh else (Fabric, PorousLayer)
    said = [
        SIGMAS[m.about["k1"].confidence] if "k1" in m.about else SIGMAS["typical"]
        for m in job.materials.values()
        if isinstance(m, kinds)
    ]
    if mesh:
        return max(min(said, default=MESH), MESH)
    return max(said, default=SIGMAS["typical"])


def parameters_of(job: Job, links: Links) -> tuple[Parameter, ...]:
    """Return what a shot of a job may differ in."""
    cloth = _sigma(job, mesh=False)
    used = sorted({int(z) for z in links.zone[links.zone >= 0]})
    out = [Parameter(tr("permeability of {}", links.zones[z]), "zone", str(z), cloth) for z in used]
    out.append(Parameter(tr("through the thickness"), "through", sigma=THROUGH))
    if links.mesh.any():
        out.append(Parameter(tr("permeability of the mesh"), "mesh", sigma=_sigma(job, mesh=True)))
    out += [
        Parameter("pores", "pores", sigma=PORES), Parameter("viscosity", "viscosity", sigma=VISCOSITY),
        Parameter("drive", "drive", sigma=DRIVE), Parameter(tr("late into the line"), "late"),
    ]  # fmt: skip
    out += [Parameter(tr("path along {}", e.name), "edge", str(k)) for k, e in enumerate(links.edges)]
    for line in job.lines:
        if line.role == "feed" and _by_hand(line.opens):
            out.append(Parameter(tr("{} opened", line.label), "valve", line.id))
    return tuple(out)


def _by_hand(opens: object) -> bool:
    return (isinstance(opens, AtTime) and opens.time > 0) or isinstance(opens, ByHand)


def prior_draws(parameters: Sequence[Parameter], count: int, seed: int) -> list[Draw]:
    """Return draws from the prior, each with a scatter of its own; the same for the same seed."""
    rng = np.random.default_rng([seed, 19])
    return [
        Draw(tuple(float(t) for t in rng.normal(size=len(parameters))), int(rng.integers(1, 2**31)))
        for _ in range(count)
    ]


class Runner:
    """A job's network, built once, on which draws are run."""

    def __init__(self, job: Job, resolution: Resolution = ROUGH) -> None:
        assert job.resin is not None
        self.job, self.resolution = job, resolution
        self.model: FlowModel = build(job, resolution.points, resolution.parts, lambda: None)
        self.links = links_of(self.model)
        self.parameters = parameters_of(job, self.links)
        self.clock: FlowClock = clock_of(job, program_of(job, self.model.network))
        self.top_nodes = _top_nodes(self.model)

    def share(self, draw: Draw) -> Floats:
        """Return by what each link's conductance is multiplied, shape (m,)."""
        links, net = self.links, self.model.network
        log = np.zeros(len(net.a))
        zones = [t for p, t in zip(self.parameters, draw.theta, strict=True) if p.kind == "zone"]
        mean = sum(zones) / math.sqrt(len(zones)) if zones else 0.0
        everywhere = 0.0
        extra = np.zeros(len(net.a))
        for p, theta in zip(self.parameters, draw.theta, strict=True):
            match p.kind:
                case "zone":
                    alike = (
                        math.sqrt(TOGETHER) * mean + math.sqrt(1 - TOGETHER) * theta
                        if len(zones) > 1
                        else theta
                    )
                    log[(links.zone == int(p.of)) & ~links.mesh] += p.sigma * alike
                case "through":
                    log[links.through] += p.sigma * theta
                case "mesh":
                    log[links.mesh] += p.sigma * theta
                case "pores" | "viscosity":
                    everywhere -= p.sigma * theta
                case "drive":
                    everywhere += p.sigma * theta
                case "edge":
                    self._path(extra, int(p.of), p.value(theta))
        if draw.seed:
            field_ = _scatter(self.links.middle, draw.seed)
            log += np.where(
                links.cloth, field_ * draw.rough * np.where(links.mesh, ROUGH_MESH, ROUGHNESS), 0.0
            )
        for x, y, radius, factor in draw.spots:
            near = np.hypot(links.middle[:, 0] - x, links.middle[:, 1] - y) < radius
            log[near & links.cloth] += math.log(factor)
        for edge, strength in draw.paths:
            self._path(extra, edge, strength)
        for x0, y0, x1, y1 in draw.inner:
            extra[self._across(x0, y0, x1, y1)] += PATH * links.reference
        return np.asarray(np.exp(log + everywhere) * (1 + extra / np.maximum(net.conductance, 1e-300)))

    def _path(self, extra: Floats, edge: int, strength: float) -> None:
        if edge < len(self.links.edges) and strength > 0:
            extra[self.links.edges[edge].links] += strength * self.links.reference

    def _across(self, x0: float, y0: float, x1: float, y1: float) -> npt.NDArray[np.bool_]:
        """Return the links of plies near a line across the cloth."""
        d = np.array([x1 - x0, y1 - y0])
        length = max(float(np.hypot(*d)), 1e-9)
        off = self.links.middle - (x0, y0)
        along = off @ d / length
        aside = np.abs(off[:, 0] * d[1] - off[:, 1] * d[0]) / length
        near = (aside < 0.75 * self.model.mesh.size) & (along > 0) & (along < length)
        return near & self.links.cloth & ~self.links.through & ~self.links.mesh

    def run(self, draw: Draw, turned: Sequence[FlowLine] | None = None) -> Answer | None:
        """Return what a draw comes to, or with the same lines turned otherwise; None where it comes to no answer."""
        job, late = self.job, 0.0
        lines = list(turned if turned is not None else job.lines)
        for p, theta in zip(self.parameters, draw.theta, strict=True):
            if p.kind == "late":
                late = p.value(theta)
        for p, theta in zip(self.parameters, draw.theta, strict=True):
            if p.kind == "valve":
                k = next(i for i, x in enumerate(lines) if x.id == p.of)
                opens = lines[k].opens
                at = opens.time if isinstance(opens, AtTime) else opens.about  # type: ignore[union-attr]
                lines[k] = lines[k].replaced(opens=AtTime(time=max(at + p.value(theta) - late, 0.0)))
        net = self.model.network.carrying(self.share(draw))
        program = program_of(job.replaced(lines=tuple(lines)), net)
        try:
            history = fill(net, program, self.clock, vacuum=0.0, frames=self.resolution.frames)
        except (FillError, ValueError):
            return None
        nodes = self.model.node_at
        at = passed(net, history.filled_at, np.arange(net.size))
        wet = np.where(nodes >= 0, at[nodes], -np.inf)
        through = wet.max(axis=1)
        top = at[self.top_nodes]
        longest = float(through[np.isfinite(through)].max(initial=1.0))
        through = np.where(np.isfinite(through), through, NEVER * longest)
        top = np.where(np.isfinite(top), top, NEVER * longest)
        frames = history.frames
        drawn = np.array([sum(f.fed) for f in frames])
        masses = np.interp(
            np.array(MASSES) * self.volume, drawn, [f.time for f in frames], right=NEVER * longest
        )
        fill_time = _full(through, self.model, job.rules.smallest_dry)
        answer = Answer(top + late, through + late, fill_time + late, masses + late)
        return fallen(answer, draw.fall) if draw.fall else answer

    @property
    def volume(self) -> float:
        """Pore volume of the part [m³]."""
        return float(self.model.cloth_volume.sum())


def _top_nodes(model: FlowModel) -> Ints:
    """Return the node that is seen from the bag at each vertex, shape (v,); 0 where there is no cloth."""
    there: npt.NDArray[np.bool_] = np.asarray(model.node_at >= 0, dtype=bool)
    last = there.shape[1] - 1 - np.argmax(there[:, ::-1], axis=1)
    nodes = model.node_at[np.arange(len(there)), last]
    return np.maximum(nodes, 0).astype(np.int64)


def _full(through: Floats, model: FlowModel, smallest: float) -> float:
    """Return when all but late corners that the rules call too small is wet [s], as a forecast tells it."""
    areas = model.vertex_areas()
    cloth = np.asarray((model.node_at >= 0).any(axis=1))
    no_matter = max(smallest, GRAIN * model.mesh.size**2)
    order = np.argsort(-through, kind="stable")
    order = order[cloth[order]]
    count = int((np.cumsum(areas[order]) <= no_matter).sum())
    rest = float(through[order[min(count, len(order) - 1)]])
    late = through[order[:count]]
    return float(late[late <= (1 + STRAGGLES) * rest].max(initial=rest))


def _scatter(places: Floats, seed: int) -> Floats:
    """Return a smooth field of mean 0 and deviation 1 at places [m], by 48 random waves (a Gaussian covariance)."""
    rng = np.random.default_rng(seed)
    waves = rng.normal(0.0, 1 / ROUGH_LENGTH, (48, 2))
    phase = rng.uniform(0, 2 * math.pi, 48)
    at = np.nan_to_num(places) @ waves.T + phase
    return np.asarray(np.cos(at).sum(axis=1) * math.sqrt(2 / 48))


def fallen(answer: Answer, fall: tuple[float, float]) -> Answer:
    """Re-time an answer for a drive that falls from a moment on: ∫ p dt decides, whatever the cloth."""
    start, lost = fall
    end = max(answer.fill, start + 1.0)
    time = np.linspace(0.0, 12 * end, 4000)
    drive = 1 - lost * np.clip((time - start) / (end - start), 0.0, 1.0)
    work = np.concatenate([[0.0], np.cumsum((drive[1:] + drive[:-1]) / 2 * np.diff(time))])

    def at(times: Floats) -> Floats:
        return np.interp(times, work, time)

    return Answer(
        at(answer.top), at(answer.through), float(at(np.array([answer.fill]))[0]), at(answer.masses)
    )


class _Batch(Struct, frozen=True):
    job: Job
    draws: tuple[Draw, ...]
    resolution: Resolution = field(default=ROUGH)


def _run_batch(batch: _Batch) -> list[Answer | None]:
    runner = Runner(batch.job, batch.resolution)
    return [runner.run(d) for d in batch.draws]


def ensemble(
    job: Job,
    draws: Sequence[Draw],
    *,
    resolution: Resolution = ROUGH,
    workers: Workers = 2,
    progress: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[Answer | None]:
    """Return the answers of draws in their order, the same whatever the number of workers; cancelled, those that have come.

    Raises
    ------
    BuildError : when something that a forecast needs is missing.
    """
    bare = job.replaced(variants=())
    chunks = [_Batch(bare, tuple(draws[k : k + CHUNK]), resolution) for k in range(0, len(draws), CHUNK)]
    where = {id(c): k for k, c in enumerate(chunks)}
    out: list[Answer | None] = [None] * len(draws)
    done = 0
    for batch, answers in each(_run_batch, chunks, workers, cancelled):
        k = where[id(batch)] * CHUNK
        out[k : k + len(answers)] = answers
        done += len(answers)
        progress(done, len(draws))
    return out
