"""What happened while resin ran: rows that are appended, and what they add up to."""

from __future__ import annotations

import math
from collections.abc import Sequence
from operator import itemgetter
from typing import Any

from msgspec import Struct, field

from bibulon.core.units.remember import by_identity

__all__ = [
    "Entry",
    "FrontMark",
    "RunState",
    "Stamped",
    "number",
    "rows_of",
    "run_state",
    "runs_of",
    "stamped_of",
    "valve_spans",
]


class Entry(Struct, frozen=True):
    """One journal row: what happened ``clock`` seconds into which run; ``data`` by kind.

    Kinds of a run: start, open, shut, turned, front, dry, withdrawn, batch, bubbles, weight, gauge, explained, held, note, wet,
    stop, clock.  ``uid`` names the row for good, wherever it is copied.
    """

    run: str
    clock: float
    kind: str
    data: dict[str, Any] = field(default_factory=dict)
    written_at: float = 0.0
    uid: str = ""


class FrontMark(Struct, frozen=True):
    """A place [m] looked at, and when [s]: the front stands there ("front"), or it is still dry there ("dry")."""

    x: float
    y: float
    time: float
    kind: str = "front"
    uid: str = ""


class Stamped(Struct, frozen=True):
    """A valve was moved at a time [s]: "open", "shut", "throttle" to a share of its opening, or "set" to a pressure [Pa];
    or it was said that it "stays" as it is.

    ``share`` is 1 once it is open and 0 once it is shut.
    """

    time: float
    kind: str
    share: float | None = None
    pressure: float | None = None


class RunState(Struct, frozen=True):
    """The last run of a journal: when it began, what is open, marks not withdrawn, batches, its end, its last row's time;
    ``opened`` when each line was first opened [s]; ``valves`` all that was done at each line's, in order.

    ``began`` is Unix time; ``up`` the machine's own seconds at the start, since the start named ``boot``.
    """

    run: str = ""
    began: float = 0.0
    open: frozenset[str] = frozenset()
    marks: tuple[FrontMark, ...] = ()
    batches: tuple[float, ...] = ()
    wet_at: float | None = None
    stopped_at: float | None = None
    last: float = 0.0
    up: float | None = None
    boot: str = ""
    opened: dict[str, float] = field(default_factory=dict)
    valves: dict[str, tuple[Stamped, ...]] = field(default_factory=dict)

    @property
    def running(self) -> bool:
        """Whether a run has begun and not been stopped."""
        return bool(self.run) and self.stopped_at is None


class _Sorted(Struct, frozen=True, eq=False):
    """A journal's rows by kind, each with its place among all, and the last moment of each run [s]."""

    rows: dict[str, list[tuple[int, Entry]]]
    last: dict[str, float]


def _sort(journal: Sequence[Entry], before: int = 0, known: _Sorted | None = None) -> _Sorted:
    """Sort a journal, of which so many rows are ``known`` already."""
    rows = dict(known.rows) if known else {}
    last = dict(known.last) if known else {}
    own: set[str] = set()  # kinds whose lists are not those of what was known
    for place in enumerate(journal[before:], before):
        entry = place[1]
        if entry.kind not in own:
            own.add(entry.kind)
            rows[entry.kind] = list(rows.get(entry.kind, ()))
        rows[entry.kind].append(place)
        if entry.clock > last.get(entry.run, -math.inf):
            last[entry.run] = entry.clock
    return _Sorted(rows, last)


_latest: list[tuple[tuple[Entry, ...], _Sorted]] = [((), _Sorted({}, {}))]  # the journal that was sorted last


@by_identity(1, 4)
def _known_sort(journal: tuple[Entry, ...]) -> _Sorted:
    """Sort a journal that cannot change; of one that goes on from that before, what is new alone."""
    before, known = _latest[0]
    begun = len(before) if journal[: len(before)] == before else 0
    found = _sort(journal, begun, known if begun else None)
    _latest[0] = journal, found
    return found


def _sorted_of(journal: Sequence[Entry]) -> _Sorted:
    return _known_sort(journal) if isinstance(journal, tuple) else _sort(journal)


def rows_of(journal: Sequence[Entry], *kinds: str) -> list[Entry]:
    """Return a journal's rows of some kinds, in order.

    One that cannot change is looked through once: a gauge's rows are thousands, and those that a reader wants a few.
    """
    rows = _sorted_of(journal).rows
    found = [place for kind in kinds for place in rows.get(kind, ())]
    return [entry for _, entry in (found if len(kinds) == 1 else sorted(found, key=itemgetter(0)))]


def runs_of(journal: Sequence[Entry]) -> list[str]:
    """Return the runs of a journal in the order in which they began."""
    return list(dict.fromkeys(e.run for e in rows_of(journal, "start")))


def run_state(journal: Sequence[Entry]) -> RunState:
    """Return what the journal's last run has come to.

    A line counts as open from its last "open" to its next "shut".  A row that lacks what its kind needs
    is passed over.  Of a journal that cannot change it is worked out once: a board asks a dozen times at each stamp.
    """
    return _known_state(journal) if isinstance(journal, tuple) else _state_of(journal)


@by_identity(1, 4)
def _known_state(journal: tuple[Entry, ...]) -> RunState:
    return _state_of(journal)


def stamped_of(row: Entry) -> Stamped:
    """Return what a row of a valve says."""
    share = {"open": 1.0, "shut": 0.0}.get(row.kind, number(row.data, "share"))
    return Stamped(row.clock, str(row.data.get("act", row.kind)), share, number(row.data, "pressure"))


def _state_of(journal: Sequence[Entry]) -> RunState:
    starts = rows_of(journal, "start")
    if not starts:
        return RunState()
    run = starts[-1].run
    rows = rows_of(journal, "open", "shut", "turned", "front", "dry", "withdrawn", "batch", "wet", "stop")
    opened: set[str] = set()
    first: dict[str, float] = {}
    valves: dict[str, tuple[Stamped, ...]] = {}
    marks: list[FrontMark] = []
    batches: list[float] = []
    wet = stopped = None
    for e in rows:
        if e.run != run:
            continue
        if e.kind in ("open", "shut", "turned"):
            line = str(e.data.get("line", ""))
            valves[line] = (*valves.get(line, ()), stamped_of(e))
        match e.kind:
            case "open":
                opened.add(str(e.data.get("line", "")))
                first.setdefault(str(e.data.get("line", "")), e.clock)
            case "shut":
                opened.discard(str(e.data.get("line", "")))
            case "front" | "dry":
                x, y = number(e.data, "x"), number(e.data, "y")
                if x is not None and y is not None:
                    at = number(e.data, "seen")
                    marks.append(FrontMark(x, y, e.clock if at is None else at, e.kind, e.uid))
            case "withdrawn":
                marks = [m for m in marks if not m.uid or m.uid != e.data.get("mark")]
            case "batch":
                batches.append(e.clock)
            case "wet":
                wet = e.clock
            case "stop":
                stopped = e.clock
    start = starts[-1]
    began = number(start.data, "began")
    return RunState(
        run, start.written_at if began is None else began, frozenset(opened - {""}), tuple(marks), tuple(batches), wet,
        stopped, _sorted_of(journal).last.get(run, start.clock), number(start.data, "up"), str(start.data.get("boot", "")), first, valves,
    )  # fmt: skip


def number(data: dict[str, Any], key: str) -> float | None:
    """Return a finite number out of a row's data; None when there is none."""
    value = data.get(key)
    return float(value) if isinstance(value, (int, float)) and math.isfinite(value) else None


def valve_spans(journal: Sequence[Entry], now: float) -> list[tuple[str, float, float]]:
    """Return (line, from, to) [s] of every time that a line was open in the last run; to ``now`` while it still is."""
    run = run_state(journal).run
    spans: list[tuple[str, float, float]] = []
    since: dict[str, float] = {}
    for e in rows_of(journal, "open", "shut", "stop"):
        if e.run != run:
            continue
        ended = list(since) if e.kind == "stop" else [str(e.data.get("line", ""))] if e.kind == "shut" else []
        for line in ended:
            if line in since:
                spans.append((line, since.pop(line), e.clock))
        if e.kind == "open":
            since.setdefault(str(e.data.get("line", "")), e.clock)
    return spans + [(line, start, now) for line, start in since.items()]
