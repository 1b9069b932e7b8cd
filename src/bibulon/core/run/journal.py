"""What happened while resin ran: rows that are appended, and what they add up to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

__all__ = ["Entry", "FrontMark", "RunState", "run_state", "valve_spans"]


@dataclass(frozen=True)
class Entry:
    """One journal row: what happened ``clock`` seconds into which run; ``data`` by kind.

    Kinds: start, open, shut, front, batch, bubbles, note, wet, stop.
    """

    run: str
    clock: float
    kind: str
    data: dict[str, Any] = field(default_factory=dict)
    written_at: float = 0.0


@dataclass(frozen=True)
class FrontMark:
    """Where the front was seen [m], and when [s]."""

    x: float
    y: float
    time: float


@dataclass(frozen=True)
class RunState:
    """The last run of a journal: when it began (Unix time), what is open, marks, batches, its end."""

    run: str = ""
    began: float = 0.0
    open: frozenset[str] = frozenset()
    marks: tuple[FrontMark, ...] = ()
    batches: tuple[float, ...] = ()
    wet_at: float | None = None
    stopped_at: float | None = None

    @property
    def running(self) -> bool:
        """Whether a run has begun and not been stopped."""
        return bool(self.run) and self.stopped_at is None

    def elapsed(self, now: float) -> float:
        """Return seconds since the start at a Unix time; the length of the run once it is stopped."""
        if not self.run:
            return 0.0
        return self.stopped_at if self.stopped_at is not None else max(now - self.began, 0.0)


def run_state(journal: Sequence[Entry]) -> RunState:
    """Return what the journal's last run has come to.

    A line counts as open from its last "open" to its next "shut".
    """
    starts = [e for e in journal if e.kind == "start"]
    if not starts:
        return RunState()
    run = starts[-1].run
    rows = [e for e in journal if e.run == run]
    opened: set[str] = set()
    marks, batches = [], []
    wet = stopped = None
    for e in rows:
        match e.kind:
            case "open":
                opened.add(str(e.data["line"]))
            case "shut":
                opened.discard(str(e.data["line"]))
            case "front":
                marks.append(FrontMark(float(e.data["x"]), float(e.data["y"]), e.clock))
            case "batch":
                batches.append(e.clock)
            case "wet":
                wet = e.clock
            case "stop":
                stopped = e.clock
    began = float(starts[-1].data.get("began", starts[-1].written_at))
    return RunState(run, began, frozenset(opened), tuple(marks), tuple(batches), wet, stopped)


def valve_spans(journal: Sequence[Entry], now: float) -> list[tuple[str, float, float]]:
    """Return (line, from, to) [s] of every time that a line was open in the last run; to ``now`` while it still is."""
    run = run_state(journal).run
    spans: list[tuple[str, float, float]] = []
    since: dict[str, float] = {}
    for e in journal:
        if e.run != run or e.kind not in {"open", "shut", "stop"}:
            continue
        ended = list(since) if e.kind == "stop" else [str(e.data["line"])] if e.kind == "shut" else []
        for line in ended:
            if line in since:
                spans.append((line, since.pop(line), e.clock))
        if e.kind == "open":
            since.setdefault(str(e.data["line"]), e.clock)
    return spans + [(line, start, now) for line, start in since.items()]
