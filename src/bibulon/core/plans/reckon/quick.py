"""What a few typed words ask of the reckoner: "12 kg 100:27", "24 inHg at 1400 m", "gel vinylester 18 C"."""

from __future__ import annotations

import re
from typing import Any

from msgspec import Struct

from bibulon.core.library.catalogue import resins
from bibulon.core.plans.reckon.row import reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.units.units import UnitError, parse
from bibulon.core.units.words import tr

__all__ = ["SLOW", "Quick", "line_of", "quick", "understood"]

_FIGURE = re.compile(r"[-−+]?\d+(?:[.,]\d+)?(?:e-?\d+)?\s*[a-zA-Z°%\"'/·.0-9]*")
_RATIO = re.compile(r"\b\d+(?:\.\d+)?\s*:\s*\d+(?:\.\d+)?\b")
SLOW = frozenset(
    {"bow", "bucket", "safe-batch", "gel", "leak-after"}
)  # rows that take longer than a keystroke may
# By which input of a row a bare figure is meant, from its quantity.
_TAKES = {
    "bucket": {"mass": "mass", "temperature": "start"}, "gel": {"temperature": "temperature"},
    "safe-batch": {"time": "hold"}, "pinhole": {"leak": "leak"},
}  # fmt: skip


class Quick(Struct, frozen=True):
    """What was understood: the row, what is typed into it, and the answers."""

    row: str
    typed: dict[str, str]
    answers: dict[str, Any]

    @property
    def words(self) -> str:
        """The first answers on one line."""
        return f"{self.row}: {line_of(self.answers, 4)}"


def line_of(answers: dict[str, Any], most: int = 99) -> str:
    """Return answers on one line, to be copied."""

    def told(value: Any) -> str:
        if isinstance(value, float):
            return f"{value:.4g}"
        return " / ".join(told(v) for v in value) if isinstance(value, list) else str(value)

    return ", ".join(f"{key} {told(value)}" for key, value in list(answers.items())[:most])


def understood(text: str) -> tuple[str, dict[str, str]] | None:
    """Return the row that a few words ask for and what is typed into it; None when they ask nothing here."""
    return _named(text) or _mix(text) or _gauge(text)


def quick(text: str) -> Quick | None:
    """Return what a few words ask, reckoned; None when they ask nothing here.

    Raises
    ------
    ReckonError : when they do ask something, and it cannot be worked out.
    """
    found = understood(text)
    return Quick(*found, reckon(ROWS[found[0]], found[1])) if found else None


def _named(text: str) -> tuple[str, dict[str, str]] | None:
    """A row's name first; then KEY=VALUE, resins by their id, and figures whose unit says what they are."""
    name, _, rest = text.strip().partition(" ")
    row = ROWS.get(name.lower())
    if row is None or not rest.strip():
        return None
    typed = dict(re.findall(r"([a-z_0-9]+)=(\S+)", rest))
    rest = re.sub(r"[a-z_0-9]+=\S+", " ", rest)
    for word in rest.split():
        if word.lower() in resins() and "resin" in row.inputs:
            typed["resin"] = word.lower()
            rest = rest.replace(word, " ", 1)
    for figure in _FIGURE.findall(rest):
        for quantity, key in _TAKES.get(row.name, {}).items():
            if key not in typed and _is(figure, quantity):
                typed[key] = figure
                break
    return (row.name, typed) if typed else None


def _is(figure: str, quantity: str) -> bool:
    if re.fullmatch(r"[-−+\d.,e\s]+", figure):
        return False  # a bare figure says nothing of what it is
    try:
        parse(figure, quantity)
    except UnitError:
        return False
    return True


def _mix(text: str) -> tuple[str, dict[str, str]] | None:
    """A mass or a volume with a ratio."""
    ratio = _RATIO.search(text)
    if ratio is None:
        return None
    rest = text[: ratio.start()] + " " + text[ratio.end() :]
    by = {"by": "volume"} if re.search(tr(r"\bby volume\b|\bvol"), rest) else {}
    for figure in _FIGURE.findall(rest):
        for quantity, key in (("mass", "total"), ("volume", "volume")):
            if _is(figure, quantity):
                return "mix", {key: figure, "ratio": ratio.group().replace(" ", ""), **by}
    return None


def _gauge(text: str) -> tuple[str, dict[str, str]] | None:
    """A gauge's words, with a height or today's air."""
    parts = re.split(r"\bat\b", text, maxsplit=1)
    reading = parts[0].strip()
    if not re.match(r"^[-−]?\d", reading) or not re.search(
        tr(r"in\s?hg|mbar|hpa|kpa|bar|mm\s?hg|% vac"), reading, re.I
    ):
        return None
    typed = {
        "reading": reading
        if len(reading.split()) > 2 or reading[0] in "-−" or "abs" in reading
        else tr("{} below", reading)
    }
    if len(parts) == 2:
        figure = parts[1].strip()
        typed["altitude" if _is(figure, "distance") else "air"] = figure
    return "gauge", typed
