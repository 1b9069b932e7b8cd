"""``bibulon log``: the jobs of a folder, and which hold some words."""

from __future__ import annotations

import argparse
import time
from pathlib import Path

from platformdirs import user_cache_path

from bibulon.cli.told import print_json, told_arguments
from bibulon.core.units.words import tr
from bibulon.store.logbook import closed

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take folders, words, and how to tell."""
    parser.add_argument("folder", nargs="+", metavar="FOLDER", help=tr("where jobs are kept"))
    parser.add_argument("--search", default="", metavar="W", help=tr("part, material, defect or any words"))
    parser.add_argument(
        "--index", metavar="FILE", help=tr("where the index is kept; it can be removed at any time")
    )
    told_arguments(parser)


def run(args: argparse.Namespace) -> int:
    """Index what changed, and tell."""
    folders = [Path(f) for f in args.folder]
    missing = next((f for f in folders if not f.is_dir()), None)
    if missing is not None:
        raise ValueError(tr("there is no folder {}", missing))
    index = Path(args.index) if args.index else user_cache_path("bibulon") / "logbook.sqlite"
    with closed(index) as book:
        book.refresh(folders)
        roots = [f.resolve() for f in folders]
        rows = [r for r in book.search(args.search) if any(r.path.is_relative_to(f) for f in roots)]
    if args.json:
        print_json(
            {
                "jobs": [
                    {
                        "path": str(r.path), "name": r.name, "mould": r.mould, "process": r.process, "materials": list(r.materials),
                        "shot_unix_s": r.shot_at, "verdict": r.verdict, "defects": list(r.defects), "lessons": list(r.lessons),
                        "problem": r.problem,
                    }
                    for r in rows
                ]
            }
        )  # fmt: skip
        return 0
    for r in rows:
        day = time.strftime("%Y-%m-%d", time.localtime(r.shot_at)) if r.shot_at else "          "
        print(f"{day}  {r.name:<32} {r.verdict:<18} {r.path}")
    print(tr("{} jobs", len(rows)))
    return 0
