"""``bibulon hold``: what the part comes to after it is full, until gel."""

from __future__ import annotations

import argparse
import math

from bibulon.cli.told import (
    forecast_of,
    job_argument,
    print_json,
    show,
    speed_argument,
    system_of,
    told_arguments,
)
from bibulon.core.flow.hold import WAYS, hold_of, spare_of
from bibulon.core.run.youngest import held_until
from bibulon.core.units.units import clock, parse
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how it is held, and how to tell."""
    job_argument(parser)
    parser.add_argument("--vacuum", choices=WAYS, default="run", help=tr("what becomes of the vacuum"))
    parser.add_argument(
        "--to", default="300 mbar", metavar="PRESSURE", help=tr("absolute, where it is throttled")
    )
    parser.add_argument(
        "--shut-after", default="0", metavar="M:SS", help=tr("how long after full the feed is shut")
    )
    speed_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Reckon and tell."""
    after, level = parse(args.shut_after, "time"), parse(args.to, "pressure")
    flow = forecast_of(args)
    hold = hold_of(flow, args.vacuum, after, level)
    until = held_until(flow.job, flow)
    over, _ = spare_of(flow, flow.fill_time)
    low, mean, high = hold.ends(len(hold.time) - 1)
    if args.json:
        print_json({
            "shut_s": float(hold.time[0]), "no_more_flow_s": hold.gel, "vacuum_until_s": until, "even_s": hold.even_at, "bled_kg": float(hold.bled[-1]),
            "swollen_kg": over, "vf_end": {"low": low, "mid": mean, "high": high}, "vf_planned": hold.planned,
            "course": [
                {"time_s": float(t), "vf_mid": hold.ends(k)[1], "bled_kg": float(hold.bled[k])} for k, t in enumerate(hold.time)
            ],
        })  # fmt: skip
        return 0
    s = system_of(args)
    print(
        tr(
            "feed shut    {0}, even from {1}, vacuum on until {2}",
            clock(float(hold.time[0])),
            clock(hold.even_at),
            clock(until) if math.isfinite(until) else "the cup has gelled",
        )
    )
    print(
        tr(
            "fibre        {0:.1f} % in the mean at gel, {1:.1f} to {2:.1f}; {3:.1f} under the whole bag",
            mean * 100,
            low * 100,
            high * 100,
            hold.planned * 100,
        )
    )
    print(
        tr(
            "bled         {0} of {1} that the plies hold over when full",
            show(float(hold.bled[-1]), "mass", s, 3),
            show(over, "mass", s, 3),
        )
    )
    print(tr("Never let go of the vacuum before gel; the cup of the last batch and the data sheet say when."))
    return 0
