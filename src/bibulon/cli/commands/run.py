"""``bibulon run``: the record of a job's runs, in order."""

from __future__ import annotations

import argparse

from bibulon.cli.told import job_argument, print_json, read_loaded, system_of, told_arguments
from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.run.journal import run_state
from bibulon.core.run.recording import is_reading
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, and how to tell."""
    job_argument(parser)
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Tell what happened."""
    loaded = read_loaded(args.job)
    journal = loaded.journal
    if args.json:
        state = run_state(journal)
        print_json(
            {
                "run": state.run,
                "running": state.running,
                "began_unix_s": state.began,
                "wet_s": state.wet_at,
                "stopped_s": state.stopped_at,
                "rows": [
                    {
                        "run": e.run,
                        "clock_s": e.clock,
                        "kind": e.kind,
                        "written_unix_s": e.written_at,
                        **e.data,
                    }
                    for e in journal
                    if not is_reading(e)
                ],
            }
        )
        return 0
    rows = journal_rows(journal, loaded.job, system_of(args))
    if not rows:
        print(tr("Nothing has happened yet."))
    for when, what, where in rows:
        print(f"{when:>8}  {what}{': ' + where if where else ''}")
    return 0
