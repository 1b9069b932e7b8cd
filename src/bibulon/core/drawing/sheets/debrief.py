"""What is told after a rehearsal, as sections of words, and laid on paper."""

from __future__ import annotations

import time
from collections.abc import Sequence

from bibulon.core.drawing.kit.pages import Page, Pages
from bibulon.core.plans.rehearsal.debrief import Debrief, Decision
from bibulon.core.plans.rehearsal.faults import KINDS
from bibulon.core.plans.rehearsal.training import Trained
from bibulon.core.units.units import System, clock, show

__all__ = ["debrief_pages", "debrief_sections", "decision_words", "trained_words"]


def _at(seconds: float) -> str:
    return f"{clock(-seconds)} before resin" if seconds < 0 else f"at {clock(seconds)}"


def decision_words(d: Decision, system: System) -> str:
    """Return a decision beside the best one, and what it cost."""
    if d.dry > 0:
        cost = f"{show(d.dry, 'area', system)} left dry"
    elif d.drawn > 0:
        cost = f"{show(d.drawn, 'mass', system, 2)} ran through for nothing"
    elif d.cost:
        cost = f"{d.cost:+.0f} s of filling"
    else:
        cost = "as good as the best"
    return f"{d.what} {_at(d.done)}, best {_at(d.best)}: {cost}"


def debrief_sections(told: Debrief, planned: float, system: System) -> list[tuple[str, list[str]]]:
    """Return headings with their lines; ``planned`` is the fill time of an undisturbed shot [s]."""
    filled = clock(told.filled) if told.filled is not None else "never"
    came = [
        f"It came out {told.outcome}.",
        f"Dry {show(told.dry, 'area', system)}, air in the part {told.air * 100:.1f} %.",
        f"Mixed {show(told.resin, 'mass', system)}, {show(told.wasted, 'mass', system)} left over.",
        f"All wet: {filled}; the plan said {clock(planned)}.",
        "Vacuum let go before gel." if told.released_early else "Vacuum held until gel.",
    ]
    if told.settled is not None:
        s = told.settled
        came.append(
            f"Fibre at gel {s.mean * 100:.0f} %, {s.low * 100:.0f} to {s.high * 100:.0f}; the whole bag gives {s.planned * 100:.0f}."
        )
    if told.parted is not None:
        came.append(
            f"The halves parted at {clock(told.parted)}: the part is thick, and resin stands in the seals."
        )
    hidden = [
        f"{KINDS[f.fault.kind].words}: could be known {_at(f.known)}, "
        + (f"noticed {_at(f.noticed)}" if f.noticed is not None else "not noticed")
        for f in told.found
    ]
    out = [("How it came out", came), ("What was hidden", hidden or ["Nothing but the scatter of the day."])]
    if told.decisions:
        choices = [decision_words(d, system) for d in told.decisions]
        out.append(("What was decided", choices))
    return [*out, ("To practise", list(told.practise) or ["Nothing of this: take a harder shop."])]


def trained_words(trained: Sequence[Trained]) -> list[str]:
    """Return a line for each rehearsal, the latest first."""
    return [
        f"{time.strftime('%Y-%m-%d %H:%M', time.localtime(t.at))}  {t.job}: {t.outcome}"
        + (f", {t.noticed} of {t.faults} faults noticed" if t.faults else "")
        for t in trained
    ]


def debrief_pages(
    name: str, person: str, told: Debrief, planned: float, trained: Sequence[Trained], system: System
) -> list[Page]:
    """Return the pages of a debrief: of which job, who shot it, and what that person rehearsed before."""
    sheet = Pages(name, "rehearsal")
    if person:
        sheet.line(f"Shot by {person}. Nothing of it was real.")
    for heading, lines in debrief_sections(told, planned, system):
        sheet.heading(heading)
        for words in lines:
            sheet.line(words)
    if trained:
        sheet.heading("Rehearsals so far")
        for words in trained_words(trained):
            sheet.line(words)
    return sheet.pages
