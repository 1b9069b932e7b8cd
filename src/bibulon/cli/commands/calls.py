"""``bibulon calls``: the calling sheet."""

from __future__ import annotations

import argparse

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
from bibulon.core.drawing.kit.pages import PAGE
from bibulon.core.drawing.sheets.callpages import call_pages, call_rows
from bibulon.core.run.callsheet import call_sheet
from bibulon.core.units.figures import Told
from bibulon.core.units.words import tr
from bibulon.store.exports.pdf import write_pages

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, and where to write when it is not to be printed."""
    job_argument(parser)
    output_argument(parser, (".pdf",), required=False)
    speed_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Print or write the sheet."""
    job = read_job(args.job)
    outlook = outlook_of(job, args.coarse)
    if outlook.forecast is None or outlook.evidence is None:
        raise Told(outlook.problem)
    rows = call_sheet(job, outlook.forecast, outlook.evidence.charge, system_of(args))
    if args.output:
        write_pages(
            [p.items for p in call_pages(job.name, rows)], PAGE, args.output, tr("{}, calls", job.name)
        )
    told = call_rows(rows)[1:]
    if args.json:
        print_json([{"at": a, "to": b, "say": c, "sign": d, "front": e} for a, b, c, d, e in told])
    elif not args.output:
        for when, to, say, sign, front in told:
            print(tr("{0:>7}  {1:<7} {2:<30} {3}; front {4}", when, to, say, sign, front))
    return worst(0)
