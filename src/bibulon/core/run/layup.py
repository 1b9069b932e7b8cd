"""The check list of the lay-up: which layers are laid, by whom and when, out of the journal."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

from bibulon.core.run.journal import Entry

__all__ = ["LAYUP", "Laid", "laid_layers", "lay_entry"]

LAYUP = "lay-up"  # the run under which the rows stand


@dataclass(frozen=True)
class Laid:
    """A layer that is laid: by whom, and when [Unix time]."""

    by: str
    when: float

    @property
    def words(self) -> str:
        """Return who and when, for people."""
        return f"✓ {self.by} {time.strftime('%d.%m. %H:%M', time.localtime(self.when))}"


def laid_layers(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return the layers that are laid, by id; a note taken back counts no more."""
    out: dict[str, Laid] = {}
    for entry in journal:
        if entry.kind == "laid" and "layer" in entry.data:
            out[str(entry.data["layer"])] = Laid(str(entry.data.get("by", "")), entry.written_at)
        elif entry.kind == "unlaid":
            out.pop(str(entry.data.get("layer")), None)
    return out


def lay_entry(layer: str, by: str, now: float, laid: bool = True) -> Entry:
    """Return the row that notes a layer laid, or takes the note back."""
    return Entry(LAYUP, 0.0, "laid" if laid else "unlaid", {"layer": layer, "by": by}, now)
