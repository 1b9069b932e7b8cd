"""``bibulon suggest``: search plans of lines."""

from __future__ import annotations

import argparse
from pathlib import Path

from bibulon.cli.told import (
    crew_argument,
    crew_of,
    job_argument,
    print_json,
    read_job,
    show,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.plans.suggest import suggest
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr
from bibulon.store.jobfile import check_ending, save

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how long to search, and where to write the best."""
    job_argument(parser)
    parser.add_argument("--tries", type=int, default=72, metavar="N")
    crew_argument(parser)
    parser.add_argument("--write", type=Path, metavar="FILE", help=tr("write the job with the best plan"))
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Search, and tell what is good."""
    if args.write:
        check_ending(args.write)
    found = suggest(read_job(args.job), most=args.tries, workers=crew_of(args))
    if args.json:
        print_json(
            {
                "tried": found.tried,
                "failed": found.failed,
                "plans": [
                    {
                        "best_at": x.best_at, "strategy": x.plan.strategy, "wet_s": None if x.score.never else x.score.time, "dry_m2": x.score.dry,
                        "locked_m2": x.score.locked, "lead_mm": x.score.lead * 1e3, "waste_kg": x.score.waste,
                        "lines": x.score.lines,
                    }
                    for x in found.kept
                ],
            }
        )  # fmt: skip
    else:
        s = system_of(args)
        print(tr("{0} plans tried, {1} of them found no room or no end", found.tried, found.failed))
        for k, x in enumerate(found.kept, 1):
            score = x.score
            print(
                tr(
                    "{0}  {1:<12} {2:<15} wet {3}  dry {4}  locked {5}  lead {6}  waste {7}  {8} lines",
                    k,
                    x.best_at,
                    x.plan.strategy,
                    tr("never") if score.never else clock(score.time),
                    show(score.dry, "small area", s),
                    show(score.locked, "small area", s),
                    show(score.lead, "length", s),
                    show(score.waste, "mass", s),
                    score.lines,
                )
            )
    if args.write and found.kept:
        save(found.kept[0].job, args.write)
    return worst(0 if found.kept else 1)
