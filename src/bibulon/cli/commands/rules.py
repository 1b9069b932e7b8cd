"""``bibulon rules``: the shop's rules that a job is judged by."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, print_json, read_job, show, system_of, told_arguments
from bibulon.core.edit.limits import LIMITS, changed_in
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]

UNITS = {
    "length": "m", "thickness": "m", "small area": "m2", "small share": "share", "pressure": "pa", "time": "s", "angle": "deg",
    "speed": "m_per_s", "viscosity": "pa_s", "number": "n",
}  # fmt: skip


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job and how to tell."""
    job_argument(parser)
    parser.add_argument("--changed", action="store_true", help=tr("only those that are not as shipped"))
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell each limit, and what it is shipped as where that differs."""
    rules, plain = read_job(args.job).rules, RuleSet()
    changed = changed_in(rules)
    told = changed if args.changed else tuple(LIMITS.values())
    if args.json:
        print_json({
            "name": rules.name,
            "limits": [
                {
                    "rule": x.field, "station": x.station, "title": x.title, "changed": x in changed,
                    f"value_{UNITS[x.quantity]}": getattr(rules, x.field), f"shipped_{UNITS[x.quantity]}": getattr(plain, x.field),
                }
                for x in told
            ],
        })  # fmt: skip
        return 0
    s = system_of(args)
    print(tr("{0}: {1} of {2} limits not as shipped", rules.name, len(changed), len(LIMITS)))
    station = ""
    for x in told:
        if x.station != station:
            station = x.station
            print(tr(station))
        beside = tr("  (shipped as {})", show(getattr(plain, x.field), x.quantity, s)) if x in changed else ""
        print(f"  {x.title:<56} {show(getattr(rules, x.field), x.quantity, s):>12}{beside}")
    return 0
