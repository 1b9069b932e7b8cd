"""The lead at the mesh's end against a section solved apart, over meshes from 800 to 20,000 points."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from tests.validation import layouts
from tests.validation.grid import Grid
from tests.validation.layouts import box, job, stack

from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.stack.laminate import zone_stack

LENGTH, END, WIDTH = 0.60, 0.45, 0.12
COLUMNS, ROWS = (120, 240), 8


def strip(plies):
    """A strip fed all across at one end, mesh over three quarters of it; lines that take no pull themselves."""
    line = {"bore": 0.0, "hose_length": 0.0}
    return job(
        part=job().part.replaced(outline=box(0, 0, LENGTH, WIDTH)),
        stack=stack(*(["biax-600"] * plies)),
        mesh=job().mesh.replaced(outline=box(0, 0, END, WIDTH)),
        lines=(
            layouts.feed(path=((0, 0), (0, WIDTH)), **line),
            layouts.vacuum(path=((LENGTH, 0), (LENGTH, WIDTH))).replaced(**line),
        ),
    )


@lru_cache(maxsize=4)
def section(plies):
    """Return the lead of the section [m]: that of two grids, carried on to cells of no length, first order in them."""
    coarse, fine = (on_grid(plies, columns) for columns in COLUMNS)
    return 2 * fine - coarse


def on_grid(plies, columns):
    """Return the lead that relaxation finds on a grid of the section: plies in eight rows, the net in one."""
    made = strip(plies)
    laid = zone_stack(made, "rim").layers
    thick = sum(s.thickness for s in laid)
    net = made.materials["net-green"]
    kx = np.full((ROWS + 1, columns), sum(s.k_plane[0, 0] * s.thickness for s in laid) / thick)
    kz = np.full_like(kx, thick / sum(s.thickness / s.k_through for s in laid))
    phi = np.full_like(kx, sum(s.pores for s in laid) / thick)
    dz = np.r_[np.full(ROWS, thick / ROWS), net.thickness]
    under = (np.arange(columns) + 0.5) / columns * LENGTH < END
    kx[-1], kz[-1], phi[-1] = (
        np.where(under, net.k1, 1e-18),
        np.where(under, net.k3, 1e-18),
        np.where(under, net.porosity, 1e-6),
    )
    fed = np.zeros(ROWS + 1)
    fed[-1] = 1.0
    grid = Grid(kx, kz, phi, LENGTH / columns, dz, fed)
    scale = phi[0, 0] * END**2 / kx.mean()
    when = grid.arrival(ROWS, END - LENGTH / columns, 1e-3 * scale, scale)
    fronts, _ = grid.fronts(when)
    return END - float(fronts[0])


@pytest.mark.parametrize("plies", [4, pytest.param(12, marks=pytest.mark.slow)])
@pytest.mark.parametrize(
    "points", [800, 2600, *(pytest.param(n, marks=pytest.mark.slow) for n in (7000, 20000))]
)
def test_the_lead_is_that_of_a_section_on_every_mesh(points, plies):
    """Within a tenth, though on the coarsest mesh the thin stack's lead is three cells long."""
    result = forecast(strip(plies), Resolution(points, 2, 24))
    found, (x, _) = lead_at_mesh_end(result)
    assert x == pytest.approx(END, abs=result.model.mesh.size / 4)  # at a wall an edge may stand askew
    assert found == pytest.approx(section(plies), rel=0.10)
