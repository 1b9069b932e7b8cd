"""``bibulon mould``: whether a closed mould stays shut, how far it bows, when channel and vent are full."""

from __future__ import annotations

import argparse
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

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    told_arguments(parser)
    speed_argument(parser)
    parser.add_argument(
        "--flexible", action="store_true", help="fill again with the gap that the upper half's own lift makes"
    )


def closed(job: Job) -> Job:
    """Return the job, or refuse one that has no closed mould."""
    if job.process == "infusion":
        raise ValueError("This job is made under a bag: it has no closed mould.")
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
    s, c = system_of(args), mould.closing
    print(
        f"holds shut    {c.held[c.worst] / 1e3:8.2f} kN, pushes open {c.opened[c.worst] / 1e3:.2f} kN, {c.factor[c.worst]:.2f} times"
    )
    print(f"flange        at least {found['flange_vacuum_least_kpa']:.1f} kPa below the air")
    most = found["injection_pressure_max_kpa"]
    print(f"inject        {f'up to {most:.0f} kPa absolute' if most is not None else 'with any pressure'}")
    if mould.bow is not None and mould.part is not None:
        print(
            f"upper half    lifts {show(mould.bow.most, 'thickness', s)}; part {show(found['thickness_min_mm'] / 1e3, 'thickness', s)} to {show(found['thickness_max_mm'] / 1e3, 'thickness', s)}, fibre {found['vf_min'] * 100:.0f} to {found['vf_max'] * 100:.0f} %"
        )
    else:
        print(f"upper half    {mould.bow_problem}")
    print(
        f"channel       full round after {mould.channel_full / 60:.1f} min, all after {outlook.forecast.fill_time / 60:.1f}, vent after {mould.vent_wet / 60:.1f}"
    )
    if args.flexible:
        flexible = found["fill_time_flexible_s"]
        print(
            f"with its lift {f'all after {flexible / 60:.1f} min' if flexible is not None else 'it never fills'}, {show(found['resin_flexible_kg'], 'mass', s, 3)} in the part"
        )
    print(f"waste         {show(mould.waste, 'mass', s, 3)} a part")
    return worst(0)


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
