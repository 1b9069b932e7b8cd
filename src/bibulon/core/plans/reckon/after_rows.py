"""Rows on what comes after the shot: cure through the thickness, glass, fibre share by weight, a control chart."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from bibulon.core.cure.heat import cure, di_benedetto
from bibulon.core.cure.section import Slab, cells_of
from bibulon.core.model.cure import CurePlan
from bibulon.core.model.materials import Resin
from bibulon.core.plans.reckon.row import NEEDED, In, ReckonError, Row
from bibulon.core.series.charts import chart
from bibulon.core.series.weighed import Weighings, fibre_share
from bibulon.core.units.words import tr

__all__ = ["ROWS"]

FOLLOWED = 72 * 3600.0  # s


def _cure(
    resin: Resin, thickness: float, vf: float, fibre_density: float, fibre_c: float, fibre_k: float, tool_thickness: float,
    tool_k: float, tool_rho_c: float, h_tool: float, h_bag: float, room: float, start: float,
) -> dict[str, Any]:  # fmt: skip
    pores = 1 - vf
    k = fibre_k**vf * resin.conductivity**pores
    rho_c = vf * fibre_density * fibre_c + pores * resin.density * resin.specific_heat
    slabs = [Slab("laminate", thickness, k, rho_c, pores * resin.density)]
    if tool_thickness > 0:
        slabs.insert(0, Slab("tool", tool_thickness, tool_k, tool_rho_c))
    plan = CurePlan(tool_thickness=tool_thickness, h_tool=h_tool, h_bag=h_bag)
    try:
        cells = cells_of(tuple(slabs), plan)
        found = cure(cells, resin, lambda _t: room, np.zeros(1), np.full(1, start), FOLLOWED)
    except ValueError as error:
        raise ReckonError(f"{error}.") from error
    gel = found.gel_cells[0]

    def told(at: float) -> float | None:
        return float(at) if math.isfinite(at) else None

    return {
        "peak_c": float(found.peak[0]) - 273.15, "peak_s": float(found.peak_at[0]), "gel_mid_s": told(gel[len(gel) // 2]),
        "gel_face_s": told(min(gel[0], gel[-1])),
    }  # fmt: skip


def _glass(alpha: float, uncured: float, cured: float, lam: float) -> dict[str, Any]:
    return {"glass_c": float(di_benedetto(uncured, cured, lam, np.array(alpha))) - 273.15}


def _fibre_share(
    fibre: float, part: float, fibre_density: float, resin_density: float, core: float, core_uptake: float, coat: float, area: float,
    thickness: float, scale: float,
) -> dict[str, Any]:  # fmt: skip
    try:
        told = fibre_share(
            Weighings(
                part, fibre, fibre_density, resin_density, core, core_uptake, coat, area, thickness, scale
            )
        )
    except ValueError as error:
        raise ReckonError(f"{error}.") from error
    out: dict[str, Any] = {
        "vf": told.vf.middle, "vf_low": told.vf.low, "vf_high": told.vf.high, "fibre_mass_share": told.mass_share, "resin_kg": told.resin
    }  # fmt: skip
    if told.voids is not None:
        out |= {"voids": told.voids.middle, "voids_low": told.voids.low, "voids_high": told.voids.high}
    return out


def _chart(values: str, baseline: float, step: float) -> dict[str, Any]:
    try:
        numbers = [float(v) for v in values.replace(";", ",").split(",") if v.strip()]
        made = chart(numbers, int(baseline) or None, step)
    except ValueError as error:
        raise ReckonError(tr("values: {}.", error)) from error
    limits = (made.lower, made.upper) if math.isfinite(made.lower) else (None, None)
    return {
        "mean": made.mean, "lower": limits[0], "upper": limits[1], "sigma": made.sigma, "ewma": float(made.ewma[-1]),
        "signals": "; ".join(f"{s.point + 1}: {s.rule}" for s in made.signals),
    }  # fmt: skip


ROWS = (
    Row("cure", tr("how warm a laminate gets, and when it gels"), {
        "resin": In("resin"), "thickness": In("thickness", low=2e-4, high=0.3), "vf": In("share", 0.5, 0.05, 0.75),
        "fibre_density": In("density", 2550.0, 800, 4000), "fibre_c": In("number", 800.0, 100, 3000), "fibre_k": In("number", 1.0, 0.05, 50),
        "tool_thickness": In("thickness", 0.01, 0.0, 0.5), "tool_k": In("number", 0.3, 0.01, 500), "tool_rho_c": In("number", 1.9e6, 1e4, 1e7),
        "h_tool": In("number", 8.0, 1e-3, 1e4), "h_bag": In("number", 8.0, 1e-3, 1e4), "room": In("temperature", 293.15, 253.0, 423.0),
        "start": In("temperature", 293.15, 253.0, 423.0),
    }, _cure, {"resin": "epoxy-slow", "thickness": "12 mm"}, ("thickness", "peak_c")),
    Row("glass", tr("the glass transition at a degree of cure"), {
        "alpha": In("share", NEEDED, 0.0, 1.0), "uncured": In("temperature", 233.15, 150.0, 400.0), "cured": In("temperature", 358.15, 250.0, 600.0),
        "lam": In("number", 0.45, 0.05, 1.0),
    }, _glass, {"alpha": "0.9", "uncured": "-40 C", "cured": "85 C"}, ("alpha", "glass_c")),
    Row("fibre-share", tr("what fibre share a part came to, by weight"), {
        "fibre": In("mass", low=0.0, high=1e5), "part": In("mass", low=0.0, high=1e5), "fibre_density": In("density", 2550.0, 800, 4000),
        "resin_density": In("density", 1150.0, 700, 2000), "core": In("mass", 0.0, 0.0, 1e5), "core_uptake": In("mass", 0.0, 0.0, 1e5),
        "coat": In("mass", 0.0, 0.0, 1e5), "area": In("area", 0.0, 0.0, 1e4), "thickness": In("thickness", 0.0, 0.0, 1.0), "scale": In("mass", 0.01, 0.0, 10.0),
    }, _fibre_share, {"fibre": "6 kg", "part": "10 kg"}, ("part", "vf")),
    Row("chart", tr("limits and signals of a series"), {
        "values": In("text"), "baseline": In("number", 0.0, 0.0, 1000.0), "step": In("number", 0.0, 0.0, 1e6),
    }, _chart, {"values": "10.1,9.8,10.2,10.0,9.9,10.1,10.0,9.7,11.4"}, None),
)  # fmt: skip
