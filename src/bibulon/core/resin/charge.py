"""How much resin a job takes, where it goes, and how it is mixed."""

from __future__ import annotations

import math

from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, Layer
from bibulon.core.resin.dose import parts_of
from bibulon.core.stack.laid import developed_area, places
from bibulon.core.stack.laminate import layer_state, zone_stack
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.core.units.figures import Told, figure
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = ["Batch", "Charge", "ChargeError", "Sink", "charge", "pore_volume"]


MOST_BATCHES = 500


class ChargeError(Told):
    """The job lacks something that the charge needs."""


class Sink(Struct, frozen=True):
    """One place that takes resin [kg] and how the figure came about."""

    name: str
    mass: float
    basis: str


class Batch(Struct, frozen=True):
    """One bucket: total, part A, part B, and what accelerator the shop stirs in [kg]."""

    number: int
    mass: float
    part_a: float
    part_b: float
    accelerator: float = 0.0


class Charge(Struct, frozen=True):
    """The sinks, their total [kg] and the batches to mix."""

    sinks: tuple[Sink, ...]
    batches: tuple[Batch, ...]
    density: float
    density_b: float

    @property
    def total(self) -> float:
        """All resin to mix [kg]."""
        return sum(b.mass for b in self.batches)

    @property
    def wanted(self) -> float:
        """What all places take, with the margin [kg]: what is mixed, but where buckets hold less."""
        return sum(s.mass for s in self.sinks)

    @property
    def part_a(self) -> float:
        """Part A to weigh out, all batches [kg]."""
        return sum(b.part_a for b in self.batches)

    @property
    def part_b(self) -> float:
        """Part B to weigh out, all batches [kg]."""
        return sum(b.part_b for b in self.batches)

    @property
    def accelerator(self) -> float:
        """Accelerator to weigh out, all batches [kg]."""
        return sum(b.accelerator for b in self.batches)

    @property
    def volume(self) -> float:
        """Mixed volume [m³]."""
        return self.total / self.density

    @property
    def volume_b(self) -> float:
        """Volume of part B [m³]."""
        return self.part_b / self.density_b


def _pores_by_kind(job: Job) -> dict[str, float]:
    """Return pore volume [m³] in plies, core and peel layers, over all zones."""
    total = {"fabric": 0.0, "core": 0.0, "peel": 0.0, "mesh": 0.0, "coat": 0.0, "tack": 0.0}
    for place, region in places(job).zones.items():
        area = developed_area(job.part, place, region)
        for state in zone_stack(job, place).layers:
            kind = "fabric" if state.kind == "porous" else state.kind
            total[kind] += area * state.pores
    return total


def _mesh_volume(job: Job) -> tuple[float, float]:
    """Return area [m²] and pore volume [m³] of the flow mesh on the part."""
    if job.mesh is None:
        return 0.0, 0.0
    cover = mesh_cover(job)
    assert cover is not None
    zones = regions(job.part).zones.items()
    area = sum(developed_area(job.part, z, r.intersection(cover)) for z, r in zones if r.intersects(cover))
    return area, area * layer_state(Layer(id="cover", material=job.mesh.material), job).pores


def pore_volume(job: Job) -> float:
    """Return the room between fibres, in core, peel layers and mesh [m³].

    Raises
    ------
    OutlineError : when an outline is crossed or empty.
    """
    return sum(_pores_by_kind(job).values()) + _mesh_volume(job)[1]


def _line_volume(job: Job) -> float:
    """Return the volume of tubes and hoses of the feeds, and of the vacuum tubes [m³]."""
    total = 0.0
    for line in job.lines:
        length = LineString(line.path).length if len(line.path) > 1 else 0.0
        total += math.pi / 4 * line.bore**2 * length
        if line.role == "feed":
            total += math.pi / 4 * line.hose_bore**2 * line.hose_length
    hung = {line.manifold for line in job.lines}
    for pipe in (m for m in job.manifolds if m.id in hung):
        total += pipe.volume + math.pi / 4 * pipe.hose_bore**2 * pipe.hose_length
    return total


def _in_buckets(job: Job, wanted: float) -> list[float]:
    """Return the batches that stand in the job's own buckets [kg], none where it has none; a mixing head mixes what is wanted."""
    batches = [b for bucket in job.buckets for b in bucket.batches]
    heads = sum(b.mixed is None for b in batches)
    rest = wanted - sum(b.mass for b in batches if b.mixed is not None)
    each = rest / heads if heads and rest > 0 else math.inf
    return [b.mass if b.mixed is not None else min(b.mass, each) for b in batches]


def _cut(total: float, job: Job) -> list[float]:
    """Cut the charge into even batches no larger than the resin's largest [kg]."""
    assert job.resin is not None
    wanted = total / job.resin.largest_batch
    if not wanted <= MOST_BATCHES:
        raise ChargeError(
            tr(
                "{0} in batches of {1} are more than {2}: look at the resin's largest batch and densities.",
                figure(total, "mass", 1),
                figure(job.resin.largest_batch, "mass", 1),
                MOST_BATCHES,
            )
        )
    count = max(1, math.ceil(wanted - 1e-9), job.charge.count or 1)
    return [total / count] * count


def _core_sink(job: Job, by_library: float) -> Sink:
    """Return what the core takes: by its library figures, or by what a sample took on the scale."""
    if job.charge.core_uptake is None:
        return Sink("Core", by_library, tr("grooves, holes and cut faces"))
    area = 0.0
    for place, region in places(job).zones.items():
        cores = sum(state.kind == "core" for state in zone_stack(job, place).layers)
        area += cores * developed_area(job.part, place, region)
    return Sink("Core", area * job.charge.core_uptake, tr("sample weighed, over {}", figure(area, "area", 2)))


@by_identity(1, 8)
def charge(job: Job) -> Charge:
    """Return the charge of a job; the same job is reckoned once, whoever asks.

    Raises
    ------
    ChargeError : when no resin is chosen.
    OutlineError : when an outline is crossed or empty.
    """
    if job.resin is None:
        raise ChargeError(tr("Choose a resin first: the charge is weighed by its density."))
    rho = job.charge.measured_density or job.resin.density
    pores = _pores_by_kind(job)
    mesh_area, mesh = _mesh_volume(job)
    sinks = [
        Sink("Plies", pores["fabric"] * rho, tr("room between the fibres as they are pressed")),
        _core_sink(job, pores["core"] * rho),
        Sink("Peel ply and film", pores["peel"] * rho, tr("their open share")),
        Sink("Mesh", (mesh + pores["mesh"]) * rho, tr("open share over {}", figure(mesh_area, "area", 2))),
        Sink("Lines", _line_volume(job) * rho, tr("bores of tubes and feed hoses")),
        Sink("Heel", job.heel, tr("stays in the bucket")),
        Sink("Catch pot", job.charge.catch_pot, tr("let through at the end")),
    ]
    drunk = sum(s.mass for s in sinks)
    margin = drunk * job.charge.margin
    masses = _in_buckets(job, drunk + margin)
    if masses:
        sinks.append(Sink("Margin", max(sum(masses) - drunk, 0.0), tr("what the buckets hold beyond it")))
    else:
        sinks.append(Sink("Margin", margin, tr("{:.0f} % of all above", job.charge.margin * 100)))
        masses = _cut(drunk + margin, job)
    made = [parts_of(job.resin, job.charge, mass) for mass in masses]
    batches = (
        Batch(k + 1, mass, m.resin, m.b, m.accelerator)
        for k, (mass, m) in enumerate(zip(masses, made, strict=True))
    )
    return Charge(tuple(s for s in sinks if s.mass > 0), tuple(batches), rho, job.resin.density_b)
