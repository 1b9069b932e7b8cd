"""Kinds of feed and vacuum lines: what they are, and the bore that leads as much."""

from __future__ import annotations

import math

from msgspec import Struct

from bibulon.core.model.job import FlowLine, Job, LineKind

__all__ = ["KINDS", "Kind", "bore_of_channel", "bore_of_net", "kind_of", "kinds_of", "words_of"]


def bore_of_net(k: float, width: float, thickness: float) -> float:
    """Return the bore that leads as much as a strip of net: K w h = π d⁴/128 [m]."""
    return (128 * k * width * thickness / math.pi) ** 0.25


def bore_of_channel(width: float, depth: float) -> float:
    """Return the bore that leads as much as a rectangular channel, w d³/12 (1 − 0.63 d/w) = π d⁴/128 [m]."""
    wide, narrow = max(width, depth), min(width, depth)
    return (128 / math.pi * wide * narrow**3 / 12 * (1 - 0.63 * narrow / wide)) ** 0.25


class Kind(Struct, frozen=True):
    """A kind of line: the roles it serves, the bore that leads as much [m], and what it is, for people."""

    roles: frozenset[str]
    bore: float
    words: str
    membrane: bool = False


_FEED, _VACUUM = frozenset({"feed"}), frozenset({"vacuum"})
KINDS: dict[LineKind, Kind] = {
    "spiral tube": Kind(_FEED | _VACUUM, 0.010, "spiral-cut tube, open all along"),
    "shrouded spiral": Kind(_FEED, 0.010, "spiral in a cloth sleeve, leaves less of a mark"),
    "mesh strip": Kind(
        _FEED | _VACUUM, bore_of_net(1.6e-8, 0.06, 0.004), "two layers of coarse net, 60 mm wide"
    ),
    "cut channel": Kind(
        _FEED, bore_of_channel(0.012, 0.008), "channel 12 by 8 mm cut into the core or mould"
    ),
    "strip feed": Kind(_FEED, bore_of_channel(0.020, 0.006), "hollow strip 20 by 6 mm, taped down"),
    "braid": Kind(_VACUUM, bore_of_net(6e-9, 0.03, 0.006), "braided sleeve, 30 mm"),
    "rope ring": Kind(_VACUUM, bore_of_net(3e-9, 0.015, 0.012), "ring of rope round the edge"),
    "membrane": Kind(_VACUUM, 0.010, "passes air and stops resin", membrane=True),
    "point": Kind(_FEED | _VACUUM, 0.010, "a port at one place"),
}


def kinds_of(job: Job, line: FlowLine) -> list[LineKind]:
    """Return the kinds that a feed or vacuum line may be: in a closed mould a channel along its way, or a port."""
    if job.process != "infusion":
        plain: LineKind = "cut channel" if len(line.path) > 1 else "point"
        return [plain, "membrane"] if line.role == "vacuum" else [plain]
    return [k for k, kind in KINDS.items() if line.role in kind.roles]


def kind_of(job: Job, line: FlowLine) -> LineKind:
    """Return what a line is in this job: between two halves no tube is laid, and along a way resin has a channel of the mould."""
    if line.membrane:
        return "membrane"
    if len(line.path) < 2:
        return "point"
    return line.kind if job.process == "infusion" else "cut channel"


def words_of(job: Job, kind: LineKind) -> str:
    """Return what a kind of line is, for people; the size of a channel in a closed mould is its bore."""
    if kind == "cut channel" and job.process != "infusion":
        return "channel in the mould"
    return KINDS[kind].words
