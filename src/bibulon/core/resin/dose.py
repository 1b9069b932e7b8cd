"""Peroxide by its band and by the syringe, and the parts that a batch is divided into."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from bibulon.core.model.job import ChargePlan
from bibulon.core.model.materials import Resin
from bibulon.core.units.words import tr

__all__ = ["Dose", "DoseError", "Parts", "asked_at", "by_syringe", "dose_of", "parts_b", "parts_of"]

KELVIN = 273.15


class DoseError(ValueError):
    """A dose that no sheet stands behind; the text says why."""


class Parts(Struct, frozen=True):
    """A batch divided [kg]: resin with what is in it, accelerator that the shop stirs in, hardener or peroxide."""

    resin: float
    accelerator: float
    b: float


class Dose(Struct, frozen=True):
    """Peroxide for a batch: parts per 100 of resin as wanted, volume, the syringe's nearest mark [m³], parts of that mark.

    refused : why nobody should dose so; empty where the mark lies in the sheet's band.
    """

    parts: float
    mass: float
    volume: float
    mark: float
    of_mark: float
    refused: str = ""


def asked_at(resin: Resin, temperature: float) -> float:
    """Return the parts of peroxide that the sheet asks at a temperature [K]: straight between its points.

    Raises
    ------
    DoseError : outside the table, which is never carried on.
    """
    if not resin.doses:
        return resin.parts_b_per_100
    at = [d.temperature for d in resin.doses]
    if not at[0] - 1e-9 <= temperature <= at[-1] + 1e-9:
        raise DoseError(
            tr(
                "the sheet tells doses from {0:.0f} to {1:.0f} °C, and it is {2:.0f} °C",
                at[0] - KELVIN,
                at[-1] - KELVIN,
                temperature - KELVIN,
            )
        )
    return float(np.interp(temperature, at, [d.parts for d in resin.doses]))


def parts_b(resin: Resin, plan: ChargePlan) -> float:
    """Return the parts of hardener or peroxide per 100 of resin that are reckoned with.

    Outside the sheet's table the nearest of its doses stands in, so that masses can be told; ``dose_of`` refuses it.
    """
    if resin.cures == "hardener":
        return resin.parts_b_per_100
    if plan.dose is not None:
        return plan.dose
    if not resin.doses:
        return resin.parts_b_per_100
    return float(np.interp(plan.room, [d.temperature for d in resin.doses], [d.parts for d in resin.doses]))


def parts_of(resin: Resin, plan: ChargePlan, mass: float) -> Parts:
    """Divide a batch of a mass [kg]: parts are per 100 of the resin alone, not of the mix."""
    b = parts_b(resin, plan)
    base = mass / (1 + (b + resin.accelerator_per_100) / 100)
    extra = base * resin.accelerator_per_100 / 100
    return Parts(base, extra, mass - base - extra)


def by_syringe(resin_mass: float, share: float, density: float, step: float) -> tuple[float, float, float]:
    """Return volume, nearest mark [m³] and the share of resin that the mark gives; ``share`` of the resin's mass [kg].

    V = d m_R/ρ; the mark is rounded to a step [m³], and what counts is the dose of the rounded mark.
    """
    volume = resin_mass * share / density
    mark = round(volume / step) * step
    return volume, mark, mark * density / resin_mass


def dose_of(resin: Resin, plan: ChargePlan, mass: float) -> Dose:
    """Return the peroxide for a batch of a mass [kg], refused when the mark lies outside the band or the table ends."""
    made = parts_of(resin, plan, mass)
    wanted = parts_b(resin, plan)
    volume, mark, share = by_syringe(made.resin, wanted / 100, resin.density_b, plan.syringe)
    refused = ""
    try:
        asked_at(resin, plan.room)
    except DoseError as error:
        refused = str(error)
    of_mark = share * 100
    if not resin.dose_low - 1e-9 <= of_mark <= resin.dose_high + 1e-9:
        refused = tr("{0:.2f} parts lie outside {1:g} to {2:g}", of_mark, resin.dose_low, resin.dose_high)
        if resin.dose_low <= wanted <= resin.dose_high:
            refused += tr(", by the syringe's marks: take a finer one")
        elif of_mark < resin.dose_low:
            refused += tr(": too little never cures through")
        else:
            refused += tr(": too much makes heat and leaves the resin soft")
    return Dose(wanted, made.b, volume, mark, of_mark, refused)
