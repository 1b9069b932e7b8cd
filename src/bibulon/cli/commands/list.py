"""``bibulon list``: lists for the floor."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, output_argument, read_job, system_of, units_argument, worst
from bibulon.store.exports.lists import LISTS, write_list

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, which list, and where to write."""
    job_argument(parser)
    parser.add_argument("list", choices=LISTS)
    output_argument(parser, (".pdf", ".csv"), required=True)
    units_argument(parser)


def run(args: argparse.Namespace) -> int:
    """Write the list."""
    write_list(read_job(args.job), args.list, args.output, system_of(args))
    return worst(0)
