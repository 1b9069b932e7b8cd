"""``bibulon record``: what a job came to."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path

from bibulon.cli.told import job_argument, print_json, read_loaded, show, system_of, told_arguments
from bibulon.core.series.record import Outcome, outcome_of, record_json
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, and how to tell."""
    job_argument(parser)
    text = tr("write card, journal, record and photos into this folder")
    parser.add_argument("--bundle", metavar="FOLDER", help=text)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell."""
    loaded = read_loaded(args.job)
    if args.bundle:
        from bibulon.store.exports.bundle import write_bundle

        names = write_bundle(loaded.job, loaded.journal, Path(args.bundle), system_of(args))
        print(tr("{0} written to {1}", ", ".join(names), args.bundle))
        return 0
    came = outcome_of(loaded.job, loaded.journal)
    if args.json:
        print_json(record_json(came))
        return 0
    for line in _lines(came, system_of(args)):
        print(line)
    return 0


def _lines(came: Outcome, system: System) -> Iterator[str]:
    """Yield what the record comes to, a line each."""
    if came.share is None:
        yield came.problem
    else:
        low, middle, high = (x * 100 for x in (came.share.vf.low, came.share.vf.middle, came.share.vf.high))
        plan = tr(", planned {:.1f} %", came.planned_vf * 100) if came.planned_vf else ""
        yield tr("fibre share  {0:.1f} % ({1:.1f} to {2:.1f}){3}", middle, low, high, plan)
    if came.balance is not None:
        b = came.balance
        how = "closes" if b.closes else tr("leaves {} open", show(b.gap, "mass", system))
        mixed, part = show(b.mixed, "mass", system), show(b.part, "mass", system)
        yield tr("resin        {0} mixed, {1} in the part: {2}", mixed, part, how)
    for z in came.zones:
        told = z.problem
        if z.vf:
            told = tr("{0:.1f} % ({1:.1f} to {2:.1f})", z.vf.middle * 100, z.vf.low * 100, z.vf.high * 100)
        measured = show(z.measured, "thickness", system)
        yield tr(
            "{0:12} {1}, planned {2:.1f} %, {3} at {4} points",
            z.name,
            told,
            z.vf_planned * 100,
            measured,
            z.points,
        )
    for d in came.defects:
        why = ": " + d.cause if d.cause else ""
        x, y = (show(at, "length", system) for at in (d.x, d.y))
        yield tr("defect       {0} at x {1}, y {2}{3}", d.kind, x, y, why)
    for lesson in came.lessons:
        yield tr("lesson       {}", lesson)
