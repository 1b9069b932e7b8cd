"""``bibulon recipe``: what an injection machine does, stage by stage."""

from __future__ import annotations

import argparse
import math

from bibulon.cli.commands.mould import closed
from bibulon.cli.told import (
    job_argument,
    outlook_of,
    output_argument,
    print_json,
    read_job,
    speed_argument,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.mould.recipe import recipe_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how to tell, and a file to write."""
    job_argument(parser)
    told_arguments(parser)
    speed_argument(parser)
    output_argument(parser, (".pdf", ".csv", ".json"), required=False)


def run(args: argparse.Namespace) -> int:
    """Tell the recipe, or write it."""
    from bibulon.store.exports.recipe import recipe_document, write_recipe

    job = closed(read_job(args.job))
    outlook = outlook_of(job, args.coarse)
    if outlook.forecast is None:
        raise ValueError(outlook.problem)
    if args.output is not None:
        write_recipe(job, outlook.forecast, args.output, system_of(args))
        return worst(0)
    if args.json:
        print_json(recipe_document(job, outlook.forecast))
        return worst(0)
    for k, stage in enumerate(recipe_of(job, outlook.forecast), 1):
        lasts = clock(stage.seconds) if math.isfinite(stage.seconds) else "never"
        print(
            tr(
                "{0:>2}  {1}\n      until {2}; {3}",
                k,
                worded(stage.words, system_of(args)),
                worded(stage.until, system_of(args)),
                lasts,
            )
        )
        if stage.caution:
            print(tr("      caution: {}", stage.caution))
    return worst(0)
