"""``bibulon cut``: all that is cut for a job, as it lies on rolls and sheets."""

from __future__ import annotations

import argparse

from bibulon.cli.told import (
    job_argument,
    output_argument,
    print_json,
    read_job,
    show,
    system_of,
    told_arguments,
    worst,
)
from bibulon.core.bag.bag import bag_of
from bibulon.core.bag.cutplan import cut_plan, mirrored
from bibulon.core.bag.nesting import rings
from bibulon.core.drawing.graphs.rolls import roll_words
from bibulon.core.units.words import tr
from bibulon.store.nests import KeptNests

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how to tell, whether to nest, and where to write templates."""
    job_argument(parser)
    told_arguments(parser)
    parser.add_argument(
        "--shelves", action="store_true", help=tr("boxes on shelves only: at once, with more waste")
    )
    parser.add_argument(
        "--again", action="store_true", help=tr("look for shorter ways than were found and kept before")
    )
    parser.add_argument("--mirror", action="store_true", help=tr("write templates of the mirror part"))
    output_argument(parser, (".pdf", ".dxf", ".svg"), required=False)


def run(args: argparse.Namespace) -> int:
    """Tell the cut plan, or write its pieces at full size."""
    job = read_job(args.job)
    bag = bag_of(job) if job.process == "infusion" else None
    nests = None if args.shelves else KeptNests()
    plan = cut_plan(job, bag, nest=not args.shelves and args.output is None, nests=nests, again=args.again)
    if args.output is not None:
        from bibulon.store.exports.templates import write_templates

        pieces = [p.piece for r in plan.rolls for p in r.placed]
        write_templates(mirrored(pieces) if args.mirror else pieces, args.output, job.name)
        print(tr("{0}: {1} piece{2} at full size", args.output, len(pieces), "s" * (len(pieces) != 1)))
        return worst(0)
    if args.json:
        print_json(
            {
                r.material: {
                    "name": r.name,
                    "roll_width_mm": r.width * 1e3,
                    "length_mm": r.length * 1e3,
                    "waste_share": r.waste,
                    "sheets": r.sheets,
                    "pieces": [
                        {
                            "label": p.piece.label,
                            "area_m2": p.shape.area,
                            "outline_mm": (rings(p.shape)[0] * 1e3).tolist(),
                            "holes_mm": [(ring * 1e3).tolist() for ring in rings(p.shape)[1:]],
                        }
                        for p in r.placed
                    ],
                }
                for r in plan.rolls
            }
        )
        return worst(0)
    s = system_of(args)
    for roll in plan.rolls:
        print(f"{roll.name}: {roll_words(roll, s)}")
        for number, placed in enumerate(roll.placed, 1):
            x0, *_ = placed.shape.bounds
            print(tr("  {0:>3}  {1:<10} from {2}", number, placed.piece.label, show(x0, "distance", s, 2)))
    return worst(0)
