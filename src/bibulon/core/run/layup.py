"""The check list of the lay-up: which layers are laid, by whom and when, out of the journal."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Protocol, TypeVar

from msgspec import Struct

from bibulon.core.run.journal import Entry, rows_of

__all__ = ["LAYUP", "Laid", "Step", "laid_layers", "lay_entry", "next_gate", "noted"]

LAYUP = "lay-up"  # the run under which the rows stand


class Laid(Struct, frozen=True):
    """A layer that is laid: by whom, and when [Unix time]."""

    by: str
    when: float

    @property
    def words(self) -> str:
        """Return who and when, for people."""
        return f"✓ {self.by} {time.strftime('%d.%m. %H:%M', time.localtime(self.when))}"


def noted(journal: Sequence[Entry], done: str, undone: str, key: str) -> dict[str, Laid]:
    """Return what rows of one kind note as done, by what ``key`` names; a note taken back counts no more."""
    out: dict[str, Laid] = {}
    for entry in rows_of(journal, done, undone):
        if entry.kind == done and key in entry.data:
            out[str(entry.data[key])] = Laid(str(entry.data.get("by", "")), entry.written_at)
        elif entry.kind == undone:
            out.pop(str(entry.data.get(key)), None)
    return out


def laid_layers(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return the layers that are laid, by id."""
    return noted(journal, "laid", "unlaid", "layer")


def lay_entry(layer: str, by: str, now: float, laid: bool = True) -> Entry:
    """Return the row that notes a layer laid, or takes the note back."""
    return Entry(LAYUP, 0.0, "laid" if laid else "unlaid", {"layer": layer, "by": by}, now)


class Step(Protocol):
    """A thing to do on a list in order; a gate holds what comes after it until all before it is done."""

    @property
    def key(self) -> str:
        """What the journal knows it by."""
        ...

    @property
    def gate(self) -> bool:
        """Whether it is a gate."""
        ...


_S = TypeVar("_S", bound=Step)


def next_gate(steps: Sequence[_S], done: dict[str, Laid], step: _S) -> _S | None:
    """Return what must be done before a step: the first that is open up to the last gate before it, and all before a gate."""
    at = list(steps).index(step)
    open_ = [s for s in steps[:at] if s.key not in done]
    if step.gate:
        return open_[0] if open_ else None
    gates = [k for k, s in enumerate(steps[:at]) if s.gate]
    before = steps[: gates[-1] + 1] if gates else []
    return next((s for s in before if s.key not in done), None)
