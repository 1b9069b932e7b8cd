"""The sheets in which resin flows, and what each kind of place has of them.

From the tool: the plies below the core, the core's own grooves and holes, the plies above it,
flow mesh on top.  A stack without a core is one run of plies.  A core that passes no resin is no
sheet; it shuts the way through.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import Core, FlowMesh
from bibulon.core.stack.laminate import LayerState, layer_state, zone_stack

__all__ = ["CORE", "LOWER", "MESH", "PLIES", "UPPER", "Column", "Sheet", "columns", "sheets_of", "slots_of"]

LOWER, CORE, UPPER, PLIES, MESH = "lower skin", "core", "upper skin", "plies", "mesh"

Floats = npt.NDArray[np.float64]


class Sheet(Struct, frozen=True):
    """One layer of flow; plies may be cut into several sheets of one ``slot``, tool side first."""

    slot: str
    part: int = 0
    parts: int = 1


class Column(Struct, frozen=True, eq=False):
    """What one kind of place has, per sheet: shapes (s,) and (s, 2, 2).

    transmissivity : Σ K h [m³]; pores : resin volume a m² [m].
    below, upper : h/K3 from the middle of the sheet to its lower and its upper face [1/m]; inf where nothing passes.
    above : what peel ply and film add between this sheet and the next [1/m].
    thickness : [m].
    """

    present: npt.NDArray[np.bool_]
    transmissivity: Floats
    pores: Floats
    below: Floats
    upper: Floats
    above: Floats
    thickness: Floats
    shut_above: npt.NDArray[np.bool_]

    def joints(self) -> Iterator[tuple[int, int, float]]:
        """Yield (lower sheet, upper sheet, conductance a m² [m]) of neighbours that resin passes between."""
        here = np.flatnonzero(self.present)
        for low, high in itertools.pairwise(here):
            if self.shut_above[low:high].any():
                continue
            total = self.upper[low] + self.above[low] + self.below[high]
            if np.isfinite(total) and total > 0:
                yield int(low), int(high), 1.0 / float(total)


def slots_of(job: Job) -> list[str]:
    """Return the slot of each layer of the stack."""
    cores = [i for i, layer in enumerate(job.stack) if isinstance(job.materials[layer.material], Core)]
    slots = []
    for i, layer in enumerate(job.stack):
        material = job.materials[layer.material]
        if isinstance(material, Core):
            slots.append(CORE)
        elif isinstance(material, FlowMesh):
            slots.append(MESH)
        elif not cores:
            slots.append(PLIES)
        else:
            slots.append(LOWER if i < cores[0] else UPPER)
    return slots


def sheets_of(job: Job, parts: int = 1) -> tuple[Sheet, ...]:
    """Return the sheets of a job; the plies under the mesh are cut into ``parts``."""
    slots = slots_of(job)
    has_plies = {
        s
        for s, layer in zip(slots, job.stack, strict=True)
        if job.materials[layer.material].kind in {"fabric", "porous"}
    }
    found: list[Sheet] = []
    for slot in (LOWER, CORE, UPPER, PLIES):
        if slot == CORE:
            states = [layer_state(x, job) for x, s in zip(job.stack, slots, strict=True) if s == CORE]
            if any(state.k_through > 0 or state.k_plane.any() for state in states):
                found.append(Sheet(CORE))
        elif slot in has_plies:
            cut = parts if job.mesh and slot != LOWER else 1
            found += [Sheet(slot, k, cut) for k in range(cut)]
    if found and (job.mesh or MESH in slots):
        found.append(Sheet(MESH))
    return tuple(found)


def columns(job: Job, zones: tuple[str, ...], sheets: tuple[Sheet, ...]) -> tuple[Column, ...]:
    """Return the columns of all kinds of place: zone by zone, first without mesh, then with."""
    slot_of = dict(zip((layer.id for layer in job.stack), slots_of(job), strict=True))
    cover = None
    if job.mesh:
        cover = layer_state(Layer(id="cover", material=job.mesh.material), job)
    out = []
    for zone in zones:
        states = zone_stack(job, zone).layers
        for with_mesh in (False, True):
            nets = [cover] if with_mesh and cover else []
            out.append(_column(states, slot_of, sheets, nets))
    return tuple(out)


def _column(
    states: tuple[LayerState, ...], slot_of: dict[str, str], sheets: tuple[Sheet, ...], nets: list[LayerState]
) -> Column:
    n = len(sheets)
    present, shut = np.zeros(n, dtype=bool), np.zeros(n, dtype=bool)
    trans, pores, thickness = np.zeros((n, 2, 2)), np.zeros(n), np.zeros(n)
    lower, upper, above = np.zeros(n), np.zeros(n), np.zeros(n)
    for k, sheet in enumerate(sheets):
        mine = [s for s in states if slot_of[s.layer.id] == sheet.slot and s.kind != "peel"]
        if sheet.slot == MESH:
            mine = [*mine, *nets]
        flowing = [s for s in mine if s.k_through > 0 or s.k_plane.any()]
        if not flowing:
            continue
        present[k] = True
        for s in flowing:
            trans[k] += s.k_plane * s.thickness / sheet.parts
            pores[k] += s.pores / sheet.parts
            thickness[k] += s.thickness / sheet.parts
            half = (s.thickness / s.k_through if s.k_through > 0 else np.inf) / sheet.parts / 2
            lower[k] += half
            upper[k] += half
        if sheet.slot == CORE and not np.isfinite(upper[k]):
            # No way through it: what is cut into its outer faces is open to the skin there.
            lower[k] = 0.0 if "lower" in flowing[0].opens else np.inf
            upper[k] = 0.0 if "upper" in flowing[-1].opens else np.inf
    _add_peel(states, slot_of, sheets, present, pores, above)
    cores = [k for k, s in enumerate(sheets) if s.slot == CORE and present[k]]
    if not cores and any(s.kind == "core" and s.k_through == 0 for s in states):
        below = [k for k, s in enumerate(sheets) if s.slot == LOWER]
        if below:
            shut[below[-1]] = True
    return Column(present, trans, pores, lower, upper, above, thickness, shut)


def _add_peel(
    states: tuple[LayerState, ...], slot_of: dict[str, str], sheets: tuple[Sheet, ...],
    present: npt.NDArray[np.bool_], pores: Floats, above: Floats,
) -> None:  # fmt: skip
    """Peel ply and film resist above the top plies and hold their resin with them."""
    tops = [k for k, s in enumerate(sheets) if present[k] and s.slot not in {MESH, CORE}]
    if not tops:
        return
    for s in states:
        if s.kind == "peel":
            above[tops[-1]] += s.thickness / s.k_through
            pores[tops[-1]] += s.pores
