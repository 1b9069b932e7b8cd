"""The cut that the section shows, when the part gets another shape."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.edit.shape import reshape
from bibulon.core.library.demo import blank_job
from bibulon.core.model.job import Corner, CutLine


def panel(x: float, y: float, width: float, high: float) -> tuple[Corner, ...]:
    return tuple(Corner(x=a, y=b) for a, b in ((x, y), (x + width, y), (x + width, y + high), (x, y + high)))


@pytest.mark.parametrize("outline", [panel(0, 0, 4.2, 0.9), panel(30, 50, 0.3, 0.8), panel(0, 0, 0.3, 0.2)])
def test_a_new_outline_is_cut_through_where_the_old_one_was(outline):
    job = reshape(blank_job(), outline)
    ends = np.array([job.cut.path[0], job.cut.path[-1]])
    low = np.array([min(c.x for c in outline), min(c.y for c in outline)])
    high = np.array([max(c.x for c in outline), max(c.y for c in outline)])
    along = 0 if (high - low)[0] >= (high - low)[1] else 1
    assert sorted(ends[:, along])[0] < low[along]
    assert sorted(ends[:, along])[1] > high[along]
    np.testing.assert_allclose(ends[:, 1 - along], ((low + high) / 2)[1 - along])  # through the middle


def test_a_cut_that_still_shows_what_it_did_stays():
    wider = reshape(blank_job(), panel(0, 0, 1.2, 1.0))
    assert wider.cut == blank_job().cut
    local = blank_job().replaced(cut=CutLine(path=((0.2, 0.2), (0.4, 0.2))))
    assert reshape(local, panel(0, 0, 4.2, 0.9)).cut == local.cut
    assert reshape(local, panel(9, 9, 4.2, 0.9)).cut != local.cut  # off the part it shows nothing
    assert reshape(blank_job().replaced(cut=None), panel(0, 0, 4.2, 0.9)).cut is None
