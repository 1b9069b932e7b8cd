"""``bibulon card``: the job card."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, output_argument, read_loaded, system_of, units_argument, worst
from bibulon.store.exports.card import write_card

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and where to write."""
    job_argument(parser)
    output_argument(parser, (".pdf",), required=True)
    units_argument(parser)


def run(args: argparse.Namespace) -> int:
    """Write the card."""
    loaded = read_loaded(args.job)
    write_card(loaded.job, loaded.journal, args.output, system_of(args))
    return worst(0)
