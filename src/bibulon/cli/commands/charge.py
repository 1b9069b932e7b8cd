"""``bibulon charge``: how much resin a job takes and how to mix it."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from bibulon.cli.told import (
    job_argument,
    outlook_of,
    print_json,
    read_job,
    show,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Charge, charge
from bibulon.core.resin.need import Need, need_of
from bibulon.core.run.aging import Aged, aged
from bibulon.core.run.schedule import Schedule, schedule_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System, clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    told_arguments(parser)
    parser.add_argument(
        "--times", action="store_true", help=tr("tell when each batch is mixed and poured, by the forecast")
    )


def run(args: argparse.Namespace) -> int:
    """Tell the charge."""
    job = read_job(args.job)
    plan = charge(job)
    need = need_of(plan, job.charge.leftovers)
    made = _scheduled(job, plan) if args.json or args.times else None
    old = aged(job, made) if made and args.json else ()
    if args.json:
        print_json(_json(plan, need, made, old, system_of(args)))
    else:
        _tell(plan, need, made, system_of(args))
    return worst(0)


def _json(
    plan: Charge, need: Need, made: Schedule | None, old: Sequence[Aged | None], system: System
) -> dict[str, Any]:
    """Return the charge under the keys that are promised."""
    return {
        "range_kg": [need.low, need.high],
        "chance_short": need.short,
        "leftover_kg": made.left if made else None,
        "sinks": [{"name": s.name, "mass_kg": s.mass, "basis": worded(s.basis, system)} for s in plan.sinks],
        "total_kg": plan.total,
        "part_a_kg": plan.part_a,
        "part_b_kg": plan.part_b,
        "volume_l": plan.volume * 1e3,
        "batches": [
            {
                "number": b.number,
                "mass_kg": b.mass,
                "part_a_kg": b.part_a,
                "part_b_kg": b.part_b,
                "parts": {"a_kg": b.part_a, "b_kg": b.part_b, "accelerator_kg": b.accelerator},
                **_times(made, k, old[k] if old else None),
            }
            for k, b in enumerate(plan.batches)
        ],
    }


def _tell(plan: Charge, need: Need, made: Schedule | None, system: System) -> None:
    """Print the charge for people."""

    def mass(kg: float) -> str:
        return show(kg, "mass", system, 3)

    for sink in plan.sinks:
        print(f"{tr(sink.name):<18} {mass(sink.mass):>10}  {worded(sink.basis, system)}")
    print(f"{'Total':<18} {mass(plan.total):>10}")
    print(
        tr(
            "{0:<18} {1:>10} to {2}, short in {3:.1f} of 100",
            "needed",
            mass(need.low),
            mass(need.high),
            need.short * 100,
        )
    )
    for k, batch in enumerate(plan.batches):
        told = ""
        if made is not None:
            b = made.batches[k]
            told = (
                tr(
                    "; mix at {0}, pour at {1}, gone at {2}",
                    clock(b.start),
                    clock(b.pour),
                    clock(b.gone),
                )
                if b.used
                else tr("; not needed")
            )
            told += "".join(f"; {tr(t)}" for t in b.troubles)
        extra = tr("accelerator {}, ", mass(batch.accelerator)) if batch.accelerator else ""
        print(
            tr(
                "batch {0:<12} {1:>10}  A {2}, {3}B {4}{5}",
                batch.number,
                mass(batch.mass),
                mass(batch.part_a),
                extra,
                mass(batch.part_b),
                told,
            )
        )


def _scheduled(job: Job, plan: Charge) -> Schedule | None:
    """Return when batches are mixed and poured; None where the job has no forecast yet."""
    forecast = outlook_of(job, False).forecast
    return schedule_of(job, plan, forecast) if forecast is not None else None


def _times(made: Schedule | None, k: int, old: Aged | None) -> dict[str, object]:
    if made is None:
        return {
            "start_s": None,
            "ready_s": None,
            "pour_s": None,
            "gone_s": None,
            "life_end_s": None,
            "peak_c": None,
        }
    b = made.batches[k]
    return {
        "start_s": b.start, "ready_s": b.ready, "pour_s": b.pour, "gone_s": b.gone, "life_end_s": b.life_end,
        "peak_c": old.peak - 273.15 if old else None, "needed": b.used, "troubles": list(b.troubles),
    }  # fmt: skip
