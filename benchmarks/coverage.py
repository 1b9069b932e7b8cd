"""How often the stated interval of a leak holds the truth: seeded gauge logs of every family that a shop meets."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from bibulon.core.leak.droptest import fit_test, judge
from bibulon.core.model.job import DropTest, Reading, Warmth
from bibulon.core.model.rules import SCHOOLS

__all__ = ["FAMILIES", "held", "wrong_verdicts"]

Floats = npt.NDArray[np.float64]


class Log(NamedTuple):
    """Times [s], pressures [Pa], true rise [Pa/s], and the temperature [K] where it was logged."""

    time: Floats
    pressure: Floats
    rise: float
    warmth: Floats | None = None


RNG = np.random.Generator


def _line(rng: RNG) -> Log:
    span, step = float(rng.choice([300, 600, 900])), float(rng.choice([1, 2, 5]))
    time = np.arange(0, span + 1e-9, step)
    rise = float(10 ** rng.uniform(-1.5, 1))
    return Log(time, 2000 + rise * time, rise)


def _fade(rng: RNG, time: Floats) -> Floats:
    return np.asarray(rng.uniform(50, 800) * -np.expm1(-time / rng.uniform(20, 400)))


def _wander(rng: RNG, time: Floats) -> Floats:
    size, slow = rng.uniform(5, 30), rng.uniform(20, 150)
    keep = np.exp(-np.diff(time) / slow)
    out = [rng.normal() * size]
    for r in keep:
        out.append(r * out[-1] + np.sqrt(1 - r * r) * size * rng.normal())
    return np.array(out)


def _rounded(pressure: Floats) -> Floats:
    return np.round(pressure / 100) * 100


def white(rng: RNG) -> Log:
    """Noise without a memory."""
    t, p, a, _ = _line(rng)
    return Log(t, p + rng.normal(0, rng.uniform(3, 15), len(t)), a)


def fading(rng: RNG) -> Log:
    """Outgassing that dies away."""
    t, p, a, _ = white(rng)
    return Log(t, p + _fade(rng, t), a)


def steps(rng: RNG) -> Log:
    """A gauge of 1 mbar."""
    t, p, a, _ = _line(rng)
    return Log(t, _rounded(p + rng.normal(0, rng.uniform(1, 20), len(t))), a)


def fading_steps(rng: RNG) -> Log:
    """A gauge of 1 mbar, and outgassing."""
    t, p, a, _ = _line(rng)
    return Log(t, _rounded(p + _fade(rng, t) + rng.normal(0, rng.uniform(1, 20), len(t))), a)


def wandering(rng: RNG) -> Log:
    """A gauge that wanders slowly."""
    t, p, a, _ = _line(rng)
    return Log(t, p + rng.normal(0, rng.uniform(1, 5), len(t)) + _wander(rng, t), a)


def wandering_fade(rng: RNG) -> Log:
    """A gauge that wanders, and outgassing."""
    t, p, a, _ = wandering(rng)
    return Log(t, p + _fade(rng, t), a)


def gaps(rng: RNG) -> Log:
    """A log with gaps."""
    t, p, a, _ = white(rng)
    there = np.ones(len(t), dtype=bool)
    for start in rng.integers(1, len(t), 3):
        there[start : start + int(0.12 * len(t))] = False
    there[[0, -1]] = True
    return Log(t[there], p[there], a)


def hardly(rng: RNG) -> Log:
    """A gauge of 1 mbar that moves twice, once or never."""
    t, _, _, _ = _line(rng)
    a = float(rng.uniform(0.1, 2) * 100 / t[-1])
    return Log(t, _rounded(2000 + rng.uniform(0, 100) + a * t + rng.normal(0, 2, len(t))), a)


def warming(rng: RNG) -> Log:
    """A shop that warms up, logged by a thermometer of a tenth of a degree."""
    t, p, a, _ = white(rng)
    there = 293.0 + rng.uniform(-6, 6) * (t / t[-1]) ** rng.uniform(0.6, 1.6)
    return Log(t, p * there / there[0], a, np.round(there, 1))


def fine_path(rng: RNG) -> Log:
    """A leak along a fibre: p = p_air tanh(...), with the rise at the start as the truth."""
    t, _, a, _ = _line(rng)
    air, start = 101325.0, 2000.0
    rate = a * air / (air**2 - start**2)
    p = air * np.tanh(np.arctanh(start / air) + rate * t)
    return Log(t, p + rng.normal(0, rng.uniform(3, 15), len(t)), a)


def outside(rng: RNG) -> Log:
    """Outgassing that no single fade describes: two at once, or one that dies as 1/t."""
    t, p, a, _ = white(rng)
    if rng.random() < 0.5:
        return Log(t, p + _fade(rng, t) + _fade(rng, t), a)
    return Log(t, p + rng.uniform(20, 150) * np.log1p(t / rng.uniform(5, 40)), a)


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


def held(family: str, count: int) -> tuple[float, float, float]:
    """Return how often the interval holds the truth, how often the truth lies above it, and its median width [Pa over the span]."""
    inside = above = 0
    widths = []
    for seed in range(count):
        log = FAMILIES[family](np.random.default_rng([seed, len(family)]))
        result = fit_test(_test(log))
        inside += result.rise_low <= log.rise <= result.rise_high
        above += log.rise > result.rise_high
        widths.append((result.rise_high - result.rise_low) * log.time[-1])
    return inside / count, above / count, float(np.median(widths))


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
        f"{'family':<16}{'held':>7}{'above':>7}{'width':>9}{'bad passed':>12}{'good failed':>13}{'cannot tell':>13}   of {count}"
    )
    for family in FAMILIES:
        inside, above, width = held(family, count)
        passed, failed, open_ = wrong_verdicts(family, count)
        print(
            f"{family:<16}{inside:>7.1%}{above:>7.1%}{width:>6.0f} Pa{passed:>12.1%}{failed:>13.1%}{open_:>13.1%}",
            flush=True,
        )


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
