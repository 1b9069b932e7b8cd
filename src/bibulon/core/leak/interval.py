"""What a drop-test record can say of its leak: a distribution over every fade and every noise that it allows.

p(t) = p0 + a t + b f(t/τ), b ≥ 0, read by a gauge that is noisy, wanders and rounds.  What fades does so as
1 − e^(−t/τ), slower as 1 − e^(−√(t/τ)), or as gas out of a pack by ln(1 + t/τ).  For each kind of noise (share of slow
wander, its correlation time), each fade and each τ the rest is generalised least squares; the members are joined by
their marginal likelihood, so that nothing is chosen by a test and then believed.  a is a mixture of Student-t, drawn with
a fixed seed.  Least squares with white noise would hold the truth half as often as it says.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt
from scipy.linalg import solve_triangular
from scipy.special import gammaln, stdtr

__all__ = ["Spread", "fading", "gauge_step", "spread_of"]

Floats = npt.NDArray[np.float64]
BLOCKS = 90
SHARES = (0.15, 0.4, 0.7, 0.95)  # of the noise that wanders
WANDERS = (15.0, 45.0, 180.0)  # s, correlation times
FADES = 12  # times tried at first
SHAPES = 3  # exponential, stretched, logarithm
SHAPE_PRIOR = (1.0, 0.003, 0.003)
# Of what was seen to fade, over the record: what may still be coming in by another fade, too slow to bend the record.
UNSEEN = 0.25
WANDERING = 0.75  # by what share the tails are cut where all noise wanders: measured, bin/bench coverage
COARSE = 2.5  # by what the tails may be larger where a gauge's step is most of the doubt: it is taken as a slow error, worse than it is
LONGEST_FADE = 900.0  # s: fades slower than a short record must be allowed for
FADE_PRIOR = 2000.0  # Pa: what may fade, as a scale
DRAWS = 6000
LEAST_DRAWS = 60  # that a range is taken from
STEPS = (
    10_000.0,
    5_000.0,
    1_000.0,
    500.0,
    200.0,
    100.0,
    50.0,
    20.0,
    10.0,
    5.0,
    2.0,
    1.0,
)  # Pa, of gauges that never move


@dataclass(frozen=True, eq=False)
class Spread:
    """Draws of rise a [Pa/s], fade b [Pa] and its time τ [s], equally likely; and the likeliest curve.

    ``shape`` numbers how each fades; ``step`` is the gauge's step [Pa] where it is coarser than its noise, else 0;
    ``wandering`` the share of the belief that lies with slow noise.
    """

    rise: Floats
    fade: Floats
    tau: Floats
    shape: npt.NDArray[np.int_]
    curve: tuple[float, float, float, float, int]  # p0, a, b, τ, shape, from ``origin`` on
    origin: float  # s, the middle of the first block
    scatter: float
    step: float
    wandering: float
    span: float
    seen: float  # Pa between the lowest and the highest of the blocks
    falls: bool = False  # whether the pressure at the end is under that at the start, beyond noise and step

    def pressure(self, time: Floats) -> Floats:
        """Return the likeliest pressure [Pa] at times [s], same shape."""
        p0, a, b, tau, shape = self.curve
        since = np.asarray(time, dtype=float) - self.origin
        before = since / tau if shape != 1 else 0.0 * since
        return np.asarray(
            p0 + a * since + b * np.where(since < 0, before, fading(np.maximum(since, 0.0), tau, shape))
        )

    def quantiles(self, low: float, high: float) -> tuple[float, float]:
        """Return quantiles of the rise [Pa/s].

        Drawn wider where the noise wanders, for a wander looks like a fade, narrower where a step hides it; and the low end is lower by what a second,
        slow fade may still bring in: no record tells that from a leak.
        """
        cut = (1 - WANDERING * self.wandering) * (COARSE if self.step else 1.0)
        a, b = np.quantile(self.rise, low * cut), np.quantile(self._believed, 1 - (1 - high) * cut)
        # Nothing fell by more than the record shows, and nothing where it did not fall.
        lowest = -(self.seen + self.step) / self.span if self.falls else 0.0
        return max(float(a) - UNSEEN * self.slow, min(lowest, float(b))), float(b)

    @cached_property
    def _believed(self) -> Floats:
        """What the high end is taken from: no hole blows air out, so that where nothing falls only what rises is believed."""
        if self.falls:
            return self.rise
        rising = int((self.rise >= 0).sum())
        return np.maximum(np.sort(self.rise)[-max(rising, LEAST_DRAWS) :], 0.0)

    @cached_property
    def slow(self) -> float:
        """Return what faded in the likeliest half of the draws, over the length of the record [Pa/s]."""
        return min(max(float(np.median(self.faded(self.span))), 0.0), self.seen + self.step) / self.span

    def faded(self, seconds: float) -> Floats:
        """Return what has faded by a time [Pa], of every draw."""
        out = np.empty_like(self.rise)
        for shape in range(SHAPES):
            of = self.shape == shape
            out[of] = self.fade[of] * fading(np.array(seconds), self.tau[of], shape)
        return out

    def widened(self, deviation: float) -> Spread:
        """Return the spread with what no record can show [Pa/s, a standard deviation] laid over the rise."""
        if deviation <= 0:
            return self
        off = np.random.default_rng(21).normal(0.0, deviation, len(self.rise))
        return replace(self, rise=self.rise + off)

    def drop(self, seconds: float) -> tuple[float, float, float]:
        """Return what is lost in a time [Pa]: low end, middle and high end of 95 %."""
        lost = self.rise * seconds + self.faded(seconds)
        low, mid, high = np.quantile(lost, (0.025, 0.5, 0.975))
        return float(low - self.step / 2), float(mid), float(high + self.step / 2)


def fading(time: Floats, tau: Floats | float, shape: int) -> Floats:
    """Return f(t/τ) of one of the shapes in which a fade comes, broadcast."""
    x = time / tau
    if shape == 2:
        return np.asarray(np.log1p(x))
    return np.asarray(-np.expm1(-x if shape == 0 else -np.sqrt(x)))


def gauge_step(pressure: Floats) -> float:
    """Return the step in which a gauge moves [Pa]; 0 when its readings do not repeat.

    A gauge that never moved shows the coarsest step that its one reading is a multiple of.
    """
    values = np.unique(np.round(pressure, 6))
    if len(values) == 1:
        return next((s for s in STEPS if abs(values[0] / s - round(values[0] / s)) < 1e-6), STEPS[-1])
    if len(values) > 0.6 * len(pressure):
        return 0.0
    return float(np.diff(values).min())


def _blocks(time: Floats, pressure: Floats) -> tuple[Floats, Floats, Floats, float]:
    """Return mean times, mean pressures and counts of at most ``BLOCKS`` blocks, none across a gap, and their width."""
    if len(time) <= BLOCKS:
        return time, pressure, np.ones_like(time), 0.0
    width = float(time[-1]) / BLOCKS
    # A long record is kept ever more thinly: what is wide against its start is no gap as long as a block spans it.
    gaps = np.cumsum(np.r_[0, np.diff(time) > max(5 * float(np.median(np.diff(time))), width)])
    key = gaps * 10 * BLOCKS + np.minimum(time / width, BLOCKS - 1).astype(int)
    _, which, counts = np.unique(key, return_inverse=True, return_counts=True)
    mean = [np.bincount(which, v) / counts for v in (time, pressure)]
    return mean[0], mean[1], counts.astype(float), width


def _covariances(
    time: Floats, counts: Floats, width: float, dwell: float
) -> tuple[list[Floats], list[float]]:
    """Return the covariance of the noise, of one reading's variance, for every kind of it, and its share that wanders.

    ``dwell`` [s] is how long a coarse gauge stands on a step: a slow error of rounding, that is no wander.
    """
    apart = np.abs(np.subtract.outer(time, time))
    white = np.diag(1 / counts)
    out = [white]
    span = float(time[-1] - time[0])
    kinds = [(share, wander) for share in SHARES for wander in WANDERS if wander < span]
    wanders = [0.0, *(share for share, _ in kinds)]
    if dwell:
        slow = min(dwell / 3, span / 4)
        kinds += [(share, slow) for share in (0.7, 0.95, 0.999)]
        wanders += [0.0] * 3
    for share, wander in kinds:
        x = width / wander
        kept = 2 * (x - 1 + np.exp(-x)) / x**2 if x > 1e-3 else 1.0  # of its variance, in a block's mean
        out.append((1 - share) * white + share * kept * np.exp(-apart / wander))
    return out, wanders


def _members(
    time: Floats, pressure: Floats, lower: Floats, taus: Floats, floor: float
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Solve one kind of noise, by its Cholesky factor, for no fade (first) and every τ of every shape.

    Returns coefficients (m + 1, 3), their covariance less scale (m + 1, 3, 3), scale² (m + 1,), freedom (m + 1,)
    and the logarithm of the marginal likelihood (m + 1,).
    """
    n, m = len(time), SHAPES * len(taus)
    fades = np.column_stack([fading(time[:, None], taus, shape) for shape in range(SHAPES)])
    together = np.column_stack([np.ones(n), time, pressure, fades])
    columns = solve_triangular(lower, together, lower=True, check_finite=False)
    base, y, z = columns[:, :2], columns[:, 2], columns[:, 3:]
    normal = np.zeros((m + 1, 3, 3))
    normal[:, :2, :2] = base.T @ base
    normal[1:, :2, 2] = (base.T @ z).T
    normal[1:, 2, :2] = normal[1:, :2, 2]
    normal[1:, 2, 2] = (z * z).sum(axis=0)
    normal[0, 2, 2] = 1.0
    right = np.zeros((m + 1, 3))
    right[:, :2] = base.T @ y
    right[1:, 2] = z.T @ y
    size = np.sqrt(np.einsum("kii->ki", normal))
    scaled = normal / (size[:, :, None] * size[:, None, :])
    scaled[:, [0, 1, 2], [0, 1, 2]] += 1e-12
    inverse = np.linalg.inv(scaled) / (size[:, :, None] * size[:, None, :])
    coefficient = np.einsum("kij,kj->ki", inverse, right)
    residual = y[None, :] - coefficient[:, :2] @ base.T
    residual[1:] -= coefficient[1:, 2:3] * z.T
    freedom = np.r_[n - 2.0, np.full(m, n - 3.0)].clip(1.0)
    ssr = np.maximum((residual**2).sum(axis=1), freedom * floor)
    likely = (
        -np.log(np.diag(lower)).sum() + 0.5 * np.linalg.slogdet(inverse)[1] - freedom / 2 * np.log(ssr)
        + gammaln(freedom / 2) - freedom / 2 * np.log(np.pi)
    )  # fmt: skip
    return coefficient, inverse, ssr / freedom, freedom, likely


def spread_of(time: Floats, pressure: Floats, shown: float = 0.0) -> Spread:
    """Return what a record says of its leak.

    Parameters
    ----------
    time : from 0 on, rising [s], shape (n,), n ≥ 3.
    pressure : absolute [Pa], shape (n,).
    shown : smallest change that the gauge shows [Pa], where that is known; else it is looked for.
    """
    rough = float(np.std(np.diff(pressure)) / np.sqrt(2)) if len(time) > 3 else 0.0
    step = shown or gauge_step(pressure)
    step = step if step > rough else 0.0
    changes = int(np.count_nonzero(np.diff(pressure)))
    dwell = float(time[-1]) / (changes + 1) if step else 0.0
    at, mean, counts, width = _blocks(time, pressure)
    origin, start = at[0], mean[0]
    at, mean = at - origin, mean - start
    span = float(at[-1])
    covariances, wanders = _covariances(at, counts, width, dwell)
    jitter = 1e-12 * np.eye(len(at))
    noises = [np.asarray(np.linalg.cholesky(c + jitter), dtype=np.float64) for c in covariances]
    floor = max(step**2 / 12, 1e-14 * float(pressure @ pressure) / len(pressure), 1e-12)
    taus = np.geomspace(span / 40, max(span, LONGEST_FADE), FADES) if len(at) >= 6 else np.empty(0)
    for _ in range(2 if len(taus) else 0):  # on a coarse grid the bias of a exceeds its own interval
        likely = np.max([_members(at, mean, c, taus, floor)[4][1:] for c in noises], axis=0)
        best = int(np.argmax(likely.reshape(SHAPES, -1).max(axis=0)))
        near = taus[max(best - 1, 0) : best + 2]
        taus = np.union1d(taus, np.sqrt(near[1:] * near[:-1]))
    found = [_members(at, mean, c, taus, floor) for c in noises]
    return _joined(found, taus, wanders, start, origin, step, span, mean)


def _joined(
    found: Sequence[tuple[Floats, ...]],
    taus: Floats,
    wanders: Sequence[float],
    start: float,
    origin: float,
    step: float,
    span: float,
    mean: Floats,
) -> Spread:
    """Join the members by their likelihood, fades only as far as they rise, and draw from them."""
    coefficient, inverse, scale, freedom, likely = (np.concatenate([f[k] for f in found]) for k in range(5))
    tau = np.tile(np.r_[np.inf, np.tile(taus, SHAPES)], len(found))
    shapes = np.tile(np.r_[0, np.repeat(np.arange(SHAPES), len(taus))], len(found))
    faded = np.isfinite(tau)
    deviation = np.sqrt(np.maximum(scale * inverse[:, 2, 2], 1e-300))
    upward = np.where(faded, stdtr(freedom, coefficient[:, 2] / deviation), 1.0)
    spacing = np.gradient(np.log(taus)) if len(taus) > 1 else np.ones(len(taus))
    weight = np.tile(np.r_[1.0, np.outer(SHAPE_PRIOR, spacing / FADE_PRIOR).ravel()], len(found))
    with np.errstate(divide="ignore"):
        log = likely + np.log(weight) + np.log(np.maximum(upward, 1e-300))
    share = np.exp(log - log.max())
    share /= share.sum()
    rng = np.random.default_rng(20)
    rise, fade, times, kinds = [], [], [], []
    for k in np.flatnonzero(share > 1e-4):
        count = max(round(share[k] * DRAWS), 1)
        drawn = _draws(rng, coefficient[k], inverse[k] * scale[k], freedom[k], count, bool(faded[k]))
        rise.append(drawn[:, 0])
        fade.append(drawn[:, 1])
        times.append(np.full(count, tau[k] if faded[k] else 1.0))
        kinds.append(np.full(count, shapes[k]))
    best = int(np.argmax(np.where(coefficient[:, 2] >= 0, log, -np.inf)))
    b = float(coefficient[best, 2]) if faded[best] else 0.0
    curve = (
        float(start + coefficient[best, 0]), float(coefficient[best, 1]), b,
        float(tau[best]) if faded[best] else 1.0, int(shapes[best]),
    )  # fmt: skip
    return Spread(
        np.concatenate(rise),
        np.concatenate(fade),
        np.concatenate(times),
        np.concatenate(kinds),
        curve,
        float(origin),
        float(np.sqrt(scale[best])),
        step,
        float(np.repeat(wanders, len(share) // len(found)) @ share),
        span,
        float(np.ptp(mean)),
        _falls(mean, step),
    )


def _falls(mean: Floats, step: float) -> bool:
    """Whether the last fifth of the blocks lies under the first, by more than what they scatter."""
    fifth = max(len(mean) // 5, 1)
    first, last = mean[:fifth], mean[-fifth:]
    noise = float(np.std(np.diff(mean))) / np.sqrt(2) if len(mean) > 3 else 0.0
    return bool(last.mean() < first.mean() - max(3 * noise * np.sqrt(2 / fifth), step / 2))


def _draws(
    rng: np.random.Generator, middle: Floats, covariance: Floats, freedom: float, count: int, fading: bool
) -> Floats:
    """Draw (a, b) of a member, shape (count, 2); b ≥ 0."""
    if not fading:
        a = middle[1] + np.sqrt(covariance[1, 1]) * rng.standard_t(freedom, count)
        return np.column_stack([a, np.zeros(count)])
    root = np.linalg.cholesky(covariance[1:, 1:] + 1e-18 * np.trace(covariance[1:, 1:]) * np.eye(2))
    kept: list[Floats] = []
    short = count
    for _ in range(60):
        z = rng.standard_normal((4 * count + 40, 2)) @ root.T
        z /= np.sqrt(rng.chisquare(freedom, (len(z), 1)) / freedom)
        drawn = middle[1:] + z
        kept.append(drawn[drawn[:, 1] >= 0][:short])
        short -= len(kept[-1])
        if short <= 0:
            break
    out = np.concatenate(kept)
    if short > 0:  # a fade that the record all but rules out: at its edge
        out = np.concatenate([out, np.tile([middle[1], 0.0], (short, 1))])
    return out[:count]
