"""Pumping a bag down: how fast the pump draws, what it ends at, and which of pump, hose and bag is at fault.

V dp/dt = −S (p − p_ult) + q, so that p = p_f + (p_0 − p_f) e^(−S t/V) with p_f = p_ult + q/S; a hose of conductance
C = π d⁴ p̄/(128 μ l) stands in series, 1/S_eff = 1/S + 1/C, and chokes as the pressure falls.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.leak.droptest import LeakError
from bibulon.core.model.drop_test import Reading
from bibulon.core.units.words import tr

__all__ = ["Pumping", "fit_pump_down", "time_to"]

Floats = npt.NDArray[np.float64]
LEAST = 5  # readings that a fit wants
CHOKES = 0.6  # of the speed at the start that is left at the end, under which the hose is to blame
DEEP = 1000.0  # Pa at which a sound pump ends on a tight bag


class Pumping(Struct, frozen=True):
    """Effective speed [m³/s] at the start and near the end, the pressure that it ends at [Pa], from which it began [Pa].

    scatter : how far readings lie off the fit, as a share of the pressure.  blame : of "", "pump", "hose", "bag", and why.
    """

    speed: float
    speed_late: float
    floor: float
    start: float
    volume: float
    scatter: float
    blame: str
    why: str


def _fit(time: Floats, pressure: Floats) -> tuple[float, float, float]:
    """Return rate S/V [1/s], floor and start [Pa] by least squares on the logarithm of pressure."""
    from scipy.optimize import least_squares

    low, high = float(pressure.min()), float(pressure[0])
    span = float(time[-1])
    guess_floor = 0.9 * low
    falls = np.log(np.maximum((high - guess_floor) / np.maximum(pressure - guess_floor, 1e-3), 1.0))
    rate = float(np.median(falls[1:] / np.maximum(time[1:], 1e-9)))

    def off(x: Floats) -> Floats:
        model = np.exp(x[1]) + (np.exp(x[2]) - np.exp(x[1])) * np.exp(-np.exp(x[0]) * time)
        return np.log(np.maximum(model, 1e-3) / pressure)

    first = [math.log(max(rate, 0.1 / span)), math.log(max(guess_floor, 1.0)), math.log(high)]
    found = least_squares(off, first, loss="soft_l1", f_scale=0.02).x
    return float(np.exp(found[0])), float(np.exp(found[1])), float(np.exp(found[2]))


def fit_pump_down(
    readings: Sequence[Reading], volume: float, rated: float | None = None, leak: float | None = None
) -> Pumping:
    """Fit a pump-down.

    Parameters
    ----------
    readings : in the order of time, falling on the whole; at least five.
    volume : that is drawn down [m³].
    rated : speed that the pump is sold with [m³/s], if known; leak : by a drop test [Pa m³/s], if known.

    Raises
    ------
    LeakError : when there are too few readings, their times do not rise, or the pressure does not fall.
    """
    if len(readings) < LEAST:
        raise LeakError(tr("At least five readings are needed; there are {}.", len(readings)))
    time = np.array([r.time for r in readings])
    pressure = np.maximum(np.array([r.pressure for r in readings]), 1.0)
    if np.any(np.diff(time) <= 0):
        k = int(np.flatnonzero(np.diff(time) <= 0)[0]) + 2
        raise LeakError(tr("Reading {} does not come after the one before it.", k))
    if pressure[-1] > 0.9 * pressure[0]:
        raise LeakError(tr("The pressure does not fall: this is no pump-down."))
    time = time - time[0]
    rate, floor, start = _fit(time, pressure)
    model = floor + (start - floor) * np.exp(-rate * time)
    scatter = float(np.sqrt(np.mean(np.log(model / pressure) ** 2)))
    early, late = _slopes(time, pressure, floor)
    speed = rate * volume
    if late < CHOKES * early:
        speed = early * volume  # one rate does not describe it: that of the start is the pump's own
    blame, why = _blame(speed, late * volume, floor, rated, leak)
    return Pumping(speed, late * volume, floor, start, volume, scatter, blame, why)


def _slopes(time: Floats, pressure: Floats, floor: float) -> tuple[float, float]:
    """Return S/V [1/s] over the first and the last third of the record in which the pressure still falls."""
    left = pressure - min(floor, 0.97 * float(pressure.min()))
    falls = np.flatnonzero(left > 0.15 * floor + 50.0)
    if len(falls) < 6:
        falls = np.arange(len(time))
    third = max(len(falls) // 3, 3)
    out = []
    for part in (falls[:third], falls[-third:]):
        slope = np.polyfit(time[part], np.log(np.maximum(left[part], 1e-3)), 1)[0]
        out.append(float(max(-slope, 1e-12)))
    return out[0], out[1]


def _blame(
    speed: float, late: float, floor: float, rated: float | None, leak: float | None
) -> tuple[str, str]:
    if late < CHOKES * speed:
        return "hose", tr("It slows as the pressure falls: a long or thin hose chokes, where air is thin.")
    if floor > DEEP and leak is not None and leak / max(speed, 1e-12) > 0.5 * floor:
        return "bag", tr("It ends where the bag's own leak is as fast as the pump.")
    if rated is not None and speed < 0.5 * rated:
        return (
            "pump",
            tr(
                "It draws less than half of what the pump is sold with, at all pressures: oil, filter, vanes."
            ),
        )
    if floor > DEEP:
        return (
            tr("bag or pump"),
            tr(
                "It ends too high: shut the pump off at its own flange. If it ends as high there, it is the pump."
            ),
        )
    return "", tr("Nothing to find fault with.")


def time_to(pumping: Pumping, level: float) -> float:
    """Return how long from the start until a pressure is reached [s]; inf where it never is."""
    if level <= pumping.floor:
        return math.inf
    if level >= pumping.start:
        return 0.0
    return (
        pumping.volume / pumping.speed * math.log((pumping.start - pumping.floor) / (level - pumping.floor))
    )
