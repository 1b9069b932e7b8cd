"""``bibulon open``: the application."""

from __future__ import annotations

import argparse

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job to open, or none."""
    parser.add_argument("job", nargs="?", metavar="JOB")


def run(args: argparse.Namespace) -> int:
    """Open the window."""
    from bibulon.app.start import start

    return start(args.job)
