"""What commands share: reading a job, its outlook, and telling figures as text or as JSON."""

from __future__ import annotations

import argparse
import json
import math
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bibulon.core.plans.work import Workers
from bibulon.core.units.figures import Told
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr
from bibulon.store.jobfile import Loaded, load

if TYPE_CHECKING:
    from bibulon.core.flow.forecast import Forecast
    from bibulon.core.model.job import Job
    from bibulon.core.outlook.outlook import Outlook

__all__ = [
    "DAMAGED",
    "crew_argument",
    "crew_of",
    "forecast_of",
    "job_argument",
    "outlook_of",
    "output_argument",
    "print_json",
    "read_job",
    "read_loaded",
    "show",
    "speed_argument",
    "system_of",
    "told_arguments",
    "units_argument",
    "worst",
]

DAMAGED = 4  # exit code of a command that did its work on what could be read of a damaged job
_seen = {"damaged": False}


def job_argument(parser: argparse.ArgumentParser) -> None:
    """Take a job file."""
    parser.add_argument("job", metavar="JOB", help=tr("a job file, or its document as JSON"))


def told_arguments(parser: argparse.ArgumentParser) -> None:
    """Take how figures are told."""
    parser.add_argument("--json", action="store_true", help=tr("as JSON, in units that its keys name"))
    units_argument(parser)


def units_argument(parser: argparse.ArgumentParser) -> None:
    """Take the unit system of what is written for people."""
    parser.add_argument(
        "--units", choices=("metric", "us"), default="metric", help=tr("units of what is written")
    )


def speed_argument(parser: argparse.ArgumentParser) -> None:
    """Take whether a quick forecast will do."""
    parser.add_argument("--coarse", action="store_true", help=tr("by a quick forecast on a coarse mesh"))


def crew_argument(parser: argparse.ArgumentParser) -> None:
    """Take who does the work: processes of this machine, or the shop's other machines."""
    text = tr("processes; 0 works here, the same every time")
    parser.add_argument("--workers", type=int, default=2, metavar="N", help=text)
    text = tr(
        "work on the machines of a dask scheduler, such as tcp://bench:8786; only inside the shop's own network"
    )
    parser.add_argument("--cluster", metavar="ADDRESS", help=text)


def crew_of(args: argparse.Namespace) -> Workers:
    """Return who does the work."""
    if args.cluster is None:
        return max(int(args.workers), 0)
    from bibulon.devices.cluster import Cluster

    return Cluster(args.cluster)


def output_argument(parser: argparse.ArgumentParser, endings: tuple[str, ...], *, required: bool) -> None:
    """Take a file to write; its ending is checked before any work is done."""

    def checked(text: str) -> Path:
        if not text.lower().endswith(endings):
            raise argparse.ArgumentTypeError(tr("“{0}” does not end with {1}", text, " or ".join(endings)))
        return Path(text)

    metavar = f"FILE{endings[0]}" if len(endings) == 1 else "FILE"
    parser.add_argument("-o", "--output", type=checked, required=required, metavar=metavar)


def system_of(args: argparse.Namespace) -> System:
    """Return the unit system asked for."""
    return "us" if args.units == "us" else "metric"


def _finite(value: Any) -> Any:
    """Replace what JSON cannot say, infinite and not-a-number, by null."""
    if isinstance(value, dict):
        return {k: _finite(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_finite(v) for v in value]
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else None
    return value


def print_json(value: Any) -> None:
    """Print a value as JSON; what JSON cannot say is null."""
    print(json.dumps(_finite(value), indent=1, ensure_ascii=False))


def read_loaded(path: str) -> Loaded:
    """Read a job file whole, telling what could not be read of it."""
    loaded = load(Path(path))
    for problem in loaded.problems:
        print(tr("bibulon: {} Read without it.", problem), file=sys.stderr)
    _seen["damaged"] = bool(loaded.problems)
    return loaded


def read_job(path: str) -> Job:
    """Read a job, telling what could not be read of it."""
    return read_loaded(path).job


def worst(code: int) -> int:
    """Return a command's exit code; a job that was damaged is told by it too."""
    return DAMAGED if code == 0 and _seen["damaged"] else code


def outlook_of(job: Job, coarse: bool) -> Outlook:
    """Return what follows from a job, in the resolution that every door uses."""
    from bibulon.core.flow.forecast import COARSE, FINE
    from bibulon.core.outlook.outlook import look_ahead

    return look_ahead(job, COARSE if coarse else FINE, fine=True, drawn=False)


def forecast_of(args: argparse.Namespace) -> Forecast:
    """Return a job's forecast.

    Raises
    ------
    ValueError : when the job lacks what a forecast needs; says what.
    """
    outlook = outlook_of(read_job(args.job), args.coarse)
    if outlook.forecast is None:
        raise Told(outlook.problem)
    return outlook.forecast
