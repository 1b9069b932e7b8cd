"""The oven's schedule on paper, with blanks for what was read, and as rows for a spreadsheet."""

from __future__ import annotations

import csv
import io

from bibulon.core.cure.heat import oven_turns
from bibulon.core.cure.postcure import PostCure, schedule_end
from bibulon.core.drawing.graphs.postcuring import draw_postcure
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Page, Pages
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.model.job import Job
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["oven_pages", "oven_table"]


def _turns(job: Job, room: float) -> list[tuple[float, float, str]]:
    """Return (time from the oven's start [s], temperature [K], what begins) of each turn of the schedule."""
    turns = [(t - job.cure.oven_after, warm) for t, warm in oven_turns(job.cure, room)]
    words: list[str] = []
    for (_, before), (_, after) in zip(turns[:-2:2], turns[1:-1:2], strict=True):
        words += ["rise" if after >= before else "fall", "hold"]
    return [(t, warm, w) for (t, warm), w in zip(turns, [*words, "cool", "open"], strict=True)]


def oven_table(job: Job, room: float) -> str:
    """Return the turns as CSV: time from the oven's start, temperature, what begins."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time_s", "temperature_c", "begins"])
    for t, warm, words in _turns(job, room):
        writer.writerow([f"{t:.0f}", f"{warm - 273.15:.1f}", words])
    return out.getvalue()


def oven_pages(job: Job, told: PostCure | None, room: float, system: System = "metric") -> list[Page]:
    """Return the pages: the ramp, its turns with blanks, what it comes to, and cautions."""
    pages = Pages(job.name, tr("oven schedule"))
    pages.drawing(list(draw_postcure(job, told, room, RIGHT - LEFT, 300.0, PAPER, system)), 300.0)
    pages.heading("Turns, from the oven's start")
    rows = [
        (clock(t), show(warm, "temperature", system), words, "__________", "__________")
        for t, warm, words in _turns(job, room)
    ]
    pages.table(
        (
            ("at", 0, "l"),
            ("temperature", 110, "l"),
            ("begins", 230, "l"),
            (tr("came at"), 340, "l"),
            (tr("part read"), 470, "l"),
        ),
        rows,
    )
    pages.line(
        tr(
            "{0}: starts {1} after the shot; cold again {2} after it.",
            "A heated blanket on the bag" if job.cure.heater == "blanket" else "In the oven",
            clock(job.cure.oven_after),
            clock(schedule_end(job.cure, room)),
        )
    )
    if told is not None and told.glass is not None:
        side = "under" if told.margin >= 0 else "over"
        pages.line(
            tr("The part comes closest to its glass transition {0} after the shot: {1} {2} it. Afterwards it turns soft at {3}.", clock(told.margin_at), show(abs(told.margin), "warming", system), side, show(told.reached, "temperature", system)), True
        )  # fmt: skip
    pages.line(
        tr(
            "The resin's data sheet comes first. Hot ovens and parts burn; support the part as it is to stay; let vapours out."
        )
    )
    return pages.pages
