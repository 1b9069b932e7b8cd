"""Heat with reaction through the thickness: temperature and degree of cure of many places at once.

ρc ∂T/∂t = ∂_z(k ∂_z T) + ρ_r H ∂α/∂t.  A stride cures by the classical Runge-Kutta rule of fourth order; between its stages
conduction goes by the exact exponential of the cells' matrix, with the reaction's heat as a source (Cox and Matthews 2002).  Its
heat is then led away in a few steps, in each of which the source is what the rule's own interpolant cures (Hairer, Nørsett and
Wanner, section II.6).  Strides are halved and doubled by how fast the fastest place cures.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy
from msgspec import Struct

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
MOST = 0.009  # of α in a step of the heat
STRIDE = 6  # such steps at most in one stride of the cure
QUICKENS = 1.5  # times that a stride may cure quicker on its way than was foreseen at its start
SHORTEST, LONGEST = 0.25, 4096.0  # s
KEPT = 600  # moments kept at most


class Cured(Struct, frozen=True, eq=False, dict=True):
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
        spare = _spare(plan, resin, self.alpha, self.temperature)
        out = np.full(spare[0].shape[1], np.inf)
        for p in range(len(out)):
            bad = np.flatnonzero(np.any([s[:, p] < 0 for s in spare], axis=0))
            if not len(bad):
                out[p] = self.time[0]
            elif (last := int(bad[-1])) + 1 < len(self.time):
                lacked = [(s[last, p], s[last + 1, p]) for s in spare if s[last, p] < 0]
                share = max(float(now / (now - then)) for now, then in lacked)
                out[p] = self.time[last] + share * (self.time[last + 1] - self.time[last])
        return out


def _spare(plan: CurePlan, resin: Resin, alpha: Floats, temperature: Floats) -> list[Floats]:
    """Return by how much places, shape (…, p), keep each condition for leaving the mould: cured enough, cool, and glassy."""
    spare = [alpha.min(axis=-1) - plan.demould_alpha, plan.demould_below - temperature.max(axis=-1)]
    glass = glass_transition(resin, alpha)
    if glass is not None:
        spare.append((glass - temperature).min(axis=-1) - plan.over_glass)
    return spare


def ready(plan: CurePlan, resin: Resin, alpha: Floats, temperature: Floats) -> npt.NDArray[np.bool_]:
    """Return whether places may leave the mould, shape (…, p), by cure and temperature [K] of their cells, shape (…, p, w)."""
    return np.all([spare >= 0 for spare in _spare(plan, resin, alpha, temperature)], axis=0)


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
        course.stride(air, begin, until, most, every)
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
        self.stepper = _Steppers(cells.matrix(), cells.capacity, wet)
        self.time, self.length = 0.0, 4.0
        self.temperature = np.tile(start, (len(cells.capacity), 1)).astype(float)
        self.alpha = np.tile(np.maximum(start_alpha, STARTED if law.cure.a1 == 0 else 0.0), (len(wet), 1))
        self.rate = kinetic_rate(resin, self.alpha, self.temperature[wet])
        self.gel = np.full((len(start), len(wet)), np.inf)
        self.peak, self.peak_at = self.temperature[wet].max(axis=0), np.zeros(len(start))
        self.kept: list[float] = []
        self.temperatures: list[Floats] = []
        self.alphas: list[Floats] = []
        self.wholes: list[Floats] = []
        self.keep()

    def stride(
        self, air: Callable[[float], float] | Callable[[float], Floats], begin: float, until: float, most: float, every: float
    ) -> None:  # fmt: skip
        """Go as far at once as the quickest cure allows, and keep where it was on the way where much happens."""
        quickest, far, apart = float(self.rate.max()), STRIDE * most, max(every, 8.0)
        while self.length * quickest > far and self.length > SHORTEST:
            self.length /= 2
        # Doubled once a stride: at its start a law of a fraction's power is steeper than any rule of high order likes.
        if self.length * quickest < far / 4 and self.length < min(STRIDE * apart, LONGEST):
            self.length *= 2
        while True:
            h = min(self.length, until - self.time)
            now = begin + self.time
            beside = air(now + h / 2)
            if h > apart and not (np.array_equal(air(now), beside) and np.array_equal(beside, air(now + h))):
                self.length = h / 2  # a turn of the oven is not to be stepped over
                continue
            blown = self.to_air @ np.broadcast_to(beside, 2)
            rates, start = self._rates(h, blown), self.alpha
            quickest = max(float(rate.max()) for rate in rates)
            if h <= SHORTEST or h * quickest <= QUICKENS * far:
                break
            self.length = h / 2  # what cures by what has cured quickens on the way
        parts = max(min(math.ceil(h * quickest / most), STRIDE), math.ceil(h / apart), 1)
        kernel, into, warming = self.stepper(h / parts)
        outside, brisk = (into @ blown)[:, None], h * quickest > most * parts / 8
        for part in range(1, parts + 1):
            cured = np.minimum(start + h * _gained(part / parts, rates), 1.0)
            heat = self.heating * ((cured - self.alpha) * (parts / h))
            self._arrive(cured, kernel @ self.temperature + outside + warming @ heat, h / parts)
            if brisk or self.time - self.kept[-1] >= every or self.time >= until - 1e-9:
                self.keep()
        self.rate = kinetic_rate(self.resin, self.alpha, self.temperature[self.wet])

    def _rates(self, h: float, blown: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """Return dα/dt [1/s] at the stages of a stride, each of shape (w, p)."""
        half, into, warming = self.stepper(h / 2)
        outside = (into @ blown)[:, None]
        at_rest = half @ self.temperature + outside
        one = self.rate
        first = at_rest + warming @ (self.heating * one)
        two = self._rate(h / 2 * one, first)
        three = self._rate(h / 2 * two, at_rest + warming @ (self.heating * two))
        last = half @ first + outside + warming @ (self.heating * (2 * three - one))
        return one, two, three, self._rate(h * three, last)

    def _rate(self, gained: Floats, temperature: Floats) -> Floats:
        return kinetic_rate(self.resin, np.minimum(self.alpha + gained, 1.0), temperature[self.wet])

    def _arrive(self, cured: Floats, temperature: Floats, h: float) -> None:
        """Be so far cured and warm a time later; note what gelled on the way, and the hottest so far."""
        self._note_gel(cured, h)
        self.alpha, self.temperature = cured, temperature
        self.time += h
        hottest = temperature[self.wet].max(axis=0)
        higher = hottest > self.peak
        self.peak = np.where(higher, hottest, self.peak)
        self.peak_at = np.where(higher, self.time, self.peak_at)

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


def _gained(share: float, rates: tuple[Floats, Floats, Floats, Floats]) -> Floats:
    """Return what cured by a share of a stride, by its length, from the rates at its stages: of third order within, fourth at its end."""
    one, two, three, four = rates
    inner = share * share - 2 * share**3 / 3
    return (
        (share - 1.5 * share**2 + 2 * share**3 / 3) * one
        + inner * (two + three)
        + (2 * share**3 / 3 - share**2 / 2) * four
    )


class _Steppers:
    """e^(A h), ∫e^(A s) ds over a step [s], which is what a source that stays brings, and of it the columns of the resin's cells;
    of each length once.

    A is the cells' conduction over their heat capacity, so that √capacity makes it symmetric, and one look at its
    eigenvectors serves every step.
    """

    def __init__(self, matrix: Floats, capacity: Floats, wet: npt.NDArray[np.int64]) -> None:
        self._wet = wet
        root = np.sqrt(capacity)
        even = matrix * root[:, None] / root[None, :]
        self._rates, vectors = scipy.linalg.eigh((even + even.T) / 2)
        self._out, self._into = vectors / root[:, None], vectors.T * root[None, :]
        self._known: dict[float, tuple[Floats, Floats, Floats]] = {}

    def __call__(self, h: float) -> tuple[Floats, Floats, Floats]:
        if h not in self._known:
            x = self._rates * h
            grown = np.where(np.abs(x) > 1e-12, np.expm1(x) / np.where(x == 0, 1.0, x), 1.0) * h
            into = (self._out * grown) @ self._into
            self._known[h] = (self._out * np.exp(x)) @ self._into, into, into[:, self._wet]
        return self._known[h]
