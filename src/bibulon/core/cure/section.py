"""The layers through which heat leaves a part: tool, plies, core, bag or upper half; as cells with heat capacity and conductance."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.cure import CurePlan
from bibulon.core.model.job import Job
from bibulon.core.model.mould import UpperMould
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.units.words import tr

__all__ = ["AROUND", "Cells", "Slab", "cells_of", "section_of"]

Floats = npt.NDArray[np.float64]
AROUND = ("tool", "upper half", "blanket")  # names of slabs that are not of the part
FIBRE_HEAT, FIBRE_K = 800.0, 1.0  # J/(kg K), W/(m K): glass
CORE_HEAT, CORE_K = 1400.0, 0.04  # foam and balsa across
FOAM_RHO_C = 80.0 * CORE_HEAT  # of a sandwich mould's core
LEAST, IN_RESIN = 5, 20  # cells of a slab, and of what holds resin in all
SKIN = 0.2  # of a cell: so thin is the outermost, since a face gels last and is not to be told by what lies under it


class Slab(Struct, frozen=True):
    """A layer: its name, thickness [m], conductivity through it [W/(m K)], ρc [J/(m³ K)], resin in it [kg/m³]."""

    name: str
    thickness: float
    k: float
    rho_c: float
    resin: float = 0.0


class Cells(Struct, frozen=True, eq=False):
    """Slabs as cells, tool side first.

    height : of each [m]; capacity : ρc h [J/(m² K)]; conductance between neighbours [W/(m² K)], one fewer; resin h of each [kg/m²];
    ends : conductance from the first and the last cell to the air [W/(m² K)]; slab : which one each is of.
    """

    height: Floats
    capacity: Floats
    conductance: Floats
    resin: Floats
    ends: tuple[float, float]
    slab: npt.NDArray[np.int64]
    slabs: tuple[Slab, ...]

    @property
    def wet(self) -> npt.NDArray[np.int64]:
        """Cells that hold resin."""
        return np.flatnonzero(self.resin > 0)

    def matrix(self) -> Floats:
        """Return A [1/s] of dT/dt = A T + b T_air, shape (n, n)."""
        n = len(self.capacity)
        a = np.zeros((n, n))
        i = np.arange(n - 1)
        a[i, i + 1] += self.conductance
        a[i + 1, i] += self.conductance
        a[i, i] -= self.conductance
        a[i + 1, i + 1] -= self.conductance
        a[0, 0] -= self.ends[0]
        a[-1, -1] -= self.ends[1]
        return np.asarray(a / self.capacity[:, None])

    def to_air(self) -> Floats:
        """Return b [1/s] for tool side and bag side, shape (n, 2)."""
        b = np.zeros((len(self.capacity), 2))
        b[0, 0], b[-1, 1] = self.ends
        return np.asarray(b / self.capacity[:, None])


def section_of(job: Job, zone: str) -> tuple[Slab, ...]:
    """Return tool, layers of a zone, the upper half of a closed mould, and a blanket, of a job.

    Raises
    ------
    ValueError : without a resin.
    """
    resin = job.resin
    if resin is None:
        raise ValueError(tr("Choose a resin first."))
    plan = job.cure
    out = [Slab("tool", plan.tool_thickness, plan.tool_k, plan.tool_rho_c)] if plan.tool_thickness > 0 else []
    for state in zone_stack(job, zone).layers:
        if state.thickness <= 0:
            continue
        pores = min(state.pores / state.thickness, 1.0)
        solid = 1 - pores
        wet_k, wet_c = resin.conductivity, resin.density * resin.specific_heat
        if state.kind == "core":
            k = CORE_K if pores < 0.5 else wet_k
            rho_c = state.dry_mass / state.thickness * CORE_HEAT + pores * wet_c
        else:
            k = FIBRE_K**solid * wet_k**pores
            rho_c = state.dry_mass / state.thickness * FIBRE_HEAT + pores * wet_c
        out.append(Slab(state.name, state.thickness, k, rho_c, pores * resin.density))
    if job.process != "infusion":
        out += _upper(job.closed.upper, plan)
    if plan.blanket > 0:
        out.append(Slab("blanket", plan.blanket, 0.04, 3e4))
    return tuple(out)


def _upper(half: UpperMould, plan: CurePlan) -> list[Slab]:
    """Return an upper half, built as the tool is: its laminate all through, or as the skins of a sandwich over foam."""
    if not half.skin:
        return [Slab("upper half", half.thickness, plan.tool_k, plan.tool_rho_c)]
    skin = Slab("upper half", half.skin, plan.tool_k, plan.tool_rho_c)
    return [skin, Slab("upper half", half.thickness - 2 * half.skin, CORE_K, FOAM_RHO_C), skin]


def cells_of(slabs: tuple[Slab, ...], plan: CurePlan, finer: int = 1) -> Cells:
    """Cut slabs into cells; ``finer`` times as many as usual.

    Raises
    ------
    ValueError : when nothing in them holds resin.
    """
    wet = sum(s.thickness for s in slabs if s.resin > 0)
    if wet <= 0:
        raise ValueError(tr("nothing in this stack holds resin: there is no cure to reckon"))
    counts = [
        finer * (max(LEAST, round(IN_RESIN * s.thickness / wet)) if s.resin > 0 else LEAST) for s in slabs
    ]
    parts = [np.full(n, s.thickness / n) for s, n in zip(slabs, counts, strict=True)]
    holding = [k for k, s in enumerate(slabs) if s.resin > 0]
    first, last = parts[holding[0]][0], parts[holding[-1]][-1]
    parts[holding[0]] = np.r_[SKIN * first, (1 - SKIN) * first, parts[holding[0]][1:]]
    parts[holding[-1]] = np.r_[parts[holding[-1]][:-1], (1 - SKIN) * last, SKIN * last]
    h = np.concatenate(parts)
    slab = np.concatenate([np.full(len(part), k, dtype=np.int64) for k, part in enumerate(parts)])
    k = np.array([s.k for s in slabs])[slab]
    half = h / 2 / k
    between = 1 / (half[1:] + half[:-1])
    ends = tuple(
        1 / (1 / max(film, 1e-6) + r) for film, r in ((plan.h_tool, half[0]), (plan.h_bag, half[-1]))
    )
    resin = np.array([s.resin for s in slabs])[slab] * h
    capacity = np.array([s.rho_c for s in slabs])[slab] * h
    return Cells(h, capacity, between, resin, (float(ends[0]), float(ends[1])), slab, slabs)
