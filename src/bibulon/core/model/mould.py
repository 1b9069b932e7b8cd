"""A closed mould as a job keeps it: its flange and seals, its upper half, pressures and vacuums, machine and cycle."""

from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Frozen, Id, NonNegative, Point, Positive, said
from bibulon.core.units.words import tr

__all__ = ["ClosedMould", "Cycle", "Machine", "PartingLine", "Rib", "Seal", "UpperMould"]

Pressure = Annotated[float, Meta(ge=0, le=1.1e5)]
Pushed = Annotated[float, Meta(ge=0, le=1.1e6)]


class Seal(Frozen):
    """A seal: how high it stands free [m], between which gaps it seals [m], and how wide it is.

    inflation : of an inflatable one, the absolute pressure that it is blown to [Pa].
    """

    name: Annotated[str, Meta(max_length=60)] = "hollow 12"
    kind: Literal["wing", "hollow", "inflatable"] = "hollow"
    height: Positive = 0.012
    width: Positive = 0.012
    gap_least: NonNegative = 0.006
    gap_most: Positive = 0.010
    inflation: Pushed = 3.0e5

    def __post_init__(self) -> None:
        if not self.gap_least < self.gap_most <= self.height:
            raise ValueError(tr("a seal works between two gaps, the larger no more than it stands free"))


class Rib(Frozen):
    """A stiffener on the upper mould: where it runs [m] and how stiff it is, E I [N m²]."""

    id: Id
    path: Annotated[tuple[Point, ...], Meta(min_length=2, max_length=50)]
    stiffness: Annotated[float, Meta(gt=0, le=1e9)] = 5000.0


class PartingLine(Frozen):
    """Where two pieces of one half meet: its path on the plan [m], how far it gapes [m], and how wide the faces meet [m]."""

    id: Id
    path: Annotated[tuple[Point, ...], Meta(min_length=2, max_length=200)]
    gape: Annotated[float, Meta(ge=0, le=0.005)] = 0.0001
    land: Annotated[float, Meta(gt=0, le=0.5)] = 0.020


class UpperMould(Frozen):
    """The upper half: its laminate [Pa], [m], what it weighs, how its edge is held, and its stiffeners.

    skin : of each face when it is a sandwich, 0 for a plain laminate, which is ``thickness`` thick in all.
    """

    name: Annotated[str, Meta(max_length=60)] = "glass laminate"
    modulus: Annotated[float, Meta(ge=1e8, le=5e11)] = 14e9
    poisson: Annotated[float, Meta(ge=0, lt=0.5)] = 0.3
    thickness: Annotated[float, Meta(gt=0, le=0.5)] = 0.006
    skin: Annotated[float, Meta(ge=0, le=0.05)] = 0.0
    density: Annotated[float, Meta(ge=50, le=20_000), said("kg/m3, of a metal half too")] = 1800.0
    edge: Literal["supported", "clamped"] = "supported"
    ribs: Annotated[tuple[Rib, ...], Meta(max_length=100)] = ()

    def __post_init__(self) -> None:
        if self.skin and 2 * self.skin >= self.thickness:
            raise ValueError(tr("two skins are as thick as the whole upper mould: no core is left"))
        if len({r.id for r in self.ribs}) != len(self.ribs):
            raise ValueError(tr("two stiffeners have the same id"))


class Machine(Frozen):
    """What injects: a pump of so much a stroke and second, its limits, and its hose."""

    rate: Annotated[
        float, Meta(gt=0, le=0.01), said("m3/s that all inlets get together until the pressure is reached")
    ] = 5e-5
    stroke: Annotated[float, Meta(gt=0, le=0.1), said("m3 a stroke")] = 2.0e-4
    most: Annotated[Pushed, said("Pa absolute that hose, pot and mould are rated for")] = 3.0e5
    power: Annotated[float, Meta(ge=0, le=1e5), said("W of its heater")] = 800.0
    loss: Annotated[float, Meta(ge=0, le=1e4), said("W/K lost while it recirculates")] = 6.0
    hose_length: NonNegative = 3.0
    hose_bore: Positive = 0.010
    ramp: Annotated[NonNegative, said("Pa/s by which its pressure is raised; 0 for at once")] = 333.0
    flush_within: Annotated[Positive, said("s after the last shot in which it is flushed with solvent")] = (
        600.0
    )


class Cycle(Frozen):
    """One part after another: times [s], how many moulds, the length of a shift [s]."""

    loading: NonNegative = 2400.0
    closing: NonNegative = 300.0
    demould_after_gel: NonNegative = 3600.0
    cleaning: NonNegative = 600.0
    moulds: Annotated[int, Meta(ge=1, le=100)] = 1
    shift: Positive = 28800.0


class ClosedMould(Frozen):
    """Pressures are absolute [Pa]; ``injection`` None where resin is drawn from an open bucket.

    chamber : width of the flange between its two seals [m]; land : from the cavity to the inner seal [m].
    holding : what the cavity is let up to once it is full, until gel.  reservoir : of the flange's vacuum [m³], and
    what leaks into it [Pa m³/s].  gap_spread : by how much the gap at the seal is off either way round the flange [m].
    bladder : absolute pressure in a bladder that presses the plies of a hollow part outwards [Pa]; None where there is none.
    """

    flange: Pressure = 11_325.0
    holding: Pressure = 71_325.0
    injection: Pushed | None = None
    clamps: Annotated[
        NonNegative, said("N, of clamps or a press that holds the halves besides the vacuum")
    ] = 0.0
    chamber: Annotated[float, Meta(ge=0, le=1)] = 0.060
    land: Annotated[float, Meta(ge=0, le=0.5)] = 0.015
    inner: Seal = Seal()
    outer: Seal = Seal(
        name="wing 20", kind="wing", height=0.014, width=0.020, gap_least=0.004, gap_most=0.012
    )
    seal_gap: Annotated[Positive, said("m between the halves where the inner seal lies")] = 0.008
    gap_spread: Annotated[float, Meta(ge=0, le=0.05)] = 0.0
    bladder: Pushed | None = None
    partings: Annotated[tuple[PartingLine, ...], Meta(max_length=40)] = ()
    dowels: Annotated[int, Meta(ge=0, le=20)] = 2
    latches: Annotated[int, Meta(ge=0, le=200)] = 8
    upper: UpperMould = UpperMould()
    reservoir: NonNegative = 0.05
    reservoir_leak: NonNegative = 1e-3
    machine: Machine = Machine()
    cycle: Cycle = Cycle()
    pot_rated: Annotated[Pushed, said("Pa absolute, of the catch pot")] = 2.0e5

    def __post_init__(self) -> None:
        if len({p.id for p in self.partings}) != len(self.partings):
            raise ValueError(tr("two parting lines have the same id"))
