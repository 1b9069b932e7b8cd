"""What a drop-test record can say of its leak: a distribution over every fade and every noise that it allows.

p(t) = p0 + a t + b f(t/τ), b ≥ 0, read by a gauge that is noisy, wanders and rounds.  What fades does so as
1 − e^(−t/τ), slower as 1 − e^(−√(t/τ)), or as gas out of a pack by ln(1 + t/τ).  For each kind of noise (share of slow
wander, its correlation time), each fade and each τ the rest is generalised least squares; the members are joined by
their marginal likelihood, so that nothing is chosen by a test and then believed.  a is a mixture of Student-t, drawn with
a fixed seed.  Least squares with white noise would hold the truth half as often as it says.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.leak.fades import Fades, refined

__all__ = ["Spread", "gauge_step", "spread_of"]

Floats = npt.NDArray[np.float64]
BLOCKS = 90
SHARES = (0.15, 0.4, 0.7, 0.95)  # of the noise that wanders
WANDERS = (15.0, 45.0, 180.0)  # s, correlation times
FADES = 12  # times tried at first
PLAUSIBLE = 0.01  # of the likeliest kind of noise: those that are less are left out once each was tried
WANDERING = 0.75  # by what share the tails are cut where all noise wanders: measured, bin/bench coverage
COARSE = 2.5  # by what the tails may be larger where a gauge's step is most of the doubt: it is taken as a slow error, worse than it is
LONGEST_FADE = 900.0  # s: fades slower than a short record must be allowed for
DRAWS = 6000
LEAST_DRAWS = 60  # that a range is taken from
LEAST_SHARE = 1e-4  # of the belief, that anything is drawn for
TRIES = 60  # at a fade that rises
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


class Spread(Struct, frozen=True, eq=False, dict=True):
    """Draws of rise a [Pa/s] and fade b [Pa], each of a way to fade, equally likely; and the likeliest curve.

    ``way`` numbers how each fades in ``fades``, −1 where nothing does; ``step`` is the gauge's step [Pa] where it is coarser than its noise, else 0;
    ``wandering`` the share of the belief that lies with slow noise.
    """

    rise: Floats
    fade: Floats
    way: npt.NDArray[np.int_]
    fades: Fades
    curve: tuple[float, float, float, int]  # p0, a, b and its way, from ``origin`` on
    origin: float  # s, the middle of the first block
    scatter: float
    step: float
    wandering: float
    span: float
    seen: float  # Pa between the lowest and the highest of the blocks
    falls: bool = False  # whether the pressure at the end is under that at the start, beyond noise and step

    def pressure(self, time: Floats) -> Floats:
        """Return the likeliest pressure [Pa] at times [s], same shape."""
        p0, a, b, way = self.curve
        since = np.asarray(time, dtype=float) - self.origin
        if way < 0:
            return np.asarray(p0 + a * since)
        # Before the first block, by the slope that it begins with.
        early = np.minimum(since, 0.0) * self.fades.at(np.array([1e-3]))[0, way] / 1e-3
        faded = self.fades.at(np.maximum(since, 0.0).ravel())[:, way].reshape(since.shape)
        return np.asarray(p0 + a * since + b * (faded + (early if self.fades.shape[way] != 1 else 0.0)))

    def quantiles(self, low: float, high: float) -> tuple[float, float]:
        """Return quantiles of the rise [Pa/s].

        Drawn wider where the noise wanders, for a wander looks like a fade, narrower where a step hides it.
        """
        cut = (1 - WANDERING * self.wandering) * (COARSE if self.step else 1.0)
        a, b = np.quantile(self.rise, low * cut), np.quantile(self._believed, 1 - (1 - high) * cut)
        # Nothing fell by more than the record shows, and nothing where it did not fall.
        lowest = -(self.seen + self.step) / self.span if self.falls else 0.0
        return max(float(a), min(lowest, float(b))), float(b)

    @cached_property
    def _believed(self) -> Floats:
        """What the high end is taken from: no hole blows air out, so that where nothing falls only what rises is believed.

        Where hardly any draw rises, the highest of them stand for those that would: how a tail falls off beyond a point
        is much the same wherever in the tail the point lies.  A tight bag's high end would jump to nought without it.
        """
        if self.falls:
            return self.rise
        rising = int((self.rise >= 0).sum())
        believed = np.sort(self.rise)[-max(rising, LEAST_DRAWS) :]
        return believed - min(float(believed[0]), 0.0)

    def faded(self, seconds: float) -> Floats:
        """Return what has faded by a time [Pa], of every draw."""
        return np.asarray(self.fade * np.r_[self.fades.at(np.array([seconds]))[0], 0.0][self.way])

    @property
    def slow_share(self) -> float:
        """Return in what share of the draws that fade it takes more than half of the record to do so."""
        tau = np.where(self.fades.part > 0, self.fades.later, self.fades.tau)[self.way[self.way >= 0]]
        return float((tau > self.span / 2).mean()) if len(tau) else 0.0

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


class _Noises(Struct, frozen=True, eq=False):
    """Kinds of noise: L⁻¹ of each covariance L Lᵀ, which makes it white, shape (k, n, n), and log det L⁻¹, shape (k,)."""

    whitening: Floats
    volume: Floats

    @classmethod
    def of(cls, covariances: Sequence[Floats]) -> _Noises:
        """Take covariances, each positive definite."""
        lower = np.linalg.cholesky(np.array(covariances) + 1e-12 * np.eye(len(covariances[0])))
        inverse = np.array([scipy.linalg.lapack.dtrtri(one, lower=1)[0] for one in lower])
        return cls(inverse, -np.log(np.diagonal(lower, axis1=1, axis2=2)).sum(axis=1))

    def some(self, which: Sequence[int]) -> _Noises:
        """Return some of them."""
        return _Noises(self.whitening[which], self.volume[which])


def _solved(
    time: Floats, pressure: Floats, noises: _Noises, fades: Floats, floor: float
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Solve every kind of noise for no fade (first) and every way to fade, (n, m), all at once.

    Returns coefficients (k, m + 1, 3), their covariance less scale (k, m + 1, 3, 3), scale² (k, m + 1), freedom (m + 1,)
    and the logarithm of the marginal likelihood (k, m + 1).
    """
    n, m = fades.shape
    columns = noises.whitening @ np.column_stack([np.ones(n), time, pressure, fades])
    # Level and slope are taken off first: what is left has one unknown for each way to fade.
    across, upper = np.linalg.qr(columns[:, :, :2])
    along = across.transpose(0, 2, 1) @ columns[:, :, 2:]
    rest = columns[:, :, 2:] - across @ along
    y, z = rest[:, :, 0], rest[:, :, 1:]
    back = np.linalg.inv(upper)
    level, shared = back @ along[:, :, :1], back @ along[:, :, 1:]
    own = np.einsum("knm,knm->km", z, z)
    own += 1e-12 * (
        own + np.einsum("kim,kim->km", along[:, :, 1:], along[:, :, 1:])
    )  # a fade may look like a slope
    faded = np.einsum("knm,kn->km", z, y) / own
    k = len(columns)
    coefficient = np.zeros((k, m + 1, 3))
    coefficient[:, :, :2] = level.transpose(0, 2, 1)
    coefficient[:, 1:, :2] -= (shared * faded[:, None, :]).transpose(0, 2, 1)
    coefficient[:, 1:, 2] = faded
    inverse = np.zeros((k, m + 1, 3, 3))
    inverse[:, :, :2, :2] = (back @ back.transpose(0, 2, 1))[:, None]
    inverse[:, 1:, :2, :2] += np.einsum("kim,kjm->kmij", shared, shared / own[:, None, :])
    inverse[:, 1:, :2, 2] = inverse[:, 1:, 2, :2] = -(shared / own[:, None, :]).transpose(0, 2, 1)
    inverse[:, 0, 2, 2], inverse[:, 1:, 2, 2] = 1.0, 1 / own
    residual = np.empty((k, n, m + 1))
    residual[:, :, 0] = y
    residual[:, :, 1:] = y[:, :, None] - z * faded[:, None, :]
    freedom = np.r_[n - 2.0, np.full(m, n - 3.0)].clip(1.0)
    ssr = np.maximum(np.einsum("knm,knm->km", residual, residual), freedom * floor)
    volume = noises.volume - np.log(np.abs(np.diagonal(upper, axis1=1, axis2=2))).sum(axis=1)
    likely = (
        volume[:, None] - np.column_stack([np.zeros(k), np.log(own)]) / 2 - freedom / 2 * np.log(ssr)
        + scipy.special.gammaln(freedom / 2) - freedom / 2 * np.log(np.pi)
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
    noises = _Noises.of(covariances)
    floor = max(step**2 / 12, 1e-14 * float(pressure @ pressure) / len(pressure), 1e-12)
    taus = np.geomspace(span / 40, max(span, LONGEST_FADE), FADES) if len(at) >= 6 else np.empty(0)

    def tried(fades: Fades, noises: _Noises) -> list[_Members]:
        return _Members.weighed(_solved(at, mean, noises, fades.at(at), floor), fades)

    kinds: Sequence[int] = range(len(covariances))
    fades = Fades.single(taus)
    found = tried(fades, noises)
    if len(taus):
        # On a coarse grid the bias of a exceeds its own interval: finer about the likeliest, where the noise is likely.
        least = max(f.log.max() for f in found) + np.log(PLAUSIBLE)
        kinds = [k for k, f in enumerate(found) if f.log.max() > least]
        found, noises = [found[k] for k in kinds], noises.some(kinds)
        for _ in range(2):
            taus = refined(taus, _likeliest(found))
            fades = Fades.single(taus)
            found = tried(fades, noises)
        pairs = Fades.two(float(taus[0]), float(taus[-1]))
        fades = fades.joined(pairs).joined(pairs.around(_likeliest(tried(pairs, noises))))
        found = tried(fades, noises)
    wanders = [wanders[k] for k in kinds]
    return _joined(found, fades, wanders, start, origin, step, span, mean)


def _likeliest(found: Sequence[_Members]) -> int:
    """Return the way to fade that is the likeliest under any noise."""
    return int(np.argmax(np.max([f.log[1:] for f in found], axis=0)))


class _Members(Struct, frozen=True, eq=False):
    """What a kind of noise makes of every way to fade, no fade first, with the logarithm of its belief."""

    coefficient: Floats  # (m + 1, 3)
    covariance: Floats  # (m + 1, 3, 3)
    scale: Floats  # (m + 1,)
    freedom: Floats
    log: Floats
    fades: npt.NDArray[np.bool_]

    def some(self, which: npt.NDArray[np.int_]) -> _Members:
        """Return some of them."""
        return _Members(*(getattr(self, name)[which] for name in self.__struct_fields__))

    @classmethod
    def together(cls, parts: Sequence[_Members]) -> _Members:
        """Return all of several, one after the other."""
        return cls(*(np.concatenate([getattr(p, name) for p in parts]) for name in cls.__struct_fields__))

    @classmethod
    def weighed(cls, found: tuple[Floats, Floats, Floats, Floats, Floats], fades: Fades) -> list[_Members]:
        """Weigh what was solved by what is believed before, fades only as far as they rise; one for each kind of noise."""
        coefficient, inverse, scale, freedom, likely = found
        deviation = np.sqrt(np.maximum(scale * inverse[..., 2, 2], 1e-300))
        upward = scipy.special.stdtr(freedom, coefficient[..., 2] / deviation)
        upward[:, 0] = 1.0
        log = likely + np.log(np.r_[1.0, fades.prior]) + np.log(np.maximum(upward, 1e-300))
        covariance, faded = inverse * scale[..., None, None], np.arange(log.shape[1]) > 0
        return [cls(coefficient[k], covariance[k], scale[k], freedom, log[k], faded) for k in range(len(log))]


def _joined(
    found: Sequence[_Members],
    fades: Fades,
    wanders: Sequence[float],
    start: float,
    origin: float,
    step: float,
    span: float,
    mean: Floats,
) -> Spread:
    """Join the members by their belief, and draw from them."""
    most = max(f.log.max() for f in found)
    whole = sum(float(np.exp(f.log - most).sum()) for f in found)
    rng = np.random.default_rng(20)
    shares = [np.exp(f.log - most) / whole for f in found]
    kept = [np.flatnonzero(share > LEAST_SHARE) for share in shares]
    members = _Members.together([f.some(k) for f, k in zip(found, kept, strict=True)])
    counts = np.concatenate([np.maximum(np.rint(s[k] * DRAWS), 1) for s, k in zip(shares, kept, strict=True)])
    counts = counts.astype(int)
    rise, fade = _draws(rng, members, counts)
    likeliest = [np.where(f.coefficient[:, 2] >= 0, f.log, -np.inf) for f in found]
    noise = int(np.argmax([log.max() for log in likeliest]))
    best = int(np.argmax(likeliest[noise]))
    p0, a, b = found[noise].coefficient[best]
    return Spread(
        rise,
        fade,
        np.repeat(np.concatenate(kept) - 1, counts),
        fades,
        (float(start + p0), float(a), float(b) if best else 0.0, best - 1),
        float(origin),
        float(np.sqrt(found[noise].scale[best])),
        step,
        float(sum(wander * share.sum() for wander, share in zip(wanders, shares, strict=True))),
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
    rng: np.random.Generator, members: _Members, counts: npt.NDArray[np.int_]
) -> tuple[Floats, Floats]:
    """Draw a and b of each member as often as it counts, shape (sum of counts,); b ≥ 0, and 0 where it does not fade."""
    which = np.repeat(np.arange(len(counts)), counts)
    first = np.sqrt(members.covariance[:, 1, 1])
    across = members.covariance[:, 1, 2] / first
    second = np.sqrt(np.maximum(members.covariance[:, 2, 2] - across**2, 0.0))
    # What the record all but rules out stays at its edge.
    a, b = members.coefficient[which, 1], np.zeros(len(which))
    left = np.arange(len(which))
    for _ in range(TRIES):
        k = which[left]
        z = rng.standard_normal((2, len(k))) / np.sqrt(rng.chisquare(members.freedom[k]) / members.freedom[k])
        fade = np.where(
            members.fades[k], members.coefficient[k, 2] + across[k] * z[0] + second[k] * z[1], 0.0
        )
        good = fade >= 0
        a[left[good]] = (members.coefficient[k, 1] + first[k] * z[0])[good]
        b[left[good]] = fade[good]
        left = left[~good]
        if not len(left):
            break
    return a, b
