"""Forecasts of the jobs in examples/ against their closed forms."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from examples.make import CASES, Case

from bibulon.core.flow.forecast import FINE, Resolution, forecast
from bibulon.store.jobfile import load

EXAMPLES = Path(__file__).resolve().parents[2] / "examples"
WINDOW = Resolution(FINE.points, 1, FINE.frames)  # what people see, in window, card and commands


def errors(case: Case, resolution: Resolution) -> list[float]:
    result = forecast(case.job, resolution)
    assert result.history.balance < 1e-7
    layer = result.model.slots[0]
    return [float(np.mean([result.probe(*p)[layer] for p in c.places])) / c.exact - 1 for c in case.checks]


CLOSED = [name for name, make in CASES.items() if make().checks]


@pytest.mark.parametrize("name", CLOSED)
def test_case_to_one_per_cent(name):
    case = CASES[name]()
    assert max(map(abs, errors(case, WINDOW))) <= 0.01, case.law


@pytest.mark.parametrize("name", list(CASES))
def test_the_file_is_the_case(name):
    """What a user opens is what is tested; examples/make.py writes it."""
    assert load(EXAMPLES / f"{name}.json").job == CASES[name]().job
    assert json.loads((EXAMPLES / f"{name}.json").read_text())["format"] == "bibulon-job"


def test_error_falls_with_the_mesh():
    def error(points: int) -> float:
        found = []
        for name in ("strip", "disc", "hose", "series-fast-slow", "strip-pump"):
            found += errors(CASES[name](), Resolution(points, 1, 32))
        return float(np.sqrt(np.mean(np.square(found))))

    assert error(4800) < error(300) / 2.5  # cells four times smaller; a quarter would be first order


def test_strip_fills_its_volume_and_no_more():
    result = forecast(CASES["strip"]().job, WINDOW)
    assert result.filled
    assert result.dry_area == 0
    assert result.resin_in_part == pytest.approx(0.3 * 0.005 * 0.5 * 1000, rel=1e-6)
