"""The walk-round at full size, on strips of paper to lay along the flange one after another."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from bibulon.core.bag.bag import Bag
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import PAPER, WEIGHT
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["MM", "SHEET", "STRIP", "walk_pages", "walk_rows"]

MM = 96 / 25.4  # px of paper
SHEET = (297 * MM, 210 * MM)  # A4 across
STRIP = 0.250  # m of the walk on a strip
ROWS = 3  # strips a sheet
LEFT, TOP, HIGH = 23.5 * MM, 24 * MM, 58 * MM


def walk_pages(name: str, bag: Bag, system: System) -> list[list[Item]]:
    """Return sheets of px at 96 an inch; what is a metre along the walk is a metre on paper."""
    count = int(np.ceil(bag.walk.length / STRIP - 1e-9))
    pages: list[list[Item]] = []
    for k in range(count):
        if k % ROWS == 0:
            pages.append(_head(name, len(pages) + 1, (count + ROWS - 1) // ROWS))
        pages[-1] += _strip(bag, k, TOP + (k % ROWS) * HIGH, system)
    return pages


def _head(name: str, page: int, pages: int) -> list[Item]:
    x, y = LEFT, 12 * MM
    bar = np.array([[x, y + 4 * MM], [x + 100 * MM, y + 4 * MM]])
    return [
        Label(x, y, tr("{} · walk-round, full size", name), PAPER.ink, 14, True, "l"),
        Label(SHEET[0] - LEFT, y, tr("sheet {0} of {1}", page, pages), PAPER.soft, 11, anchor="r"),
        Line([bar], PAPER.ink, WEIGHT["line"]),
        Label(
            x + 102 * MM,
            y + 4 * MM,
            "100 mm: print without scaling, and measure this",
            PAPER.soft,
            10,
            anchor="l",
        ),
    ]


class _Span(Struct, frozen=True):
    """What a strip shows of the walk [m], and where its tape line lies on paper [px]."""

    start: float
    end: float
    base: float

    def x(self, at: float) -> float:
        """Return the px of a place along the walk [m], at full size."""
        return LEFT + (at - self.start) * 1000 * MM

    def has(self, at: float) -> bool:
        """Whether a place is on this strip."""
        return self.start - 1e-9 <= at < self.end


def _strip(bag: Bag, k: int, top: float, system: System) -> list[Item]:
    """One strip: cut it out, lay its left mark on the right mark of the strip before."""
    span = _Span(k * STRIP, min((k + 1) * STRIP, bag.walk.length), top + 40 * MM)
    left, right, foot, base = span.x(span.start), span.x(span.end), top + HIGH - 4 * MM, span.base
    words = tr("strip {0}, from {1}", k + 1, show(span.start, "distance", system, 2))
    return [
        Area([np.array([[left, top], [right, top], [right, foot], [left, foot]])], None, PAPER.edge, WEIGHT["hair"], (4.0, 3.0)),
        Line([np.array([[left, base], [right, base]])], PAPER.accent, WEIGHT["heavy"]),
        Label(left + 4, top + 9, words, PAPER.soft, 10, anchor="l"),
        *(_upright(x, base - 6 * MM, base + 6 * MM, PAPER.ink, WEIGHT["line"]) for x in (left, right)),  # register marks
        *_rule(span, system),
        *_pleats(bag, span, system),
        *_tubes(bag, span),
    ]  # fmt: skip


def _upright(x: float, low: float, high: float, colour: str, weight: float) -> Line:
    return Line([np.array([[x, low], [x, high]])], colour, weight)


def _rule(span: _Span, system: System) -> Iterator[Item]:
    """Yield a tick each centimetre, a long one with its figure each ten."""
    base = span.base
    for tick in np.arange(np.ceil(span.start / 0.01 - 1e-9), np.floor(span.end / 0.01 + 1e-9) + 1):
        long, x = tick % 10 == 0, span.x(tick * 0.01)
        yield _upright(x, base, base + (4 if long else 2) * MM, PAPER.soft, WEIGHT["hair"])
        if long:
            yield Label(x, base + 7 * MM, show(tick * 0.01, "distance", system, 2), PAPER.soft, 9)


def _pleats(bag: Bag, span: _Span, system: System) -> Iterator[Item]:
    """Yield the pleats, leaning as they lie, with their words on three levels."""
    base, left, right = span.base, span.x(span.start) + 30 * MM, span.x(span.end) - 30 * MM
    for level, pleat in enumerate(p for p in bag.pleats if span.has(p.at)):
        at, lean = span.x(pleat.at), (3 if pleat.lean == "with the walk" else -3) * MM
        colour = PAPER.vacuum if pleat.closing else PAPER.ink
        yield Area(
            [np.array([[at - 2 * MM, base], [at + lean, base - 14 * MM], [at + 2 * MM, base]])], colour, None
        )
        words = tr(
            "{0}pleat {1}, {2}",
            "closing " if pleat.closing else "",
            show(pleat.size, "length", system),
            pleat.lean,
        )
        yield Label(min(max(at, left), right), base - (18 + 5 * (level % 3)) * MM, words, colour, 10, True)


def _tubes(bag: Bag, span: _Span) -> Iterator[Item]:
    """Yield the tubes that go through the tape, as wide as they are."""
    low, high = span.base - 4 * MM, span.base + 4 * MM
    for tube in bag.tubes:
        if span.has(tube.at):
            at, half = span.x(tube.at), tube.outer / 2 * 1000 * MM
            ring = np.array([[at - half, low], [at + half, low], [at + half, high], [at - half, high]])
            yield Area([ring], None, PAPER.ink, WEIGHT["line"])
            yield Label(at, span.base + 11 * MM, tr("{} through", tube.label), PAPER.ink, 10, True)


def walk_rows(bag: Bag, system: System) -> list[tuple[str, ...]]:
    """Return the walk as a list: at which length stands what, how large, leaning which way."""
    rows: list[tuple[float, tuple[str, ...]]] = []
    for p in bag.pleats:
        what = tr("closing pleat") if p.closing else "pleat"
        rows.append(
            (p.at, (show(p.at, "distance", system, 2), what, show(p.size, "length", system), p.lean, p.why))
        )
    for t in bag.tubes:
        rows.append(
            (
                t.at,
                (
                    show(t.at, "distance", system, 2),
                    tr("tube {}", t.label),
                    show(t.outer, "length", system),
                    "",
                    tr("one wrap of tape"),
                ),
            )
        )
    for c in bag.walk.corners:
        rows.append(
            (float(c), (show(float(c), "distance", system, 2), "corner", "", "", tr("tape overlapped")))
        )
    for joint in bag.tape.joints:
        rows.append(
            (
                joint,
                (
                    show(joint, "distance", system, 2),
                    tr("tape joint"),
                    "",
                    "",
                    tr("one roll ends: overlap it"),
                ),
            )
        )
    return [("at", "what", "size", "leaning", "why"), *(r for _, r in sorted(rows, key=lambda r: r[0]))]
