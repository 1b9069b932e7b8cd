"""Viscosity over time as the flow sees it: θ(t) = ∫dt/μ, its inverse, and the moment of gel."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from bibulon.core.model.materials import (
    CastroMacosko,
    ConstantViscosity,
    KamalSourour,
    Resin,
    TabulatedViscosity,
)

__all__ = [
    "GAS",
    "NO_GEL",
    "FlowClock",
    "cure_course",
    "flow_clock",
    "thickened",
    "viscosity_at",
    "warmed_clock",
]

GAS = 8.314462618  # J/(mol K)
NO_GEL = 1e9  # s
POINTS = 2001
STARTED = (
    1e-4  # degree of cure from which a law without a first step is followed: from nothing it never starts
)


class FlowClock(Struct, frozen=True, eq=False):
    """Time [s], viscosity [Pa s] and θ [1/Pa] tabulated; ``gel`` is when flow stops [s].

    Times count from the moment that the first feed opens.
    """

    time: npt.NDArray[np.float64]
    viscosity: npt.NDArray[np.float64]
    integral: npt.NDArray[np.float64]
    gel: float

    @property
    def span_scale(self) -> float:
        """Return θ at the end of the table, a scale for steps."""
        return float(self.integral[-1])

    def theta(self, time: float) -> float:
        """Return θ at a time; beyond the table the last viscosity holds until gel."""
        time = min(time, self.gel)
        if time >= self.time[-1]:
            return float(self.integral[-1] + (time - self.time[-1]) / self.viscosity[-1])
        return float(np.interp(time, self.time, self.integral))

    def thetas(self, times: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Return θ at many times, same shape; before the table the first viscosity holds."""
        flowing = np.minimum(times, self.gel)
        theta = np.interp(flowing, self.time, self.integral)
        # Most ask within the table.
        if times.min(initial=0.0) < 0:
            theta += np.minimum(times, 0.0) / self.viscosity[0]
        if times.max(initial=0.0) > self.time[-1]:
            theta += np.maximum(flowing - self.time[-1], 0.0) / self.viscosity[-1]
        return theta

    def times(self, theta: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Return the times at which θ is reached, same shape."""
        late = np.maximum(theta - self.integral[-1], 0.0) * self.viscosity[-1]
        return np.minimum(np.interp(theta, self.integral, self.time) + late, self.gel)

    def at(self, time: float) -> float:
        """Return the viscosity at a time [Pa s]."""
        return float(np.interp(time, self.time, self.viscosity))


def _cure_rate(cure: KamalSourour, alpha: float, temperature: float) -> float:
    """Kamal–Sourour: dα/dt [1/s]."""
    a = min(max(alpha, 0.0), 1.0)
    k1 = cure.a1 * np.exp(-cure.e1 / (GAS * temperature))
    k2 = cure.a2 * np.exp(-cure.e2 / (GAS * temperature))
    return float((k1 + k2 * a**cure.m) * (1 - a) ** cure.n)


@lru_cache(maxsize=32)
def cure_course(
    law: CastroMacosko, temperature: float, until: float
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Return times [s] since mixing and degree of cure at one temperature [K], to gel or ``until``."""

    def gelled(_t: float, y: npt.NDArray[np.float64]) -> float:
        return float(y[0] - 0.999 * law.alpha_gel)

    gelled.terminal = True  # type: ignore[attr-defined]
    from scipy.integrate import solve_ivp  # half a second that the start does without

    run = solve_ivp(
        lambda _t, y: [_cure_rate(law.cure, y[0], temperature)],
        (0.0, until), [0.0 if law.cure.a1 > 0 else STARTED], method="LSODA", rtol=1e-8, atol=1e-10, events=gelled, dense_output=True,
    )  # fmt: skip
    times = np.linspace(0.0, run.t[-1], POINTS)
    assert run.sol is not None  # dense_output was asked for
    return times, np.clip(run.sol(times)[0], 0.0, law.alpha_gel)


def thickened(
    law: CastroMacosko, temperature: float, alpha: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    """Return the viscosity [Pa s] at a temperature [K] and degrees of cure: μ0 exp(E/RT) [α_g/(α_g − α)]^(c1 + c2 α)."""
    left = np.maximum(law.alpha_gel - alpha, 1e-6)
    return (
        law.mu0
        * np.exp(law.energy / (GAS * temperature))
        * (law.alpha_gel / left) ** (law.c1 + law.c2 * alpha)
    )


def viscosity_at(resin: Resin, temperature: float, since_mixed: float = 0.0) -> float:
    """Return viscosity [Pa s] at a temperature [K], so many seconds after mixing."""
    return flow_clock(resin, temperature, since_mixed).at(0.0)


def warmed_clock(resin: Resin, temperature: float, by: float, since_mixed: float) -> FlowClock | None:
    """Return the clock from a moment on, ``since_mixed`` [s], at which resin gets ``by`` kelvin warmer; None for a law without warmth.

    It goes on from the degree of cure that it has come to, quicker.
    """
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        return None
    since, alpha = cure_course(law, temperature, 7 * 86400.0)
    sooner, warm = cure_course(law, temperature + by, 7 * 86400.0)
    aged = float(np.interp(np.interp(since_mixed, since, alpha), warm, sooner))
    clock = flow_clock(resin, temperature + by, aged)
    # A sheet's gel is told for no warmer a pot than it says: it is no later for being warmed.
    sheet = NO_GEL if resin.gel_time is None else max(resin.gel_time - since_mixed, 0.0)
    return replace(clock, gel=min(clock.gel, sheet))


def flow_clock(resin: Resin, temperature: float, mixed_before: float = 0.0) -> FlowClock:
    """Return the clock of a resin mixed ``mixed_before`` seconds before the first feed opens.

    It is one age for all the resin, that of the first batch: the safe side for later batches.
    """
    law = resin.viscosity
    gel = NO_GEL if resin.gel_time is None else max(resin.gel_time - mixed_before, 0.0)
    match law:
        case ConstantViscosity():
            time = np.array([0.0, 1.0])
            mu = np.full(2, law.value)
        case TabulatedViscosity():
            last = max(law.times[-1] - mixed_before, 1.0)
            time = np.linspace(0.0, last, POINTS)
            # Growth between measured points is taken as exponential, as it nearly is.
            mu = np.exp(np.interp(time + mixed_before, law.times, np.log(law.values)))
        case CastroMacosko():
            since, alpha = cure_course(law, temperature, 7 * 86400.0)
            course = thickened(law, temperature, alpha)
            last = max(since[-1] - mixed_before, 1.0)
            time = np.linspace(0.0, last, POINTS)
            mu = np.exp(np.interp(time + mixed_before, since, np.log(course)))
            gel = min(gel, max(since[-1] - mixed_before, 0.0))
    from scipy.integrate import cumulative_simpson

    return FlowClock(time, mu, cumulative_simpson(1.0 / mu, x=time, initial=0.0), gel)
