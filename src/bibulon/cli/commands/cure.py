"""``bibulon cure``: gel, peak and demould of places of a job, through the thickness."""

from __future__ import annotations

import argparse
import math
from typing import Any

from bibulon.cli.commands.forecast import places_of
from bibulon.cli.told import (
    forecast_of,
    job_argument,
    print_json,
    show,
    speed_argument,
    system_of,
    told_arguments,
)
from bibulon.core.cure.field import field_of, with_ranges
from bibulon.core.cure.places import PlaceCure, cure_of
from bibulon.core.run.youngest import out_last
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, places, and how to tell."""
    job_argument(parser)
    text = tr(
        "tell of this place; may be repeated; without it the hottest, the slowest, and what may be taken out last"
    )
    parser.add_argument("--at", action="append", default=[], metavar="X_MM,Y_MM", help=text)
    speed_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Reckon and tell."""
    wanted = places_of(args.at)
    result = forecast_of(args)
    job = result.job
    if wanted:
        found = cure_of(job, result, wanted)
    else:
        field = field_of(result, job.cure)
        if isinstance(field, str):
            raise ValueError(field)
        field = with_ranges(field, result)
        found = [field.hottest, field.slowest]
        out = out_last(job, result, field)
        if (out.x, out.y) != (field.slowest.x, field.slowest.y):
            found.append(out)
    if args.json:
        rows = [_told(p) for p in found]
        print_json(rows[0] | {"places": rows} if rows else {})
        return 0
    system = system_of(args)
    for p in found:
        low, middle, high = p.demould
        told = (
            tr("{0} ({1} to {2})", clock(middle, high), clock(low, high), clock(high))
            if math.isfinite(high)
            else tr("not within two days")
        )
        print(
            tr(
                "x {0:.0f}, y {1:.0f} ({2})  gel {3} to {4}, peak {5} at {6}, demould {7}",
                p.x * 1000.0,
                p.y * 1000.0,
                p.zone,
                clock(p.first_gel),
                clock(p.gel),
                show(p.peak, "temperature", system),
                clock(p.peak_at),
                told,
            )
        )
    print(
        tr(
            "Counted from opening the first feed. The resin's data sheet decides; hardness is checked on the part."
        )
    )
    return 0


def _told(p: PlaceCure) -> dict[str, Any]:
    low, middle, high = p.demould
    return {
        "x_mm": p.x * 1e3,
        "y_mm": p.y * 1e3,
        "zone": p.zone,
        "arrived_s": p.arrived,
        "gel_s": p.gel,
        "first_gel_s": p.first_gel,
        "peak_c": p.peak - 273.15,
        "peak_s": p.peak_at,
        "demould_s": middle,
        "demould_range_s": {"low": low, "mid": middle, "high": high},
        "alpha_end": p.alpha_end,
    }
