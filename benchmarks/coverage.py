"""How often the stated interval of a leak holds the truth: seeded gauge logs of every family that a shop meets."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from bibulon.core.leak.droptest import NINE_IN_TEN, fit_test, judge
from bibulon.core.model.drop_test import Reading, Warmth
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import SCHOOLS

__all__ = ["FAMILIES", "held", "wrong_verdicts"]

Floats = npt.NDArray[np.float64]


class Log(NamedTuple):
    """Times [s], pressures [Pa], true rise [Pa/s], what the best could do, and the temperature [K] where it was logged.

    ``best`` is the standard error [Pa/s] of who knows the noise and how it fades, and fits level, rise and sizes.
    """

    time: Floats
    pressure: Floats
    rise: float
    best: float = np.nan
    warmth: Floats | None = None


RNG = np.random.Generator


def _line(rng: RNG) -> tuple[Floats, Floats, float]:
    span, step = float(rng.choice([300, 600, 900])), float(rng.choice([1, 2, 5]))
    time = np.arange(0, span + 1e-9, step)
    rise = float(10 ** rng.uniform(-1.5, 1))
    return time, 2000 + rise * time, rise


def _best(time: Floats, noise: float | Floats, *fades: Floats) -> float:
    """Return the standard error of the rise [Pa/s] by generalised least squares; noise [Pa], or its covariance (n, n)."""
    known = np.column_stack([np.ones_like(time), time, *(f / np.ptp(f) for f in fades)])
    weighed = known / noise**2 if isinstance(noise, float) else np.linalg.solve(noise, known)
    return float(np.sqrt(np.linalg.inv(known.T @ weighed)[1, 1]))


def _fade(rng: RNG, time: Floats) -> Floats:
    return np.asarray(rng.uniform(50, 800) * -np.expm1(-time / rng.uniform(20, 400)))


def _noisy(rng: RNG) -> tuple[Floats, Floats, float, float]:
    time, pressure, rise = _line(rng)
    noise = float(rng.uniform(3, 15))
    return time, pressure + rng.normal(0, noise, len(time)), rise, noise


def _wandering(rng: RNG) -> tuple[Floats, Floats, float, Floats]:
    """Return times, pressures, rise and the covariance of what the gauge errs by."""
    time, pressure, rise = _line(rng)
    noise = rng.uniform(1, 5)
    pressure = pressure + rng.normal(0, noise, len(time))
    size, slow = rng.uniform(5, 30), rng.uniform(20, 150)
    out = [rng.normal() * size]
    for r in np.exp(-np.diff(time) / slow):
        out.append(r * out[-1] + np.sqrt(1 - r * r) * size * rng.normal())
    apart = np.abs(np.subtract.outer(time, time))
    return (
        time,
        pressure + np.array(out),
        rise,
        noise**2 * np.eye(len(time)) + size**2 * np.exp(-apart / slow),
    )


def _rounded(pressure: Floats) -> Floats:
    return np.round(pressure / 100) * 100


def _with_step(noise: float) -> float:
    """Return noise [Pa] together with that of rounding to 1 mbar, as if it were without a memory."""
    return float(np.hypot(noise, 100 / np.sqrt(12)))


def white(rng: RNG) -> Log:
    """Noise without a memory."""
    t, p, a, noise = _noisy(rng)
    return Log(t, p, a, _best(t, noise))


def fading(rng: RNG) -> Log:
    """Outgassing that dies away."""
    t, p, a, noise = _noisy(rng)
    fade = _fade(rng, t)
    return Log(t, p + fade, a, _best(t, noise, fade))


def steps(rng: RNG) -> Log:
    """A gauge of 1 mbar."""
    t, p, a = _line(rng)
    noise = float(rng.uniform(1, 20))
    return Log(t, _rounded(p + rng.normal(0, noise, len(t))), a, _best(t, _with_step(noise)))


def fading_steps(rng: RNG) -> Log:
    """A gauge of 1 mbar, and outgassing."""
    t, p, a = _line(rng)
    fade = _fade(rng, t)
    noise = float(rng.uniform(1, 20))
    return Log(t, _rounded(p + fade + rng.normal(0, noise, len(t))), a, _best(t, _with_step(noise), fade))


def wandering(rng: RNG) -> Log:
    """A gauge that wanders slowly."""
    t, p, a, noise = _wandering(rng)
    return Log(t, p, a, _best(t, noise))


def wandering_fade(rng: RNG) -> Log:
    """A gauge that wanders, and outgassing."""
    t, p, a, noise = _wandering(rng)
    fade = _fade(rng, t)
    return Log(t, p + fade, a, _best(t, noise, fade))


def gaps(rng: RNG) -> Log:
    """A log with gaps."""
    t, p, a, noise = _noisy(rng)
    there = np.ones(len(t), dtype=bool)
    for start in rng.integers(1, len(t), 3):
        there[start : start + int(0.12 * len(t))] = False
    there[[0, -1]] = True
    return Log(t[there], p[there], a, _best(t[there], noise))


def hardly(rng: RNG) -> Log:
    """A gauge of 1 mbar that moves twice, once or never."""
    t = _line(rng)[0]
    a = float(rng.uniform(0.1, 2) * 100 / t[-1])
    return Log(t, _rounded(2000 + rng.uniform(0, 100) + a * t + rng.normal(0, 2, len(t))), a)


def warming(rng: RNG) -> Log:
    """A shop that warms up, logged by a thermometer of a tenth of a degree."""
    t, p, a, noise = _noisy(rng)
    there = 293.0 + rng.uniform(-6, 6) * (t / t[-1]) ** rng.uniform(0.6, 1.6)
    return Log(t, p * there / there[0], a, _best(t, noise), np.round(there, 1))


def fine_path(rng: RNG) -> Log:
    """A leak along a fibre: p = p_air tanh(...), with the rise at the start as the truth."""
    t, _, a = _line(rng)
    air, start = 101325.0, 2000.0
    rate = a * air / (air**2 - start**2)
    p = air * np.tanh(np.arctanh(start / air) + rate * t)
    noise = float(rng.uniform(3, 15))
    return Log(t, p + rng.normal(0, noise, len(t)), a, _best(t, noise))


def outside(rng: RNG) -> Log:
    """Outgassing that no single fade describes: two at once, or one that dies as 1/t."""
    t, p, a, noise = _noisy(rng)
    if rng.random() < 0.5:
        fades = [_fade(rng, t), _fade(rng, t)]
    else:
        fades = [rng.uniform(20, 150) * np.log1p(t / rng.uniform(5, 40))]
    return Log(t, p + sum(fades), a, _best(t, noise, *fades))


def tight(rng: RNG) -> Log:
    """A good bag: next to no leak or none, and outgassing."""
    t, p, a, noise = _noisy(rng)
    least = 0.0 if rng.random() < 0.4 else float(10 ** rng.uniform(-3, -1))
    fade = _fade(rng, t)
    return Log(t, p + (least - a) * t + fade, least, _best(t, noise, fade))


FAMILIES: dict[str, Callable[[RNG], Log]] = {
    f.__name__: f
    for f in (
        white,
        fading,
        steps,
        fading_steps,
        wandering,
        wandering_fade,
        gaps,
        hardly,
        warming,
        fine_path,
        outside,
        tight,
    )
}


def _test(log: Log) -> DropTest:
    readings = tuple(
        Reading(time=float(t), pressure=float(max(p, 0))) for t, p in zip(log.time, log.pressure, strict=True)
    )
    warmth = (
        ()
        if log.warmth is None
        else tuple(
            Warmth(time=float(t), temperature=float(k)) for t, k in zip(log.time, log.warmth, strict=True)
        )
    )
    return DropTest(readings=readings, volume=0.01, warmth=warmth)


class Held(NamedTuple):
    """How often the interval called 19 in 20 holds the truth, how often the truth lies above it, its width against the best (median); and that called nine in ten."""

    inside: float
    above: float
    width: float
    ninety: float


def held(family: str, count: int) -> Held:
    """Return how the stated intervals of a family hold."""
    rows = []
    for seed in range(count):
        log = FAMILIES[family](np.random.default_rng([seed, len(family)]))
        result = fit_test(_test(log))
        low, high = result.spread.quantiles(*NINE_IN_TEN)
        rows.append(
            (
                result.rise_low <= log.rise <= result.rise_high,
                log.rise > result.rise_high,
                (result.rise_high - result.rise_low) / (2 * 1.96 * log.best),
                low <= log.rise <= high,
            )
        )
    inside, above, width, ninety = np.array(rows, dtype=float).T
    return Held(float(inside.mean()), float(above.mean()), float(np.median(width)), float(ninety.mean()))


def wrong_verdicts(family: str, count: int) -> tuple[float, float, float]:
    """Return the shares of bad bags passed, of good bags failed, and of all bags that could not be told, by the rate over 10 L."""
    school = next(s for s in SCHOOLS if s.leak_limit)
    passed = failed = open_ = 0
    for seed in range(count):
        log = FAMILIES[family](np.random.default_rng([seed, len(family)]))
        test = _test(log)
        outcome = judge(test, fit_test(test), school).outcome
        bad = log.rise * 0.01 > school.leak_limit
        passed += bad and outcome == "pass"
        failed += not bad and outcome == "fail"
        open_ += outcome == "cannot tell"
    return passed / count, failed / count, open_ / count


def main(*, quick: bool = False) -> None:
    """Print how often the interval holds, and what verdicts come of it."""
    count = 20 if quick else 500
    print(
        f"{'family':<16}{'19 in 20':>9}{'above':>7}{'9 in 10':>9}{'of best':>9}{'bad passed':>12}{'good failed':>13}{'cannot tell':>13}   of {count}"
    )
    for family in FAMILIES:
        found = held(family, count)
        passed, failed, open_ = wrong_verdicts(family, count)
        print(
            f"{family:<16}{found.inside:>9.1%}{found.above:>7.1%}{found.ninety:>9.1%}{found.width:>9.1f}{passed:>12.1%}{failed:>13.1%}{open_:>13.1%}",
            flush=True,
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
