"""``bibulon forecast``: when and where a job fills."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from bibulon.cli.told import (
    forecast_of,
    job_argument,
    print_json,
    show,
    speed_argument,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.flow.forecast import Forecast
from bibulon.core.units.units import System, clock
from bibulon.core.units.words import tr

__all__ = ["arguments", "places_of", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, places to be told of, and how to tell."""
    job_argument(parser)
    text = tr("say when this place is wet; may be repeated")
    parser.add_argument("--at", action="append", default=[], metavar="X_MM,Y_MM", help=text)
    speed_argument(parser)
    told_arguments(parser)


def places_of(texts: Sequence[str]) -> list[tuple[float, float]]:
    """Return places [m] typed as X,Y in mm.

    Raises
    ------
    ValueError : when one is not typed so.
    """
    out = []
    for text in texts:
        try:
            x, y = (float(v) for v in text.split(","))
        except ValueError as error:
            raise ValueError(tr("--at wants X,Y in mm, such as 400,150; “{}” is not that", text)) from error
        out.append((x / 1e3, y / 1e3))
    return out


def _figures(result: Forecast, places: Sequence[tuple[float, float]]) -> dict[str, Any]:
    x, y, when = result.last_wet
    return {
        "filled": result.filled,
        "fill_time_s": result.fill_time,
        "dry_area_m2": result.dry_area,
        "last_wet": {"x_mm": x * 1e3, "y_mm": y * 1e3, "time_s": when},
        "resin_in_part_kg": result.resin_in_part,
        "resin_by_layer_kg": result.resin_by_layer(),
        "resin_in_lines_kg": result.resin_in_lines,
        "resin_to_catch_pot_kg": result.resin_to_catch_pot,
        "gel_s": result.clock.gel if result.clock.gel < 1e8 else None,
        "ended": result.ended,
        "late_area_m2": result.late_area,
        "resin_run_on_kg": result.resin_run_on,
        "mass_balance": result.history.balance,
        "probes": [
            {"x_mm": px * 1e3, "y_mm": py * 1e3, "wet_at_s": result.probe(px, py)} for px, py in places
        ],
        "pockets": [
            {
                "x_mm": p.place[0] * 1e3,
                "y_mm": p.place[1] * 1e3,
                "closed_s": p.closed,
                "area_m2": p.area,
                "volume_l": p.volume * 1e3,
                "gas_left_l": p.gas_volume * 1e3,
                "layers": list(p.layers),
            }
            for p in result.pockets
        ],
    }


def run(args: argparse.Namespace) -> int:
    """Tell the forecast."""
    places = places_of(args.at)
    result = forecast_of(args)
    figures = _figures(result, places)  # also where none is printed: a place outside the part is told first
    if args.json:
        print_json(figures)
    else:
        _tell(result, places, system_of(args))
    return worst(0)


def _tell(result: Forecast, places: Sequence[tuple[float, float]], system: System) -> None:
    def place(x: float, y: float) -> str:
        return f"x {show(x, 'length', system)}, y {show(y, 'length', system)}"

    x, y, when = result.last_wet
    if result.filled:
        print(tr("wet through at     {}", clock(result.fill_time)))
    else:
        print(tr("never wet          {}", show(result.never_wet_area, "area", system)))
    print(tr("closes last at     {0}, {1}", place(x, y), clock(when)))
    print(tr("dry left           {}", show(result.dry_area, "small area", system, 1)))
    print(tr("resin in the part  {}", show(result.resin_in_part, "mass", system, 3)))
    print(tr("to the catch pot   {}", show(result.resin_to_catch_pot, "mass", system, 3)))
    if result.clock.gel < 1e8:
        print(tr("gel of the oldest  {}", clock(result.clock.gel)))
    for px, py in places:
        told = ", ".join(f"{k} {clock(v)}" for k, v in result.probe(px, py).items())
        print(tr("at {0}  {1}", place(px, py), told))
    for pocket in result.pockets:
        print(
            tr(
                "pocket at          {0}: {1} of {2}, shut at {3}",
                place(*pocket.place),
                show(pocket.area, "small area", system),
                ", ".join(map(tr, pocket.layers)),
                clock(pocket.closed),
            )
        )
