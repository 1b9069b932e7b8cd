"""``bibulon record``: what a job came to."""

from __future__ import annotations

import argparse
from pathlib import Path

from bibulon.cli.told import job_argument, print_json, read_loaded, show, system_of, told_arguments
from bibulon.core.series.record import outcome_of, record_json

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, and how to tell."""
    job_argument(parser)
    text = "write card, journal, record and photos into this folder"
    parser.add_argument("--bundle", metavar="FOLDER", help=text)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell."""
    loaded = read_loaded(args.job)
    if args.bundle:
        from bibulon.store.exports.bundle import write_bundle

        names = write_bundle(loaded.job, loaded.journal, Path(args.bundle), system_of(args))
        print(f"{', '.join(names)} written to {args.bundle}")
        return 0
    came = outcome_of(loaded.job, loaded.journal)
    if args.json:
        print_json(record_json(came))
        return 0
    s = system_of(args)
    if came.share is None:
        print(came.problem)
    else:
        vf = came.share.vf
        plan = f", planned {came.planned_vf * 100:.1f} %" if came.planned_vf else ""
        print(f"fibre share  {vf.middle * 100:.1f} % ({vf.low * 100:.1f} to {vf.high * 100:.1f}){plan}")
    if came.balance is not None:
        b = came.balance
        how = "closes" if b.closes else f"leaves {show(b.gap, 'mass', s)} open"
        print(f"resin        {show(b.mixed, 'mass', s)} mixed, {show(b.part, 'mass', s)} in the part: {how}")
    for z in came.zones:
        told = (
            f"{z.vf.middle * 100:.1f} % ({z.vf.low * 100:.1f} to {z.vf.high * 100:.1f})"
            if z.vf
            else z.problem
        )
        print(
            f"{z.name:12} {told}, planned {z.vf_planned * 100:.1f} %, {show(z.measured, 'thickness', s)} at {z.points} points"
        )
    for d in came.defects:
        print(
            f"defect       {d.kind} at x {d.x * 1e3:.0f}, y {d.y * 1e3:.0f} mm{': ' + d.cause if d.cause else ''}"
        )
    for lesson in came.lessons:
        print(f"lesson       {lesson}")
    return 0
