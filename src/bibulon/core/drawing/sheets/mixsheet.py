"""The mixing cards on paper, one page a batch, and their rows for a spreadsheet."""

from __future__ import annotations

from bibulon.core.drawing.graphs.mixcard import draw_mix_card
from bibulon.core.drawing.kit.pages import LEFT, PAGE, RIGHT, Page, Pages, shifted
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.model.job import Job
from bibulon.core.resin.charge import charge
from bibulon.core.run.mixing import mix_steps
from bibulon.core.units.figures import worded
from bibulon.core.units.units import System
from bibulon.core.units.words import tr

__all__ = ["mix_pages", "mix_rows"]


def mix_pages(job: Job, system: System = "metric") -> list[Page]:
    """Return a page a batch, with boxes to tick and room to write who and when.

    Raises
    ------
    ChargeError : when no resin is chosen.
    """
    plan = charge(job)
    pages = Pages(job.name, "mixing")
    size = (RIGHT - LEFT, PAGE[1] - 220)
    for k in range(len(plan.batches)):
        if k:
            pages.turn()
        page = pages.pages[-1]
        page.items.extend(
            shifted(item, LEFT, page.y) for item in draw_mix_card(job, plan, k, None, size, PAPER, system)
        )
        page.y += size[1]
        for words in (
            tr("Mixed by ______________________________   begun ____________   poured ____________"),
            tr("Temperature of the mix ____________   of the shop ____________"),
        ):
            pages.line(words)
    return pages.pages


def mix_rows(job: Job, system: System = "metric") -> list[tuple[str, ...]]:
    """Return the steps of all batches, headings first, with blanks for who and when."""
    rows: list[tuple[str, ...]] = [("batch", "step", "amount", "beside", "who", "when")]
    for batch in charge(job).batches:
        for step in mix_steps(job, batch):
            rows.append(
                (
                    str(batch.number),
                    step.words,
                    worded(step.amount, system),
                    worded(step.beside, system),
                    "",
                    "",
                )
            )
    return rows
