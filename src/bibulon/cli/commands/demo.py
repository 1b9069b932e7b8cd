"""``bibulon demo``: the demo job, in a window or as a file."""

from __future__ import annotations

import argparse
import gc
from pathlib import Path

from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a file to write, or what to picture."""
    text = tr("write what a user would see at 1280x800, and end")
    parser.add_argument("--screenshot", metavar="FILE.png", help=text)
    parser.add_argument("--station", default="Lines", help=tr("the station to open at"))
    parser.add_argument("--at", default="14:00", metavar="M:SS", help=tr("the moment of the clock"))
    parser.add_argument("--night", action="store_true")
    parser.add_argument(
        "--mould", action="store_true", help=tr("the second demo job, made in a closed mould")
    )
    text = tr("write the demo series, a job for each of its parts, into this folder and end")
    parser.add_argument("--series", metavar="FOLDER", help=text)
    text = tr("write the demo job to a file and end; opens no window")
    parser.add_argument("--write", metavar="FILE", help=text)


def run(args: argparse.Namespace) -> int:
    """Write the job, or open it."""
    if args.series:
        from bibulon.store.logbook import write_series

        print(tr("{0} jobs written to {1}", write_series(Path(args.series)), args.series))
        return 0
    if args.write:
        from bibulon.core.library.demo import demo_job
        from bibulon.core.series.lid import lid_record
        from bibulon.store.jobfile import save

        job, journal = lid_record() if args.mould else (demo_job(), ())
        save(job, Path(args.write), journal)
        return 0
    gc.disable()  # what is imported stays: see ``app.work.collector``, which wakes it when all stands
    from bibulon.app.start import start_demo

    return start_demo(args.screenshot, args.station, args.at, night=args.night, mould=args.mould)
