"""How far off the resin needed may be, and how likely it is to run short with what is mixed."""

from __future__ import annotations

import math

import scipy
from msgspec import Struct

from bibulon.core.resin.charge import Charge

__all__ = ["Need", "need_of"]

# Standard deviations as shares of each sink: thickness and fibre share of plies, uptake of cut core, open share of nets
# and peel ply, bores as made.  Heel and catch pot are what people choose to leave and to let through.
OFF = {
    "Plies": 0.05, "Core": 0.12, "Peel ply and film": 0.15, "Mesh": 0.08, "Lines": 0.03, "Heel": 0.0, "Catch pot": 0.0,
}  # fmt: skip
WORTH = 2.0  # jobs that the library's figures count for, beside those that were weighed
KNOWN = 6.0  # jobs that their spread counts for, as degrees of freedom beside those that were weighed
NINETY = 1.6448536269514722  # standard deviations that hold nine in ten


class Need(Struct, frozen=True):
    """Resin needed without the margin [kg], with the range that holds nine in ten, and the chance of running short."""

    middle: float
    low: float
    high: float
    short: float


def need_of(plan: Charge, leftovers: tuple[float, ...] = ()) -> Need:
    """Return the need behind a charge: sinks vary apart from each other, each as a normal variate.

    leftovers : what earlier jobs like it left over the heel [kg].  Each is a need that was weighed, what is mixed less
    what was left; they shift middle and spread as a normal prior worth ``WORTH`` jobs is shifted.  How far jobs of a shop
    lie apart is then an estimate: the next lies about the middle as Student's t of ``KNOWN`` and their number.
    """
    sinks = [s for s in plan.sinks if s.name != "Margin"]
    middle = sum(s.mass for s in sinks)
    spread = math.sqrt(sum((OFF.get(s.name, 0.05) * s.mass) ** 2 for s in sinks))
    if leftovers:
        n, weighed = len(leftovers), [plan.total - left for left in leftovers]
        mean = sum(weighed) / n
        scatter = sum((w - mean) ** 2 for w in weighed) + WORTH * n / (WORTH + n) * (mean - middle) ** 2
        middle = (WORTH * middle + n * mean) / (WORTH + n)
        spread = math.sqrt((WORTH * spread**2 + scatter) / (WORTH + n))
    over = (plan.total - middle) / spread if spread > 0 else math.inf
    if leftovers:
        freedom = KNOWN + len(leftovers)
        reach = float(scipy.special.stdtrit(freedom, 0.95))
        short = float(scipy.special.stdtr(freedom, -over))
    else:
        reach, short = NINETY, 0.5 * math.erfc(over / math.sqrt(2))
    return Need(middle, max(middle - reach * spread, 0.0), middle + reach * spread, short)
