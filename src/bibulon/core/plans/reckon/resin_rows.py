"""Rows on resin: mixing, dosing, filler, warmth, buckets, gel."""

from __future__ import annotations

import math
from typing import Any

from bibulon.core.model.materials import CastroMacosko, Resin
from bibulon.core.plans.reckon.row import NEEDED, In, ReckonError, Row
from bibulon.core.resin.bucket import Losses, Vessel, bucket_heat, safe_batch
from bibulon.core.resin.clock import cure_course
from bibulon.core.resin.mix import weighed
from bibulon.core.units.words import tr

__all__ = ["ROWS"]

KELVIN = 273.15
ROOM = 295.15


def _mix(
    total: float,
    volume: float,
    ratio: float,
    by: str,
    density_a: float,
    density_b: float,
    step: float,
    tolerance: float,
) -> dict[str, Any]:
    weight = ratio if by == "weight" else ratio * density_b / density_a
    density = (1 + weight) / (1 / density_a + weight / density_b)
    if (total > 0) == (volume > 0):
        raise ReckonError(tr("mix needs total, or volume instead of it."))
    made = weighed(total if total > 0 else volume * density, weight, density_a, density_b, step, tolerance)
    return {
        "mass_a_kg": made.mass_a, "mass_b_kg": made.mass_b, "volume_a_l": made.volume_a * 1e3, "volume_b_l": made.volume_b * 1e3,
        "ratio_by_weight": weight, "ratio_by_volume": weight * density_a / density_b, "worst_ratio_error": made.worst,
        "within_tolerance": not made.too_coarse,
    }  # fmt: skip


def _dose(
    resin_mass: float, dose: float, density: float, step: float, band_low: float, band_high: float
) -> dict[str, Any]:
    """Peroxide by parts per hundred of resin; the dose of the rounded mark must lie in the maker's band."""
    volume = resin_mass * dose / density
    mark = round(volume / step) * step
    of_mark = mark * density / resin_mass
    if not band_low - 1e-12 <= of_mark <= band_high + 1e-12:
        raise ReckonError(
            tr(
                "dose: the nearest mark gives {0:.2f} %, outside {1:g} to {2:g} %: take a finer "
                "syringe, or another dose.",
                of_mark * 100,
                band_low * 100,
                band_high * 100,
            )
        )
    return {"volume_ml": volume * 1e6, "mark_ml": mark * 1e6, "dose_of_mark_percent": of_mark * 100}


def _filler(resin_density: float, filler_density: float, measured: float, plan: float) -> dict[str, Any]:
    """Share w = (1/ρ_R − 1/ρ)/(1/ρ_R − 1/ρ_F)."""
    share = (1 / resin_density - 1 / measured) / (1 / resin_density - 1 / filler_density)
    if not 0 <= share < 1:
        raise ReckonError(tr("measured: {:g} kg/m³ lies outside resin and filler.", measured))
    return {"share": share, "difference": share - plan}


def _warm(
    mass_a: float, c_a: float, mass_b: float, c_b: float, t_b: float, vessel_mass: float, vessel_c: float, vessel_t: float,
    wanted: float, limit: float,
) -> dict[str, Any]:  # fmt: skip
    """T_A = [T_mix Σ m c − Σ_others m c T]/(m_A c_A)."""
    heavy = mass_a * c_a + mass_b * c_b + vessel_mass * vessel_c
    t_a = (wanted * heavy - mass_b * c_b * t_b - vessel_mass * vessel_c * vessel_t) / (mass_a * c_a)
    if t_a > limit:
        raise ReckonError(
            tr(
                "wanted: A would have to be at {0:.1f} °C, over the limit of {1:.0f} °C: warm B too.",
                t_a - KELVIN,
                limit - KELVIN,
            )
        )
    return {"t_a_c": t_a - KELVIN, "t_mix_c": wanted - KELVIN}


def _vessel(vessel: str, diameter: float, area: float, bath: float) -> Vessel:
    return Vessel(vessel, math.sqrt(area) if vessel == "tray" and area > 0 else diameter, bath)


def _bucket(
    resin: Resin, mass: float, start: float, room: float, vessel: str, diameter: float, area: float, bath: float,
    heat: float, conductivity: float, u_wall: float, u_floor: float, u_surface: float, u_bath: float,
) -> dict[str, Any]:  # fmt: skip
    own = resin.replaced(heat=heat or resin.heat, conductivity=conductivity)
    run = bucket_heat(
        own,
        mass,
        start,
        room,
        _vessel(vessel, diameter, area, bath),
        Losses(u_wall, u_floor, u_surface, u_bath),
    )
    out: dict[str, Any] = {"fill_mm": run.fill * 1e3, "biot": run.biot}
    for name, core, warm in (("core", True, run.core), ("lumped", False, run.stirred)):
        peak = int(warm.argmax())
        out |= {
            f"{name}_45c_s": run.reaches(318.15, core), f"{name}_gel_s": run.gels(core),
            f"{name}_peak_c": float(warm[peak]) - KELVIN, f"{name}_peak_s": float(run.time[peak]),
        }  # fmt: skip
    return out


def _safe(
    resin: Resin,
    hold: float,
    start: float,
    room: float,
    vessel: str,
    diameter: float,
    area: float,
    bath: float,
) -> dict[str, Any]:
    mass = safe_batch(resin, hold, start, room, _vessel(vessel, diameter, area, bath))
    if mass <= 0:
        raise ReckonError(tr("hold: not even 50 g keep so long in this vessel."))
    return {"mass_kg": mass}


def _gel(resin: Resin, temperature: float) -> dict[str, Any]:
    if not isinstance(resin.viscosity, CastroMacosko):
        raise ReckonError(
            tr(
                "resin: {0} has no cure law; its sheet tells {1:.0f} s.",
                resin.name,
                resin.gel_time or resin.pot_life,
            )
        )
    time, cured = cure_course(resin.viscosity, temperature, 7 * 86400.0)
    gelled = cured[-1] >= 0.998 * resin.viscosity.alpha_gel
    return {"gel_s": float(time[-1]) if gelled else math.inf, "alpha_end": float(cured[-1])}


def _heat_up(
    mass: float, c: float, power: float, loss: float, room: float, start: float, wanted: float
) -> dict[str, Any]:
    """Recirculating: m c dT/dt = P − UA (T − T_room), in closed form; ``loss`` is UA [W/K]."""
    highest = room + power / loss if loss > 0 else math.inf
    if wanted >= highest:
        raise ReckonError(tr("wanted: it comes to {:.1f} °C at most with this power.", highest - KELVIN))
    time = (
        mass * c / loss * math.log((highest - start) / (highest - wanted))
        if loss > 0
        else mass * c * (wanted - start) / power
    )
    return {"time_s": max(time, 0.0), "highest_c": highest - KELVIN}


_BUCKET = {
    "start": In("temperature", ROOM, 253.0, 473.0), "room": In("temperature", ROOM, 253.0, 473.0),
    "vessel": In("choice", "pot", among=("pot", "tray", "bath")), "diameter": In("length", 0.25, 0.02, 3.0),
    "area": In("area", 0.0, 0.0, 10.0), "bath": In("temperature", 288.15, 253.0, 473.0),
}  # fmt: skip

ROWS = (
    Row("mix", tr("what to weigh of two parts"), {
        "total": In("mass", 0.0, 0.0, 2000.0), "volume": In("volume", 0.0, 0.0, 2.0), "ratio": In("ratio", low=0.001, high=200.0),
        "by": In("choice", "weight", among=("weight", "volume")), "density_a": In("density", 1150.0, 500.0, 5000.0),
        "density_b": In("density", 1000.0, 500.0, 5000.0), "step": In("mass", 0.001, 1e-6, 1.0), "tolerance": In("share", 0.02, 0.0, 1.0),
    }, _mix, {"total": "12 kg", "ratio": "100:27", "step": "2 g"}, ("total", "mass_b_kg")),
    Row("dose", tr("peroxide by syringe"), {
        "resin_mass": In("mass", low=0.001, high=2000.0), "dose": In("share", low=0.0, high=0.05), "density": In("density", 1150.0, 500.0, 5000.0),
        "step": In("volume", 5e-7, 1e-8, 1e-3), "band_low": In("share", 0.01, 0.0, 0.1), "band_high": In("share", 0.025, 0.0, 0.1),
    }, _dose, {"resin_mass": "4 kg", "dose": "1.5 %"}, ("resin_mass", "volume_ml")),
    Row("filler", tr("share of filler by density"), {
        "resin_density": In("density", NEEDED, 500.0, 5000.0), "filler_density": In("density", NEEDED, 500.0, 5000.0), "measured": In("density", NEEDED, 500.0, 5000.0),
        "plan": In("share", 0.0, 0.0, 1.0),
    }, _filler, {"resin_density": "1110 kg/m3", "filler_density": "2710 kg/m3", "measured": "1390 kg/m3", "plan": "34 %"}, ("measured", "share")),
    Row("warm", tr("how warm part A must be"), {
        "mass_a": In("mass", low=0.001, high=2000.0), "c_a": In("number", 1800.0, 500.0, 5000.0), "mass_b": In("mass", low=0.0, high=2000.0),
        "c_b": In("number", 2000.0, 500.0, 5000.0), "t_b": In("temperature", ROOM, 253.0, 473.0), "vessel_mass": In("mass", 0.0, 0.0, 200.0),
        "vessel_c": In("number", 1900.0, 100.0, 5000.0), "vessel_t": In("temperature", ROOM, 253.0, 473.0), "wanted": In("temperature", NEEDED, 253.0, 473.0),
        "limit": In("temperature", 313.15, 253.0, 473.0),
    }, _warm, {"mass_a": "3 kg", "mass_b": "0.9 kg", "t_b": "18 C", "wanted": "25 C"}, ("wanted", "t_a_c")),
    Row("bucket", tr("how a batch heats itself"), {
        "resin": In("resin"), "mass": In("mass", low=0.02, high=500.0), **_BUCKET, "heat": In("number", 0.0, 0.0, 1e6),
        "conductivity": In("number", 0.2, 0.05, 2.0), "u_wall": In("number", 8.0, 0.0, 1e5), "u_floor": In("number", 3.0, 0.0, 1e5),
        "u_surface": In("number", 9.0, 0.0, 1e5), "u_bath": In("number", 50.0, 0.0, 1e5),
    }, _bucket, {"resin": "epoxy-medium", "mass": "2 kg"}, None),
    Row("safe-batch", tr("the largest batch that keeps"), {"resin": In("resin"), "hold": In("time", low=1.0, high=21600.0), **_BUCKET}, _safe, {"resin": "epoxy-medium", "hold": "1 h"}, None),
    Row("gel", tr("when a thin layer gels"), {"resin": In("resin"), "temperature": In("temperature", NEEDED, 253.0, 473.0)}, _gel, {"resin": "vinylester", "temperature": "22 C"}, ("temperature", "gel_s")),
    Row("heat-up", tr("how long it takes to warm"), {
        "mass": In("mass", low=0.001, high=5000.0), "c": In("number", 1800.0, 100.0, 5000.0), "power": In("number", low=0.1, high=1e6),
        "loss": In("number", 0.0, 0.0, 1e5), "room": In("temperature", ROOM, 253.0, 473.0), "start": In("temperature", ROOM, 253.0, 473.0),
        "wanted": In("temperature", NEEDED, 253.0, 473.0),
    }, _heat_up, {"mass": "20 kg", "power": "800", "loss": "6", "wanted": "32 C"}, ("power", "time_s")),
)  # fmt: skip
