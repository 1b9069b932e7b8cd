"""The command line: the same core without a window.  Qt is imported only to open one."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bibulon import __version__
from bibulon.cli import plans
from bibulon.cli.plans import forecast_of, outlook_of, print_json, read_job
from bibulon.core.flow.build.builder import BuildError
from bibulon.core.flow.fill.filling import FillError
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.model.job import Job
from bibulon.core.units.units import clock
from bibulon.store.imports.gaugelog import GaugeUnclear, LogError, read_log
from bibulon.store.jobfile import JobFileError, load

__all__ = ["main"]

_EXPECTED = (BuildError, FillError, OutlineError, JobFileError, LogError, ValueError, OSError)


def _places(texts: Sequence[str]) -> list[tuple[float, float]]:
    out = []
    for text in texts:
        try:
            x, y = (float(v) for v in text.split(","))
        except ValueError as error:
            raise ValueError(f"--at wants X,Y in mm, such as 400,150; “{text}” is not that") from error
        out.append((x / 1e3, y / 1e3))
    return out


def _forecast_figures(result: Forecast, places: Sequence[tuple[float, float]]) -> dict[str, Any]:
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
        "ended": result.history.reason,
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


def _cmd_forecast(args: argparse.Namespace) -> int:
    places = _places(args.at)
    result = forecast_of(args)
    figures = _forecast_figures(result, places)
    if args.json:
        print_json(figures)
        return 0
    x, y, when = result.last_wet
    print(
        f"wet through at     {clock(result.fill_time)}"
        if result.filled
        else f"never wet          {result.never_wet_area:.4f} m²"
    )
    print(f"closes last at     x {x * 1e3:.0f} mm, y {y * 1e3:.0f} mm, {clock(when)}")
    print(f"dry left           {result.dry_area * 1e4:.1f} cm²")
    print(f"resin in the part  {result.resin_in_part:.3f} kg")
    print(f"to the catch pot   {result.resin_to_catch_pot:.3f} kg")
    if result.clock.gel < 1e8:
        print(f"gel of the oldest  {clock(result.clock.gel)}")
    for probe in figures["probes"]:
        told = ", ".join(f"{k} {clock(v)}" for k, v in probe["wet_at_s"].items())
        print(f"at {probe['x_mm']:.0f}, {probe['y_mm']:.0f} mm  {told}")
    for pocket in result.pockets:
        print(f"pocket at          x {pocket.place[0] * 1e3:.0f} mm, y {pocket.place[1] * 1e3:.0f} mm: "
              f"{pocket.area * 1e4:.0f} cm² of {', '.join(pocket.layers)}, shut at {clock(pocket.closed)}")  # fmt: skip
    return 0


def _cmd_charge(args: argparse.Namespace) -> int:
    from bibulon.core.resin.charge import charge

    plan = charge(read_job(args.job))
    if args.json:
        print_json(
            {
                "sinks": [{"name": s.name, "mass_kg": s.mass, "basis": s.basis} for s in plan.sinks],
                "total_kg": plan.total,
                "part_a_kg": plan.part_a,
                "part_b_kg": plan.part_b,
                "volume_l": plan.volume * 1e3,
                "batches": [{"number": b.number, "mass_kg": b.mass, "part_a_kg": b.part_a, "part_b_kg": b.part_b} for b in plan.batches],
            }
        )  # fmt: skip
        return 0
    for sink in plan.sinks:
        print(f"{sink.name:<18} {sink.mass:7.3f} kg  {sink.basis}")
    print(f"{'Total':<18} {plan.total:7.3f} kg")
    for batch in plan.batches:
        print(
            f"batch {batch.number:<12} {batch.mass:7.3f} kg  A {batch.part_a:.3f} kg, B {batch.part_b:.3f} kg"
        )
    return 0


def _cmd_findings(args: argparse.Namespace) -> int:
    from bibulon.core.findings.judge import is_accepted

    job = read_job(args.job)
    found = outlook_of(job, args.coarse).findings
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
            print(f"{f.weight.upper():<9} {f.title}: {f.number} (limit {f.limit}). {f.why} {f.mend}")
        if not found:
            print("Nothing found.")
    return 1 if any(f.weight == "blocking" for f in found) else 0


def _cmd_leak(args: argparse.Namespace) -> int:
    from bibulon.core.leak.droptest import fit_drop, judge
    from bibulon.core.model.job import DropTest
    from bibulon.core.model.rules import SCHOOLS

    schools = {s.id: s for s in SCHOOLS}
    if args.school not in schools:
        raise ValueError(f"there is no school “{args.school}”: use one of {', '.join(schools)}")
    try:
        readings = read_log(Path(args.log), args.gauge, args.air * 100)
    except GaugeUnclear as error:
        raise LogError(f"{error} Here: --gauge absolute, or --gauge below.") from error
    result = fit_drop(readings, args.volume_l / 1e3)
    verdict = judge(
        DropTest(readings=readings, volume=args.volume_l / 1e3), result, schools[args.school], args.air * 100
    )
    low, high = (q * 10 for q in result.leak_interval)
    if args.json:
        print_json(
            {
                "leak_mbar_l_s": result.leak * 10,
                "interval_mbar_l_s": [low, high],
                "rise_mbar_min": result.rise * 0.6,
                "fading_mbar": result.fading / 100,
                "verdict": verdict.outcome,
                "reason": verdict.reason,
                "figure": verdict.figure,
                "limit": verdict.limit,
            }
        )
    else:
        print(f"leak     {result.leak * 10:.5f} mbar·L/s ({low:.5f} to {high:.5f})")
        print(f"verdict  {verdict.outcome}: {verdict.figure}, limit {verdict.limit}. {verdict.reason}")
    return {"pass": 0, "fail": 1}.get(verdict.outcome, 3)


def _cmd_card(args: argparse.Namespace) -> int:
    from bibulon.store.exports.card import write_card

    loaded = load(Path(args.job))
    write_card(loaded.job, loaded.journal, Path(args.output))
    return 0


def _cmd_schema(_args: argparse.Namespace) -> int:
    print(json.dumps(Job.model_json_schema(), indent=1))
    return 0


def _cmd_demo(args: argparse.Namespace) -> int:
    if args.write:
        from bibulon.core.library.demo import demo_job
        from bibulon.store.jobfile import save

        save(demo_job(), Path(args.write))
        return 0
    from bibulon.app.start import start_demo

    return start_demo(args.screenshot, args.station, args.at, night=args.night)


def _cmd_open(args: argparse.Namespace) -> int:
    from bibulon.app.start import start

    return start(args.job)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="bibulon", description="Plan and run infusion and light RTM jobs.")
    parser.add_argument("--version", action="version", version=f"bibulon {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")

    def command(name: str, run: Any, text: str, job: bool = True) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=run)
        if job:
            sub.add_argument("job", metavar="JOB", help="a job file, or its document as JSON")
        return sub

    sub = command("forecast", _cmd_forecast, "Say when and where a job fills.")
    sub.add_argument(
        "--at",
        action="append",
        default=[],
        metavar="X_MM,Y_MM",
        help="say when this place is wet; may be repeated",
    )
    sub.add_argument("--coarse", action="store_true", help="a quick answer on a coarse mesh")
    sub.add_argument("--json", action="store_true")
    command("charge", _cmd_charge, "Say how much resin a job takes and how to mix it.").add_argument(
        "--json", action="store_true"
    )
    sub = command("findings", _cmd_findings, "Judge a job; ends with 1 when something blocks.")
    sub.add_argument("--coarse", action="store_true", help="judge by a quick forecast on a coarse mesh")
    sub.add_argument("--json", action="store_true")
    text = "Judge a drop test from a gauge log; ends with 1 when it fails, with 3 when it cannot tell yet."
    sub = command("leak", _cmd_leak, text, job=False)
    sub.add_argument("log", metavar="LOG.csv", help="time and pressure")
    sub.add_argument(
        "--gauge",
        choices=("absolute", "below"),
        help="how the gauge reads, where the log's heading does not say",
    )
    sub.add_argument("--air", type=float, default=1013.25, metavar="MBAR", help="today's air pressure")
    sub.add_argument(
        "--volume-l", type=float, required=True, metavar="V", help="volume shut off with the bag, litres"
    )
    sub.add_argument("--school", default="small-drop", help="by which rule to pass it")
    sub.add_argument("--json", action="store_true")
    command("card", _cmd_card, "Write the job card as PDF.").add_argument(
        "-o", "--output", required=True, metavar="FILE.pdf"
    )
    sub = command(
        "list", plans.cmd_list, "Write ply book, core kit, line list or material totals as PDF or CSV."
    )
    sub.add_argument("list", choices=("ply-book", "core-kit", "line-list", "material"))
    sub.add_argument("-o", "--output", required=True, metavar="FILE")
    sub = command("calls", plans.cmd_calls, "Print the calling sheet, or write it large as PDF.")
    sub.add_argument("-o", "--output", metavar="FILE.pdf")
    sub.add_argument("--coarse", action="store_true", help="by a quick forecast on a coarse mesh")
    sub = command(
        "suggest", plans.cmd_suggest, "Search plans of lines; say how many were tried and which are good."
    )
    sub.add_argument("--tries", type=int, default=72, metavar="N")
    sub.add_argument(
        "--workers", type=int, default=2, metavar="N", help="processes; 0 works here, the same every time"
    )
    sub.add_argument("--write", metavar="FILE", help="write the job with the best plan")
    sub = command(
        "sure", plans.cmd_sure, "Run a job over the spread of its inputs; say the range of what comes of it."
    )
    sub.add_argument("--runs", type=int, default=32, metavar="N")
    sub.add_argument("--seed", type=int, default=7, metavar="N")
    sub.add_argument("--workers", type=int, default=2, metavar="N")
    command("stack", plans.cmd_stack, "Say what part and stack come to.").add_argument(
        "--json", action="store_true"
    )
    command("schema", _cmd_schema, "Print the JSON Schema of a job document.", job=False)
    sub = command("demo", _cmd_demo, "Open the demo job.", job=False)
    sub.add_argument(
        "--screenshot", metavar="FILE.png", help="write what a user would see at 1280x800, and end"
    )
    sub.add_argument("--station", default="Lines", help="the station to open at")
    sub.add_argument("--at", default="14:00", metavar="M:SS", help="the moment of the clock")
    sub.add_argument("--night", action="store_true")
    sub.add_argument("--write", metavar="FILE", help="write the demo job to a file and end; opens no window")
    sub = command("open", _cmd_open, "Open the application.", job=False)
    sub.add_argument("job", nargs="?", metavar="JOB")
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return its exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    # Without a command word, open the window; a file manager hands over just the file's path.
    if not words or (len(words) == 1 and not words[0].startswith("-") and Path(words[0]).is_file()):
        words = ["open", *words]
    args = _parser().parse_args(words)
    try:
        return int(args.run(args))
    except _EXPECTED as error:
        text = " ".join(str(error).split())
        print(
            f"bibulon: {text[:1].lower()}{text[1:]}" if text[:2].istitle() else f"bibulon: {text}",
            file=sys.stderr,
        )
        return 2
