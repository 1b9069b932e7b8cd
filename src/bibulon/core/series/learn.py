"""What a shop's own runs say of its materials: factors on the library's permeabilities, few of them shrunk towards the library.

A run's refit gives ln f with its spread; runs differ among themselves by more than that.  With the library's own spread as the prior
the normal model's mean and spread follow in closed form (Gelman and others, Bayesian Data Analysis, section 5.4).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.model.materials import Fabric, FlowMesh, PorousLayer
from bibulon.core.run.journal import Entry, rows_of
from bibulon.core.series.rows import AFTER
from bibulon.core.stack.laminate import zone_stack

__all__ = ["BETWEEN", "Proposal", "learned_entry", "learned_of", "proposals"]

BETWEEN = 0.15  # spread of ln f from run to run of one shop
LIBRARY = 0.5  # spread of ln f about the library's figure
NINE_IN_TEN = 1.645
LEAST_MARKS = 3
PREFIX, MESH = "permeability of ", "permeability of the mesh"


class Proposal(Struct, frozen=True):
    """A material's factor on a figure (low, middle, high; nine times in ten), how many runs it is from, and of which figure."""

    material: str
    low: float
    middle: float
    high: float
    runs: int
    quantity: str = "permeability"


def learned_entry(
    job: Job, parameters: Iterable[tuple[str, float, float, float]], marks: int, now: float
) -> Entry | None:
    """Return the row of what a run taught: ln f and its spread by material; None with too few marks.

    Parameters
    ----------
    parameters : (name, low, middle, high) of a refit, nine times in ten between low and high.
    """
    if marks < LEAST_MARKS:
        return None
    zones = {z.name.lower(): z.id for z in job.part.zones} | {job.part.rest_name.lower(): "rim"}
    found: dict[str, list[tuple[float, float]]] = {}
    flowing = {k: m for k, m in job.materials.items() if isinstance(m, Fabric | PorousLayer | FlowMesh)}
    for name, low, middle, high in parameters:
        if not name.startswith(PREFIX) or min(low, middle) <= 0 or high <= low:
            continue
        told = (math.log(middle), math.log(high / low) / (2 * NINE_IN_TEN))
        if name == MESH:
            keys = {job.mesh.material} if job.mesh else set()
        else:
            zone = zones.get(name.removeprefix(PREFIX).lower(), name.removeprefix(PREFIX))
            try:
                keys = {s.layer.material for s in zone_stack(job, zone).layers}
            except (KeyError, ValueError):
                continue
        for key in keys:
            if key in flowing:
                found.setdefault(key, []).append(told)
    if not found:
        return None
    data = {
        flowing[key].name: [
            round(sum(y for y, _ in told) / len(told), 4), round(min(s for _, s in told), 4), flowing[key].k1,
        ]
        for key, told in found.items()
    }  # fmt: skip
    words = ", ".join(f"{name} × {math.exp(y):.2f}" for name, (y, *_) in data.items())
    return Entry(AFTER, 0.0, "learned", {"factors": data, "text": words}, now)


def learned_of(journal: Sequence[Entry]) -> tuple[tuple[str, float, float, float], ...]:
    """Return (material, ln f, spread, k1 [m²] that f is of) of what a job's runs taught; rows that lack it are passed over."""
    out = []
    for e in rows_of(journal, "learned"):
        told = e.data.get("factors")
        for name, pair in told.items() if isinstance(told, dict) else ():
            good = isinstance(pair, list) and len(pair) == 3
            if (
                good
                and all(isinstance(v, int | float) and math.isfinite(v) for v in pair)
                and min(pair[1:]) > 0
            ):
                out.append((str(name), float(pair[0]), float(pair[1]), float(pair[2])))
    return tuple(out)


def proposals(
    runs: Iterable[Sequence[tuple[str, float, float, float]]], library: Mapping[str, float], quantity: str = "permeability",
    spread: float = LIBRARY, between: float = BETWEEN,
) -> tuple[Proposal, ...]:  # fmt: skip
    """Return what the runs of a shop say of each material against the library as it is, those with most runs first.

    library : the figure, k1 [m²] of permeability, by the material's name; what is not in it is passed over.  spread, between : of
    ln f about the library's figure, and from run to run.  A figure that was taken is the library's
    from then on: the same runs then ask for no more.
    """
    by: dict[str, list[tuple[float, float]]] = {}
    for run in runs:
        for name, y, s, k1 in run:
            if name in library:
                by.setdefault(name, []).append((y + math.log(k1 / library[name]), s))
    out = []
    for name, told in by.items():
        weights = [1 / (s**2 + between**2) for _, s in told]
        whole = sum(weights) + 1 / spread**2
        mean = sum(w * y for w, (y, _) in zip(weights, told, strict=True)) / whole
        wide = NINE_IN_TEN / math.sqrt(whole)
        out.append(
            Proposal(name, math.exp(mean - wide), math.exp(mean), math.exp(mean + wide), len(told), quantity)
        )
    return tuple(sorted(out, key=lambda p: (-p.runs, p.material)))
