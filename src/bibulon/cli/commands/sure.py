"""``bibulon sure``: a job over the spread of its inputs."""

from __future__ import annotations

import argparse

from bibulon.cli.told import crew_argument, crew_of, job_argument, print_json, read_job, told_arguments, worst
from bibulon.core.plans.sure import RUNS, how_sure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how many runs, and how to tell."""
    job_argument(parser)
    parser.add_argument("--runs", type=int, default=RUNS, metavar="N")
    parser.add_argument("--seed", type=int, default=7, metavar="N")
    crew_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Run them, and tell the range."""
    sure = how_sure(read_job(args.job), runs=args.runs, seed=args.seed, workers=crew_of(args))
    early, middle, late = sure.fill_range
    if args.json:
        print_json(
            {
                "runs": len(sure.runs),
                "fill_time_s": {"low": early, "mid": middle, "high": late},
                "held": sure.held,
                "share_filled": sure.share_filled,
                "share_locked": sure.share_locked,
            }
        )
        return worst(0)
    print(
        tr(
            "{0} runs: wet through from {1} to {2}, {3:.0f} times in a hundred, half by {4}",
            len(sure.runs),
            clock(early),
            clock(late),
            sure.held * 100,
            clock(middle),
        )
    )
    print(
        tr(
            "all wet in {0:.0f} %, air locked off in {1:.0f} %",
            sure.share_filled * 100,
            sure.share_locked * 100,
        )
    )
    return worst(0)
