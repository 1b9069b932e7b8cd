"""Logged temperatures of a bag: CSV of time and temperature."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

from bibulon.core.units.pasted import PasteError, columns_of
from bibulon.core.units.words import tr
from bibulon.store.durable import named
from bibulon.store.imports.gaugelog import LogError, text_of

__all__ = ["read_temperatures"]


def read_temperatures(path: Path) -> list[tuple[float, float]]:
    """Return times [s] and temperatures [K]; bare figures are seconds and °C.

    Raises
    ------
    LogError : when it cannot be read, or its times do not rise; says where.
    """
    text = text_of(path, "log")
    try:
        rows = columns_of(
            text.replace(",", "\t"),
            (("time", "time"), ("temperature", "temperature")),
            least=2,
            bare={"time": "s", "temperature": "°C"},
        )
    except PasteError as error:
        raise LogError(f"{named(path)}: {error}") from error
    for k, (before, after) in enumerate(pairwise(rows), 2):
        if after[0] <= before[0]:
            raise LogError(tr("{0}, temperature {1} does not come after the one before it.", named(path), k))
    return [(row[0], row[1]) for row in rows]
