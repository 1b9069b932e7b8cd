"""When a line opens, or a rule's moment comes, in words."""

from __future__ import annotations

from bibulon.core.model.job import AtTime, ByHand, FlowLine, OnEmpty, Opening
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["moment_words", "valve_words"]


def valve_words(line: FlowLine, labels: dict[str, str]) -> str:
    """Say all that is done with a line's valve: when it opens, when it is throttled, when it is shut; figures to be worded."""
    parts = [moment_words(line.opens, line.id, labels)] if line.role == "feed" else []
    for turn in line.turns:
        when = moment_words(turn.when, line.id, labels)
        if turn.share is not None:
            parts.append(tr("{0:.0f} % open {1}", 100 * turn.share, when))
        if turn.pressure is not None:
            parts.append(tr("to {0} absolute {1}", figure(turn.pressure, "pressure"), when))
    if line.shuts is not None:
        parts.append(tr("shut {}", moment_words(line.shuts, line.id, labels)))
    return "; ".join(parts) or tr("open throughout")


def moment_words(when: Opening, own: str, labels: dict[str, str]) -> str:
    """Say when a rule's moment comes, figures to be worded; ``own`` is the line that it is a rule of."""
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
    gone = tr(" by {}", figure(when.beyond, "length")) if when.beyond else ""
    return tr("when {0}{1}{2}", name, gone, later)
