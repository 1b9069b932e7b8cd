"""The bucket on a scale: rows of what is left in it, written when enough has gone or enough time has passed."""

from __future__ import annotations

from bibulon.core.run.journal import Entry

__all__ = ["EVERY", "LEAST", "due", "scale_entry"]

EVERY = 20.0  # s between two rows
LEAST = 0.02  # kg that must have gone for a row


def due(time: float, left: float, last: tuple[float, float] | None) -> bool:
    """Return whether a reading makes a row; ``last`` is time [s] and mass [kg] of the row before."""
    return last is None or (time - last[0] >= EVERY and abs(left - last[1]) >= LEAST)


def scale_entry(run: str, time: float, left: float, mixed: float, device: str, written_at: float) -> Entry:
    """Return the row of a reading [kg] at a time of the run [s]; ``mixed`` is what was put into the bucket so far [kg]."""
    data = {"left": round(left, 3), "drawn": round(max(mixed - left, 0.0), 3), "device": device}
    return Entry(run, time, "weight", data, written_at)
