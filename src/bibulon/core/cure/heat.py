"""Heat with reaction through the thickness: temperature and degree of cure of many places at once.

ρc ∂T/∂t = ∂_z(k ∂_z T) + ρ_r H ∂α/∂t.  Conduction by the exact exponential of the cells' matrix for each step, reaction as a
source in it with the rates at both ends (exponential Heun), steps halved and doubled by how fast the fastest place cures; second
order in the step.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy

from bibulon.core.cure.section import Cells
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.materials import CastroMacosko, Resin
from bibulon.core.resin.clock import GAS
from bibulon.core.units.words import tr

__all__ = [
    "MOST",
    "Cured",
    "air_beside",
    "cure",
    "di_benedetto",
    "glass_transition",
    "kinetic_rate",
    "oven_air",
    "oven_turns",
    "ready",
]

Floats = npt.NDArray[np.float64]
STARTED = 1e-4
COOLING = 20.0 / 3600  # K/s, of an oven down to the shop's air
DIFFUSION = 30.0  # how sharply the cure slows as the resin turns to glass
MOST = 0.009  # of α in a step
SHORTEST, LONGEST = 0.25, 1024.0  # s
KEPT = 600  # moments kept at most


@dataclass(frozen=True, eq=False)
class Cured:
    """Courses of p places: times [s], temperatures and degrees of cure of the cells that hold resin, shape (t, p, w).

    Times count from when each place was wet; gel : when surface and core of each have gelled [s], the first and the last cell.
    """

    time: Floats
    temperature: Floats
    alpha: Floats
    cells: Cells
    gel_cells: Floats  # s, shape (p, w)
    peak: Floats  # K, shape (p,)
    peak_at: Floats  # s
    whole: Floats | None = (
        None  # temperature of all cells, tool and core too, shape (t, p, n), where it was asked for
    )

    @cached_property
    def gel(self) -> Floats:
        """When all of a place has gelled [s]; inf where it never does."""
        return np.asarray(self.gel_cells.max(axis=1))

    @cached_property
    def first_gel(self) -> Floats:
        """When the first of it has."""
        return np.asarray(self.gel_cells.min(axis=1))

    def demould(self, plan: CurePlan, resin: Resin) -> Floats:
        """Return when each place may leave the mould [s]: cured enough everywhere, cool, and glassy where that is known."""
        good = ready(plan, resin, self.alpha, self.temperature)
        out = np.full(good.shape[1], np.inf)
        for p in range(good.shape[1]):
            bad = np.flatnonzero(~good[:, p])
            last = int(bad[-1]) + 1 if len(bad) else 0
            if last < len(self.time):
                out[p] = self.time[last]
        return out


def ready(plan: CurePlan, resin: Resin, alpha: Floats, temperature: Floats) -> npt.NDArray[np.bool_]:
    """Return whether places may leave the mould, shape (…, p), by cure and temperature [K] of their cells, shape (…, p, w)."""
    good = (alpha.min(axis=-1) >= plan.demould_alpha) & (temperature.max(axis=-1) < plan.demould_below)
    glass = glass_transition(resin, alpha)
    if glass is not None:
        good &= (glass >= temperature + plan.over_glass).all(axis=-1)
    return np.asarray(good)


def di_benedetto(uncured: float, cured: float, lam: float, alpha: Floats) -> Floats:
    """Return T_g [K] between that of the fresh and of the cured resin: T_g0 + (T_g∞ − T_g0) λα/(1 − (1 − λ)α), same shape."""
    return np.asarray(uncured + (cured - uncured) * lam * alpha / (1 - (1 - lam) * alpha))


def glass_transition(resin: Resin, alpha: Floats) -> Floats | None:
    """Return T_g [K] of a resin at degrees of cure (DiBenedetto); None where the sheet does not tell."""
    if resin.glass_uncured is None or resin.glass_cured is None:
        return None
    return di_benedetto(resin.glass_uncured, resin.glass_cured, resin.glass_lambda, alpha)


def kinetic_rate(resin: Resin, alpha: Floats, temperature: Floats) -> Floats:
    """Return dα/dt [1/s] by the resin's law (Kamal and Sourour), same shape.

    Where its glass transition is known the law is slowed as the resin turns to glass, by 1/(1 + e^(C(α − α_c))) with
    T_g(α_c) = T (Chern and Poehlein): else a cure in the shop would come to its end, which none does.
    """
    law = resin.viscosity
    assert isinstance(law, CastroMacosko)
    k = law.cure
    left = np.maximum(1 - alpha, 0.0)
    colder = -1 / (GAS * temperature)
    k1 = k.a1 * np.exp(k.e1 * colder)
    k2 = k1 * (k.a2 / k.a1) if k.a1 > 0 and k.e1 == k.e2 else k.a2 * np.exp(k.e2 * colder)
    rate = (k1 + k2 * np.maximum(alpha, 0.0) ** k.m) * left**k.n
    if resin.glass_uncured is not None and resin.glass_cured is not None:
        lam = resin.glass_lambda
        x = (temperature - resin.glass_uncured) / (resin.glass_cured - resin.glass_uncured)
        x = np.minimum(np.maximum(x, 0.0), 1.0)
        critical = x / (lam + (1 - lam) * x)
        rate = rate / (1 + np.exp(np.minimum(DIFFUSION * (alpha - critical), 60.0)))
    return np.asarray(rate)


def oven_turns(plan: CurePlan, room: float) -> list[tuple[float, float]]:
    """Return (time from the shot [s], temperature [K]) of each turn of an oven: its start, the top and the end of each step's hold,
    and when it is down at the shop's air again.
    """
    now = room
    out = [(plan.oven_after, room)]
    for step in plan.steps:
        top = out[-1][0] + abs(step.temperature - now) / step.ramp
        now = step.temperature
        out += [(top, now), (top + step.hold, now)]
    return [*out, (out[-1][0] + abs(now - room) / COOLING, room)]


def oven_air(plan: CurePlan, room: float) -> Callable[[float], float]:
    """Return the air's temperature [K] over the time since the shot [s]: the shop's day, then the oven's steps."""
    times, temps = [0.0], [room]
    if plan.steps:
        turns = oven_turns(plan, room)
        times += [t for t, _ in turns]
        temps += [warm for _, warm in turns]

    def at(time: float) -> float:
        oven = float(np.interp(time, times, temps))
        day = plan.night / 2 * (1 - np.cos(2 * np.pi * time / 86400.0))
        return oven - (day if not plan.steps or time < plan.oven_after else 0.0)

    return at


def air_beside(plan: CurePlan, room: float) -> Callable[[float], Floats]:
    """Return the air's temperatures [K] at tool and bag over the time since the shot: a heated blanket warms the bag's side alone."""
    warmed = oven_air(plan, room)
    shop = oven_air(plan.replaced(steps=()), room) if plan.heater == "blanket" and plan.steps else warmed

    def at(time: float) -> Floats:
        return np.array([shop(time), warmed(time)])

    return at


def cure(
    cells: Cells,
    resin: Resin,
    air: Callable[[float], float] | Callable[[float], Floats],
    start_alpha: Floats,
    start: Floats,
    until: float,
    begin: float = 0.0,
    *,
    most: float = MOST,
    whole: bool = False,
    enough: Callable[[Floats, Floats], bool] | None = None,
) -> Cured:
    """Return what p places of one section come to.

    Parameters
    ----------
    air : temperature [K] at a time of the shot [s]; of both sides, or of tool and bag, shape (2,).
    start_alpha : degree of cure of the resin as it arrives, shape (p,).
    start : temperature of the section then [K], shape (p,).
    until : how long to follow [s]; begin : when it arrives, for the air [s].
    whole : whether the temperature of all cells is kept, of tool and core too.
    enough : told degree of cure and temperature [K], shape (p, w), whether nothing of interest is to come.

    Raises
    ------
    ValueError : when the resin has no cure law.
    """
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        raise ValueError(
            tr("{} has no cure law: its heat and gel through the thickness cannot be reckoned", resin.name)
        )
    course = _Course(cells, resin, law, start_alpha, start, whole)
    every = until / KEPT
    while course.time < until - 1e-9:
        brisk = course.step(air, begin, until, most, every)
        if course.time - course.kept[-1] >= every or course.time >= until - 1e-9 or brisk:
            course.keep()
            if enough is not None and enough(course.alphas[-1], course.temperatures[-1]):
                break
    return course.told()


class _Course:
    """Sections as they warm and cure: where they are, and what is kept of how they came there."""

    def __init__(
        self, cells: Cells, resin: Resin, law: CastroMacosko, start_alpha: Floats, start: Floats, whole: bool
    ) -> None:
        self.cells, self.resin, self.whole, self.gel_at = cells, resin, whole, law.alpha_gel
        wet = self.wet = cells.wet
        self.heating = (cells.resin * resin.heat / cells.capacity)[wet][:, None]  # K a unit of α
        self.to_air = cells.to_air()
        self.stepper = _Steppers(cells.matrix(), cells.capacity)
        self.time, self.length = 0.0, 4.0
        self.temperature = np.tile(start, (len(cells.capacity), 1)).astype(float)
        self.alpha = np.tile(np.maximum(start_alpha, STARTED if law.cure.a1 == 0 else 0.0), (len(wet), 1))
        self.gel = np.full((len(start), len(wet)), np.inf)
        self.peak, self.peak_at = self.temperature[wet].max(axis=0), np.zeros(len(start))
        self.kept: list[float] = []
        self.temperatures: list[Floats] = []
        self.alphas: list[Floats] = []
        self.wholes: list[Floats] = []
        self.keep()

    def step(
        self, air: Callable[[float], float] | Callable[[float], Floats], begin: float, until: float, most: float, every: float
    ) -> bool:  # fmt: skip
        """Go a step, as long as the quickest cure allows (Heun's rule for it); return whether it cures briskly."""
        wet, temperature, alpha = self.wet, self.temperature, self.alpha
        one = kinetic_rate(self.resin, alpha, temperature[wet])
        quickest = float(one.max())
        while self.length * quickest > most and self.length > SHORTEST:
            self.length /= 2
        while self.length * quickest < most / 4 and self.length < LONGEST and self.length < max(every, 8.0):
            self.length *= 2
        h = min(self.length, until - self.time)
        kernel, into = self.stepper(h)
        beside = np.broadcast_to(air(begin + self.time + h / 2), 2)
        at_rest = kernel @ temperature + (into @ (self.to_air @ beside))[:, None]
        ahead = at_rest + into[:, wet] @ (self.heating * one)
        two = kinetic_rate(self.resin, np.minimum(alpha + h * one, 1.0), ahead[wet])
        new = np.minimum(alpha + h * (one + two) / 2, 1.0)
        self.temperature = at_rest + into[:, wet] @ (self.heating * (new - alpha) / h)
        self._note_gel(new, h)
        self.alpha = new
        self.time += h
        hottest = self.temperature[wet].max(axis=0)
        higher = hottest > self.peak
        self.peak = np.where(higher, hottest, self.peak)
        self.peak_at = np.where(higher, self.time, self.peak_at)
        return self.length * quickest > most / 8

    def _note_gel(self, new: Floats, h: float) -> None:
        crossed = (self.alpha < self.gel_at) & (new >= self.gel_at)
        if crossed.any():
            share = (self.gel_at - self.alpha) / np.maximum(new - self.alpha, 1e-300)
            at = self.time + h * np.clip(share, 0.0, 1.0)
            self.gel[crossed.T] = at.T[crossed.T]

    def keep(self) -> None:
        """Keep where it is now."""
        self.kept.append(self.time)
        self.temperatures.append(self.temperature[self.wet].T.copy())
        self.alphas.append(self.alpha.T.copy())
        if self.whole:
            self.wholes.append(self.temperature.T.copy())

    def told(self) -> Cured:
        """Return what was kept."""
        return Cured(
            np.array(self.kept), np.array(self.temperatures), np.array(self.alphas), self.cells, self.gel, self.peak,
            self.peak_at, np.array(self.wholes) if self.whole else None,
        )  # fmt: skip


class _Steppers:
    """e^(A h), and ∫e^(A s) ds over a step [s], which is what a source that stays brings; of each length once.

    A is the cells' conduction over their heat capacity, so that √capacity makes it symmetric, and one look at its
    eigenvectors serves every step.
    """

    def __init__(self, matrix: Floats, capacity: Floats) -> None:
        root = np.sqrt(capacity)
        even = matrix * root[:, None] / root[None, :]
        self._rates, vectors = scipy.linalg.eigh((even + even.T) / 2)
        self._out, self._into = vectors / root[:, None], vectors.T * root[None, :]
        self._known: dict[float, tuple[Floats, Floats]] = {}

    def __call__(self, h: float) -> tuple[Floats, Floats]:
        if h not in self._known:
            x = self._rates * h
            grown = np.where(np.abs(x) > 1e-12, np.expm1(x) / np.where(x == 0, 1.0, x), 1.0) * h
            self._known[h] = (self._out * np.exp(x)) @ self._into, (self._out * grown) @ self._into
        return self._known[h]
