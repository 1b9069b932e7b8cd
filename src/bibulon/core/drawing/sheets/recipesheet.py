"""The recipe of an injection on paper, with blanks for what really came, and its rows for a spreadsheet."""

from __future__ import annotations

import math

from bibulon.core.drawing.graphs.recipe import draw_course
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Page, Pages, shifted
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.mould.closing import closing_of
from bibulon.core.mould.recipe import Stage, course_of, recipe_of
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["recipe_pages", "recipe_rows"]

HEADS = ("stage", "what", "until", "lasts", "pressure", "mass", tr("came at"), "read")


def _row(stage: Stage, number: int, system: System) -> tuple[str, ...]:
    return (
        str(number), worded(stage.words, system), worded(stage.until, system),
        clock(stage.seconds) if math.isfinite(stage.seconds) else "never",
        show(stage.pressure, "pressure", system) if stage.pressure is not None else "",
        show(stage.mass, "mass", system) if stage.mass is not None else "", "", "",
    )  # fmt: skip


def recipe_rows(job: Job, forecast: Forecast, system: System = "metric") -> list[tuple[str, ...]]:
    """Return the stages in order, headings first, with blanks for what really came."""
    stages = recipe_of(job, forecast)
    return [HEADS, *(_row(stage, k, system) for k, stage in enumerate(stages, 1))]


def recipe_pages(job: Job, forecast: Forecast, system: System = "metric") -> list[Page]:
    """Return the pages: stages with cautions, then the course."""
    pages = Pages(job.name, "recipe")
    for k, stage in enumerate(recipe_of(job, forecast), 1):
        told = _row(stage, k, system)
        pages.line(f"{k}  {told[1]}", True)
        parts = [tr("until {}", told[2]), told[3], *(x for x in told[4:6] if x)]
        pages.line(tr("{}      came at __________   read __________", " · ".join(parts)))
        if stage.caution:
            pages.line(tr("Caution: {}", stage.caution))
    page = pages.room(330)
    course, limit = course_of(job, forecast), closing_of(job, forecast).most_injection
    if len(course.time) > 2:
        items = draw_course(course, limit, (RIGHT - LEFT, 310.0), PAPER, system)
        page.items.extend(shifted(item, LEFT, page.y) for item in items)
        page.y += 320
    pages.line(tr("The papers of machine, resin and mould come first."))
    return pages.pages
