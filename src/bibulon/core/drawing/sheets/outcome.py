"""What came of a job, on the card: the run against its plan, what was found and where, what it weighed, lessons."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.core.drawing.graphs.runclock import draw_against
from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.pages import LEFT, RIGHT, Pages
from bibulon.core.drawing.kit.scene import Item, Label, Picture, View
from bibulon.core.drawing.kit.tokens import PAPER
from bibulon.core.drawing.plan.pinplan import draw_pins
from bibulon.core.drawing.plan.thickplan import ROW, draw_shares
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, rows_of, run_state
from bibulon.core.series.photos import Photo, photos_of
from bibulon.core.series.record import Defect, Outcome, outcome_of
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["lay_outcome"]

PHOTO, GAP = 190.0, 16.0  # px that a row of photos is high, and between two


def lay_outcome(
    card: Pages, job: Job, forecast: Forecast | None, journal: Sequence[Entry], system: System
) -> None:
    """Lay what the rows say that came of a job; nothing where nothing did."""
    width = RIGHT - LEFT
    if run_state(journal).run:
        card.heading("The run against its plan")
        card.drawing(list(draw_against(job, forecast, journal, width, 120.0, PAPER)), 120.0)
    if not rows_of(journal, "weighed", "defect", "lesson", "thickness"):
        return
    try:
        came = outcome_of(job, journal)
        bounds = regions(job.part).whole.bounds
    except (ValueError, OutlineError):
        return
    card.heading("What came of it")
    _lay_weights(card, came, bool(rows_of(journal, "weighed")), system)
    if came.zones:
        high = ROW * len(came.zones) + 40
        card.drawing(list(draw_shares(came.zones, width, PAPER, system)), high)
    if came.defects:
        look = PlanLook(View.fit(bounds, width, 260.0, 30), PAPER, system)
        card.drawing(list(draw_pins(job, forecast, came.defects, None, look)), 260.0)
        rows = [
            (str(k), d.kind, show(d.size, "length", system), f"{show(d.x, 'length', system)}, {show(d.y, 'length', system)}", d.cause or tr("left open"))
            for k, d in enumerate(came.defects, start=1)
        ]  # fmt: skip
        card.table(
            (
                ("", 0, "l"),
                ("found", 24, "l"),
                ("wide", 130, "l"),
                ("x, y", 200, "l"),
                (tr("it may come from"), 340, "l"),
            ),
            rows,
        )
    _photos(card, came.defects, journal)
    for words in came.lessons:
        card.line(tr("Lesson: {}", words))


def _lay_weights(card: Pages, came: Outcome, weighed: bool, system: System) -> None:
    """Lay what the part's weight tells: its fibre share, and where the resin went."""
    if came.share is not None:
        vf = came.share.vf
        planned = tr(", planned {:.1f} %", came.planned_vf * 100) if came.planned_vf else ""
        card.line(
            tr(
                "Fibre by volume {0:.1f} %, nine in ten {1:.1f} to {2:.1f} %{3}.",
                vf.middle * 100,
                vf.low * 100,
                vf.high * 100,
                planned,
            )
        )
    elif weighed:
        card.line(came.problem)
    if came.balance is not None:
        b = came.balance
        card.line(
            tr(
                "Resin mixed {0}: part {1}, lines {2}, caught {3}, left {4}; ",
                show(b.mixed, "mass", system),
                show(b.part, "mass", system),
                show(b.lines, "mass", system),
                show(b.caught, "mass", system),
                show(b.left, "mass", system),
            )
            + (
                tr("it closes.")
                if b.closes
                else f"{show(abs(b.gap), 'mass', system)} {'are missing' if b.gap > 0 else 'too much'}."
            )
        )


def _photos(card: Pages, defects: Sequence[Defect], journal: Sequence[Entry]) -> None:
    """Lay the last photo of each pin, two beside each other, each with the number that its pin has on the plan."""
    latest = {p.of: p for p in photos_of(journal)}
    shown = [(k, d, latest[d.uid]) for k, d in enumerate(defects, start=1) if d.uid in latest]
    wide = (RIGHT - LEFT - GAP) / 2
    for first in range(0, len(shown), 2):
        items: list[Item] = []
        for column, (k, defect, photo) in enumerate(shown[first : first + 2]):
            left = column * (wide + GAP)
            items += [
                _fitted(photo, left, wide),
                Label(left, PHOTO + 12, f"{k}  {defect.kind}", PAPER.ink, 11, anchor="l"),
            ]
        card.drawing(items, PHOTO + 26)


def _fitted(photo: Photo, left: float, wide: float) -> Picture:
    by = min(wide / photo.width, PHOTO / photo.height)
    return Picture(left, 0.0, photo.width * by, photo.height * by, photo.jpeg)
