"""``bibulon bag``: film, pleats and tape of a job's bag."""

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
from bibulon.core.bag.bag import NO_BAG, Bag, bag_of, has_bag
from bibulon.core.drawing.sheets.walkstrips import walk_rows
from bibulon.core.units.words import tr

__all__ = ["arguments", "run"]


def arguments(parser: argparse.ArgumentParser) -> None:
    """Take a job, how to tell, and where to write the walk-round at full size."""
    job_argument(parser)
    told_arguments(parser)
    output_argument(parser, (".pdf",), required=False)


def run(args: argparse.Namespace) -> int:
    """Tell the bag, or write its walk-round."""
    job = read_job(args.job)
    if not has_bag(job):
        raise ValueError(tr(NO_BAG))
    bag = bag_of(job)
    if args.output is not None:
        from bibulon.store.exports.walkstrip import write_walk

        sheets = write_walk(job.name, bag, args.output, system_of(args))
        print(tr("{0}: {1} sheet{2} at full size", args.output, sheets, "s" * (sheets != 1)))
        return worst(0)
    if args.json:
        print_json(_told(bag))
        return worst(0)
    s = system_of(args)
    print(
        tr(
            "film   {0} × {1}, {2} cut, pull off {3}",
            show(bag.film.length, "distance", s),
            show(bag.film.width, "distance", s),
            bag.film.strips * bag.film.sheets,
            show(bag.film.pulled, "distance", s),
        )
    )
    print(
        tr(
            "tape   {0}, {1} roll{2}",
            show(bag.tape.total, "distance", s),
            bag.tape.rolls,
            "s" * (bag.tape.rolls != 1),
        )
    )
    for slack in bag.sides:
        words = tr(", SHORT by {}", show(slack.short, "length", s)) if slack.short > 0.0005 else ""
        print(
            tr(
                "{0:<12} asks {1:>8}, {2:>8} in pleats, {3:>8} there{4}",
                slack.side.name,
                show(slack.needed, "length", s),
                show(slack.held, "length", s),
                show(slack.there, "length", s),
                words,
            )
        )
    for row in walk_rows(bag, s)[1:]:
        print(f"{row[0]:>8}  {row[1]:<14} {row[2]:>8}  {row[3]:<17} {row[4]}".rstrip())
    return worst(0)


def _told(bag: Bag) -> dict[str, object]:
    return {
        "film_area_m2": bag.film.lies * bag.film.sheets,
        "film_bought_m2": bag.film.bought,
        "film_sheets": bag.film.strips * bag.film.sheets,
        "film_length_m": bag.film.length,
        "film_width_m": bag.film.width,
        "slack_needed_mm": {s.side.name: s.needed * 1e3 for s in bag.sides},
        "slack_there_mm": {s.side.name: s.there * 1e3 for s in bag.sides},
        "slack_held_mm": {s.side.name: s.held * 1e3 for s in bag.sides},
        "girth_m": {s.side.name: s.side.girth for s in bag.sides},
        "walk_m": bag.walk.length,
        "pleats": [
            {"at_mm": p.at * 1e3, "size_mm": p.size * 1e3, "lean": p.lean, "closing": p.closing}
            for p in bag.pleats
        ],
        "tubes": [{"line": t.label, "at_mm": t.at * 1e3, "outer_mm": t.outer * 1e3} for t in bag.tubes],
        "tape_m": bag.tape.total,
        "tape_rolls": bag.tape.rolls,
    }
