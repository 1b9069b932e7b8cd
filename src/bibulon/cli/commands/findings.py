"""``bibulon findings``: judge a job."""

from __future__ import annotations

import argparse

from bibulon.cli.told import (
    job_argument,
    outlook_of,
    print_json,
    read_job,
    speed_argument,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.findings.judge import is_accepted
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    speed_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell what was found; 1 when something blocks."""
    job = read_job(args.job)
    found = [f.worded(system_of(args)) for f in outlook_of(job, args.coarse).findings]
    if args.json:
        print_json(
            [
                {
                    "key": f.key, "weight": f.weight, "title": f.title, "number": f.number, "limit": f.limit, "why": f.why,
                    "mend": f.mend, "station": f.station, "time_s": f.time, "accepted": is_accepted(job, f),
                    "places_mm": [[x * 1e3, y * 1e3] for x, y in f.places],
                }
                for f in found
            ]
        )  # fmt: skip
    else:
        for f in found:
            print(
                tr(
                    "{0:<9} {1}: {2} (limit {3}). {4} {5}",
                    f.weight.upper(),
                    f.title,
                    f.number,
                    f.limit,
                    f.why,
                    f.mend,
                )
            )
        if not found:
            print(tr("Nothing found."))
    return worst(1 if any(f.weight == "blocking" for f in found) else 0)
