"""The warm side: how warm resin and hardener must be for a wanted mix, what it costs in life, and the water bath."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.job import ChargePlan
from bibulon.core.model.materials import CastroMacosko, ConstantViscosity, Resin, TabulatedViscosity
from bibulon.core.resin.bucket import Losses, Vessel, bucket_heat
from bibulon.core.resin.clock import GAS, flow_clock, viscosity_at
from bibulon.core.resin.dose import parts_of
from bibulon.core.units.words import tr

__all__ = ["WarmSide", "bath_time", "part_temperature", "parts_temperatures", "temperature_for", "warm_side"]

Floats = npt.NDArray[np.float64]
HEATS = (1800.0, 2000.0)  # J/(kg K) of part A and part B where no sheet tells them


class WarmSide(Struct, frozen=True, eq=False):
    """What warming changes: by temperature of the mix [K], its viscosity [Pa s], gel time in the part and life in the vessel [s]."""

    temperature: Floats
    viscosity: Floats
    gel: Floats
    life: Floats

    def at(self, temperature: float) -> tuple[float, float, float]:
        """Return viscosity, gel time and life between the points: all three fall as exponentials."""
        x = self.temperature
        return tuple(  # type: ignore[return-value]
            float(np.exp(np.interp(temperature, x, np.log(y)))) for y in (self.viscosity, self.gel, self.life)
        )


def part_temperature(
    wanted: float, mass: float, specific_heat: float, others: tuple[tuple[float, float, float], ...]
) -> float:
    """Return how warm a part [kg] must be for a mix of a wanted temperature [K].

    T_A = [T_mix Σ m c − Σ_others m c T]/(m_A c_A), others as (mass, specific heat, temperature).
    """
    heavy = mass * specific_heat + sum(m * c for m, c, _ in others)
    return (wanted * heavy - sum(m * c * t for m, c, t in others)) / (mass * specific_heat)


def temperature_for(resin: Resin, viscosity: float) -> float:
    """Return the temperature at which the fresh mix has a viscosity [Pa s]: T = E/(R ln(μ/μ₀)) at no cure.

    Raises
    ------
    ValueError : when no temperature gives it, or the resin's viscosity is not known by temperature.
    """
    law = resin.viscosity
    if isinstance(law, ConstantViscosity | TabulatedViscosity):
        raise ValueError(tr("{} tells its viscosity at one temperature only.", resin.name))
    if viscosity <= law.mu0 or law.energy <= 0:
        raise ValueError(tr("No temperature makes it so thin."))
    return law.energy / (GAS * math.log(viscosity / law.mu0))


def bath_time(
    mass: float, plan: ChargePlan, density: float, start: float, wanted: float, bath: float
) -> float:
    """Return how long a can stands in a bath [s] to come from one temperature to another, stirred now and then.

    m c dT/dt = U A (T_bath − T), through wall and floor of the can.  inf when the bath is not warm enough.
    """
    if wanted <= start:
        return 0.0
    if bath <= wanted:
        return math.inf
    vessel = Vessel("pot", plan.width)
    wetted = math.pi * plan.width * vessel.fill(mass / density) + vessel.area
    return mass * HEATS[0] / (Losses().bath * wetted) * math.log((bath - start) / (bath - wanted))


def warm_side(
    resin: Resin, plan: ChargePlan, mass: float, low: float, high: float, points: int = 9
) -> WarmSide:
    """Return what a batch [kg] is like for mix temperatures between two [K], in the plan's vessel and room."""
    at = np.linspace(low, high, points)
    vessel = Vessel(plan.vessel, plan.width)
    viscosity = np.array([viscosity_at(resin, float(t)) for t in at])
    gel = np.array([flow_clock(resin, float(t)).gel for t in at])
    if isinstance(resin.viscosity, CastroMacosko):
        life = np.array(
            [min(bucket_heat(resin, mass, float(t), plan.room, vessel).life[0], 6 * 3600.0) for t in at]
        )
    else:
        life = np.full(points, resin.pot_life)
    return WarmSide(at, viscosity, gel, np.maximum(life, 1.0))


def parts_temperatures(resin: Resin, plan: ChargePlan, mass: float, wanted: float) -> tuple[float, float]:
    """Return how warm part A must be when all else comes at the room's temperature, and that with both parts warmed [K]."""
    made = parts_of(resin, plan, mass)
    rest = ((made.b + made.accelerator, HEATS[1], plan.room),)
    return part_temperature(wanted, made.resin, HEATS[0], rest), wanted
