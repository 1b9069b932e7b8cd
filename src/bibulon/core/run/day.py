"""What a run's rows say of the day, beside the marks: valves off their plan, the bucket's weight, the gauge, what was explained."""

from __future__ import annotations

from collections.abc import Sequence

from bibulon.core.model.job import AtTime, ByHand, FlowLine, Job, Opening
from bibulon.core.run.journal import Entry, Stamped, number, rows_of, run_state
from bibulon.core.units.remember import by_identity

__all__ = [
    "explained",
    "gauge_readings",
    "opened_off",
    "opening_of",
    "resin_readings",
    "vacuums_off",
    "weighings",
]


def _of_run(journal: Sequence[Entry], kind: str) -> list[Entry]:
    run = run_state(journal).run
    return [e for e in rows_of(journal, kind) if e.run == run]


def opening_of(line: FlowLine) -> float | None:
    """Return when a line is to be opened by the clock [s]; None where it opens at the start, or by the front."""
    if isinstance(line.opens, AtTime):
        return line.opens.time if line.opens.time > 0 else None
    return line.opens.about if isinstance(line.opens, ByHand) else None


def opened_off(job: Job, journal: Sequence[Entry]) -> dict[str, float]:
    """Return by how many seconds after its plan each feed was first opened, of those whose opening has a planned time."""
    out: dict[str, float] = {}
    planned = {x.id: t for x in job.lines if x.role == "feed" and (t := opening_of(x)) is not None}
    for e in _of_run(journal, "open"):
        line_id = str(e.data.get("line", ""))
        if line_id in planned and line_id not in out:
            out[line_id] = e.clock - planned[line_id]
    return out


def vacuums_off(job: Job, journal: Sequence[Entry], apart: float) -> dict[str, tuple[Stamped, ...]]:
    """Return what was done at each vacuum line of which something was not planned, or more than ``apart`` [s] off its time by the clock."""
    state = run_state(journal)
    out = {}
    for line in job.lines:
        done = state.valves.get(line.id, ())
        if line.role == "vacuum" and not all(_planned(line, stamped, apart) for stamped in done):
            out[line.id] = done
    return out


def _planned(line: FlowLine, stamped: Stamped, apart: float) -> bool:
    rules: list[tuple[tuple[float | None, float | None], Opening]] = [((1.0, None), line.opens)]
    rules += [((0.0, None), line.shuts)] if line.shuts else []
    rules += [((t.share, t.pressure), t.when) for t in line.turns]
    for does, when in rules:
        if does == (stamped.share, stamped.pressure):
            planned = (
                when.time if isinstance(when, AtTime) else when.about if isinstance(when, ByHand) else None
            )
            if planned is None or abs(stamped.time - planned) <= apart:
                return True
    return False


def weighings(journal: Sequence[Entry]) -> list[tuple[float, float]]:
    """Return (time [s], resin that has left the buckets [kg]), as it was weighed."""
    out = []
    for e in _of_run(journal, "weight"):
        drawn = number(e.data, "drawn")
        if drawn is not None and drawn > 0:
            out.append((e.clock, drawn))
    return out


@by_identity(1, 2)  # a board asks at each tick
def gauge_readings(journal: Sequence[Entry]) -> list[tuple[float, float]]:
    """Return (time [s], absolute pressure in the bag [Pa]), in rising times."""
    out: list[tuple[float, float]] = []
    for e in _of_run(journal, "gauge"):
        pressure = number(e.data, "pressure")
        if pressure is not None and pressure >= 0 and (not out or e.clock > out[-1][0]):
            out.append((e.clock, pressure))
    return out


def resin_readings(journal: Sequence[Entry]) -> list[tuple[float, float]]:
    """Return (time [s], temperature [K]) of the resin as it was read, in rising times."""
    out: list[tuple[float, float]] = []
    for e in _of_run(journal, "resin"):
        warm = number(e.data, "temperature")
        if warm is not None and 253 <= warm <= 373 and (not out or e.clock > out[-1][0]):
            out.append((e.clock, warm))
    return out


def explained(journal: Sequence[Entry]) -> tuple[str, ...]:
    """Return the explanations that the crew has taken, in their words; one that was left again counts no more."""
    out: list[str] = []
    for e in _of_run(journal, "explained"):
        words = str(e.data.get("text", ""))
        if e.data.get("taken", True) and words not in out:
            out.append(words)
        elif not e.data.get("taken", True) and words in out:
            out.remove(words)
    return tuple(out)
