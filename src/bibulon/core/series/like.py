"""Which jobs of the log are most like another: by size and shape of the plan, materials, and process."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from bibulon.core.model.job import Job

__all__ = ["ALIKE", "likeness", "told_of"]

Ring = Sequence[tuple[float, float]]
ALIKE = 0.6  # from which on lessons of one job are worth a look for another


def told_of(job: Job) -> tuple[Ring, Sequence[str], str]:
    """Return what of a job its likeness goes by: outline [m], names of materials, process."""
    names = [m.name for m in job.materials.values()] + ([job.resin.name] if job.resin else [])
    return [(c.x, c.y) for c in job.part.outline], names, job.process


def _shape(outline: Ring) -> tuple[float, float, float]:
    """Return area [m²], long over short side, and how round it is (1 a disc)."""
    p = np.asarray(outline, dtype=float)
    q = np.roll(p, -1, axis=0)
    area = abs(float((p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]).sum())) / 2
    around = float(np.hypot(*(q - p).T).sum())
    box = np.asarray(shapely.get_coordinates(shapely.minimum_rotated_rectangle(shapely.MultiPoint(p))))
    sides = np.hypot(*np.diff(box, axis=0).T)[:2] if len(box) > 2 else np.ones(2)
    aspect = float(sides.max() / max(sides.min(), 1e-9))
    return area, aspect, 4 * math.pi * area / max(around, 1e-9) ** 2


def likeness(one: tuple[Ring, Sequence[str], str], other: tuple[Ring, Sequence[str], str]) -> float:
    """Return from 0 to 1 how alike two jobs are, each as (outline [m], names of materials, process).

    Half by shape (size, slenderness, roundness), a third by materials in common, the rest by process.
    """
    if len(one[0]) < 3 or len(other[0]) < 3:
        return 0.0
    a, b = _shape(one[0]), _shape(other[0])
    off = abs(math.log(max(a[0], 1e-9) / max(b[0], 1e-9))) + abs(math.log(a[1] / b[1])) + 2 * abs(a[2] - b[2])
    mine, theirs = set(one[1]), set(other[1])
    common = len(mine & theirs) / len(mine | theirs) if mine | theirs else 1.0
    return 0.5 * math.exp(-off) + 0.33 * common + 0.17 * (one[2] == other[2])
