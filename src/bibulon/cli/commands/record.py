"""``bibulon record``: what a job came to."""

from __future__ import annotations

import argparse
from typing import Any

from bibulon.cli.told import job_argument, print_json, read_loaded, show, system_of, told_arguments
from bibulon.core.series.record import Outcome, outcome_of

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, and how to tell."""
    job_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell."""
    loaded = read_loaded(args.job)
    came = outcome_of(loaded.job, loaded.journal)
    if args.json:
        print_json(_told(came))
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
    for d in came.defects:
        print(
            f"defect       {d.kind} at x {d.x * 1e3:.0f}, y {d.y * 1e3:.0f} mm{': ' + d.cause if d.cause else ''}"
        )
    for lesson in came.lessons:
        print(f"lesson       {lesson}")
    return 0


def _told(came: Outcome) -> dict[str, Any]:
    share, b = came.share, came.balance
    return {
        "vf_actual": None if share is None else {"low": share.vf.low, "mid": share.vf.middle, "high": share.vf.high},
        "vf_planned": came.planned_vf,
        "problem": came.problem,
        "mass_balance": None if b is None else {
            "mixed_kg": b.mixed, "part_kg": b.part, "lines_kg": b.lines, "caught_kg": b.caught, "left_kg": b.left, "gap_kg": b.gap,
            "closes": b.closes,
        },
        "defects": [
            {"kind": d.kind, "x_mm": d.x * 1e3, "y_mm": d.y * 1e3, "size_mm": d.size * 1e3, "cause": d.cause} for d in came.defects
        ],
        "lessons": list(came.lessons),
    }  # fmt: skip
