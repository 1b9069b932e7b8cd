"""What a leak does later: the pressure after hours, the hole that it would be, the air that is in the part at gel.

A hole is choked as long as the bag is under 0.528 of the air outside, and then lets in the same whatever the vacuum; a fine
path, such as a fibre under the tape, lets in as p_air² − p² (Jousten, *Vacuum Technology*).
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct

__all__ = ["Later", "air_drawn", "hole_flow", "later", "pinhole", "share_of_choked"]

Floats = npt.NDArray[np.float64]
GAMMA, GAS = 1.4, 287.05  # of air; J/(kg K)
CHOKED = (2 / (GAMMA + 1)) ** (GAMMA / (GAMMA - 1))
DISCHARGE = 0.8


class Later(Struct, frozen=True, eq=False):
    """Pressures at times [s], if the leak is a hole and if it is a fine path [Pa], same shapes."""

    time: Floats
    hole: Floats
    fine: Floats


def share_of_choked(ratio: float) -> float:
    """Return what a hole passes, as a share of what it passes choked, at a ratio of the pressure to the air's."""
    r = min(max(ratio, CHOKED), 1.0)
    full = math.sqrt(CHOKED ** (2 / GAMMA) - CHOKED ** ((GAMMA + 1) / GAMMA))
    return math.sqrt(max(r ** (2 / GAMMA) - r ** ((GAMMA + 1) / GAMMA), 0.0)) / full


def later(volume: float, leak: float, start: float, times: Floats, air: float) -> Later:
    """Return the pressures [Pa] after times [s] in a volume [m³] with a leak of today [Pa m³/s], never above the air.

    Fine paths: dp/dt = q_0/V (p_a² − p²)/(p_a² − p_0²), a hyperbolic tangent.
    """
    from scipy.integrate import solve_ivp  # half a second that the start does without

    run = solve_ivp(
        lambda _t, y: [leak / volume * share_of_choked(float(y[0]) / air)], (0, float(times[-1])), [start], t_eval=times,
        rtol=1e-8, atol=1e-3, method="LSODA",
    )  # fmt: skip
    rate = leak / volume / (air**2 - start**2) * air
    fine = air * np.tanh(math.atanh(start / air) + rate * times)
    return Later(times, np.minimum(run.y[0], air), np.minimum(fine, air))


def hole_flow(area: float, air: float, temperature: float = 293.15, discharge: float = DISCHARGE) -> float:
    """Return what a choked hole of an area [m²] lets in [Pa m³/s]: C_d A p √(γ R T) (2/(γ+1))^((γ+1)/(2(γ−1)))."""
    return (
        discharge * area * air * math.sqrt(GAMMA * GAS * temperature)
        * (2 / (GAMMA + 1)) ** ((GAMMA + 1) / (2 * (GAMMA - 1)))
    )  # fmt: skip


def pinhole(leak: float, air: float, temperature: float = 293.15, discharge: float = DISCHARGE) -> float:
    """Return the diameter of the round hole that leaks so [m]; 0 for no leak."""
    if leak <= 0:
        return 0.0
    return math.sqrt(4 * leak / hole_flow(1.0, air, temperature, discharge) / math.pi)


def air_drawn(leak: float, time: float, pressure: float) -> float:
    """Return the volume of air [m³] that a leak draws in a time [s], at the pressure of the process [Pa]."""
    return leak * time / pressure
