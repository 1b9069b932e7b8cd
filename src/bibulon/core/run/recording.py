"""A leak test while it is recorded: readings as rows of the journal, thinned so that a night takes no more room than an hour.

A reading is kept for each ``KEPT``th of the time recorded so far, as the mean of those that came in it; what was kept is
never changed.  A killed program loses the readings of the last ``ROW`` seconds at most, and none that was acknowledged.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.model.drop_test import Reading
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.units.words import tr

__all__ = ["STAGES", "Recorded", "Recorder", "is_reading", "recordings", "stages_done", "thinned"]

Floats = npt.NDArray[np.float64]

KEPT = 7200
ROW = 1.0  # s of readings that make a row, at the start
STAGES = {
    "pump": tr("pump alone"),
    "lines": tr("lines, no feed"),
    "bag": tr("with the feed"),
    "overnight": "overnight",
}
_RUN = "test-"


class Recorded(Struct, frozen=True):
    """A test out of the journal: its stage, when it began and ended [Unix time], its readings and where they have gaps."""

    run: str
    stage: str
    volume: float
    began: float
    ended: float | None
    device: str
    readings: tuple[Reading, ...]
    gaps: tuple[tuple[float, str], ...] = ()
    verdict: str = ""


@dataclass
class Recorder:
    """Takes readings as they come and says which rows are to be written; ``kept`` is what of them stays."""

    run: str
    kept: list[Reading] = field(default_factory=list)
    gap: str = ""
    _cell: list[tuple[float, float]] = field(default_factory=list)
    _row: list[Reading] = field(default_factory=list)
    _since: float = 0.0

    @classmethod
    def begun(cls, uid: str) -> Recorder:
        """Return a recorder of a new test."""
        return cls(_RUN + uid)

    def start(self, stage: str, volume: float, device: str, now: float) -> Entry:
        """Return the row that begins a test."""
        return Entry(
            self.run,
            0.0,
            "test",
            {
                "stage": stage,
                "volume": volume,
                "device": device,
                "text": tr("{0}, by {1}", STAGES[stage], device),
            },
            now,
        )

    def take(self, time: float, pressure: float, now: float) -> Entry | None:
        """Take a reading [s since shut, Pa]; return a row when one is full."""
        if self.kept and time <= self.kept[-1].time:
            return None
        every = time / KEPT
        self.gap = ""
        if self._cell and time - self._cell[0][0] >= every:
            self._close()
        self._cell.append((time, pressure))
        if every < 0.1:
            self._close()
        if self._row and time - self._since >= max(ROW, every):
            return self._flush(now)
        return None

    def lost(self, time: float, why: str, now: float) -> list[Entry]:
        """Note that readings are missing, once each time; return the rows."""
        if self.gap:  # still the same one, whatever it says now
            return []
        self.gap = why
        rows = [r] if (r := self._ended(now)) is not None else []
        return [*rows, Entry(self.run, time, "gap", {"text": why}, now)]

    def end(self, verdict: str, now: float) -> list[Entry]:
        """Return the rows that end the test."""
        rows = [r] if (r := self._ended(now)) is not None else []
        last = self.kept[-1].time if self.kept else 0.0
        return [*rows, Entry(self.run, last, "tested", {"verdict": verdict, "text": verdict}, now)]

    def _ended(self, now: float) -> Entry | None:
        self._close()
        return self._flush(now) if self._row else None

    def _close(self) -> None:
        if not self._cell:
            return
        n = len(self._cell)
        reading = Reading(time=sum(t for t, _ in self._cell) / n, pressure=sum(p for _, p in self._cell) / n)
        self._cell = []
        self.kept.append(reading)
        self._row.append(reading)

    def _flush(self, now: float) -> Entry:
        row, self._row = self._row, []
        self._since = row[-1].time
        data = {"t": [round(r.time, 2) for r in row], "p": [round(r.pressure, 2) for r in row]}
        return Entry(self.run, row[-1].time, "readings", data, now)


def thinned(time: Floats, pressure: Floats) -> tuple[Reading, ...]:
    """Return a log as a test that is recorded keeps it: the mean of what came in each ``KEPT``th of the time so far.

    time : rising [s], shape (n,); pressure : [Pa], shape (n,).
    """
    # Cells that grow with the time are even in its logarithm; what lies wider apart stands in one of its own.
    cell = np.floor(KEPT * np.log(np.maximum(time, 1e-9)))
    _, which, count = np.unique(cell, return_inverse=True, return_counts=True)
    means = (np.bincount(which, values) / count for values in (time, pressure))
    return tuple(Reading(time=t, pressure=p) for t, p in zip(*(m.tolist() for m in means), strict=True))


def is_reading(entry: Entry) -> bool:
    """Whether a row holds nothing but readings: lists for people leave it out."""
    return entry.kind in {"readings", "warm", "machine"} or (
        entry.kind == "weight" and "device" in entry.data
    )


def stages_done(journal: Sequence[Entry]) -> set[str]:
    """Return the stages of which a test was ended; no readings are put together for it."""
    begun = {e.run: str(e.data.get("stage", "")) for e in rows_of(journal, "test")}
    return {begun[e.run] for e in rows_of(journal, "tested") if e.run in begun}


def recordings(journal: Sequence[Entry]) -> list[Recorded]:
    """Return all tests of a journal, in the order in which they began; a row that lacks a figure is passed over."""
    begun = {e.run: e for e in rows_of(journal, "test") if e.run.startswith(_RUN)}
    readings: dict[str, list[Reading]] = {run: [] for run in begun}
    gaps: dict[str, list[tuple[float, str]]] = {run: [] for run in begun}
    ended: dict[str, Entry] = {}
    for e in journal:
        if e.run not in begun:
            continue
        if e.kind == "readings":
            there = readings[e.run]
            times, pressures = e.data.get("t"), e.data.get("p")
            if not isinstance(times, list) or not isinstance(pressures, list):
                continue
            for t, p in zip(times, pressures, strict=False):
                sound = isinstance(t, (int, float)) and isinstance(p, (int, float)) and t >= 0 and p >= 0
                if sound and (not there or t > there[-1].time):
                    there.append(Reading(time=t, pressure=p))
        elif e.kind == "gap":
            gaps[e.run].append((e.clock, str(e.data.get("text", ""))))
        elif e.kind == "tested":
            ended[e.run] = e
    return [
        Recorded(
            run, str(e.data.get("stage", "bag")), number(e.data, "volume") or 0.0, e.written_at,
            ended[run].written_at if run in ended else None, str(e.data.get("device", "")), tuple(readings[run]),
            tuple(gaps[run]), str(ended[run].data.get("verdict", "")) if run in ended else "",
        )
        for run, e in begun.items()
    ]  # fmt: skip
