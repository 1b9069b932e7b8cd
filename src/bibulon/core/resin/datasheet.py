"""A resin's viscosity and cure from what a data sheet gives.

Viscosity at one or more temperatures sets μ₀ and E of μ = μ₀ exp(E/RT); the gel time of a stated
mass sets the pace of the cure, and its exotherm peak the heat that it gives off.  The mass is taken
as one lump that loses heat through its wall: m c dT/dt = m H dα/dt − U A (T − T_room).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.materials import CastroMacosko, KamalSourour
from bibulon.core.resin.clock import GAS
from bibulon.core.units.words import tr

__all__ = ["HEAT_CAPACITY", "Course", "DataSheet", "SheetError", "SheetFit", "fit_sheet", "lump"]

Floats = npt.NDArray[np.float64]

USUAL_ENERGY = 33_000.0  # J/mol of flow, taken where one viscosity is given
USUAL_HEAT = 3.2e5  # J/kg, taken where no peak is given
HEAT_CAPACITY = 1900.0  # J/(kg K)
WALL = 9.0  # W/(m² K) from a pot to still air
SHAPE = KamalSourour(a1=2.4e5, e1=55_000, a2=2.7e6, e2=55_000, m=0.6, n=1.4)
HOTTEST = 573.15  # K
ALPHA_GEL = 0.55
# Radical cures (vinyl esters, polyesters, acrylics) gel at a few per cent of their cure, after a slow start, and give
# off nearly all their heat after it: a mass gels hardly sooner than a thin part.
RADICAL = KamalSourour(a1=4.0e4, e1=60_000, a2=4.0e6, e2=60_000, m=0.8, n=1.5)
RADICAL_GEL = 0.06
THICKENS = (1.2, 0.8)


class SheetError(ValueError):
    """Data that no resin of this kind can have; the text says which."""


class DataSheet(Struct, frozen=True):
    """What a sheet says: (temperature [K], viscosity [Pa s]); gel time [s] of a mass [kg] at a room temperature [K].

    mass 0 means a thin film, which stays at room temperature; peak : highest temperature [K], if told.
    """

    viscosities: tuple[tuple[float, float], ...]
    gel_time: float
    gel_mass: float
    room: float
    peak: float | None = None
    density: float = 1100.0
    cures: str = "hardener"  # or "peroxide"


class Course(Struct, frozen=True, eq=False):
    """Time since mixing [s], temperature [K] and degree of cure of a mass, same shapes."""

    time: Floats
    temperature: Floats
    alpha: Floats


class SheetFit(Struct, frozen=True):
    """The fitted law, its heat of reaction [J/kg], how far it misses each viscosity (a share), gel time and peak.

    assumed : what the sheet did not tell, in words.
    """

    law: CastroMacosko
    heat: float
    misses: tuple[float, ...]
    gel_time: float
    peak: float
    assumed: tuple[str, ...]


def lump(
    law: CastroMacosko, heat: float, mass: float, room: float, until: float, density: float = 1100.0
) -> Course:
    """Return how a mass [kg] in a pot as wide as it is high warms and cures; mass 0 stays at room temperature."""
    volume = max(mass, 1e-12) / density
    wide = (4 * volume / math.pi) ** (1 / 3)
    loss = 0.0 if mass == 0 else WALL * 1.5 * math.pi * wide**2 / (mass * HEAT_CAPACITY)
    c = law.cure

    def rates(_t: float, y: Floats) -> list[float]:
        a, temperature = min(max(y[0], 0.0), 1.0), y[1]
        k1, k2 = (k * math.exp(-e / (GAS * temperature)) for k, e in ((c.a1, c.e1), (c.a2, c.e2)))
        cure = (k1 + k2 * a**c.m) * (1 - a) ** c.n
        warm = 0.0 if mass == 0 else heat / HEAT_CAPACITY * cure - loss * (temperature - room)
        return [cure, warm]

    from scipy.integrate import solve_ivp  # half a second that the start does without

    run = solve_ivp(
        rates, (0.0, until), [1e-9, room], method="LSODA", rtol=1e-7, atol=1e-9, dense_output=True
    )
    time = np.linspace(0.0, until, 1201)
    assert run.sol is not None
    alpha, temperature = run.sol(time)
    return Course(time, temperature, np.clip(alpha, 0.0, 1.0))


def _gel_of(law: CastroMacosko, heat: float, sheet: DataSheet, until: float) -> float:
    course = lump(law, heat, sheet.gel_mass, sheet.room, until, sheet.density)
    over = course.alpha >= law.alpha_gel
    if not over.any():
        return until * (law.alpha_gel / max(float(course.alpha[-1]), 1e-6))
    k = int(np.argmax(over))
    return float(
        np.interp(law.alpha_gel, course.alpha[max(k - 1, 0) : k + 1], course.time[max(k - 1, 0) : k + 1])
    )


def fit_sheet(sheet: DataSheet) -> SheetFit:
    """Fit viscosity and cure to a data sheet.

    Raises
    ------
    SheetError : when a figure is missing or out of reach, such as a peak below the room.
    """
    mu0, energy, misses, assumed = _flow(sheet.viscosities)
    _check(sheet)
    cure = _Cure(sheet, mu0, energy)
    heat = USUAL_HEAT
    if sheet.peak is not None and sheet.gel_mass > 0:
        heat = cure.heat_for(sheet.peak)
    else:
        assumed.append(tr("heat of reaction {:.0f} kJ/kg, as is usual", USUAL_HEAT / 1000.0))
    law = cure.law(cure.pace_for(heat))
    gel = _gel_of(law, heat, sheet, 3 * sheet.gel_time)
    return SheetFit(law, heat, misses, gel, cure.peak(law, heat), tuple(assumed))


def _check(sheet: DataSheet) -> None:
    if not sheet.gel_time > 0:
        raise SheetError(tr("The gel time must be more than nothing."))
    if sheet.gel_mass < 0:
        raise SheetError(tr("The mass that gels cannot be negative."))
    if sheet.peak is not None and sheet.peak <= sheet.room + 2:
        raise SheetError(tr("The exotherm peak must lie above the room's temperature."))
    if sheet.peak is not None and sheet.peak > HOTTEST:
        raise SheetError(
            tr(
                "No resin of this kind peaks at {0:.0f} °C: it would be burning. Up to {1:.0f} °C is taken.",
                sheet.peak - 273.15,
                HOTTEST - 273.15,
            )
        )


class _Cure(Struct, frozen=True):
    """The usual cure of a sheet's kind of resin, as quick and as hot as the sheet asks."""

    sheet: DataSheet
    mu0: float
    energy: float

    def law(self, pace: float) -> CastroMacosko:
        """Return the law, so many times as quick as is usual."""
        shape, gel = (RADICAL, RADICAL_GEL) if self.sheet.cures == "peroxide" else (SHAPE, ALPHA_GEL)
        cure = shape.replaced(a1=shape.a1 * pace, a2=shape.a2 * pace)
        return CastroMacosko(
            mu0=self.mu0, energy=self.energy, alpha_gel=gel, c1=THICKENS[0], c2=THICKENS[1], cure=cure
        )

    def pace_for(self, heat: float) -> float:
        """Return how many times as quick it is, for the sheet's gel time and a heat of reaction [J/kg]."""
        from scipy.optimize import brentq

        sheet = self.sheet

        def off(log_pace: float) -> float:
            gel = _gel_of(self.law(math.exp(log_pace)), heat, sheet, 3 * sheet.gel_time)
            return math.log(gel / sheet.gel_time)

        try:
            return math.exp(brentq(off, -9.0, 9.0, xtol=1e-4))
        except ValueError as error:
            raise SheetError(
                tr("No cure of this kind has that gel time: check its unit and the mass.")
            ) from error

    def peak(self, law: CastroMacosko, heat: float) -> float:
        """Return how hot the sheet's mass gets [K]."""
        sheet = self.sheet
        course = lump(law, heat, sheet.gel_mass, sheet.room, 4 * sheet.gel_time, sheet.density)
        return float(course.temperature.max())

    def heat_for(self, wanted: float) -> float:
        """Return the heat of reaction [J/kg] with which the mass peaks at a temperature [K]."""
        from scipy.optimize import brentq

        def over(heat: float) -> float:
            return self.peak(self.law(self.pace_for(heat)), heat) - wanted

        low, high = 2e4, 9e5
        if not over(low) < 0 < over(high):
            raise SheetError(
                tr(
                    "No resin of this kind peaks at {:.0f} °C in that mass: check the mass and the peak.",
                    wanted - 273.15,
                )
            )
        return float(brentq(over, low, high, xtol=500.0))


def _flow(points: Sequence[tuple[float, float]]) -> tuple[float, float, tuple[float, ...], list[str]]:
    """Return μ₀ [Pa s], E [J/mol], the share by which each point is missed, and what was assumed."""
    if not points or any(t <= 0 or mu <= 0 for t, mu in points):
        raise SheetError(tr("A viscosity with its temperature is needed, both more than nothing."))
    inverse = np.array([1 / t for t, _ in points])
    log_mu = np.log([mu for _, mu in points])
    if float(np.ptp(inverse)) < 1e-6:
        slope, assumed = (
            USUAL_ENERGY / GAS,
            [tr("activation energy of flow {:.0f} kJ/mol, as is usual", USUAL_ENERGY / 1000.0)],
        )
        constant = float(np.mean(log_mu - slope * inverse))
    else:
        slope, constant = (float(v) for v in np.polyfit(inverse, log_mu, 1))
        assumed = []
    if slope < 0:
        raise SheetError(tr("The viscosity must fall as the resin warms: check the temperatures."))
    misses = tuple(float(v) for v in np.expm1(constant + slope * inverse - log_mu))
    return math.exp(constant), slope * GAS, misses, assumed
