"""What is told after a rehearsal, as sections of words, and laid on paper."""

from __future__ import annotations

import time
from collections.abc import Sequence

from bibulon.core.drawing.kit.pages import Page, Pages
from bibulon.core.plans.rehearsal.debrief import Debrief, Decision
from bibulon.core.plans.rehearsal.faults import KINDS
from bibulon.core.plans.rehearsal.training import Trained
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["debrief_pages", "debrief_sections", "decision_words", "trained_words"]


def _at(seconds: float) -> str:
    return tr("{} before resin", clock(-seconds)) if seconds < 0 else tr("at {}", clock(seconds))


def decision_words(d: Decision, system: System) -> str:
    """Return a decision beside the best one, and what it cost."""
    if d.dry > 0:
        cost = tr("{} left dry", show(d.dry, "area", system))
    elif d.drawn > 0:
        cost = tr("{} ran through for nothing", show(d.drawn, "mass", system, 2))
    elif d.cost:
        cost = tr("{:+.0f} s of filling", d.cost)
    else:
        cost = tr("as good as the best")
    return tr("{0} {1}, best {2}: {3}", d.what, _at(d.done), _at(d.best), cost)


def debrief_sections(told: Debrief, planned: float, system: System) -> list[tuple[str, list[str]]]:
    """Return headings with their lines; ``planned`` is the fill time of an undisturbed shot [s]."""
    filled = clock(told.filled) if told.filled is not None else "never"
    came = [
        tr("It came out {}.", told.outcome),
        tr("Dry {0}, air in the part {1:.1f} %.", show(told.dry, "area", system), told.air * 100),
        tr("Mixed {0}, {1} left over.", show(told.resin, "mass", system), show(told.wasted, "mass", system)),
        tr("All wet: {0}; the plan said {1}.", filled, clock(planned)),
        tr("Vacuum let go before gel.") if told.released_early else tr("Vacuum held until gel."),
    ]
    if told.settled is not None:
        s = told.settled
        came.append(
            tr(
                "Fibre at gel {0:.0f} %, {1:.0f} to {2:.0f}; the whole bag gives {3:.0f}.",
                s.mean * 100,
                s.low * 100,
                s.high * 100,
                s.planned * 100,
            )
        )
    if told.parted is not None:
        came.append(
            tr(
                "The halves parted at {}: the part is thick, and resin stands in the seals.",
                clock(told.parted),
            )
        )
    hidden = [
        tr("{0}: could be known {1}, ", KINDS[f.fault.kind].words, _at(f.known))
        + (tr("noticed {}", _at(f.noticed)) if f.noticed is not None else tr("not noticed"))
        for f in told.found
    ]
    out = [
        (tr("How it came out"), came),
        (tr("What was hidden"), hidden or [tr("Nothing but the scatter of the day.")]),
    ]
    if told.decisions:
        choices = [decision_words(d, system) for d in told.decisions]
        out.append((tr("What was decided"), choices))
    return [*out, (tr("To practise"), list(told.practise) or [tr("Nothing of this: take a harder shop.")])]


def trained_words(trained: Sequence[Trained]) -> list[str]:
    """Return a line for each rehearsal, the latest first."""
    return [
        f"{time.strftime('%Y-%m-%d %H:%M', time.localtime(t.at))}  {t.job}: {t.outcome}"
        + (tr(", {0} of {1} faults noticed", t.noticed, t.faults) if t.faults else "")
        for t in trained
    ]


def debrief_pages(
    name: str, person: str, told: Debrief, planned: float, trained: Sequence[Trained], system: System
) -> list[Page]:
    """Return the pages of a debrief: of which job, who shot it, and what that person rehearsed before."""
    sheet = Pages(name, "rehearsal")
    if person:
        sheet.line(tr("Shot by {}. Nothing of it was real.", person))
    for heading, lines in debrief_sections(told, planned, system):
        sheet.heading(heading)
        for words in lines:
            sheet.line(words)
    if trained:
        sheet.heading("Rehearsals so far")
        for words in trained_words(trained):
            sheet.line(words)
    return sheet.pages
