"""Permeability from a strip test: how far the front had run down a bench strip, against time.

Darcy's law for a strip under constant pull: x² = 2 K Δp (t − t₀) / (φ μ).  Positions carry the
scatter, so x = √(s (t − t₀)) is fitted by least squares and K = s φ μ / (2 Δp).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.units.words import tr

__all__ = ["Strip", "StripError", "StripResult", "fit_strip"]

Floats = npt.NDArray[np.float64]

LEVEL = 0.90  # of the interval that is told
LEAST = 4  # readings


class StripError(ValueError):
    """A strip test that tells no permeability; the text says why."""


class Strip(Struct, frozen=True):
    """A bench strip: pull Δp [Pa], viscosity [Pa s], porosity; readings (time [s], front position [m])."""

    pull: float
    viscosity: float
    porosity: float
    readings: tuple[tuple[float, float], ...]


class StripResult(Struct, frozen=True):
    """Permeability [m²] with its 90 % interval, when the front began [s], scatter of positions [m].

    exponent : of the time that the readings themselves follow; a strip that fills evenly has 0.5.
    """

    permeability: float
    interval: tuple[float, float]
    start: float
    scatter: float
    exponent: float
    strip: Strip

    @property
    def even(self) -> bool:
        """Whether the front went with the root of time, as Darcy's law has it."""
        return abs(self.exponent - 0.5) < 0.1

    def front(self, times: Floats) -> Floats:
        """Return the fitted front position at times [m], same shape."""
        s = self.strip
        rate = 2 * self.permeability * s.pull / (s.porosity * s.viscosity)
        return np.sqrt(rate * np.maximum(times - self.start, 0.0))


def fit_strip(strip: Strip, late_start: bool = False) -> StripResult:
    """Fit a strip test.

    Parameters
    ----------
    late_start : fit as well when the front began; otherwise it began at time 0.

    Raises
    ------
    StripError : too few readings, times that do not rise, a front that does not advance, or a pull,
        viscosity or porosity that cannot be.

    >>> readings = tuple((t, (2 * 1e-10 * 1e5 / (0.5 * 0.1) * t) ** 0.5) for t in (60.0, 120, 240, 480))
    >>> f"{fit_strip(Strip(1e5, 0.1, 0.5, readings)).permeability:.2e}"
    '1.00e-10'
    """
    _check(strip)
    used = np.array([r for r in strip.readings if r[0] > 0 and r[1] > 0])
    time, front = used[:, 0], used[:, 1]
    # With the start at 0 the model is linear in c: x = c √t.
    root = np.sqrt(time)
    c = float(front @ root / (root @ root))
    start, freedom = 0.0, len(time) - 1
    spread = math.sqrt(float(np.sum((front - c * root) ** 2)) / freedom)
    error = spread / math.sqrt(float(root @ root))
    if late_start:
        if len(time) < LEAST + 1:
            raise StripError(tr("To find when the front began, {} readings are needed.", LEAST + 1))
        c, start, error, spread = _late(time, front, c)
        freedom = len(time) - 2
    factor = strip.porosity * strip.viscosity / (2 * strip.pull)
    reach = float(scipy.special.stdtrit(freedom, (1 + LEVEL) / 2)) * error
    low, high = max(c - reach, 0.0), c + reach
    slope = np.polyfit(np.log(np.maximum(time - start, 1e-9)), np.log(front), 1)[0] if len(time) > 2 else 0.5
    return StripResult(
        factor * c * c, (factor * low * low, factor * high * high), start, spread, float(slope), strip
    )


def _late(time: Floats, front: Floats, c: float) -> tuple[float, float, float, float]:
    """Return c, the start, the standard error of c and the scatter of x = c √(t − t₀)."""

    def off(p: Floats) -> Floats:
        return np.asarray(p[0] * np.sqrt(np.maximum(time - p[1] * time[0], 1e-12)) - front)

    from scipy.optimize import least_squares  # a quarter of a second that the start does without

    fit = least_squares(off, [c, 0.0], bounds=([0.0, -10.0], [np.inf, 0.999]), x_scale=[c, 0.1])
    freedom = len(time) - 2
    spread = math.sqrt(float(np.sum(fit.fun**2)) / freedom)
    slopes = np.asarray(fit.jac, dtype=np.float64)
    covariance = np.linalg.pinv(slopes.T @ slopes) * spread**2
    return float(fit.x[0]), float(fit.x[1] * time[0]), math.sqrt(float(covariance[0, 0])), spread


def _check(strip: Strip) -> None:
    for name, value in (("pull", strip.pull), ("viscosity", strip.viscosity)):
        if not value > 0:
            raise StripError(tr("The {} must be more than nothing.", name))
    if not 0 < strip.porosity < 1:
        raise StripError(tr("The porosity must lie between 0 and 100 %."))
    times: Sequence[float] = [t for t, _ in strip.readings]
    for k, (a, b) in enumerate(itertools.pairwise(times), 2):
        if b <= a:
            raise StripError(tr("Reading {} is not later than the one before it.", k))
    if any(x < 0 for _, x in strip.readings) or any(t < 0 for t in times):
        raise StripError(tr("A time or position is negative."))
    useful = [x for t, x in strip.readings if t > 0 and x > 0]
    if len(useful) < LEAST:
        raise StripError(
            tr("{0} readings are too few: {1} or more, after the start, are needed.", len(useful), LEAST)
        )
    if useful[-1] <= useful[0]:
        raise StripError(tr("The front did not advance: the last position is not beyond the first."))
