"""``bibulon stack``: what part and stack come to."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, print_json, read_job, show, system_of, told_arguments, worst
from bibulon.core.geometry.zones import regions
from bibulon.core.stack.laid import place_name
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.totals import part_totals, stack_figures
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell area, mass and each zone's stack."""
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
        return worst(0)
    s = system_of(args)
    print(
        tr(
            "area {0}, mass {1}: fibre {2}, core {3}, resin {4}",
            show(one.area, "area", s, 3),
            show(one.mass, "mass", s),
            show(one.fibre, "mass", s),
            show(one.core, "mass", s),
            show(one.resin, "mass", s),
        )
    )
    for name, f in zones.items():
        print(
            tr(
                "{0:<24} {1:>8}  fibre {2:3.0f} % by volume, {3:3.0f} % by mass  resin {4}",
                name,
                show(f.thickness, "thickness", s),
                f.fibre_volume * 100,
                f.fibre_mass * 100,
                show(f.resin, "areal mass", s),
            )
        )
    return worst(0)
