"""What a zone's stack comes to: thickness, fibre, mass, resin, permeability.

Laws (see docs/physics.md): compaction V_f = V_f,ref (p/p_ref)^B, ply thickness h = m/(ρ_f V_f),
Kozeny–Carman scaling of permeability, thickness-weighted in-plane tensor, series through it.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import (
    Core,
    Fabric,
    FlowMesh,
    Material,
    PeelLayer,
    PorousLayer,
    SkinCoat,
    TackSpray,
)
from bibulon.core.stack.laid import layers_at
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr

__all__ = [
    "STAYS",
    "LayerState",
    "Uptake",
    "ZoneStack",
    "compaction_pressure",
    "core_uptake",
    "layer_state",
    "thickness_under",
    "zone_stack",
]

VF_LIMITS = (0.02, 0.80)
STAYS = frozenset({"fabric", "core", "porous", "coat", "tack"})  # kinds that stay in the part


class LayerState(Struct, frozen=True, eq=False):
    """One layer under the bag: thickness h [m], porosity, permeability [m²] and masses a m² [kg/m²].

    ``k_plane`` has shape (2, 2) in plan axes; ``pores`` is resin volume a m² [m].
    """

    layer: Layer
    kind: str
    name: str
    thickness: float
    porosity: float
    pores: float
    k_plane: npt.NDArray[np.float64]
    k_through: float
    dry_mass: float
    fibre_volume: float
    price: float
    opens: tuple[str, ...] = ()  # faces, lower and upper, onto which ducts of a core open


class ZoneStack(Struct, frozen=True):
    """The layers of one zone, tool side first, and their sums a m²."""

    layers: tuple[LayerState, ...]

    @property
    def thickness(self) -> float:
        """Thickness of what stays in the part [m]: skin coat, plies and core."""
        return sum(s.thickness for s in self.layers if s.kind in STAYS)

    @property
    def fibre_fraction(self) -> float:
        """Fibre volume over ply volume; 0 without plies."""
        plies = sum(s.thickness for s in self.layers if s.kind == "fabric")
        return sum(s.fibre_volume for s in self.layers) / plies if plies else 0.0

    @property
    def dry_mass(self) -> float:
        """Mass of skin coat, plies and core [kg/m²]."""
        return sum(s.dry_mass for s in self.layers if s.kind in STAYS)

    @property
    def pores(self) -> float:
        """Resin volume that stays in the part [m³/m²]."""
        return sum(s.pores for s in self.layers if s.kind in STAYS)

    @property
    def price(self) -> float:
        """Price of all layers [1/m²], in the shop's money."""
        return sum(s.price for s in self.layers)


def compaction_pressure(job: Job) -> float:
    """Return what the bag presses with once drawn down [Pa]."""
    return job.conditions.atmosphere - job.conditions.vacuum


def _turned(k1: float, k2: float, angle_deg: float) -> npt.NDArray[np.float64]:
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    turn = np.array([[c, -s], [s, c]])
    return turn @ np.diag([k1, k2]) @ turn.T


def _fabric(layer: Layer, ply: Fabric, pressure: float, thickness: float | None = None) -> LayerState:
    """A ply under a pressure [Pa], or held to a thickness [m]."""
    if thickness is None:
        vf = ply.vf_ref * (pressure / ply.p_ref) ** ply.compaction_exponent
    else:
        vf = ply.areal_mass / (ply.fibre_density * thickness)
    vf = min(max(vf, VF_LIMITS[0]), VF_LIMITS[1])
    thickness = ply.areal_mass / (ply.fibre_density * vf)
    # Kozeny-Carman: K ~ (1 - Vf)^3 / Vf^2
    scale = ((1 - vf) ** 3 / vf**2) / ((1 - ply.vf_ref) ** 3 / ply.vf_ref**2)
    return LayerState(
        layer, "fabric", ply.name, thickness, 1 - vf, (1 - vf) * thickness,
        _turned(ply.k1 * scale, ply.k2 * scale, layer.angle_deg), ply.k3 * scale,
        ply.areal_mass, vf * thickness, ply.price_per_m2,
    )  # fmt: skip


class Uptake(Struct, frozen=True):
    """Resin that a core takes up a m² [m³/m²]: in grooves, in saw cuts, in holes, on cut faces."""

    grooves: float = 0.0
    scores: float = 0.0
    holes: float = 0.0
    faces: float = 0.0

    @property
    def total(self) -> float:
        """All of it."""
        return self.grooves + self.scores + self.holes + self.faces


def _cut_area(width: float, pitch: float, ways: int) -> float:
    """Return the share of the face that parallel cuts take, where two ways cross counted once."""
    share = width / pitch
    return 2 * share - share**2 if ways == 2 else share


def core_uptake(core: Core, curve: float = 0.0) -> Uptake:
    """Return what a core takes up; over a ``curve`` of that radius [m] its saw cuts open to wedges.

    A cut of depth d opens at its mouth by d times the angle pitch/R between its sides.
    """
    grooves = scores = holes = 0.0
    if core.hole_diameter:
        holes = math.pi / 4 * core.hole_diameter**2 / core.hole_pitch**2 * core.thickness
    if g := core.grooves:
        grooves = g.depth * _cut_area(g.width, g.pitch, 2)
    if s := core.scores:
        opened = s.depth * s.pitch / curve if curve else 0.0
        scores = s.depth * _cut_area(s.width + opened / 2, s.pitch, s.ways)
    return Uptake(grooves, scores, holes, core.surface_uptake)


def _core(layer: Layer, core: Core) -> LayerState:
    """Grooves and saw cuts as rectangular ducts, w d³/12 (1 − 0.63 d/w) each; holes as round ones, π d⁴/128.

    What is cut right through opens both faces, and passes resin across as slots, w³/12 a metre of slot.
    """
    plane, through = np.zeros((2, 2)), 0.0
    opens: set[str] = set()
    for cut, ways in ((core.grooves, 2), (core.scores, core.scores.ways if core.scores else 0)):
        if cut is not None:
            opens.add(cut.face)
            if cut.depth >= core.thickness * (1 - 1e-6):
                opens |= {"lower", "upper"}
                through += ways * cut.width**3 / 12 / cut.pitch
    if core.hole_diameter:
        through = math.pi * core.hole_diameter**4 / 128 / core.hole_pitch**2
    if g := core.grooves:
        plane += np.eye(2) * _duct(g.width, g.depth) / g.pitch / core.thickness
    if s := core.scores:
        opened = s.depth * s.pitch / layer.curve if layer.curve else 0.0
        along = _duct(s.width + opened / 2, s.depth) / s.pitch / core.thickness
        plane += _turned(along, along if s.ways == 2 else 0.0, layer.angle_deg)
    pores = core_uptake(core, layer.curve).total
    return LayerState(
        layer, "core", core.name, core.thickness, pores / core.thickness, pores,
        plane, through, core.density * core.thickness, 0.0, core.price_per_m2, tuple(sorted(opens)),
    )  # fmt: skip


def _duct(width: float, depth: float) -> float:
    """Return Q μ / (dp/dx) of a rectangular duct [m⁴]."""
    wide, narrow = max(width, depth), min(width, depth)
    return wide * narrow**3 / 12 * (1 - 0.63 * narrow / wide)


def layer_state(layer: Layer, job: Job, thickness: float | None = None) -> LayerState:
    """Return one layer under this job's compaction pressure, a ply at a ``thickness`` [m] if one is given."""
    return _state(layer, job.materials[layer.material], compaction_pressure(job), thickness)


@by_identity(2, 512)
def _state(layer: Layer, material: Material, pressure: float, thickness: float | None) -> LayerState:
    match material:
        case Fabric():
            return _fabric(layer, material, pressure, thickness)
        case Core():
            return _core(layer, material)
        case PorousLayer() | FlowMesh():
            h, phi = material.thickness, material.porosity
            return LayerState(
                layer, material.kind, material.name, h, phi, phi * h,
                _turned(material.k1, material.k2, layer.angle_deg), material.k3,
                material.areal_mass, 0.0, material.price_per_m2,
            )  # fmt: skip
        case PeelLayer():
            h, phi = material.thickness, material.porosity
            return LayerState(
                layer, "peel", material.name, h, phi, phi * h, np.zeros((2, 2)), material.k3,
                material.areal_mass, 0.0, material.price_per_m2,
            )  # fmt: skip
        case SkinCoat():
            h = material.thickness
            return LayerState(
                layer, "coat", material.name, h, 0.0, 0.0, np.zeros((2, 2)), 0.0,
                material.density * h, 0.0, material.price_per_m2,
            )  # fmt: skip
        case TackSpray():
            return LayerState(
                layer, "tack", material.name, 0.0, 0.0, 0.0, np.zeros((2, 2)), 0.0,
                material.areal_mass, 0.0, material.price_per_m2,
            )  # fmt: skip
        case _:
            raise ValueError(tr("{} is no layer of a stack", material.name))


@by_identity(1, 64)
def zone_stack(job: Job, place: str) -> ZoneStack:
    """Return the stack of one zone, or of a place (see ``laid.places``).

    A closed mould holds the plies to its cavity: V_f = Σ m/(ρ_f (H − what else lies in it)).
    """
    layers = layers_at(job, place)
    states = [layer_state(s, job) for s in layers]
    if job.part.cavity and job.process != "infusion":
        plies = sum(s.thickness for s in states if s.kind == "fabric")
        room = job.part.cavity - sum(s.thickness for s in states if s.kind in STAYS - {"fabric"})
        if plies > 0 and room > 0:
            states = [
                layer_state(s.layer, job, s.thickness * room / plies) if s.kind == "fabric" else s
                for s in states
            ]
    return ZoneStack(tuple(states))


def thickness_under(job: Job, zone: str, pressure: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Return the thickness of a zone's plies and core at compaction pressures [Pa], same shape [m]."""
    total = np.zeros_like(pressure)
    for layer in layers_at(job, zone):
        material = job.materials[layer.material]
        if isinstance(material, Fabric):
            ratio = np.maximum(pressure, 1.0) / material.p_ref
            vf = np.clip(material.vf_ref * ratio**material.compaction_exponent, *VF_LIMITS)
            total += material.areal_mass / (material.fibre_density * vf)
        elif isinstance(material, Core | PorousLayer | SkinCoat):
            total += material.thickness
    return total
