"""Layers as rows of text: what they may be made of, where they lie, and stacks pasted from a spreadsheet."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from msgspec import Struct

from bibulon.core.edit.edit import change, drop_unused, new_id
from bibulon.core.model.job import RIM, Job, Layer
from bibulon.core.model.materials import Material
from bibulon.core.units.pasted import PasteError, cells_of
from bibulon.core.units.units import System, UnitError, parse
from bibulon.core.units.words import tr

__all__ = [
    "PLY_COLUMNS",
    "Choices",
    "layer_choices",
    "mesh_choices",
    "paste_plies",
    "read_zones",
    "zone_words",
]

PLY_COLUMNS = ("layer", "angle", "lies in", "runs on", "overlap")
EVERYWHERE = "everywhere"
OWN = "own outline"


class Choices(Struct, frozen=True):
    """What a layer may be made of: the job's own materials first, then the library's."""

    materials: dict[str, Material]

    @property
    def names(self) -> list[str]:
        """Return their names."""
        return [m.name for m in self.materials.values()]

    def by_name(self, name: str) -> tuple[str, Material]:
        """Return a material with its id.

        Raises
        ------
        PasteError : when none has that name or id; a near one is named.
        """
        wanted = name.strip().casefold()
        for key, material in self.materials.items():
            if wanted in {material.name.casefold(), key.casefold()}:
                return key, material
        import difflib

        near = difflib.get_close_matches(name, self.names, 1, 0.5)
        raise PasteError(
            tr(
                "There is no material “{0}”{1}",
                name,
                tr(": is it “{}”?", near[0]) if near else " in the library.",
            )
        )


def layer_choices(job: Job, shelf: Mapping[str, Material]) -> Choices:
    """Return what a layer may be made of, out of the job and a library; flow mesh is laid in Lines."""
    return Choices(
        {k: m for k, m in {**job.materials, **_others(job, shelf)}.items() if m.kind not in {"resin", "mesh"}}
    )


def mesh_choices(job: Job, shelf: Mapping[str, Material]) -> Choices:
    """Return the flow meshes of the job and of a library."""
    return Choices({k: m for k, m in {**job.materials, **_others(job, shelf)}.items() if m.kind == "mesh"})


def _others(job: Job, shelf: Mapping[str, Material]) -> dict[str, Material]:
    """Return what a library has besides the job's own."""
    return {k: m for k, m in shelf.items() if k not in job.materials}


def zone_words(job: Job, layer: Layer) -> str:
    """Return where a layer lies, for people."""
    if layer.outline is not None:
        return OWN
    names = {RIM: job.part.rest_name, **{z.id: z.name for z in job.part.zones}}
    return " + ".join(names[z] for z in layer.zones) or EVERYWHERE


def read_zones(job: Job, text: str) -> tuple[str, ...]:
    """Return the zones that a text names, parted by + or ;.

    Raises
    ------
    PasteError : when one is not there, or nothing is laid there.
    """
    if not text.strip() or text.strip().casefold() == EVERYWHERE:
        return ()
    ids = {job.part.rest_name.casefold(): RIM, RIM: RIM}
    ids |= {k: z.id for z in job.part.zones if z.laid for k in (z.name.casefold(), z.id.casefold())}
    found = []
    for word in re.split(r"\s*[+;]\s*", text.strip()):
        if word.casefold() not in ids:
            names = ", ".join([EVERYWHERE, job.part.rest_name, *(z.name for z in job.part.zones if z.laid)])
            raise PasteError(tr("There is no zone “{0}” to lay cloth in: {1}.", word, names))
        found.append(ids[word.casefold()])
    return tuple(dict.fromkeys(found))


def paste_plies(
    job: Job, text: str, start: int, shelf: Mapping[str, Material], system: System = "metric"
) -> tuple[Job, int]:
    """Return the job with a pasted stack laid over its rows from ``start`` on, and how many rows there were.

    Columns: layer, angle, lies in, runs on, overlap; the last ones may be missing.

    Raises
    ------
    PasteError : when a cell cannot be read; says the row and the column.
    """
    rows = cells_of(text)
    if rows and rows[0][0].casefold() in {"layer", "ply", "material"}:
        rows = rows[1:]
    if not rows:
        raise PasteError(tr("There is nothing to paste: copy rows of layer, angle and zone first."))
    choices, stack, materials = layer_choices(job, shelf), list(job.stack), dict(job.materials)
    for r, row in enumerate(rows, 1):
        cells = (row + [""] * len(PLY_COLUMNS))[: len(PLY_COLUMNS)]
        try:
            key, material = choices.by_name(cells[0])
            angle = parse(cells[1], "angle") if cells[1] else 0.0
            own = cells[2].casefold() == OWN
            zones = () if own else read_zones(job, cells[2])
            runs_on = parse(cells[3], "length", system) if cells[3] else 0.0
            overlap = parse(cells[4], "length", system) if cells[4] else None
        except (PasteError, UnitError) as error:
            raise PasteError(tr("Row {0}: {1}", r, error)) from error
        materials.setdefault(key, material)
        fields: dict[str, Any] = {"material": key, "angle_deg": angle, "runs_on": runs_on, "overlap": overlap}
        at = start + r - 1
        if at < len(stack):
            if not own:
                fields |= {"zones": zones, "outline": None}
            stack[at] = stack[at].replaced(**fields)
        else:
            stack.append(Layer(id=new_id("L", [x.id for x in stack]), zones=zones, **fields))
    return drop_unused(change(job, stack=tuple(stack), materials=materials)), len(rows)
