"""``bibulon open``: the application."""

from __future__ import annotations

import argparse
import gc

from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job to open, or none."""
    parser.add_argument("job", nargs="?", metavar="JOB")
    parser.add_argument(
        "--board", action="store_true", help=tr("show the board alone, over the whole screen: a wall display")
    )


def run(args: argparse.Namespace) -> int:
    """Open the window."""
    gc.disable()  # what is imported stays: see ``app.work.collector``, which wakes it when all stands
    from bibulon.app.start import start

    return start(args.job, board=args.board)
