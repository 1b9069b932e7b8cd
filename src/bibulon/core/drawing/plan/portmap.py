"""A closed mould from above with its ports, and what each does a hand away."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from bibulon.core.drawing.kit.look import PlanLook, rings_of
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.plans.ports import PortRow, ports_of
from bibulon.core.units.units import clock, show
from bibulon.core.units.words import tr

__all__ = ["draw_ports"]

DOT, FAR = 7.0, 22.0  # px of a sign, and of its words off it


def draw_ports(job: Job, rows: Sequence[PortRow], pick: PortRow | None, look: PlanLook) -> Iterator[Item]:
    """Yield part, lines, ports, and each trial with what it changes."""
    theme, view = look.theme, look.view
    whole = regions(job.part).whole
    yield Area(rings_of(whole, view), theme.cloth, theme.ink, WEIGHT["line"])
    own = {p.id for p in ports_of(job)}
    for line in job.lines:
        colour = theme.vacuum if line.role == "vacuum" else theme.feed
        path = view.to(np.array(line.path, dtype=float))
        if len(path) > 1 and line.id not in own:
            yield Line([path], colour, WEIGHT["tube"])
    first: dict[str, PortRow] = {}
    for row in rows:
        first.setdefault(row.line, row)
    lines = {x.id: x for x in job.lines}
    shown = [(row, first[row.line], lines[row.line]) for row in rows if row.line in lines]
    for row, base, line in shown:  # below all words
        colour = theme.vacuum if line.role == "vacuum" else theme.feed
        yield Line([view.to(np.array([base.place, row.place], dtype=float))], colour, WEIGHT["thin"], (4, 3))
    for row, base, line in shown:
        colour = theme.vacuum if line.role == "vacuum" else theme.feed
        at, origin = view.to(np.array([row.place, base.place], dtype=float))
        own_sign = row is base
        yield Area(
            [_disc(at, DOT if own_sign else DOT - 2)],
            colour if own_sign else theme.ground,
            colour,
            WEIGHT["line"],
        )
        if row is pick:
            yield Line([_disc(at, DOT + 6)], theme.accent, WEIGHT["heavy"])
        side = at - origin
        below = own_sign or side[1] > 0 or abs(side[0]) > abs(side[1])
        tone = theme.alarm if row.dry > base.dry + job.rules.smallest_dry else theme.ink
        words = _words(row, base, line.label, job.rules.smallest_dry, look)
        yield Label(
            float(at[0]),
            float(at[1]) + (FAR if below else -FAR),
            words,
            tone,
            13,
            row is pick,
            ground=theme.ground,
        )


def _disc(at: np.ndarray, radius: float) -> np.ndarray:
    turn = np.linspace(0.0, 2 * math.pi, 25)
    return np.asarray(at + radius * np.c_[np.cos(turn), np.sin(turn)])


def _words(row: PortRow, base: PortRow, label: str, smallest: float, look: PlanLook) -> str:
    if math.isnan(row.fill_time):  # not tried yet
        return label
    if row is base:
        return (
            f"{label}: {clock(row.fill_time)}"
            if math.isfinite(row.fill_time)
            else tr("{}: never full", label)
        )
    if not math.isfinite(row.fill_time):
        return tr("never full")
    more = row.dry - base.dry
    if abs(more) > smallest:
        return tr("{0}{1} dry", "+" if more > 0 else "−", show(abs(more), "small area", look.system))
    by = row.fill_time - base.fill_time
    return f"{'+' if by >= 0 else '−'}{abs(by):.0f} s"
