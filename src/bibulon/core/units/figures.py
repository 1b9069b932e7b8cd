"""Figures inside a text, kept as value and quantity until the text is read by somebody.

A rule writes ``f"break {figure(gap, 'length')}"``; what stands in the text is a mark with the SI value, and
``worded`` writes it out in the reader's units.  So one finding reads right in any system, and its figures can be
taken out again.
"""

from __future__ import annotations

import re

from bibulon.core.units.units import QUANTITIES, System, decimals_in, show

__all__ = ["Told", "figure", "figures_in", "told_by", "worded"]

_OPEN, _SHUT = "\ue000", "\ue001"  # private use: in no text that people type
_MARK = re.compile(f"{_OPEN}([^{_OPEN}{_SHUT}]*){_SHUT}")


def figure(value: float, quantity: str, decimals: int | None = None) -> str:
    """Return an SI value as a mark to stand in a text.

    ``decimals`` are those of the metric unit; the other systems show as many more or fewer as they do by habit.
    """
    if quantity not in QUANTITIES:
        raise KeyError(quantity)
    return f"{_OPEN}{float(value)!r}|{quantity}|{'' if decimals is None else decimals}{_SHUT}"


def _parts(match: re.Match[str]) -> tuple[float, str, int | None]:
    value, quantity, decimals = match[1].split("|")
    return float(value), quantity, int(decimals) if decimals else None


def _shown(match: re.Match[str], system: System) -> str:
    value, quantity, decimals = _parts(match)
    return show(value, quantity, system, decimals_in(quantity, system, decimals))


def worded(text: str, system: System = "metric") -> str:
    """Return a text with its figures written out in a system's units.

    >>> worded(f"break {figure(0.0254, 'length')}", "us")
    'break 1.00 in'
    """
    return _MARK.sub(lambda match: _shown(match, system), text)


def figures_in(text: str) -> tuple[tuple[float, str], ...]:
    """Return the (SI value, quantity) of every figure in a text, in order."""
    return tuple(_parts(match)[:2] for match in _MARK.finditer(text))


class Told(ValueError):
    """A fault told in a sentence that may hold figures: as ``str`` in metric, by ``told_by`` with its marks."""

    def __str__(self) -> str:
        return worded(super().__str__())


def told_by(error: Exception) -> str:
    """Return what an error says, figures still as marks, to be worded where it is shown."""
    return str(error.args[0]) if isinstance(error, Told) and error.args else str(error)
