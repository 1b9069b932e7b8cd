"""Commands on part, stack and lines, and what all commands share."""

from __future__ import annotations

import argparse
import json
import math
import sys
from pathlib import Path
from typing import Any

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.outlook.outlook import FINE, QUICK, Outlook, look_ahead
from bibulon.core.units.units import clock
from bibulon.store.jobfile import load

__all__ = [
    "cmd_calls",
    "cmd_list",
    "cmd_stack",
    "cmd_suggest",
    "cmd_sure",
    "forecast_of",
    "outlook_of",
    "print_json",
    "read_job",
]


def _finite(value: Any) -> Any:
    """Replace what JSON cannot say, infinite and not-a-number, by null."""
    if isinstance(value, dict):
        return {k: _finite(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_finite(v) for v in value]
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else None
    return value


def print_json(value: Any) -> None:
    """Print a value as JSON; what JSON cannot say is null."""
    print(json.dumps(_finite(value), indent=1))


def read_job(path: str) -> Job:
    """Read a job, telling what could not be read of it."""
    loaded = load(Path(path))
    for problem in loaded.problems:
        print(f"bibulon: {problem} Read without it.", file=sys.stderr)
    return loaded.job


def outlook_of(job: Job, coarse: bool) -> Outlook:
    """Return what follows from a job, in the resolution that every door uses."""
    return look_ahead(job, QUICK if coarse else FINE, fine=True, drawn=False)


def forecast_of(args: argparse.Namespace) -> Forecast:
    """Return a job's forecast.

    Raises
    ------
    ValueError : when the job lacks what a forecast needs; says what.
    """
    outlook = outlook_of(read_job(args.job), args.coarse)
    if outlook.forecast is None:
        raise ValueError(outlook.problem)
    return outlook.forecast


def cmd_list(args: argparse.Namespace) -> int:
    """Write a list for the floor."""
    from bibulon.store.exports.lists import write_list

    write_list(read_job(args.job), args.list, Path(args.output))
    return 0


def cmd_calls(args: argparse.Namespace) -> int:
    """Print the calling sheet, or write it."""
    from bibulon.core.drawing.kit.pages import PAGE
    from bibulon.core.drawing.sheets.callpages import call_pages, call_rows
    from bibulon.core.run.callsheet import call_sheet
    from bibulon.store.exports.pdf import write_pages

    job = read_job(args.job)
    outlook = outlook_of(job, args.coarse)
    if outlook.forecast is None or outlook.evidence is None:
        raise ValueError(outlook.problem)
    rows = call_sheet(job, outlook.forecast, outlook.evidence.charge)
    if args.output:
        pages = [p.items for p in call_pages(job.name, rows)]
        write_pages(pages, PAGE, Path(args.output), f"{job.name}, calls")
        return 0
    for when, to, say, sign, front in call_rows(rows)[1:]:
        print(f"{when:>7}  {to:<7} {say:<30} {sign}; front {front}")
    return 0


def cmd_suggest(args: argparse.Namespace) -> int:
    """Search plans of lines."""
    from bibulon.core.plans.suggest import suggest
    from bibulon.store.jobfile import save

    job = read_job(args.job)
    found = suggest(job, most=args.tries, workers=args.workers)
    print(f"{found.tried} plans tried, {found.failed} of them found no room or no end")
    for k, x in enumerate(found.kept, 1):
        s = x.score
        print(
            f"{k}  {x.best_at:<12} {x.plan.strategy:<15} wet {clock(s.time)}  dry {s.dry * 1e4:.0f} cm²  "
            f"locked {s.locked * 1e4:.0f} cm²  lead {s.lead * 1e3:.0f} mm  waste {s.waste:.2f} kg  {s.lines} lines"
        )
    if args.write and found.kept:
        save(found.kept[0].job, Path(args.write))
    return 0 if found.kept else 1


def cmd_sure(args: argparse.Namespace) -> int:
    """Run a job over the spread of its inputs."""
    from bibulon.core.plans.sure import how_sure

    sure = how_sure(read_job(args.job), runs=args.runs, seed=args.seed, workers=args.workers)
    early, middle, late = sure.fill_range
    print(
        f"{len(sure.runs)} runs: wet through from {clock(early)} to {clock(late)} nine times in ten, half by {clock(middle)}"
    )
    print(f"all wet in {sure.share_filled * 100:.0f} %, air locked off in {sure.share_locked * 100:.0f} %")
    return 0


def cmd_stack(args: argparse.Namespace) -> int:
    """Say what part and stack come to."""
    from bibulon.core.geometry.zones import regions
    from bibulon.core.stack.laid import place_name
    from bibulon.core.stack.laminate import zone_stack
    from bibulon.core.stack.totals import part_totals, stack_figures

    job = read_job(args.job)
    one = part_totals(job)
    zones = {place_name(job, z): stack_figures(job, zone_stack(job, z)) for z in regions(job.part).zones}
    if args.json:
        print_json(
            {
                "area_m2": one.area, "mass_kg": one.mass, "fibre_kg": one.fibre, "core_kg": one.core, "resin_kg": one.resin,
                "cost": one.cost,
                "zones": {
                    name: {
                        "thickness_m": f.thickness, "loose_m": f.loose, "fibre_by_volume": f.fibre_volume,
                        "fibre_by_mass": f.fibre_mass, "dry_kg_m2": f.dry, "resin_kg_m2": f.resin, "cost_m2": f.cost,
                    }
                    for name, f in zones.items()
                },
            }
        )  # fmt: skip
        return 0
    print(
        f"area {one.area:.3f} m², mass {one.mass:.2f} kg: fibre {one.fibre:.2f}, core {one.core:.2f}, resin {one.resin:.2f}"
    )
    for name, f in zones.items():
        print(
            f"{name:<24} {f.thickness * 1e3:6.2f} mm  fibre {f.fibre_volume * 100:3.0f} % by volume, "
            f"{f.fibre_mass * 100:3.0f} % by mass  resin {f.resin:.3f} kg/m²"
        )
    return 0
