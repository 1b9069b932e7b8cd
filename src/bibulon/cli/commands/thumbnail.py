"""``bibulon thumbnail``: a job's plan as a small picture, for file managers."""

from __future__ import annotations

import argparse
from pathlib import Path

from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.thumb import draw_thumb
from bibulon.core.geometry.outline import trace
from bibulon.core.series.record import defects_of
from bibulon.core.units.words import tr
from bibulon.store.jobfile import load

__all__ = ["arguments", "run"]

SIZES = (16, 2048)


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, where to write, and the longer side."""
    parser.add_argument("job", metavar="JOB")
    parser.add_argument("-o", "--output", required=True, metavar="FILE.png")
    parser.add_argument("--size", type=int, default=256, metavar="PX")


def run(args: argparse.Namespace) -> int:
    """Draw and write."""
    if not SIZES[0] <= args.size <= SIZES[1]:
        raise ValueError(tr("--size must be {0} to {1} px", SIZES[0], SIZES[1]))
    from bibulon.app.kit.paint import paint_png  # no window, no display: a picture alone

    loaded = load(Path(args.job))
    outline = [(float(x), float(y)) for x, y in trace(loaded.job.part.outline)]
    lines = [(x.role, x.path) for x in loaded.job.lines]
    pins = [(d.x, d.y) for d in defects_of(loaded.journal)]
    side = float(args.size)
    paint_png(draw_thumb(outline, lines, pins, (side, side), DAY), args.size, DAY.ground, Path(args.output))
    return 0
