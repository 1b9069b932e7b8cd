"""The shop's own sets of rules, by name, in one file that all windows share."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

import msgspec

from bibulon.core.model.base import checked
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.words import tr
from bibulon.store.durable import keep_aside, named, write_text
from bibulon.store.jsontext import JsonError, read_json
from bibulon.store.library import LibraryError, patiently

__all__ = ["as_plain", "drop_set", "keep_set", "read_sets", "sets_of", "take_sets"]

MOST = 200  # sets of a shop
LONGEST_NAME = 50  # letters of a name that is given a number


def read_sets(path: Path) -> dict[str, RuleSet]:
    """Return the sets of a file by name; none where there is no file.

    Raises
    ------
    LibraryError : when it is no file of rules; the text says which set and why.
    """
    if not path.exists():
        return {}
    try:
        data = read_json(path)
    except JsonError as error:
        raise LibraryError(str(error)) from error
    return sets_of(data, path)


def sets_of(data: object, path: Path) -> dict[str, RuleSet]:
    """Return the sets that a file holds as plain objects, by name.

    Raises
    ------
    LibraryError : when it holds none; the text says which set and why.
    """
    if not isinstance(data, list) or len(data) > MOST:
        raise LibraryError(tr("{} holds no sets of rules.", named(path)))
    out: dict[str, RuleSet] = {}
    for number, entry in enumerate(data, 1):
        try:
            rules: RuleSet = checked(RuleSet, entry)
        except Invalid as error:
            raise LibraryError(
                tr("Set {0} of {1}: {2}.", number, named(path), Invalid(error.faults[:1]))
            ) from error
        out[rules.name] = rules
    return out


def as_plain(sets: Iterable[RuleSet]) -> list[object]:
    """Return sets as ``sets_of`` reads them."""
    return [msgspec.to_builtins(rules) for rules in sets]


def take_sets(path: Path, taken: Mapping[str, RuleSet]) -> tuple[dict[str, str], Path | None]:
    """Keep sets that come from elsewhere; return the name that each has here, and where a damaged file was kept.

    One whose name is that of another set here gets a name of its own: neither is lost.

    Raises
    ------
    LibraryError, OSError : as ``keep_set``.
    """
    names: dict[str, str] = {}

    def joined(there: dict[str, RuleSet]) -> dict[str, RuleSet]:
        out = dict(there)
        for name, rules in taken.items():
            tries = (name, *(f"{name[:LONGEST_NAME]} {k}" for k in range(2, MOST + 2)))
            free = next(
                t for t in tries if t not in out or out[t].replaced(name=name) == rules.replaced(name=name)
            )
            names[name] = free
            out[free] = rules.replaced(name=free)
        return out

    _, aside = _changed(path, joined)
    return names, aside


def keep_set(path: Path, rules: RuleSet) -> tuple[dict[str, RuleSet], Path | None]:
    """Keep a set under its name, in place of one that has it, and return all; and where a damaged file was kept.

    Raises
    ------
    LibraryError : when another window holds the file for too long, or it is full.
    OSError : when it cannot be written; it is as it was.
    """
    return _changed(path, lambda there: {**there, rules.name: rules})


def drop_set(path: Path, name: str) -> tuple[dict[str, RuleSet], Path | None]:
    """Take a set out and return the others; as ``keep_set``."""
    return _changed(path, lambda there: {k: r for k, r in there.items() if k != name})


def _changed(
    path: Path, change: Callable[[dict[str, RuleSet]], dict[str, RuleSet]]
) -> tuple[dict[str, RuleSet], Path | None]:
    path.parent.mkdir(parents=True, exist_ok=True)
    lock = patiently(path)
    try:
        aside: Path | None = None
        try:
            there = read_sets(path)
        except LibraryError:
            there, aside = {}, keep_aside(path, path.parent)
        after = change(there)
        if len(after) > MOST:
            raise LibraryError(tr("A shop keeps {} sets of rules at the most.", MOST))
        text = json.dumps(as_plain(after.values()), indent=1, ensure_ascii=False)
        write_text(path, text + "\n")
        return after, aside
    finally:
        lock.release()
