"""The hunt for a leak as rows of the journal: what was listened to, clamped and mended."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.core.leak.hunt import Clamp, Heard
from bibulon.core.run.journal import Entry, number, rows_of

__all__ = ["HUNT", "clamp_entry", "heard_entry", "hunt_done", "mended", "mended_entry"]

HUNT = "hunt"  # the run under which the rows stand


def heard_entry(heard: Heard, by: str, now: float) -> Entry:
    """Return the row of a place listened to."""
    return Entry(HUNT, 0.0, "heard", {"x": heard.x, "y": heard.y, "hit": heard.hit, "by": by}, now)


def clamp_entry(clamp: Clamp, by: str, now: float) -> Entry:
    """Return the row of a clamp and the rate measured behind it."""
    data = {"start": clamp.start, "end": clamp.end, "leak": clamp.leak, "half": clamp.half, "by": by}
    return Entry(HUNT, 0.0, "clamped", data, now)


def mended_entry(x: float, y: float, what: str, by: str, now: float) -> Entry:
    """Return the row of a leak that was found and mended; what was heard before it counts no more."""
    return Entry(HUNT, 0.0, "mended", {"x": x, "y": y, "text": what, "by": by}, now)


def hunt_done(journal: Sequence[Entry]) -> list[Heard | Clamp]:
    """Return what was tried since the last leak was mended, in order; a row that lacks a figure is passed over."""
    out: list[Heard | Clamp] = []
    for entry in rows_of(journal, "mended", "heard", "clamped"):
        if entry.run != HUNT:
            continue
        if entry.kind == "mended":
            out = []
        elif entry.kind == "heard":
            x, y = number(entry.data, "x"), number(entry.data, "y")
            if x is not None and y is not None:
                out.append(Heard(x, y, bool(entry.data.get("hit"))))
        elif entry.kind == "clamped":
            found = [number(entry.data, k) for k in ("start", "end", "leak", "half")]
            start, end, leak, half = found
            if start is not None and end is not None and leak is not None and half is not None:
                out.append(Clamp(start, end, leak, half))
    return out


def mended(journal: Sequence[Entry]) -> list[tuple[float, float, str]]:
    """Return the leaks that were mended: where [m], and what mended them."""
    out = []
    for entry in rows_of(journal, "mended"):
        x, y = number(entry.data, "x"), number(entry.data, "y")
        if entry.run == HUNT and x is not None and y is not None:
            out.append((x, y, str(entry.data.get("text", ""))))
    return out
