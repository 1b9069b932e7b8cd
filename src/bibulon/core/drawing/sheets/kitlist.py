"""The kit on paper, with a box to tick for each thing."""

from __future__ import annotations

from bibulon.core.drawing.kit.pages import Page, Pages
from bibulon.core.lines.kit import kit_rows
from bibulon.core.model.job import Job
from bibulon.core.units.units import System

__all__ = ["kit_pages_of"]


def kit_pages_of(job: Job, system: System = "metric") -> list[Page]:
    """Return the pages of the kit."""
    pages = Pages(job.name, "kit")
    pages.line("For one part. Lay all of it out and tick it before resin is anywhere near.")
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
