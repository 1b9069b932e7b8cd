"""When a line opens, or a rule's moment comes, in words."""

from __future__ import annotations

from bibulon.core.model.job import AtTime, ByHand, FlowLine, OnEmpty, Opening
from bibulon.core.units.units import clock

__all__ = ["moment_words", "opening_words"]


def opening_words(line: FlowLine, labels: dict[str, str]) -> str:
    """Say when a line opens."""
    return moment_words(line.opens, line.id, labels)


def moment_words(when: Opening, own: str, labels: dict[str, str]) -> str:
    """Say when a rule's moment comes; ``own`` is the line that it is a rule of."""
    if isinstance(when, AtTime):
        return f"at {clock(when.time)}"
    if isinstance(when, ByHand):
        return f"by hand, about {clock(when.about)}"
    later = f" + {clock(when.delay)}" if when.delay else ""
    if isinstance(when, OnEmpty):
        return f"when bucket {when.bucket} is empty{later}"
    name = "the front passes it" if when.line == own else f"the front passes {labels.get(when.line, '?')}"
    gone = f" by {when.beyond * 1e3:.0f} mm" if when.beyond else ""
    return f"when {name}{gone}{later}"
