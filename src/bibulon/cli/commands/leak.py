"""``bibulon leak``: judge a drop test from a gauge log."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import numpy as np

from bibulon.cli.told import print_json, system_of, told_arguments
from bibulon.core.leak.after import later, pinhole
from bibulon.core.leak.droptest import (
    NINE_IN_TEN,
    VOLUME,
    LeakResult,
    at_one_temperature,
    fit_drop,
    fit_test,
    judge,
    lasting,
)
from bibulon.core.model.drop_test import Warmth
from bibulon.core.model.job import DropTest
from bibulon.core.model.rules import SCHOOLS
from bibulon.core.units.units import parse
from bibulon.core.units.words import tr
from bibulon.store.imports.gaugelog import GaugeUnclear, LogError, read_log
from bibulon.store.imports.templog import read_temperatures

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a log, the volume, a school, how the gauge reads, and how to tell."""
    parser.add_argument("log", metavar="LOG.csv", help=tr("time and pressure"))
    text = tr("how the gauge reads, where the log's heading does not say")
    parser.add_argument("--gauge", choices=("absolute", "below"), help=text)
    parser.add_argument("--air", type=float, default=1013.25, metavar="MBAR", help=tr("today's air pressure"))
    text = tr("volume shut off with the bag, litres")
    parser.add_argument("--volume-l", type=float, required=True, metavar="V", help=text)
    parser.add_argument(
        "--temperature",
        metavar="LOG.csv",
        help=tr("time and temperature of the bag, logged beside the gauge"),
    )
    parser.add_argument("--school", default="small-drop", help=tr("by which rule to pass it"))
    parser.add_argument(
        "--gel",
        metavar="M:SS",
        help=tr("for a school that holds as long as the resin takes to gel: how long that is"),
    )
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell leak and verdict."""
    schools = {s.id: s for s in SCHOOLS}
    if args.school not in schools:
        raise ValueError(tr("there is no school “{0}”: use one of {1}", args.school, ", ".join(schools)))
    school = schools[args.school]
    if school.as_long_as == "gel":
        if args.gel is None:
            raise ValueError(tr("this school holds until gel: say how long that is, as --gel M:SS"))
        school = lasting(school, parse(args.gel, "time"))
    try:
        readings = read_log(Path(args.log), args.gauge, args.air * 100)
    except GaugeUnclear as error:
        raise LogError(tr("{} Here: --gauge absolute, or --gauge below.", error)) from error
    warmth = read_temperatures(Path(args.temperature)) if args.temperature else ()
    if warmth:
        at_one_temperature(readings, warmth)  # says what is wrong with it
    volume = args.volume_l / 1e3
    if not VOLUME[0] <= volume <= VOLUME[1]:
        fit_drop(readings, volume)  # says why not
    test = DropTest(
        readings=readings, volume=volume, warmth=tuple(Warmth(time=t, temperature=k) for t, k in warmth)
    )
    result = fit_test(test)
    verdict = judge(test, result, school, args.air * 100).worded(system_of(args))
    low, high = (q * 10 for q in result.leak_interval)
    if args.json:
        print_json(
            {
                **_told(result, args.air * 100),
                "verdict": verdict.outcome,
                "seconds_to_verdict": verdict.wait,
                "reason": verdict.reason,
                "figure": verdict.figure,
                "limit": verdict.limit,
            }
        )
    else:
        print(tr("leak     {0:.5f} mbar·L/s ({1:.5f} to {2:.5f})", result.leak * 10, low, high))
        print(
            tr(
                "verdict  {0}: {1}, limit {2}. {3}",
                verdict.outcome,
                verdict.figure,
                verdict.limit,
                verdict.reason,
            )
        )
    return {"pass": 0, "fail": 1}.get(verdict.outcome, 3)


def _told(result: LeakResult, air: float) -> dict[str, Any]:
    """Return rate, leak and what comes of them, each with the interval that holds nine in ten; ``outgassing`` in mbar."""
    low, high = result.spread.quantiles(*NINE_IN_TEN)
    hours = (1.0, 4.0, 12.0, 24.0)
    now = float(result.pressure(np.array([result.duration]))[0])
    after = later(
        result.volume, max(result.leak, 0.0), min(max(now, 1.0), 0.99 * air), np.array(hours) * 3600, air
    )
    return {
        "rate_mbar_per_min": result.rise * 0.6,
        "interval_90": [low * 0.6, high * 0.6],
        "leak_mbar_l_per_s": result.leak * 10,
        "interval_90_leak": [low * result.volume * 10, high * result.volume * 10],
        "outgassing": result.fading / 100,
        "pinhole_um": pinhole(max(result.leak, 0.0), air) * 1e6,
        "pressure_after": [
            {"hours": h, "mbar": float(p) / 100} for h, p in zip(hours, after.hole, strict=True)
        ],
    }
