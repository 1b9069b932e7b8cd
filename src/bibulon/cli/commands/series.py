"""``bibulon series``: the parts of a folder on control charts."""

from __future__ import annotations

import argparse
import math
import tempfile
from pathlib import Path
from typing import Any

from bibulon.cli.told import print_json, told_arguments
from bibulon.core.series.record import FIGURES
from bibulon.core.series.run import Series, series_of
from bibulon.core.units.words import tr
from bibulon.store.logbook import LogRow, closed

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a folder, the baseline, and how to tell."""
    parser.add_argument("folder", metavar="FOLDER", help=tr("where the jobs of a series are kept"))
    text = tr("how many of the first parts the limits come from (by default half of them, from 8 to 20)")
    parser.add_argument("--baseline", type=int, metavar="N", help=text)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Chart and tell."""
    folder = Path(args.folder)
    if not folder.is_dir():
        raise ValueError(tr("there is no folder {}", folder))
    if args.baseline is not None and args.baseline < 3:
        raise ValueError(tr("--baseline wants three parts at least"))
    with tempfile.TemporaryDirectory() as away, closed(Path(away) / "index.sqlite") as book:
        book.refresh([folder])
        rows = sorted((r for r in book.search() if r.figures), key=lambda r: (r.shot_at or 0.0, str(r.path)))
    if not rows:
        raise ValueError(tr("no job in {} was shot or weighed yet", folder))
    made = series_of([r.figures for r in rows], args.baseline)
    if args.json:
        print_json(_told(made, rows))
        return 0
    for key, chart in made.charts.items():
        words, _ = FIGURES[key]
        limits = (
            tr("{0:.4g} to {1:.4g}", chart.lower, chart.upper)
            if math.isfinite(chart.lower)
            else tr("too few parts for limits")
        )
        print(
            tr(
                "{0:<14} {1:.4g}, limits {2}, {3} signals over {4} parts",
                words,
                chart.mean,
                limits,
                len(chart.signals),
                len(chart.values),
            )
        )
    for words in made.words:
        print(tr("it may be: {}", words))
    return 0


def _told(made: Series, rows: list[LogRow]) -> dict[str, Any]:
    return {
        "parts": [str(r.path) for r in rows],
        "limits": {
            key: {
                "mean": c.mean,
                "lower": _number(c.lower),
                "upper": _number(c.upper),
                "sigma": c.sigma,
                "firm": c.firm,
            }
            for key, c in made.charts.items()
        },
        "alarms": [
            {
                "figure": key,
                "part": made.parts[key][s.point],
                "rule": s.rule,
                "side": "high" if s.side > 0 else "low",
            }
            for key, c in made.charts.items()
            for s in c.signals
        ],
        "may_be": list(made.words),
    }


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None
