"""The grid of a part with the names of its squares, to be called aloud."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.model.job import Job
from bibulon.core.run.landmarks import LETTERS, grid_of

__all__ = ["draw_grid_marks"]

OFF = 14.0  # px of the names beside the grid


def draw_grid_marks(job: Job, look: PlanLook) -> Iterator[Item]:
    """Yield lines and names."""
    grid, view, theme = grid_of(job), look.view, look.theme
    xs = grid.x + grid.side * np.arange(grid.columns + 1)
    ys = grid.y + grid.side * np.arange(grid.rows + 1)
    lines = [np.array([(x, ys[0]), (x, ys[-1])]) for x in xs]
    lines += [np.array([(xs[0], y), (xs[-1], y)]) for y in ys]
    yield Line([view.to(line) for line in lines], theme.soft, WEIGHT["hair"])
    for k in range(grid.columns):
        (x, y), *_ = view.to(np.array([((xs[k] + xs[k + 1]) / 2, ys[0])]))
        yield Label(float(x), float(y) + OFF, str(k + 1), theme.ink, 15, True, ground=theme.ground)
    for k in range(grid.rows):
        (x, y), *_ = view.to(np.array([(xs[0], (ys[k] + ys[k + 1]) / 2)]))
        yield Label(float(x) - OFF, float(y), LETTERS[k], theme.ink, 15, True, ground=theme.ground)
