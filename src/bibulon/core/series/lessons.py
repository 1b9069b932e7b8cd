"""Lessons: sentences for the next one, each tied to the part, a place, a line and its calls, or a material."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, rows_of
from bibulon.core.series.rows import AFTER
from bibulon.core.units.words import tr

__all__ = ["lesson_entry", "lesson_words", "subjects"]

LONGEST = 400  # letters


def subjects(job: Job, place: tuple[float, float] | None) -> list[tuple[str, dict[str, object]]]:
    """Return what a lesson may be tied to: (words, what its row holds of it), the place that is pointed at [m] first."""
    out: list[tuple[str, dict[str, object]]] = []
    if place is not None:
        out.append((tr("this place"), {"x": round(place[0], 4), "y": round(place[1], 4)}))
    out.append(("the whole part", {}))
    out += [(tr("{}, its place and calls", line.label), {"about": line.label}) for line in job.lines]
    names = [m.name for m in job.materials.values()] + ([job.resin.name] if job.resin else [])
    return out + [(name, {"about": name}) for name in dict.fromkeys(names)]


def lesson_entry(text: str, tied: dict[str, object], now: float) -> Entry:
    """Return the row of a lesson.

    Raises
    ------
    ValueError : without a word of it.
    """
    words = " ".join(text.split())[:LONGEST]
    if not words:
        raise ValueError(tr("write the lesson first"))
    return Entry(AFTER, 0.0, "lesson", {"text": words, **tied}, now)


def lesson_words(journal: Sequence[Entry]) -> tuple[str, ...]:
    """Return the lessons of a record, in order, each with what it is about before it."""
    out = []
    for e in rows_of(journal, "lesson"):
        text, about = str(e.data.get("text", "")), str(e.data.get("about", ""))
        if text:
            out.append(f"{about}: {text}" if about else text)
    return tuple(out)
