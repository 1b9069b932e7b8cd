"""What can be kept of a job document that does not pass its checks, and what was wrong with it in words."""

from __future__ import annotations

import copy
from typing import Any

from bibulon.core.model.invalid import Invalid
from bibulon.core.model.job import Job
from bibulon.core.units.figures import told_by
from bibulon.core.units.words import tr
from bibulon.store.raw import job_from

__all__ = ["JobFileError", "explain", "plainly", "salvage"]

NEEDED = frozenset({"part", "format", "version", "outline"})  # without which there is no job


class JobFileError(Exception):
    """A job file that cannot be read or written; the text says what and why, for people."""


def salvage(document: dict[str, Any], name: str, error: Invalid) -> tuple[Job, tuple[str, ...]]:
    """Drop what does not pass its checks, as little as will do: a line, a layer, a material before all of them.

    Raises
    ------
    JobFileError : when nothing of it can be opened.
    """
    problems: list[str] = []
    kept = copy.deepcopy(document)
    while True:
        problems += [line for told in explain(error) if (line := f"{name}: {told}") not in problems]
        if not _drop(kept, [f.place for f in error.faults]):
            raise JobFileError(tr("{0} cannot be opened. {1}", name, " ".join(explain(error)[:3]))) from error
        try:
            return job_from(kept), tuple(problems)
        except Invalid as again:
            error = again


def _drop(document: dict[str, Any], places: list[tuple[Any, ...]]) -> bool:
    """Take out what stands at places; False when nothing could be, which ends the attempt."""
    found: set[tuple[tuple[str, ...], Any]] = set()  # the path of a list or table, and what to take out of it
    for place in places:
        path: tuple[str, ...] = ()
        if place[:1] == ("part",):
            path, place = ("part",), place[1:]
        holder = _at(document, path)
        if not place or not isinstance(holder, dict) or place[0] not in holder or place[0] in NEEDED:
            continue
        inside = holder[place[0]]
        if len(place) > 1 and (
            (isinstance(inside, list) and isinstance(place[1], int) and place[1] < len(inside))
            or (isinstance(inside, dict) and place[0] == "materials" and place[1] in inside)
        ):
            found.add(((*path, str(place[0])), place[1]))
        else:
            found.add((path, place[0]))
    for path, key in sorted(found, key=lambda f: (f[0], str(type(f[1])), f[1]), reverse=True):
        holder = _at(document, path)
        if isinstance(holder, list | dict):
            del holder[key]
    return bool(found)


def _at(document: Any, path: tuple[str, ...]) -> Any:
    for name in path:
        document = document.get(name) if isinstance(document, dict) else None
    return document


def explain(error: Invalid) -> list[str]:
    """Return what is wrong with a value as plain sentences, one a fault, saying where."""
    out = []
    for fault in error.faults:
        where, what = " → ".join(str(p)[:40] for p in fault.place), str(fault)
        out.append(f"{where}: {what}." if where else f"{what[:1].upper()}{what[1:]}.")
    return out


def plainly(error: Exception) -> str:
    """Return an error as one sentence for people, whatever library found it."""
    return explain(error)[0] if isinstance(error, Invalid) else told_by(error)
