"""The kit on paper, with a box to tick for each thing, and the walk round the tape as a list."""

from __future__ import annotations

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.kit.pages import Page, Pages
from bibulon.core.drawing.sheets.walkstrips import walk_rows
from bibulon.core.lines.kit import kit_rows
from bibulon.core.model.job import Job
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["kit_pages_of", "walk_list", "walk_list_pages"]


def kit_pages_of(job: Job, system: System = "metric") -> list[Page]:
    """Return the pages of the kit."""
    pages = Pages(job.name, "kit")
    pages.line(tr("For one part. Lay all of it out and tick it before resin is anywhere near."))
    rows = kit_rows(job, system)
    ticked = [("", *rows[0][1:]), *(("[x]" if r[0] else "[ ]", *r[1:]) for r in rows[1:])]
    pages.rows(
        ticked,
        (
            (0, 0, "l"),
            (1, 22, "l"),
            (2, 270, "l"),
            (3, 520, "r"),
            (4, 580, "r"),
            (5, 636, "r"),
            (6, 694, "r"),
        ),
    )
    return pages.pages


def walk_list(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return what stands where along the tape, headings first."""
    return walk_rows(bag_of(job), system)


def walk_list_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return the pages of that list."""
    pages = Pages(job.name, "walk-round")
    pages.line(tr("Along the tape from the start mark S, clockwise seen from the bag side."))
    pages.rows(
        walk_list(job, system), ((0, 60, "r"), (1, 90, "l"), (2, 270, "r"), (3, 300, "l"), (4, 450, "l"))
    )
    return pages.pages
