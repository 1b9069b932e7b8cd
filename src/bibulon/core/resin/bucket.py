"""A bucket that heats itself: mixed resin in a pot, a tray or a water bath, by its own cure.

m c dT/dt + Σ U_i A_i (T − T_i) = m H dα/dt, stirred through (Bowes, *Self-Heating*); and at rest, where heat leaves by
conduction alone, ρ c ∂T/∂t = k r^(−j) ∂_r(r^j ∂_r T) + ρ H ∂α/∂t with j = 2 for a pot and 0 for a tray.  The truth lies
between: resin in a bucket circulates by itself, so both are told, and pot life is judged by the earlier.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.materials import CastroMacosko, KamalSourour, Resin
from bibulon.core.resin.clock import GAS
from bibulon.core.units.words import tr

__all__ = [
    "POT",
    "USUAL",
    "BucketHeat",
    "Losses",
    "Vessel",
    "bucket_heat",
    "fitted_heat",
    "heat_by_reading",
    "limit_of",
    "safe_batch",
]

Floats = npt.NDArray[np.float64]

STARTED = 1e-4  # degree of cure at mixing: a law without a first step never starts from nothing
CELLS, FIT_CELLS = 60, 20
HOTTEST = 573.0  # K beyond which the figures mean nothing; the run ends there
WARM = 318.15  # K, or WARMER over the start if that is lower: no longer safe to handle as planned
WARMER = 15.0
QUICK = 0.5 / 60  # K/s from which it runs away


class Losses(Struct, frozen=True):
    """Heat that leaves a vessel, in W/(m² K), through its wall, its floor and the free surface; ``bath`` through water."""

    wall: float = 8.0
    floor: float = 3.0
    surface: float = 9.0
    bath: float = 50.0


class Vessel(Struct, frozen=True):
    """What resin stands in: a pot of a diameter [m], a tray of an area [m²], or a pot in a bath of water [K]."""

    kind: str = "pot"
    width: float = 0.25
    bath: float = 288.15

    @property
    def area(self) -> float:
        """Of the floor, and of the free surface [m²]."""
        return self.width**2 if self.kind == "tray" else math.pi * self.width**2 / 4

    def fill(self, volume: float) -> float:
        """Return how deep the resin stands [m]."""
        return volume / self.area


class BucketHeat(Struct, frozen=True, eq=False):
    """Temperatures [K] and degrees of cure of a batch over time [s]: stirred, and in the core at rest, shape (n,)."""

    time: Floats
    stirred: Floats
    core: Floats
    cured: Floats
    core_cured: Floats
    fill: float
    biot: float
    alpha_gel: float

    def reaches(self, temperature: float, core: bool) -> float:
        """Return when a temperature is reached [s]; inf when it is not."""
        return _first(self.time, self.core if core else self.stirred, temperature)

    def gels(self, core: bool) -> float:
        """Return when it gels [s]; inf when it does not within the time looked at."""
        return _first(self.time, self.core_cured if core else self.cured, self.alpha_gel)

    @property
    def life(self) -> tuple[float, float]:
        """When it is past use, the earlier and the later of rest and stirred [s]: warm, half way to gel, or running away."""
        found = []
        for warm, cured in ((self.core, self.core_cured), (self.stirred, self.cured)):
            limit = limit_of(float(self.stirred[0]))
            away = np.flatnonzero(np.gradient(warm, self.time) > QUICK)
            found.append(
                min(
                    _first(self.time, warm, limit), _first(self.time, cured, 0.5 * self.alpha_gel),
                    float(self.time[away[0]]) if len(away) else math.inf,
                )
            )  # fmt: skip
        return min(found), max(found)


def limit_of(start: float) -> float:
    """Return the temperature that a batch may come to [K]."""
    return min(WARM, start + WARMER) if start < WARM else start + WARMER


def _first(time: Floats, values: Floats, level: float) -> float:
    """Return when rising values first come to a level, between points; inf when they do not."""
    over = np.flatnonzero(values >= level)
    if not len(over):
        return math.inf
    k = int(over[0])
    if k == 0:
        return float(time[0])
    share = (level - values[k - 1]) / max(values[k] - values[k - 1], 1e-300)
    return float(time[k - 1] + share * (time[k] - time[k - 1]))


def _rate(cure: KamalSourour, alpha: Floats, temperature: Floats) -> Floats:
    """Kamal–Sourour, dα/dt [1/s], for many cells."""
    a = np.minimum(np.maximum(alpha, 0.0), 1.0)
    over = -1 / (GAS * np.minimum(np.maximum(temperature, 200.0), 1000.0))  # a trial step may ask far outside
    k1, k2 = cure.a1 * np.exp(cure.e1 * over), cure.a2 * np.exp(cure.e2 * over)
    return np.asarray((k1 + k2 * a**cure.m) * (1 - a) ** cure.n)


class _Stuff(Struct, frozen=True):
    """What of a resin counts here, in a form that can be looked up again."""

    law: CastroMacosko
    density: float
    heat: float
    specific_heat: float
    conductivity: float


POT, USUAL = Vessel(), Losses()


def bucket_heat(
    resin: Resin,
    mass: float,
    start: float,
    room: float,
    vessel: Vessel = POT,
    losses: Losses = USUAL,
    until: float = 6 * 3600.0,
) -> BucketHeat:
    """Return how a batch of a mass [kg], mixed at a temperature [K], heats itself in a room [K].

    Raises
    ------
    ValueError : when the resin has no cure law: its sheet's pot life is all that is known then.
    """
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        raise ValueError(tr("{} has no cure law: only its sheet's pot life is known.", resin.name))
    stuff = _Stuff(law, resin.density, resin.heat, resin.specific_heat, resin.conductivity)
    return _heat(stuff, mass, start, room, vessel, losses, until)


@lru_cache(maxsize=24)
def _heat(
    stuff: _Stuff, mass: float, start: float, room: float, vessel: Vessel, losses: Losses, until: float,
    cells: int = CELLS,
) -> BucketHeat:  # fmt: skip
    fill = vessel.fill(mass / stuff.density)
    ways, biot, radius, shape = _ways_out(stuff, mass, vessel, losses, room, fill)
    time = np.linspace(0.0, until, 1441)
    stirred, core = _solved(stuff, start, ways, mass, time, radius, shape, cells)
    return BucketHeat(time, stirred[0], core[0], stirred[1], core[1], fill, biot, stuff.law.alpha_gel)


def _ways_out(
    resin: _Stuff, mass: float, vessel: Vessel, losses: Losses, room: float, fill: float
) -> tuple[tuple[tuple[float, float], ...], float, float, int]:
    """Return heat losses as (U A [W/K], outside [K]), the Biot number, the reach of conduction [m] and its shape j."""
    wall = 0.0 if vessel.kind == "tray" else math.pi * vessel.width * fill
    if vessel.kind == "bath":
        ways: tuple[tuple[float, float], ...] = (
            (losses.bath * (wall + vessel.area), vessel.bath), (losses.surface * vessel.area, room),
        )  # fmt: skip
    else:
        ways = ((losses.wall * wall + losses.floor * vessel.area + losses.surface * vessel.area, room),)
    around = wall + 2 * vessel.area
    volume = mass / resin.density
    mean = sum(ua for ua, _ in ways) / around
    biot = mean * (volume / around) / resin.conductivity
    return (
        ways,
        biot,
        (fill / 2 if vessel.kind == "tray" else 3 * volume / around),
        (0 if vessel.kind == "tray" else 2),
    )


def _solved(
    resin: _Stuff, start: float, ways: tuple[tuple[float, float], ...], mass: float, time: Floats,
    radius: float, shape: int, cells: int,
) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:  # fmt: skip
    """Integrate; return temperature and degree of cure at the times, stirred through, and of the innermost cell at rest."""
    from scipy.integrate import odeint  # half a second that the start does without

    edges = np.linspace(0.0, radius, cells + 1)
    faces, volume = edges**shape, np.diff(edges ** (shape + 1)) / (shape + 1)
    scale = mass / resin.density / volume.sum()  # real volume for one of this shape
    inner = radius / cells / 2 / (resin.conductivity * faces[-1] * scale)
    # The cells of the batch at rest, and last, beside them and bound to none, the one that is all of it stirred.
    heavy = resin.specific_heat * resin.density * scale * np.append(volume, volume.sum())
    between = np.append(resin.conductivity * faces[1:-1] * scale / (radius / cells), 0.0)
    lost, gained = np.zeros(cells + 1), np.zeros(cells + 1)
    for ua, outside in ways:
        through = np.array([ua / (1 + ua * inner), ua])
        lost[-2:] += through
        gained[-2:] += through * outside
    lost, gained, law, rise = lost / heavy, gained / heavy, resin.law.cure, resin.heat / resin.specific_heat

    def change(_t: float, y: Floats) -> Floats:
        warm, out = y[::2], np.empty(len(y))
        rate = _rate(law, y[1::2], warm)
        across = between * (warm[:-1] - warm[1:])
        warming = rise * rate + gained - lost * warm
        warming[:-1] -= across / heavy[:-1]
        warming[1:] += across / heavy[1:]
        out[::2], out[1::2] = warming, rate
        return out

    y0 = np.tile([start, STARTED], cells + 1)  # a cell beside the next: its neighbours are two places off
    run = odeint(change, y0, time, tfirst=True, ml=2, mu=2, rtol=1e-5, atol=1e-7, mxstep=5000)
    for k in (0, 2 * cells):
        hot = np.flatnonzero(run[:, k] > HOTTEST)
        if len(hot):  # what has become so hot is past all use
            run[hot[0] :, k], run[hot[0] :, k + 1] = HOTTEST, 1.0
    return (run[:, -2].copy(), run[:, -1].copy()), (run[:, 0].copy(), run[:, 1].copy())


def safe_batch(
    resin: Resin, hold: float, start: float, room: float, vessel: Vessel = POT, losses: Losses = USUAL
) -> float:
    """Return the largest batch [kg] whose core is fit for use for a time [s]; monotone in mass, by bisection on log m.

    Raises
    ------
    ValueError : when the resin has no cure law.
    """
    low, high = math.log(0.05), math.log(200.0)
    if bucket_heat(resin, math.exp(low), start, room, vessel, losses).life[0] < hold:
        return 0.0
    if bucket_heat(resin, math.exp(high), start, room, vessel, losses).life[0] >= hold:
        return math.exp(high)
    for _ in range(12):
        middle = (low + high) / 2
        if bucket_heat(resin, math.exp(middle), start, room, vessel, losses).life[0] >= hold:
            low = middle
        else:
            high = middle
    return math.exp(low)


SHEET = 296.15  # K at which sheets tell pot life
EARLIEST = 120.0  # s after mixing from which a thermometer tells something of the heat
LEAST_HEAT, MOST_HEAT = 2e3, 6e5  # J/kg between which a heat is looked for


@lru_cache(maxsize=32)
def _fitted(stuff: _Stuff, mass: float, life: float, vessel: Vessel) -> tuple[float, float]:
    def gels(heat: float) -> float:
        trial = _Stuff(stuff.law, stuff.density, heat, stuff.specific_heat, stuff.conductivity)
        # Later than this it does not matter when, and cells as coarse as these move a gel by under 0.5 %.
        return _heat(trial, mass, SHEET, SHEET, vessel, USUAL, 1.3 * life, FIT_CELLS).gels(core=True)

    def told(heat: float) -> tuple[float, float]:
        trial = _Stuff(stuff.law, stuff.density, heat, stuff.specific_heat, stuff.conductivity)
        return heat, _heat(trial, mass, SHEET, SHEET, vessel, USUAL, 6 * 3600.0).gels(core=True)

    low, high = math.log(LEAST_HEAT), math.log(MOST_HEAT)
    if gels(LEAST_HEAT) <= life:
        return told(LEAST_HEAT)
    if gels(MOST_HEAT) >= life:
        return told(MOST_HEAT)
    for _ in range(12):
        middle = (low + high) / 2
        low, high = (middle, high) if gels(math.exp(middle)) > life else (low, middle)
    return told(math.exp((low + high) / 2))


def fitted_heat(resin: Resin, vessel: Vessel = POT) -> tuple[float, float]:
    """Return the heat [J/kg] with which the core of the sheet's batch gels at its pot life, and the life so met [s].

    The sheet's batch is the resin's largest; it stands at rest at 23 °C.  Where no heat in reason meets the sheet, the
    nearest is returned: law and sheet then speak of different resins.

    Raises
    ------
    ValueError : when the resin has no cure law.
    """
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        raise ValueError(tr("{} has no cure law: only its sheet's pot life is known.", resin.name))
    stuff = _Stuff(law, resin.density, resin.heat, resin.specific_heat, resin.conductivity)
    return _fitted(stuff, resin.largest_batch, resin.pot_life, vessel)


def heat_by_reading(
    resin: Resin, mass: float, start: float, room: float, vessel: Vessel, time: float, reading: float
) -> float:
    """Return the heat [J/kg] with which the bucket is at a temperature [K] that was read so long after mixing [s].

    A thermometer held into a bucket reads between core at rest and stirred through: the middle of the two is met.  Where no
    heat in reason does, the nearest is returned.

    Raises
    ------
    ValueError : when the resin has no cure law, or the reading is too early to say anything.
    """
    law = resin.viscosity
    if not isinstance(law, CastroMacosko):
        raise ValueError(tr("{} has no cure law: only its sheet's pot life is known.", resin.name))
    if time < EARLIEST:
        raise ValueError(tr("A reading before {:.0f} min says nothing of the heat yet.", EARLIEST / 60))

    def off(heat: float) -> float:
        stuff = _Stuff(law, resin.density, heat, resin.specific_heat, resin.conductivity)
        found = _heat(stuff, mass, start, room, vessel, USUAL, time, FIT_CELLS)
        return float(found.core[-1] + found.stirred[-1]) / 2 - reading

    low, high = math.log(LEAST_HEAT), math.log(MOST_HEAT)
    if off(LEAST_HEAT) >= 0:
        return LEAST_HEAT
    if off(MOST_HEAT) <= 0:
        return MOST_HEAT
    for _ in range(14):
        middle = (low + high) / 2
        low, high = (middle, high) if off(math.exp(middle)) < 0 else (low, middle)
    return math.exp((low + high) / 2)
