"""The ways in which what a bag gives off dies away: once, twice, or on and on."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

__all__ = ["Fades", "fading", "refined"]

Floats = npt.NDArray[np.float64]
SHAPES = 3  # exponential, stretched, logarithm
SHAPE_PRIOR = (1.0, 0.003, 0.02)
SOONER = (1.0, 1.0, 5.0)  # by what the times tried are shorter: a logarithm goes on long after its own
# Two fades at once, as f = (1 − w) f(t/τ) + w f(t/τ₂): how likely against one, at what shares w, and how far apart.
TWO = 0.06
PARTS = (0.2, 0.4, 0.6, 0.8)
PAIRED = 7  # times of which the pairs are made
APART = 1.8
FADE_PRIOR = 2000.0  # Pa: what may fade, as a scale


class Fades(Struct, frozen=True, eq=False):
    """Ways to fade, f = (1 − w) f(t/τ) + w (1 − e^(−t/τ₂)); all of shape (m,), with how likely each is before it is tried."""

    tau: Floats  # s
    shape: npt.NDArray[np.int_]
    later: Floats  # s, τ₂; infinite where there is one
    part: Floats  # w
    prior: Floats

    @classmethod
    def single(cls, taus: Floats) -> Fades:
        """Return one fade of every shape at times [s], likely alike in their logarithm."""
        m = len(taus)
        spacing = np.gradient(np.log(taus)) if m > 1 else np.ones(m)
        return cls(
            np.concatenate([taus / SOONER[shape] for shape in range(SHAPES)]),
            np.repeat(np.arange(SHAPES), m),
            np.full(SHAPES * m, np.inf),
            np.zeros(SHAPES * m),
            np.outer(SHAPE_PRIOR, spacing / FADE_PRIOR).ravel(),
        )

    @classmethod
    def two(cls, shortest: float, longest: float) -> Fades:
        """Return two exponential fades at once, of times between two [s] that are well apart."""
        taus = np.geomspace(shortest, longest, PAIRED)
        pairs = [(a, b, w) for a in taus for b in taus if b > APART * a for w in PARTS]
        return cls._paired(pairs, TWO * np.log(longest / shortest) / FADE_PRIOR / len(pairs))

    @classmethod
    def _paired(cls, pairs: list[tuple[float, float, float]], prior: float) -> Fades:
        tau, later, part = np.array(pairs).T
        return cls(tau, np.zeros(len(tau), dtype=int), later, part, np.full(len(tau), prior))

    def around(self, k: int) -> Fades:
        """Return what lies half a step about one way with two fades: on a coarse grid the bias exceeds the interval."""
        half = float(
            (self.later[self.part > 0].max() / self.tau[self.part > 0].min()) ** (0.5 / (PAIRED - 1))
        )
        step = (PARTS[1] - PARTS[0]) / 2
        near = [
            (self.tau[k] * half**i, self.later[k] * half**j, self.part[k] + step * n)
            for i in (-1, 0, 1) for j in (-1, 0, 1) for n in (-1, 0, 1) if i or j or n
        ]  # fmt: skip
        return self._paired(near, float(self.prior[k]) / 8)

    def joined(self, other: Fades) -> Fades:
        """Return both lists of ways, one after the other."""
        return Fades(
            *(
                np.concatenate([getattr(self, f), getattr(other, f)])
                for f in ("tau", "shape", "later", "part", "prior")
            )
        )

    def at(self, time: Floats) -> Floats:
        """Return f of every way at times [s] of shape (n,): (n, m)."""
        out = np.empty((len(time), len(self.tau)))
        for k, (tau, shape) in enumerate(zip(self.tau, self.shape, strict=True)):
            out[:, k] = fading(time, tau, int(shape))
        second = np.flatnonzero(self.part)
        slow = fading(time[:, None], self.later[second], 0)
        out[:, second] += self.part[second] * (slow - out[:, second])
        return out


def fading(time: Floats, tau: Floats | float, shape: int) -> Floats:
    """Return f(t/τ) of one of the shapes in which a fade comes, broadcast."""
    x = time / tau
    if shape == 2:
        return np.asarray(np.log1p(x))
    return np.asarray(-np.expm1(-x if shape == 0 else -np.sqrt(x)))


def refined(taus: Floats, way: int) -> Floats:
    """Return times [s], rising, with more of them about the one of a way of ``Fades.single``."""
    k = way % len(taus)
    near = taus[max(k - 1, 0) : k + 2]
    return np.union1d(taus, np.sqrt(near[1:] * near[:-1]))
