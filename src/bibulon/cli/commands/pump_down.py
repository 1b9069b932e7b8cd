"""``bibulon pump-down``: how a pump draws a bag down, and which of pump, hose and bag is at fault."""

from __future__ import annotations

import argparse
import math
from pathlib import Path

from bibulon.cli.told import print_json, show, system_of, told_arguments
from bibulon.core.leak.pumpdown import fit_pump_down, time_to
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import GaugeUnclear, LogError, read_log

__all__ = ["arguments", "run"]

LEVELS = (100.0, 50.0, 20.0, 10.0)  # mbar


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a log, the volume, what the pump is sold with, the bag's leak, how the gauge reads, and how to tell."""
    parser.add_argument("log", metavar="LOG.csv", help=tr("time and pressure while the pump draws"))
    parser.add_argument(
        "--gauge",
        choices=("absolute", "below"),
        help=tr("how the gauge reads, where the log's heading does not say"),
    )
    parser.add_argument("--air", type=float, default=1013.25, metavar="MBAR", help=tr("today's air pressure"))
    parser.add_argument(
        "--volume-l", type=float, required=True, metavar="V", help=tr("volume that is drawn down, litres")
    )
    parser.add_argument(
        "--rated-l-per-s", type=float, metavar="S", help=tr("speed that the pump is sold with")
    )
    parser.add_argument(
        "--leak-mbar-l-per-s", type=float, metavar="Q", help=tr("the bag's leak, by a drop test")
    )
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell speed, floor and blame."""
    for name, value in (
        ("--volume-l", args.volume_l),
        ("--rated-l-per-s", args.rated_l_per_s),
        ("--leak-mbar-l-per-s", args.leak_mbar_l_per_s),
    ):
        if value is not None and not (math.isfinite(value) and value > 0):
            raise ValueError(tr("{} must be more than nothing.", name))
    try:
        readings = read_log(Path(args.log), args.gauge, args.air * 100)
    except GaugeUnclear as error:
        raise LogError(tr("{} Here: --gauge absolute, or --gauge below.", error)) from error
    rated = args.rated_l_per_s / 1e3 if args.rated_l_per_s else None
    leak = args.leak_mbar_l_per_s * 0.1 if args.leak_mbar_l_per_s else None
    found = fit_pump_down(readings, args.volume_l / 1e3, rated, leak)
    reach = {level: time_to(found, level * 100) for level in LEVELS}
    if args.json:
        print_json(
            {
                "speed_l_per_s": found.speed * 1e3, "speed_late_l_per_s": found.speed_late * 1e3, "floor_mbar": found.floor / 100,
                "start_mbar": found.start / 100, "scatter": found.scatter, "blame": found.blame, "why": found.why,
                "reach": [{"mbar": level, "time_s": t if math.isfinite(t) else None} for level, t in reach.items()],
            }
        )  # fmt: skip
    else:
        s = system_of(args)
        print(
            tr(
                "draws    {0:.3f} L/s at the start, {1:.3f} L/s at the end",
                found.speed * 1000.0,
                found.speed_late * 1000.0,
            )
        )
        print(tr("ends at  {}", show(found.floor, "small pressure", s)))
        for level, t in reach.items():
            print(
                f"         {show(level * 100, 'pressure', s)} {f'after {t / 60:.1f} min' if math.isfinite(t) else 'never'}"
            )
        print(tr("blame    {0}: {1}", found.blame or "none", found.why))
    return 1 if found.blame else 0
