"""``bibulon refit``: what marks of the front make of a job's forecast."""

from __future__ import annotations

import argparse
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bibulon.cli.commands.forecast import places_of
from bibulon.cli.told import job_argument, print_json, read_job, system_of, told_arguments
from bibulon.core.flow.forecast import Forecast, forecast
from bibulon.core.geometry.prepared import within
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.plans.refit.drive import Drive, drive_of, gel_at, warmed
from bibulon.core.plans.refit.needed import needed_of
from bibulon.core.plans.refit.prior import RUNS, prior_of
from bibulon.core.plans.refit.refit import Known, Range, Refit, refit
from bibulon.core.run.journal import FrontMark
from bibulon.core.units.units import System, clock, parse, show
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import read_log
from bibulon.store.imports.marklog import read_marks
from bibulon.store.imports.templog import read_temperatures

__all__ = ["arguments", "run"]

FEW = 40  # forecasts, under which other processes are not worth their start


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, marks, the moment, places to be told of, a gauge's log, and how to tell."""
    job_argument(parser)
    parser.add_argument(
        "--marks", required=True, metavar="FILE.csv", help=tr("x_mm, y_mm, time_s, kind (front or dry)")
    )
    parser.add_argument("--now", required=True, metavar="M:SS", help=tr("moment of the run"))
    text = tr("say when this place is wet; may be repeated")
    parser.add_argument("--at", action="append", default=[], metavar="X_MM,Y_MM", help=text)
    parser.add_argument(
        "--gauge", metavar="LOG.csv", help=tr("gauge on the bag during the shot, times from its start")
    )
    parser.add_argument(
        "--warmth",
        metavar="LOG.csv",
        help=tr("temperature of the resin in the feed, times from the shot's start"),
    )
    text = tr("explanation that the crew has confirmed, in the words told; may be repeated")
    parser.add_argument("--take", action="append", default=[], metavar="WORDS", help=text)
    parser.add_argument("--runs", type=int, default=RUNS, metavar="N", help=tr("forecasts in the ensemble"))
    parser.add_argument("--seed", type=int, default=1, metavar="N", help=tr("of the ensemble"))
    told_arguments(parser)


def _drive(args: argparse.Namespace, job: Job, warmth: Sequence[tuple[float, float]]) -> Drive | None:
    air, vacuum = job.conditions.atmosphere, job.conditions.vacuum
    readings = read_log(Path(args.gauge), None, air) if args.gauge else ()
    if not readings and not warmth:
        return None
    drive = drive_of([(r.time, r.pressure) for r in readings], air, vacuum) if readings else Drive()
    return warmed(job, drive, warmth)


def _marks(args: argparse.Namespace, job: Job, now: float) -> list[FrontMark]:
    """Read the marks; each must lie on the part, and not after now [s]."""
    marks = read_marks(Path(args.marks))
    late = next((m for m in marks if m.time > now + 1.0), None)
    if late is not None:
        raise ValueError(
            tr(
                "{0}, {1}: a mark at {2} lies after now, {3}",
                args.marks,
                late.uid,
                clock(late.time),
                clock(now),
            )
        )
    off = next((m for m in marks if not within(regions(job.part).whole, (m.x, m.y))), None)
    if off is not None:
        raise ValueError(
            tr(
                "{0}, {1}: x {2:.0f} mm, y {3:.0f} mm lies off the part",
                args.marks,
                off.uid,
                off.x * 1000.0,
                off.y * 1000.0,
            )
        )
    return list(marks)


def run(args: argparse.Namespace) -> int:
    """Refit and tell."""
    job = read_job(args.job)
    places = places_of(args.at)
    now = parse(args.now, "time")
    if not 10 <= args.runs <= 1000:
        raise ValueError(tr("--runs must lie between 10 and 1000"))
    marks = _marks(args, job, now)
    warmth = read_temperatures(Path(args.warmth)) if args.warmth else ()
    drive = _drive(args, job, warmth)
    prior = prior_of(
        job, runs=args.runs, shots=3 * args.runs, seed=args.seed, workers=2 if args.runs >= FEW else 0
    )
    unknown = [w for w in args.take if w not in {s.words for s in prior.suspects}]
    if unknown:
        raise ValueError(tr("--take: “{}” is none of the explanations of this job", unknown[0]))
    found = refit(
        prior,
        marks,
        now,
        drive=drive,
        taken=args.take,
        gel=gel_at(job, warmth[-1][1]) if warmth else None,
        gauge_read=bool(args.gauge),
    )
    if args.json:
        print_json(_told(found, places, forecast(job)))
        return 0
    _tell(found, places, system_of(args))
    return 0


def _tell(found: Refit, places: Sequence[tuple[float, float]], system: System) -> None:
    """Print a refit for people."""

    def place(x: float, y: float) -> str:
        return tr("x {0}, y {1}", show(x, "length", system), show(y, "length", system))

    print(
        tr(
            "wet through  {0} ({1} to {2}, nine times in ten)",
            clock(found.fill.middle),
            clock(found.fill.low),
            clock(found.fill.high),
        )
    )
    print(tr("last place   {}", place(*found.last_wet)))
    print(tr("before gel   {:.0f} in 100", found.full_before_gel * 100))
    for px, py in places:
        told = found.at(px, py)
        print(
            tr(
                "at {0}   {1} ({2} to {3})",
                place(px, py),
                clock(told.middle),
                clock(told.low),
                clock(told.high),
            )
        )
    for odd in found.contradictions:
        later = "later" if odd.sigma > 0 else "earlier"
        print(
            tr(
                "mark {0} is {1:.1f} sigma {2} than the others say; it may be:",
                odd.mark + 1,
                abs(odd.sigma),
                later,
            )
        )
        for words, share in odd.explanations:
            print(f"  {share * 100:3.0f} in 100  {words}")
    if not found.gauge_read:
        print(tr("These ranges assume that the vacuum holds as planned."))


def _range(told: Range) -> dict[str, float]:
    return {"low": told.low, "mid": told.middle, "high": told.high}


def _parameter(known: Known) -> dict[str, Any]:
    return {
        "name": known.name,
        "prior": known.prior,
        "low": known.low,
        "mid": known.middle,
        "high": known.high,
    }


def _told(found: Refit, places: list[tuple[float, float]], plan: Forecast) -> dict[str, Any]:
    x, y = found.last_wet
    needed = needed_of(found, plan)
    return {
        "now_s": found.now,
        "fill_time_s": _range(found.fill),
        "fill_time_half_s": {"low": found.fill.near[0], "high": found.fill.near[1]},
        "last_wet": {"x_mm": x * 1e3, "y_mm": y * 1e3},
        "parameters": [_parameter(p) for p in found.parameters],
        "arrivals": [
            {"x_mm": px * 1e3, "y_mm": py * 1e3, "wet_at_s": _range(found.at(px, py))} for px, py in places
        ],
        "contradictions": [
            {
                "mark": c.mark + 1,
                "sigma": c.sigma,
                "explanations": [{"words": w, "share": s} for w, s in c.explanations],
            }
            for c in found.contradictions
        ],
        "fit": found.fit,
        "marks_fit_the_plan": not found.misfits,
        "chance_full_before_gel": found.full_before_gel,
        "gel_s": found.gel if math.isfinite(found.gel) else None,
        "resin_needed_kg": {"low": needed.low, "mid": needed.middle, "high": needed.high},
        "next_mark": None
        if found.next_mark is None
        else {"x_mm": found.next_mark[0] * 1e3, "y_mm": found.next_mark[1] * 1e3},
        "assumes_planned_vacuum": not found.gauge_read,
    }
