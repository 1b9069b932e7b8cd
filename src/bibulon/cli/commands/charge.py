"""``bibulon charge``: how much resin a job takes and how to mix it."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, print_json, read_job, show, system_of, told_arguments, worst
from bibulon.core.resin.charge import charge
from bibulon.core.units.figures import worded

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell the charge."""
    plan = charge(read_job(args.job))
    if args.json:
        print_json(
            {
                "sinks": [
                    {"name": s.name, "mass_kg": s.mass, "basis": worded(s.basis, system_of(args))}
                    for s in plan.sinks
                ],
                "total_kg": plan.total,
                "part_a_kg": plan.part_a,
                "part_b_kg": plan.part_b,
                "volume_l": plan.volume * 1e3,
                "batches": [
                    {"number": b.number, "mass_kg": b.mass, "part_a_kg": b.part_a, "part_b_kg": b.part_b}
                    for b in plan.batches
                ],
            }
        )
        return worst(0)

    def mass(kg: float) -> str:
        return show(kg, "mass", system_of(args), 3)

    for sink in plan.sinks:
        print(f"{sink.name:<18} {mass(sink.mass):>10}  {worded(sink.basis, system_of(args))}")
    print(f"{'Total':<18} {mass(plan.total):>10}")
    for batch in plan.batches:
        print(
            f"batch {batch.number:<12} {mass(batch.mass):>10}  A {mass(batch.part_a)}, B {mass(batch.part_b)}"
        )
    return worst(0)
