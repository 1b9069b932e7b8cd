"""How often a verdict that is taken while a test still records is wrong, and when it comes."""

from __future__ import annotations

import sys
from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from bibulon.core.leak.looks import Standing, standing
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest

__all__ = ["KINDS", "fixed_time", "played"]

Floats = npt.NDArray[np.float64]
RNG = np.random.Generator
LIMIT = 1.0  # Pa/s
LONGEST = 2400.0  # s


def _wander(rng: RNG, time: Floats, size: float, slow: float) -> Floats:
    keep = np.exp(-np.diff(time) / slow)
    out = [rng.normal() * size]
    for r in keep:
        out.append(r * out[-1] + np.sqrt(1 - r * r) * size * rng.normal())
    return np.array(out)


def tight(rng: RNG) -> float:
    """A bag that may be shot."""
    return LIMIT * float(rng.uniform(0.05, 0.6))


def leaky(rng: RNG) -> float:
    """One that may not."""
    return LIMIT * float(10 ** rng.uniform(np.log10(1.6), 1))


KINDS: dict[str, Callable[[RNG], float]] = {"tight": tight, "leaky": leaky}


def recorded(rng: RNG, rise: float) -> tuple[Floats, Floats]:
    """Return a log of a bag that gives off gas, on a gauge that is noisy, wanders a little and rounds to a tenth of a mbar or to one."""
    time = np.arange(0, LONGEST + 1, 4.0)
    p = 2500 + rise * time + rng.uniform(50, 600) * -np.expm1(-time / rng.uniform(30, 200))
    p = p + rng.normal(0, rng.uniform(3, 15), len(time))
    if rng.random() < 0.4:
        p = p + _wander(rng, time, rng.uniform(3, 15), rng.uniform(20, 120))
    step = float(rng.choice([10.0, 100.0]))
    return time, np.round(p / step) * step


def played(kind: str, seed: int) -> Standing:
    """Return where a test stood when it was decided, or at its end."""
    rng = np.random.default_rng([seed, len(kind)])
    time, pressure = recorded(rng, KINDS[kind](rng))
    readings = tuple(Reading(time=float(t), pressure=float(p)) for t, p in zip(time, pressure, strict=True))
    return standing(DropTest(readings=readings, volume=0.01), LIMIT)


def fixed_time(kind: str, count: int, share: float) -> float:
    """Return how long a test of one look must be [s] to decide a share of bags as well, by the same intervals."""
    from bibulon.core.leak.droptest import NINE_IN_TEN, fit_test

    for length in (120, 180, 240, 300, 420, 600, 900, 1200, 1800, 2400):
        told = 0
        for seed in range(count):
            rng = np.random.default_rng([seed, len(kind)])
            time, pressure = recorded(rng, KINDS[kind](rng))
            n = int(np.searchsorted(time, length)) + 1
            readings = tuple(
                Reading(time=float(t), pressure=float(p)) for t, p in zip(time[:n], pressure[:n], strict=True)
            )
            found = fit_test(DropTest(readings=readings, volume=0.01))
            low, high = found.spread.quantiles(*NINE_IN_TEN)
            told += high < LIMIT or low > LIMIT
        if told >= share * count:
            return float(length)
    return float("inf")


def main(*, quick: bool = False) -> None:
    """Print wrong, told and when."""
    count = 10 if quick else 300
    for kind in KINDS:
        ends = [played(kind, seed) for seed in range(count)]
        wrong = sum(e.outcome == ("leaks" if kind == "tight" else "good") for e in ends)
        told = [e.decided_at for e in ends if e.decided_at is not None]
        middle = float(np.median(told)) if told else float("nan")
        one = fixed_time(kind, min(count, 100), 0.5)
        print(
            f"{kind:<6} wrong {wrong / count:.1%}, told {len(told) / count:.0%} by {LONGEST / 60:.0f} min, "
            f"half of those by {middle:.0f} s; a test of one look tells half in {one:.0f} s   of {count}",
            flush=True,
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
