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
COLUMNS, ROWS = 240, 8


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
    """Return the lead that relaxation finds on a grid of the section: plies in eight rows, the net in one."""
    made = strip(plies)
    laid = zone_stack(made, "rim").layers
    thick = sum(s.thickness for s in laid)
    net = made.materials["net-green"]
    kx = np.full((ROWS + 1, COLUMNS), sum(s.k_plane[0, 0] * s.thickness for s in laid) / thick)
    kz = np.full_like(kx, thick / sum(s.thickness / s.k_through for s in laid))
    phi = np.full_like(kx, sum(s.pores for s in laid) / thick)
    dz = np.r_[np.full(ROWS, thick / ROWS), net.thickness]
    under = (np.arange(COLUMNS) + 0.5) / COLUMNS * LENGTH < END
    kx[-1], kz[-1], phi[-1] = (
        np.where(under, net.k1, 1e-18),
        np.where(under, net.k3, 1e-18),
        np.where(under, net.porosity, 1e-6),
    )
    fed = np.zeros(ROWS + 1)
    fed[-1] = 1.0
    grid = Grid(kx, kz, phi, LENGTH / COLUMNS, dz, fed)
    scale = phi[0, 0] * END**2 / kx.mean()
    when = grid.arrival(ROWS, END - LENGTH / COLUMNS, 1e-3 * scale, scale)
    fronts, _ = grid.fronts(when)
    return END - float(fronts[0])


@pytest.mark.parametrize("plies", [4, 12])
@pytest.mark.parametrize(
    "points", [800, 2600, *(pytest.param(n, marks=pytest.mark.slow) for n in (7000, 20000))]
)
def test_the_lead_is_that_of_a_section_on_every_mesh(points, plies):
    """Within a tenth, or where the lead is but a few cells long within two of them."""
    result = forecast(strip(plies), Resolution(points, 2, 24))
    found, (x, _) = lead_at_mesh_end(result)
    assert x == pytest.approx(END)
    assert abs(found - section(plies)) <= max(0.10 * section(plies), 2 * result.model.mesh.size)
