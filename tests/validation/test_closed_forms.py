"""Forecasts of the jobs in examples/ against closed forms, to 1 %."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from bibulon.core.flow.forecast import FINE, Forecast, Resolution, forecast
from bibulon.store.jobfile import load

EXAMPLES = Path(__file__).resolve().parents[2] / "examples"
MU, PULL, PHI, K = 0.1, 1e5, 0.5, 1e-10


def run(name: str, resolution: Resolution = FINE) -> Forecast:
    return forecast(load(EXAMPLES / f"{name}.json").job, resolution)


def across(result: Forecast, x: float, layer: str = "plies") -> float:
    """Mean over seven places across a strip 0.3 m wide: single points carry the mesh's grain."""
    return float(np.mean([result.probe(x, y)[layer] for y in np.linspace(0.03, 0.27, 7)]))


def test_strip_follows_the_square_of_the_distance():
    # t = φ μ x² / (2 K Δp)
    result = run("strip")
    for x in (0.3, 0.5, 0.8):
        assert across(result, x) == pytest.approx(PHI * MU * x**2 / (2 * K * PULL), rel=0.01)
    assert result.fill_time == pytest.approx(PHI * MU / (2 * K * PULL), rel=0.01)
    assert result.resin_in_part == pytest.approx(0.3 * 0.005 * PHI * 1000, rel=1e-6)
    assert result.filled
    assert result.dry_area == 0


def test_disc_follows_the_radial_law():
    # t = φ μ / (4 K Δp) · [2 R² ln(R/r0) − R² + r0²]
    result, r0 = run("disc"), 0.05
    for radius in (0.25, 0.35, 0.45):
        exact = PHI * MU / (4 * K * PULL) * (2 * radius**2 * math.log(radius / r0) - radius**2 + r0**2)
        told = np.mean(
            [
                result.probe(radius * math.cos(a), radius * math.sin(a))["plies"]
                for a in np.linspace(0.1, 6.2, 9)
            ]
        )
        assert told == pytest.approx(exact, rel=0.01)


@pytest.mark.parametrize(
    ("name", "near", "far"), [("series-fast-slow", 2e-10, 5e-11), ("series-slow-fast", 5e-11, 2e-10)]
)
def test_zones_in_series_add_their_resistances(name, near, far):
    # In the far half φ μ x' dx'/dt = Δp / (l/K_near + x'/K_far): t = φ μ/Δp (l²/2K_near + l x'/K_near + x'²/2K_far)
    result, half = run(name), 0.5
    for x in (0.35, 0.7, 0.9):
        beyond = max(x - half, 0.0)
        reached = min(x, half)
        exact = PHI * MU / PULL * (reached**2 / (2 * near) + half * beyond / near + beyond**2 / (2 * far))
        assert across(result, x) == pytest.approx(exact, rel=0.01)


def test_error_falls_with_the_mesh():
    def error(points: int) -> float:
        result = run("strip", Resolution(points, 1, 32))
        places = np.linspace(0.2, 0.9, 15)
        told = np.array([across(result, x) for x in places])
        return float(np.sqrt(np.mean((told / (PHI * MU * places**2 / (2 * K * PULL)) - 1) ** 2)))

    assert error(4000) < error(250) / 2.5  # cells four times smaller
