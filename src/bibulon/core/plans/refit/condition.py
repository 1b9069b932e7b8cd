"""Conditioning on marks: what is known once some places were seen wet, and some not yet."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

from bibulon.core.plans.refit.basis import Basis, Columns

__all__ = ["Seen", "Told", "condition", "evidence"]

Floats = npt.NDArray[np.float64]
FREEDOM = 4.0  # of the Student-t before any mark
DRAWS, SWEEPS = 60, 4  # for marks that say "not yet"


class Seen(Struct, frozen=True, eq=False):
    """Marks as outputs: passed ones at y with variance r; ones that were not yet wet at y, as bounds.

    passed, dry : columns; y, r, bound : shapes of them.
    """

    passed: Columns
    y: Floats
    r: Floats
    dry: Columns
    bound: Floats


class Told(Struct, frozen=True, eq=False):
    """What is known of outputs: mean and deviation of ln(t + 10 s), degrees of freedom, how well the marks fit (1 as expected)."""

    mean: Floats
    deviation: Floats
    freedom: float
    fit: float


def _joint(
    basis: Basis, seen: Seen, out: Columns, extra: tuple[Floats, Floats, Floats] | None
) -> tuple[Floats, ...]:
    """Return covariance of marks, of outputs with marks, and variances of outputs; ``extra`` adds a taken fault's term."""
    marks = seen.passed + seen.dry if len(seen.bound) else seen.passed
    c = basis.covariance(marks, marks)
    cross = basis.covariance(out, marks)
    var = basis.variance(out)
    if extra is not None:
        gp, gd, go = extra
        g = np.concatenate([gp, gd]) if len(seen.bound) else gp
        c = c + np.outer(g, g)
        cross = cross + np.outer(go, g)
        var = var + go**2
    return c, cross, var, marks.mean


def condition(
    basis: Basis, seen: Seen, out: Columns, extra: tuple[Floats, Floats, Floats] | None = None
) -> Told:
    """Return what the marks make known of outputs.  No step is iterated, and none starts from an earlier answer."""
    n, k = len(seen.y), len(seen.bound)
    if n + k == 0:
        return Told(out.mean, np.sqrt(basis.variance(out)), FREEDOM, 1.0)
    c, cross, var, mean = _joint(basis, seen, out, extra)
    s = c.copy()
    s[np.arange(n), np.arange(n)] += seen.r
    s[np.arange(n, n + k), np.arange(n, n + k)] += 1e-6
    d = seen.y - mean[:n]
    fit = 1.0
    if n:
        root = scipy.linalg.cho_factor(s[:n, :n])
        fit = (FREEDOM + float(d @ scipy.linalg.cho_solve(root, d))) / (FREEDOM + n)
    whole = scipy.linalg.cho_factor(s)
    gain = scipy.linalg.cho_solve(whole, cross.T).T
    if not k:
        middle = out.mean + gain @ d
        left = var - np.einsum("ij,ij->i", gain, cross)
    else:
        hidden = _beyond(s, d, seen.bound - mean[n:], n)
        moved = np.hstack([np.tile(d, (len(hidden), 1)), hidden]) @ gain.T
        middle = out.mean + moved.mean(axis=0)
        left = var - np.einsum("ij,ij->i", gain, cross) + moved.var(axis=0)
    return Told(middle, np.sqrt(np.maximum(left, 1e-10) * fit), FREEDOM + n, fit)


def _beyond(s: Floats, d: Floats, bound: Floats, n: int) -> Floats:
    """Draw what the dry marks' places will come to, given that it lies beyond their bounds, shape (draws, k): Gibbs, seeded."""
    k = len(bound)
    if n:
        root = scipy.linalg.cho_factor(s[:n, :n])
        mean = s[n:, :n] @ scipy.linalg.cho_solve(root, d)
        cov = s[n:, n:] - s[n:, :n] @ scipy.linalg.cho_solve(root, s[:n, n:])
    else:
        mean, cov = np.zeros(k), s
    precision = np.linalg.inv(cov + 1e-9 * np.eye(k))
    rng = np.random.default_rng(5)
    x = np.maximum(mean, bound + 1e-6)
    out = np.empty((DRAWS, k))
    for i in range(DRAWS):
        for _ in range(SWEEPS if i else 3 * SWEEPS):
            for j in range(k):
                sd = 1 / np.sqrt(precision[j, j])
                rest = precision[j] @ (x - mean) - precision[j, j] * (x[j] - mean[j])
                m = mean[j] - rest / precision[j, j]
                low = scipy.special.ndtr((bound[j] - m) / sd)
                u = low + (1 - low) * rng.random()
                x[j] = (
                    m + sd * scipy.special.ndtri(min(u, 1 - 1e-12))
                    if low < 1 - 1e-10
                    else bound[j] + 0.05 * sd
                )
        out[i] = x
    return out


def evidence(s: Floats, d: Floats) -> float:
    """Return the logarithm of how likely marks are that lie d off their middle with covariance s (Student-t, 4 degrees)."""
    n = len(d)
    root = scipy.linalg.cho_factor(s)
    size = float(2 * np.log(np.diag(root[0])).sum())
    far = float(d @ scipy.linalg.cho_solve(root, d))
    return float(
        scipy.special.gammaln((FREEDOM + n) / 2) - scipy.special.gammaln(FREEDOM / 2) - n / 2 * np.log(FREEDOM * np.pi) - size / 2
        - (FREEDOM + n) / 2 * np.log1p(far / FREEDOM)
    )  # fmt: skip
