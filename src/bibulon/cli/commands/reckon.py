"""``bibulon reckon``: figures without a job."""

from __future__ import annotations

import argparse
from typing import Any

from bibulon.cli.told import print_json
from bibulon.core.plans.reckon.row import ReckonError, reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a row's name and its inputs."""
    parser.add_argument("name", metavar="NAME", help=", ".join(ROWS))
    parser.add_argument(
        "inputs",
        nargs="*",
        metavar="KEY=VALUE",
        help=tr("with a unit (“6.4kg”, “26inHg”, “100:27”), or bare in SI"),
    )
    parser.add_argument("--json", action="store_true", help=tr("as JSON, in units that its keys name"))


def run(args: argparse.Namespace) -> int:
    """Reckon a row."""
    row = ROWS.get(args.name)
    if row is None:
        raise ReckonError(tr("there is no “{0}” to reckon: {1}.", args.name, ", ".join(ROWS)))
    typed = {}
    for word in args.inputs:
        key, equals, value = word.partition("=")
        if not equals:
            raise ReckonError(
                tr("“{0}” is no KEY=VALUE: {1} takes {2}.", word, row.name, ", ".join(row.inputs))
            )
        typed[key] = value
    found = reckon(row, typed)
    if args.json:
        print_json(found)
        return 0
    for key, value in found.items():
        print(f"{key:<24} {_told(value)}")
    return 0


def _told(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(_told(v) for v in value)
    return f"{value:.6g}" if isinstance(value, float) else str(value)
