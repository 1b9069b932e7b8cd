"""Rows on air and flow: gauges, leaks, pumps, bubbles, reach, closing."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from bibulon.core.leak.after import air_drawn, hole_flow, later, pinhole
from bibulon.core.plans.reckon.row import NEEDED, In, ReckonError, Row
from bibulon.core.units.air import SEA, air_at
from bibulon.core.units.units import IN_HG, UnitError
from bibulon.core.units.vacuum import read_vacuum
from bibulon.core.units.words import tr

__all__ = ["ROWS"]


def _air(air: float, altitude: float, weather: float) -> float:
    return air if air > 0 else air_at(altitude, weather)


def _gauge(reading: str, air: float, altitude: float, weather: float, pump_floor: float) -> dict[str, Any]:
    today = _air(air, altitude, weather)
    try:
        absolute = read_vacuum(reading, today)
    except UnitError as error:
        raise ReckonError(tr("reading: {}", error)) from error
    if absolute < pump_floor:
        raise ReckonError(
            tr(
                "reading: deeper than possible here today, {:.1f} kPa below the air.",
                (today - pump_floor) / 1000.0,
            )
        )
    below = today - absolute
    return {
        "absolute_mbar": absolute / 100, "below_kpa": below / 1e3, "below_inhg": below / IN_HG, "air_mbar": today / 100,
        "deepest_below_kpa": (today - pump_floor) / 1e3,
    }  # fmt: skip


def _volume(before: float, after: float, reference_volume: float, reference_before: float) -> dict[str, Any]:
    """V = V_r (p2 − p_r)/(p1 − p2): expansion into an evacuated vessel."""
    if not reference_before < after < before:
        raise ReckonError(tr("after: it lies between the reference's pressure and the bag's."))
    return {"volume_l": 1e3 * reference_volume * (after - reference_before) / (before - after)}


def _leak_after(volume: float, leak: float, start: float, hours: float, air: float) -> dict[str, Any]:
    """A hole is choked until 0.528 of the air, then its flow falls; a fine path goes with p_air² − p²."""
    times = np.array([hours * 3600 * k / 4 for k in range(1, 5)])
    found = later(volume, leak, start, times, air)
    return {
        "hours_h": [float(t) / 3600 for t in times], "hole_mbar": [float(p) / 100 for p in found.hole],
        "capillary_mbar": [float(p) / 100 for p in found.fine],
    }  # fmt: skip


def _pinhole(
    leak: float, diameter: float, air: float, temperature: float, discharge: float
) -> dict[str, Any]:
    """Leak q = C_d A p √(γ R T) (2/(γ+1))^((γ+1)/(2(γ−1))), choked."""
    if (leak > 0) == (diameter > 0):
        raise ReckonError(tr("pinhole needs leak, or diameter instead of it."))
    size = pinhole(leak, air, temperature, discharge) if leak > 0 else diameter
    passed = hole_flow(math.pi * size**2 / 4, air, temperature, discharge)
    return {"diameter_um": 1e6 * size, "leak_mbar_l_per_s": passed / 0.1}


def _bubbles(leak: float, time: float, pressure: float, pores: float) -> dict[str, Any]:
    volume = air_drawn(leak, time, pressure)
    return {"gas_l": volume * 1e3, "share": volume / pores}


def _pump_down(
    volume: float, speed: float, leak: float, floor: float, start: float, level: float
) -> dict[str, Any]:
    """Pressure p = p_f + (p_0 − p_f) e^(−S t/V), p_f = p_ult + q/S."""
    ends = floor + leak / speed
    if level <= ends:
        raise ReckonError(tr("level: it comes to {:.1f} mbar at the deepest.", ends / 100))
    return {"floor_mbar": ends / 100, "time_s": volume / speed * math.log((start - ends) / (level - ends))}


def _difference(leak_1: float, half_1: float, leak_2: float, half_2: float) -> dict[str, Any]:
    off, half = leak_2 - leak_1, math.hypot(half_1, half_2)
    verdict = (
        tr("what was added leaks")
        if off - half > 0
        else tr("not told apart")
        if off + half > 0
        else tr("less than before")
    )
    return {"leak_mbar_l_per_s": off / 0.1, "half_width_mbar_l_per_s": half / 0.1, "verdict": verdict}


def _closing(
    air: float,
    flange: float,
    cavity: float,
    flange_area: float,
    cavity_area: float,
    weight: float,
    fibre_push: float,
) -> dict[str, Any]:
    close = (air - flange) * flange_area + max(air - cavity, 0.0) * cavity_area + weight * 9.80665
    open_ = max(cavity - air, 0.0) * cavity_area + fibre_push * cavity_area
    return {
        "closing_kn": close / 1e3, "opening_kn": open_ / 1e3, "margin_kn": (close - open_) / 1e3,
        "factor": close / open_ if open_ > 0 else math.inf,
    }  # fmt: skip


def _reach(
    permeability: float, pressure: float, time: float, porosity: float, viscosity: float, distance: float
) -> dict[str, Any]:
    """Reach x = √(2 K Δp t / φ μ)."""
    if (time > 0) == (distance > 0):
        raise ReckonError(tr("reach needs time, or distance instead of it."))
    pace = 2 * permeability * pressure / (porosity * viscosity)
    return {
        "reach_mm": 1e3 * (math.sqrt(pace * time) if time > 0 else distance),
        "time_s": time if time > 0 else distance**2 / pace,
    }


def _inject(
    width: float, gap: float, length: float, permeability: float, porosity: float, viscosity: float, rate: float, limit: float,
    hose_length: float, hose_bore: float,
) -> dict[str, Any]:  # fmt: skip
    """At a rate until Q (R + μ x/K A) = p, then at that pressure."""
    area = width * gap
    hose = 128 * viscosity * hose_length / (math.pi * hose_bore**4) if hose_length > 0 else 0.0
    switch = (limit / rate - hose) * permeability * area / viscosity
    if switch <= 0:
        raise ReckonError(tr("rate: the hose alone takes the whole pressure at this rate."))
    switch = min(switch, length)
    before = porosity * area * switch / rate
    rest = (
        porosity
        * area
        / limit
        * (hose * (length - switch) + viscosity / (permeability * area) * (length**2 - switch**2) / 2)
    )
    return {"switch_s": before, "switch_mm": switch * 1e3, "fill_s": before + rest}


AIR = In("pressure", SEA, 4e4, 1.1e5)

ROWS = (
    Row("gauge", tr("what a gauge says, in all words"), {
        "reading": In("vacuum"), "air": In("pressure", 0.0, 0.0, 1.1e5), "altitude": In("distance", 0.0, -400.0, 5000.0),
        "weather": In("pressure", SEA, 8.7e4, 1.09e5), "pump_floor": In("pressure", 0.0, 0.0, 1.1e5),
    }, _gauge, {"reading": "24 inHg below", "altitude": "1400 m"}, ("altitude", "deepest_below_kpa")),
    Row("volume", tr("how much air a bag holds"), {
        "before": In("pressure", NEEDED, 0.0, 1.1e5), "after": In("pressure", NEEDED, 0.0, 1.1e5), "reference_volume": In("volume", low=1e-6, high=10.0),
        "reference_before": In("pressure", 0.0, 0.0, 1.1e5),
    }, _volume, {"before": "600 mbar", "after": "420 mbar", "reference_volume": "8 L"}, ("after", "volume_l")),
    Row("leak-after", tr("the pressure hours later"), {
        "volume": In("volume", low=1e-4, high=10.0), "leak": In("leak", NEEDED, 0.0, 100.0), "start": In("pressure", NEEDED, 0.0, 1.1e5),
        "hours": In("number", low=0.01, high=1000.0), "air": AIR,
    }, _leak_after, {"volume": "6 L", "leak": "0.01 mbar.L/s", "start": "20 mbar", "hours": "8"}, None),
    Row("pinhole", tr("how small a hole leaks so"), {
        "leak": In("leak", 0.0, 0.0, 100.0), "diameter": In("length", 0.0, 0.0, 0.01), "air": AIR,
        "temperature": In("temperature", 293.15, 253.0, 333.0), "discharge": In("number", 0.8, 0.1, 1.0),
    }, _pinhole, {"leak": "0.02 mbar.L/s"}, ("leak", "diameter_um")),
    Row("bubbles", tr("air in the part at gel"), {
        "leak": In("leak", NEEDED, 0.0, 100.0), "time": In("time", low=1.0, high=1e6), "pressure": In("pressure", low=100.0, high=1.1e5),
        "pores": In("volume", low=1e-6, high=10.0),
    }, _bubbles, {"leak": "0.01 mbar.L/s", "time": "40 min", "pressure": "500 mbar", "pores": "3 L"}, ("time", "share")),
    Row("pump-down", tr("how long a pump takes"), {
        "volume": In("volume", low=1e-4, high=10.0), "speed": In("number", low=1e-6, high=1.0), "leak": In("leak", 0.0, 0.0, 100.0),
        "floor": In("pressure", 0.0, 0.0, 1.1e5), "start": In("pressure", SEA, 0.0, 1.1e5), "level": In("pressure", NEEDED, 0.0, 1.1e5),
    }, _pump_down, {"volume": "6 L", "speed": "0.0005", "level": "20 mbar"}, ("volume", "time_s")),
    Row("difference", tr("whether what was added leaks"), {
        "leak_1": In("leak", NEEDED, 0.0, 100.0), "half_1": In("leak", NEEDED, 0.0, 100.0), "leak_2": In("leak", NEEDED, 0.0, 100.0), "half_2": In("leak", NEEDED, 0.0, 100.0),
    }, _difference, {"leak_1": "0.010 mbar.L/s", "half_1": "0.003 mbar.L/s", "leak_2": "0.022 mbar.L/s", "half_2": "0.004 mbar.L/s"}, ("leak_2", "leak_mbar_l_per_s")),
    Row("closing", tr("what holds a mould shut"), {
        "air": AIR, "flange": In("pressure", NEEDED, 0.0, 1.1e5), "cavity": In("pressure", low=0.0, high=1e6), "flange_area": In("area", low=0.0, high=100.0),
        "cavity_area": In("area", low=0.0, high=1000.0), "weight": In("mass", 0.0, 0.0, 1e4), "fibre_push": In("pressure", 0.0, 0.0, 1e6),
    }, _closing, {"flange": "150 mbar", "cavity": "1.3 bar", "flange_area": "0.12 m2", "cavity_area": "0.9 m2"}, ("cavity", "factor")),
    Row("reach", tr("how far resin comes"), {
        "permeability": In("permeability", low=1e-15, high=1e-6), "pressure": In("pressure", low=1.0, high=1e6), "time": In("time", 0.0, 0.0, 1e6),
        "porosity": In("share", 0.5, 0.01, 1.0), "viscosity": In("viscosity", low=1e-4, high=100.0), "distance": In("distance", 0.0, 0.0, 100.0),
    }, _reach, {"permeability": "3e-9", "pressure": "950 mbar", "time": "20 min", "viscosity": "250 mPa.s"}, ("viscosity", "reach_mm")),
    Row("inject", tr("filling by a machine"), {
        "width": In("distance", low=0.001, high=100.0), "gap": In("length", low=1e-4, high=0.2), "length": In("distance", low=0.001, high=100.0),
        "permeability": In("permeability", low=1e-15, high=1e-6), "porosity": In("share", 0.5, 0.01, 1.0),
        "viscosity": In("viscosity", low=1e-4, high=100.0), "rate": In("number", low=1e-9, high=1.0), "limit": In("pressure", low=1.0, high=1e6),
        "hose_length": In("distance", 0.0, 0.0, 100.0), "hose_bore": In("length", 0.01, 0.001, 0.1),
    }, _inject, {"width": "0.6 m", "gap": "4 mm", "length": "0.9 m", "permeability": "5e-10", "viscosity": "200 mPa.s", "rate": "8e-6", "limit": "1.5 bar"}, ("rate", "fill_s")),
)  # fmt: skip
