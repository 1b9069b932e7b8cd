"""Places on a part by what they are called in the shop: a line, a metre of the walk-round, a square of the grid, or x, y in mm."""

from __future__ import annotations

import math
import re

from msgspec import Struct
from shapely.geometry import Point, box
from shapely.ops import nearest_points

from bibulon.core.bag.walk import walk_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["LETTERS", "Grid", "grid_of", "place_named"]

Place = tuple[float, float]
SQUARES = 10  # along the longer side, at most
INSIDE = 0.003  # m inside its edge that a place on the rim is taken
LETTERS = "ABCDEFGHIJ"  # before M, which says that metres are meant


class Grid(Struct, frozen=True):
    """Squares over a part: figures along x, letters along y from below, unlike the names of lines; its corner and the side of a square [m]."""

    x: float
    y: float
    side: float
    columns: int
    rows: int

    def corners(self, column: int, row: int) -> tuple[float, float, float, float]:
        """Return (left, low, right, high) of a square [m]."""
        x, y = self.x + column * self.side, self.y + row * self.side
        return x, y, x + self.side, y + self.side


def grid_of(job: Job) -> Grid:
    """Return the grid of a part: round squares, ten along its longer side at most."""
    low_x, low_y, high_x, high_y = regions(job.part).whole.bounds
    least = max(high_x - low_x, high_y - low_y) / SQUARES
    power = 10.0 ** math.floor(math.log10(least))
    side = next(m * power for m in (1, 2, 2.5, 5, 10) if m * power >= least * (1 - 1e-9))
    columns, rows = (max(math.ceil(span / side - 1e-9), 1) for span in (high_x - low_x, high_y - low_y))
    return Grid(low_x, low_y, side, columns, rows)


def place_named(job: Job, text: str) -> Place:
    """Return the place [m] that a text names.

    Raises
    ------
    ValueError : when it names none, or one that is off the part; the text says what can be typed.
    OutlineError : when the outline is crossed or empty.
    """
    said = text.strip()
    line = next((x for x in job.lines if x.label.lower() == said.lower()), None)
    if line is not None:
        return line.path[len(line.path) // 2]
    whole = regions(job.part).whole
    if square := re.fullmatch(rf"(\d{{1,2}})\s*([{LETTERS}{LETTERS.lower()}])", said):
        return _in_square(job, int(square[1]) - 1, LETTERS.index(square[2].upper()), said)
    if metre := re.fullmatch(r"(\d+(?:[.,]\d+)?)\s*m", said):
        if job.process != "infusion":
            raise ValueError(
                tr("there is no walk-round of a closed mould: type a line, a square, or x, y in mm")
            )
        walk, at = walk_of(job), float(metre[1].replace(",", "."))
        if at > walk.length:
            raise ValueError(tr("the walk-round ends at {:.1f} m", walk.length))
        near, _ = nearest_points(whole.buffer(-INSIDE), Point(walk.place(at)))
        return float(near.x), float(near.y)
    numbers = re.fullmatch(r"(-?\d+(?:\.\d+)?)\s*[,;]\s*(-?\d+(?:\.\d+)?)", said)
    if numbers is None:
        raise ValueError(
            tr("“{}” is no line, no square such as 4C, no metre such as 3.5 m, and no x, y in mm", said)
        )
    return float(numbers[1]) / 1e3, float(numbers[2]) / 1e3


def _in_square(job: Job, column: int, row: int, said: str) -> Place:
    """Return the middle of a square, or where the part comes nearest to it within the square."""
    grid, whole = grid_of(job), regions(job.part).whole
    inside = (
        whole.buffer(-INSIDE).intersection(box(*grid.corners(column, row)))
        if 0 <= column < grid.columns and row < grid.rows
        else None
    )
    if inside is None or inside.is_empty:
        raise ValueError(tr("the square {} holds nothing of the part", said.upper()))
    left, low, right, high = grid.corners(column, row)
    near, _ = nearest_points(inside, Point((left + right) / 2, (low + high) / 2))
    return float(near.x), float(near.y)
