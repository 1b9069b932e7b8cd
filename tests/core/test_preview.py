"""What is worked out while a hand still moves: fronts at once, judgements when the fine answer comes."""

from __future__ import annotations

import numpy as np
import pytest

from bibulon.core.edit.edit import change
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.outlook.outlook import look_ahead

ROUGH = Resolution(300, 1, 8, air=False, lead=False)


@pytest.fixture(scope="module")
def moved(demo):
    line = demo.lines[1]
    away = line.replaced(path=tuple((x - 0.05, y) for x, y in line.path))
    return change(demo, lines=(demo.lines[0], away, *demo.lines[2:]))


def test_a_preview_keeps_findings_and_lead_of_the_answer_before_and_judges_nothing(demo, moved):
    before = look_ahead(demo, Resolution(600, 1, 12), fine=True)
    assert before.lead > 0
    seen = look_ahead(moved, ROUGH, fine=False, before=before)
    assert (seen.lead, seen.findings) == (before.lead, before.findings)
    assert not seen.judged
    assert seen.forecast.fill_time != before.forecast.fill_time


def test_a_preview_with_nothing_before_it_is_judged(moved):
    alone = look_ahead(moved, ROUGH, fine=False)
    assert alone.judged
    assert alone.lead > 0
    assert alone.findings


def test_steps_that_end_where_the_lead_is_read_change_no_time_of_the_fill(demo):
    ends, free = (forecast(demo, Resolution(900, 1, 16, lead=lead)) for lead in (True, False))
    assert free.fill_time == pytest.approx(ends.fill_time, rel=2e-3)
    assert len(free.history.frames) < len(ends.history.frames)


def test_resin_left_to_the_next_step_spares_tries_and_moves_no_figure(demo):
    exact, left, rough = (
        forecast(demo, Resolution(900, 1, 16, spill=spill))
        for spill in (0.0, Resolution(900, 1, 16).spill, 0.1)
    )
    assert left.history.solves < exact.history.solves
    assert rough.history.solves < 0.8 * exact.history.solves
    assert left.fill_time == pytest.approx(exact.fill_time, rel=1e-3)
    assert rough.fill_time == pytest.approx(exact.fill_time, rel=5e-3)
    for told, middle, most in ((left, 1e-3, 5e-3), (rough, 4e-3, 3e-2)):
        both = np.isfinite(told.wet_through) & np.isfinite(exact.wet_through)
        off = np.abs(told.wet_through - exact.wet_through)[both] / exact.fill_time
        assert np.median(off) < middle
        assert np.quantile(off, 0.99) < most
