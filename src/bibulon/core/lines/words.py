"""When a line opens, or a rule's moment comes, in words."""

from __future__ import annotations

from bibulon.core.model.job import AtTime, ByHand, FlowLine, OnEmpty, Opening
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["moment_words", "opening_words"]


def opening_words(line: FlowLine, labels: dict[str, str]) -> str:
    """Say when a line opens."""
    return moment_words(line.opens, line.id, labels)


def moment_words(when: Opening, own: str, labels: dict[str, str]) -> str:
    """Say when a rule's moment comes; ``own`` is the line that it is a rule of."""
    if isinstance(when, AtTime):
        return tr("at {}", clock(when.time))
    if isinstance(when, ByHand):
        return tr("by hand, about {}", clock(when.about))
    later = f" + {clock(when.delay)}" if when.delay else ""
    if isinstance(when, OnEmpty):
        return tr("when bucket {0} is empty{1}", when.bucket, later)
    name = (
        tr("the front passes it")
        if when.line == own
        else tr("the front passes {}", labels.get(when.line, "?"))
    )
    gone = tr(" by {:.0f} mm", when.beyond * 1000.0) if when.beyond else ""
    return tr("when {0}{1}{2}", name, gone, later)
