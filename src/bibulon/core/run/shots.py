"""Shots of an injection machine as rows of the journal: what was set, what it said, how it ended.

A row of readings is written every ``EVERY`` seconds, so that a killed program loses the last few at most.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.mould.recipe import Course
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.units.words import tr

__all__ = ["EVERY", "Recorded", "ShotRecorder", "shots_of"]

EVERY = 5.0  # s of the machine's clock between two rows
_RUN = "shot-"
Floats = npt.NDArray[np.float64]


@dataclass
class ShotRecorder:
    """Takes what a machine says and says which rows are to be written."""

    run: str
    _t: list[float] = field(default_factory=list)
    _p: list[float] = field(default_factory=list)
    _q: list[float] = field(default_factory=list)
    _m: list[float] = field(default_factory=list)

    @classmethod
    def begun(cls, uid: str) -> ShotRecorder:
        """Return a recorder of a new shot."""
        return cls(_RUN + uid)

    def start(self, device: str, rate: float, pressure: float, mass: float, now: float) -> Entry:
        """Return the row that begins a shot: rate [m³/s], pressure [Pa absolute] and mass [kg] that were set."""
        data = {
            "device": device,
            "rate": rate,
            "pressure": pressure,
            "mass": mass,
            "text": tr("by {}", device),
        }
        return Entry(self.run, 0.0, "shot", data, now)

    def take(self, time: float, pressure: float, flow: float, mass: float, now: float) -> Entry | None:
        """Take a reading [s since it began, Pa, m³/s, kg]; return a row when one is full."""
        if self._t and time <= self._t[-1]:
            return None
        for of, value in ((self._t, time), (self._p, pressure), (self._q, flow), (self._m, mass)):
            of.append(value)
        return self._flush(now) if time - self._t[0] >= EVERY else None

    def end(self, time: float, why: str, mass: float, now: float) -> list[Entry]:
        """Return the rows that end the shot, and why it ended."""
        rows = [self._flush(now)] if self._t else []
        return [*rows, Entry(self.run, time, "shot-ended", {"text": why, "mass": round(mass, 4)}, now)]

    def _flush(self, now: float) -> Entry:
        data: dict[str, Any] = {
            "t": [round(t, 2) for t in self._t], "p": [round(p, 0) for p in self._p],
            "q": [float(f"{q:.5g}") for q in self._q], "m": [round(m, 4) for m in self._m],
        }  # fmt: skip
        last = self._t[-1]
        for of in (self._t, self._p, self._q, self._m):
            of.clear()
        return Entry(self.run, last, "machine", data, now)


class Recorded(Struct, frozen=True, eq=False):
    """A shot out of the journal: when it began [Unix time], by which machine, what was set, its course, and how it ended."""

    run: str
    device: str
    began: float
    mass: float
    ended: str
    time: Floats
    pressure: Floats
    flow: Floats
    shot: Floats

    def course(self, density: float) -> Course | None:
        """Return its course, with the resin's density [kg/m³]; None before there is one."""
        if len(self.time) < 3:
            return None
        return Course(self.time, self.pressure, self.flow * density, self.shot, 0.0)


def shots_of(journal: Sequence[Entry]) -> list[Recorded]:
    """Return all shots of a journal in the order in which they began; rows that lack a figure are passed over."""
    begun = {e.run: e for e in rows_of(journal, "shot") if e.run.startswith(_RUN)}
    rows: dict[str, list[tuple[float, float, float, float]]] = {run: [] for run in begun}
    ended = {e.run: str(e.data.get("text", "")) for e in rows_of(journal, "shot-ended") if e.run in begun}
    for e in rows_of(journal, "machine"):
        if e.run not in begun:
            continue
        lists = [e.data.get(k) for k in "tpqm"]
        if not all(isinstance(x, list) for x in lists):
            continue
        for row in zip(*lists, strict=False):
            if all(isinstance(v, int | float) for v in row) and (
                not rows[e.run] or row[0] > rows[e.run][-1][0]
            ):
                rows[e.run].append(row)
    out = []
    for run, e in begun.items():
        columns = np.array(rows[run], dtype=float).reshape(-1, 4).T
        mass = number(e.data, "mass") or 0.0
        out.append(
            Recorded(run, str(e.data.get("device", "")), e.written_at, mass, ended.get(run, ""), *columns)
        )
    return out
