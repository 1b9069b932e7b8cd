"""Control charts of single parts: limits from a baseline, run rules, and a slow average that sees drift (ISO 7870-2, -6)."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.units.words import tr

__all__ = ["Chart", "Signal", "chart", "drift_words"]

Floats = npt.NDArray[np.float64]
D2 = 1.128  # mean range of two over σ
THREE, RANGE_TOP = 2.660, 3.267  # x̄ ± 2.660 MR̄, MR upper 3.267 MR̄
LEAST = 8  # points of a baseline with limits of its own
LAMBDA, WIDE = 0.2, 2.86  # EWMA
ONE_SIDED = 0.99865


class Signal(Struct, frozen=True):
    """A point that fires: its number from 0, which rule, and on which side, above 1 or below −1."""

    point: int
    rule: str
    side: int


class Chart(Struct, frozen=True, eq=False):
    """Values with mean, limits and σ of the baseline; nan limits where there are too few points.

    firm : whether the limits are a chart's own; else they are a prediction from few points.
    """

    values: Floats
    mean: float
    lower: float
    upper: float
    sigma: float
    firm: bool
    ewma: Floats
    ewma_lower: Floats
    ewma_upper: Floats
    signals: tuple[Signal, ...]


def chart(values: Sequence[float], baseline: int | None = None, step: float = 0.0) -> Chart:
    """Return the chart of a series.

    Parameters
    ----------
    values : in order, at least one.
    baseline : how many of the first ones the limits come from; by default up to twenty, never those that drift later.
    step : of the scale: the least σ is step/√12.

    Raises
    ------
    ValueError : without values, or with some that are no numbers.
    """
    x = np.asarray(values, dtype=float)
    if not len(x) or not np.isfinite(x).all():
        raise ValueError(tr("a chart wants values, all of them numbers"))
    n = min(baseline or 20, len(x))
    base = x[:n]
    mean = float(base.mean())
    floor = step / math.sqrt(12)
    if n >= LEAST:
        moving = float(np.abs(np.diff(base)).mean())
        sigma = max(moving / D2, floor)
        lower, upper, firm = mean - THREE * D2 * sigma, mean + THREE * D2 * sigma, True
    elif n >= 3:
        sigma = max(float(base.std(ddof=1)), floor)
        half = float(scipy.special.stdtrit(n - 1, ONE_SIDED)) * sigma * math.sqrt(1 + 1 / n)
        lower, upper, firm = mean - half, mean + half, False
    else:
        sigma, lower, upper, firm = floor, math.nan, math.nan, False
    i = np.arange(1, len(x) + 1)
    z = np.empty(len(x))
    last = mean
    for k, v in enumerate(x):
        last = LAMBDA * v + (1 - LAMBDA) * last
        z[k] = last
    half_z = WIDE * sigma * np.sqrt(LAMBDA / (2 - LAMBDA) * (1 - (1 - LAMBDA) ** (2 * i)))
    signals = _signals(x, mean, sigma, lower, upper, firm, z, half_z)
    return Chart(x, mean, lower, upper, sigma, firm, z, mean - half_z, mean + half_z, signals)


def _signals(
    x: Floats, mean: float, sigma: float, lower: float, upper: float, firm: bool, z: Floats, half: Floats
) -> tuple[Signal, ...]:
    out: list[Signal] = []
    for k, v in enumerate(x):
        side = 1 if v > mean else -1
        if math.isfinite(lower) and not lower <= v <= upper:
            out.append(Signal(k, "beyond the limits", side))
        if not firm or sigma <= 0:
            continue
        off = (x[: k + 1] - mean) / sigma * side
        if off[-1] > 2 and (off[-3:] > 2).sum() >= 2:
            out.append(Signal(k, "2 of 3 beyond 2 sigma", side))
        if off[-1] > 1 and len(off) >= 4 and (off[-5:] > 1).sum() >= 4:
            out.append(Signal(k, "4 of 5 beyond 1 sigma", side))
        if len(off) >= 8 and (off[-8:] > 0).all():
            out.append(Signal(k, "8 on one side", side))
        if abs(z[k] - mean) > half[k]:
            out.append(Signal(k, "slow average out", 1 if z[k] > mean else -1))
    return tuple(out)


# Which figures move together, and what that is usually: (figure, side) of all, words.
DRIFTS: tuple[tuple[dict[str, int], dict[str, int], str], ...] = (
    ({"leak": 1}, {}, tr("the leak rises: seals, tape or a tired bag")),
    (
        {"fill": 1},
        {"leak": 1},
        tr("filling takes longer while the leak is flat: colder resin, or more glass in the mould"),
    ),
    (
        {"caught": 1},
        {"mass": 1},
        tr("more in the catch pot while parts weigh the same: the feed is shut late"),
    ),
    ({"mass": 1}, {"caught": 1}, tr("parts get heavier: a mould that wears, or a thicker load")),
    ({"mass": -1}, {}, tr("parts get lighter: glass left out, or resin shut off early")),
    ({"demould": 1}, {}, tr("hardening takes longer: old resin, less peroxide, or a colder shop")),
    ({"shot": 1}, {"mass": 1}, tr("more is shot while parts weigh the same: it goes past the vent")),
)


def drift_words(moved: dict[str, int]) -> list[str]:
    """Return what figures that drift together (1 up, −1 down) are usually, the first that fit."""
    out = []
    for wanted, flat, words in DRIFTS:
        if all(moved.get(k) == s for k, s in wanted.items()) and all(
            moved.get(k) != s for k, s in flat.items()
        ):
            out.append(words)
    return out
