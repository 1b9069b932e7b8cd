"""In which order cells stand: times and figures by their size, then words, and what says nothing last."""

from __future__ import annotations

import re
from collections.abc import Sequence

from bibulon.core.units.units import parse

__all__ = ["order_of", "sort_key"]

_CLOCK = re.compile(r"[−-]?\d+(?: h |:)\d\d")
_NUMBER = re.compile(r"[−-]?\d+(?:[.,]\d+)?")
Key = tuple[int, float, str]


def sort_key(text: str) -> Key:
    """Return by what a cell is sorted.

    >>> sort_key("9:30") < sort_key("1 h 45") and sort_key("2.5 kg") < sort_key("11 kg") < sort_key("shell") < sort_key("—")
    True
    """
    words = text.strip()
    if not words.strip("—–- "):
        return 2, 0.0, ""
    if found := _CLOCK.match(words):
        return 0, parse(found[0], "time"), words.casefold()
    if found := _NUMBER.match(words):
        return 0, float(found[0].replace("−", "-").replace(",", ".")), words.casefold()
    return 1, 0.0, words.casefold()


def order_of(texts: Sequence[str], down: bool) -> list[int]:
    """Return the rows in the order of their texts; those that say nothing stay last either way."""
    keys = [sort_key(text) for text in texts]
    said = sorted((r for r, key in enumerate(keys) if key[0] < 2), key=keys.__getitem__, reverse=down)
    return said + [r for r, key in enumerate(keys) if key[0] == 2]
