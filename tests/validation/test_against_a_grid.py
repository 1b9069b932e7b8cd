"""Jobs with no closed form against a grid solved apart."""

from __future__ import annotations

import numpy as np
import pytest
from examples.make import CASES, MU, PHI, PULL, WIDTH, K
from tests.validation.grid import Grid

from bibulon.core.flow.forecast import Resolution, forecast


def strips(split: float, ratio: float, columns: int = 100, rows: int = 30) -> Grid:
    y = (np.arange(rows) + 0.5) * WIDTH / rows
    k = np.where(y[:, None] > split, ratio * K, K) * np.ones((1, columns))
    return Grid(k, k, PHI, 1 / columns, np.full(rows, WIDTH / rows))


def section(columns: int = 100, rows: int = 16) -> Grid:
    """The cross-section of the job mesh-over-cloth: mesh on top, fed alone."""
    high = np.r_[np.full(rows, 0.008 / rows), 0.001]
    along = np.r_[np.full(rows, K), 2e-9][:, None] * np.ones((1, columns))
    through = np.r_[np.full(rows, 1e-12), 2e-9][:, None] * np.ones((1, columns))
    fed = np.r_[np.zeros(rows), 1.0]
    return Grid(along, through, np.r_[np.full(rows, PHI), 0.8][:, None], 1 / columns, high, fed)


def test_the_grid_itself_keeps_the_strip_s_law():
    grid = Grid(np.full((1, 100), K), np.full((1, 100), K), PHI, 0.01, np.array([WIDTH]))
    assert grid.arrival(0, 0.6, 1e8, 3e9) == pytest.approx(PHI * 0.36 / (2 * K), rel=1e-3)


@pytest.mark.parametrize(("name", "split", "ratio", "places"), [
    pytest.param("leaking", 0.15, 3.0, ((0.7, 0.065), (0.7, 0.255)), marks=pytest.mark.slow),
    ("channel", 0.26, 12.0, ((0.5, 0.055), (0.7, 0.285))),
])  # fmt: skip
def test_strips_that_leak_into_each_other(name, split, ratio, places):
    told, grid = forecast(CASES[name]().job, Resolution(5200, 1, 32)), strips(split, ratio)
    for x, y in places:
        exact = grid.arrival(int(y / WIDTH * 30), x, 5e7, 3e9) * MU / PULL
        near = [(x + dx, y + dy) for dx in (-0.01, 0, 0.01) for dy in (-0.004, 0, 0.004)]
        assert float(np.mean([told.probe(*p)["plies"] for p in near])) == pytest.approx(exact, rel=0.015)


@pytest.mark.slow
def test_mesh_over_cloth_leads_as_its_cross_section_does():
    """Sheets under the mesh cost first order: with six of them the mesh is 2 % early, the tool side 1 %."""
    told, grid = forecast(CASES["mesh-over-cloth"]().job, Resolution(2600, 6, 48)), section()
    for x in (0.4, 0.7):
        for slot, row in (("mesh", 16), ("plies", 0)):
            exact = grid.arrival(row, x, 5e7, 8e9) * MU / PULL
            mine = float(np.mean([told.probe(x, float(y))[slot] for y in np.linspace(0.05, 0.25, 9)]))
            assert mine == pytest.approx(exact, rel=0.035)
