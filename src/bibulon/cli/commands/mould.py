"""``bibulon mould``: whether a closed mould stays shut, how far it bows, when channel and vent are full."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from typing import Any

import numpy as np

from bibulon.cli.told import (
    job_argument,
    outlook_of,
    print_json,
    read_job,
    show,
    speed_argument,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.mould.flexible import flexed
from bibulon.core.mould.mould import Mould, mould_of
from bibulon.core.units.units import System, clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    told_arguments(parser)
    speed_argument(parser)
    parser.add_argument(
        "--flexible",
        action="store_true",
        help=tr("fill again with the gap that the upper half's own lift makes"),
    )


def closed(job: Job) -> Job:
    """Return the job, or refuse one that has no closed mould."""
    if job.process == "infusion":
        raise ValueError(tr("This job is made under a bag: it has no closed mould."))
    return job


def run(args: argparse.Namespace) -> int:
    """Tell the mould."""
    job = closed(read_job(args.job))
    outlook = outlook_of(job, args.coarse)
    if outlook.forecast is None:
        raise ValueError(outlook.problem)
    mould = mould_of(job, outlook.forecast)
    found = told(job, outlook.forecast, mould)
    if args.flexible:
        again = flexed(job, outlook.forecast)
        found["fill_time_flexible_s"] = float(again.fill_time) if np.isfinite(again.fill_time) else None
        found["resin_flexible_kg"] = again.resin_in_part
    if args.json:
        print_json(found)
        return worst(0)
    for line in _lines(mould, outlook.forecast, found, system_of(args)):
        print(line)
    return worst(0)


def _lines(mould: Mould, forecast: Forecast, found: dict[str, Any], system: System) -> Iterator[str]:
    """Yield what is told of the mould, a line each."""
    c = mould.closing

    def when(moment: float) -> str:
        return clock(moment) if np.isfinite(moment) else "never"

    held, opened = (show(float(f[c.worst]), "force", system) for f in (c.held, c.opened))
    yield tr("holds shut    {0}, pushes open {1}, {2:.2f} times", held, opened, c.factor[c.worst])
    least = show(1e3 * found["flange_vacuum_least_kpa"], "pressure", system)
    yield tr("flange        at least {} below the air", least)
    most = found["injection_pressure_max_kpa"]
    limit = (
        "with any pressure" if most is None else tr("up to {} absolute", show(1e3 * most, "pressure", system))
    )
    yield tr("inject        {}", limit)
    if mould.bow is not None and mould.part is not None:
        yield tr(
            "upper half    lifts {0}; part {1} to {2}, fibre {3:.0f} to {4:.0f} %",
            show(mould.bow.most, "thickness", system),
            show(found["thickness_min_mm"] / 1000.0, "thickness", system),
            show(found["thickness_max_mm"] / 1000.0, "thickness", system),
            found["vf_min"] * 100,
            found["vf_max"] * 100,
        )
    else:
        yield tr("upper half    {}", mould.bow_problem)
    yield tr(
        "channel       full round after {0}, all after {1}, vent after {2}",
        when(mould.channel_full),
        when(forecast.fill_time),
        when(mould.vent_wet),
    )
    if "resin_flexible_kg" in found:
        flexible = found["fill_time_flexible_s"]
        yield tr(
            "with its lift {0}, {1} in the part",
            tr("all after {}", clock(flexible)) if flexible is not None else "it never fills",
            show(found["resin_flexible_kg"], "mass", system, 3),
        )
    yield tr("waste         {} a part", show(mould.waste, "mass", system, 3))


def told(job: Job, forecast: Forecast, mould: Mould) -> dict[str, Any]:
    """Return the figures under their keys; None for what is not known or never comes."""
    c, air = mould.closing, job.conditions.atmosphere
    part, bow = mould.part, mould.bow

    def known(value: float) -> float | None:
        return float(value) if np.isfinite(value) else None

    return {
        "flange_area_m2": c.flange.chamber_area, "cavity_area_m2": c.flange.pressed_area,
        "closing_kn": float(c.held[c.worst]) / 1e3, "opening_peak_kn": float(c.opened[c.peak]) / 1e3,
        "opening_peak_at_s": float(c.time[c.peak]), "margin_least": float(c.factor[c.worst]), "margin_least_kn": float(c.margin[c.worst]) / 1e3,
        "flange_vacuum_least_kpa": max(air - c.least_flange, 0.0) / 1e3, "injection_pressure_max_kpa": known(c.most_injection / 1e3),
        "bow_max_mm": bow.most * 1e3 if bow else None,
        "thickness_min_mm": float(np.nanmin(part.thickness)) * 1e3 if part else None,
        "thickness_max_mm": float(np.nanmax(part.thickness)) * 1e3 if part else None,
        "vf_min": float(np.nanmin(part.fibre)) if part else None, "vf_max": float(np.nanmax(part.fibre)) if part else None,
        "channel_fill_s": known(mould.channel_full), "fill_time_s": known(forecast.fill_time), "vent_wet_s": known(mould.vent_wet),
        "waste_kg": mould.waste,
    }  # fmt: skip
