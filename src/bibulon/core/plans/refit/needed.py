"""How much resin a part takes until it is full, by what marks and weighings say of its pores, and the chance that it runs short."""

from __future__ import annotations

import math

import scipy
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.plans.refit.refit import Refit

__all__ = ["Needed", "needed_of"]

NINETY = 1.6448536  # deviations either way that nine in ten lie within


class Needed(Struct, frozen=True):
    """Resin drawn until full [kg], nine times in ten between low and high; ``lines`` of it stays in lines and hoses [kg]."""

    low: float
    middle: float
    high: float
    lines: float

    def short(self, there: float) -> float:
        """Return the chance that so much [kg] does not do: what the part takes is lognormal."""
        part = there - self.lines
        if part <= 0:
            return 1.0
        middle = self.middle - self.lines
        sd = math.log((self.high - self.lines) / (self.low - self.lines)) / (2 * NINETY)
        return float(scipy.special.ndtr((math.log(middle) - math.log(part)) / max(sd, 1e-6)))


def needed_of(found: Refit, forecast: Forecast) -> Needed:
    """Return what a part takes, its pores as the refit has them."""
    part, lines = forecast.resin_in_part, forecast.resin_in_lines
    pores = next((k for k in found.parameters if k.name == "pores"), None)
    low, middle, high = (pores.low, pores.middle, pores.high) if pores is not None else (1.0, 1.0, 1.0)
    return Needed(part * low + lines, part * middle + lines, part * high + lines, lines)
