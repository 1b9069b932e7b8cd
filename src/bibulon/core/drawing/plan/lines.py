"""Feed and vacuum lines on the plan: told apart by shape first, by colour second.

Feed: solid with chevrons.  Vacuum: hollow with ticks.  Membrane: double, with ticks between.  A valve
sits where the hose joins; a line that is not open at the moment is barred.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Area, Item, Label, Line
from bibulon.core.drawing.kit.tokens import WEIGHT, Theme
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.model.job import FlowLine
from bibulon.core.units.words import tr

__all__ = ["draw_flow_line", "room_of_flag"]

Floats = npt.NDArray[np.float64]
NAME = 12.5  # px of a line's name
MANY = 9  # lines, beyond which names alone lie side by side without hiding each other


def _along(path: Floats, pitch: float) -> Iterator[tuple[Floats, Floats]]:
    """Yield (place, unit direction) every ``pitch`` px along a path."""
    step = np.hypot(*np.diff(path, axis=0).T)
    total = float(step.sum())
    where = np.r_[0.0, np.cumsum(step)]
    count = max(1, int(total // pitch))
    for at in (np.arange(count) + 0.5) * total / count:
        k = min(int(np.searchsorted(where, at, side="right")) - 1, len(step) - 1)
        direction = (path[k + 1] - path[k]) / max(step[k], 1e-9)
        yield path[k] + direction * (at - where[k]), direction


def draw_flow_line(look: PlanLook, line: FlowLine) -> Iterator[Item]:
    """Yield a line with its valve and label."""
    theme, path = look.theme, look.view.to(np.array(line.path))
    feed = line.role == "feed"
    colour, on = (theme.feed, theme.on_feed) if feed else (theme.vacuum, theme.on_vacuum)
    if line.id in look.selected:
        yield Line([path], theme.alarm, WEIGHT["tube"] + 7, opacity=0.35)
    if len(path) == 1:
        yield from _port(path[0], feed, colour, theme)
    elif feed:
        yield Line([path], colour, WEIGHT["tube"] + 1)
        for place, direction in _along(path, 56):
            yield _chevron(place, direction, on)
    else:
        yield from _vacuum(path, line.membrane, colour, theme)
    shut = line.id in look.shut or look.states.get(line.id) == "shut"
    if shut:
        yield from _bars(path, theme)
    yield from _valve(look.view.to(np.array([inlet_of(line)]))[0], shut, colour, theme)
    x, y = _flag_of(look, line)
    yield Label(x, y, _name(look, line), on, NAME, True, ground=colour)


def _name(look: PlanLook, line: FlowLine) -> str:
    """Return a line's name with how its valve stands; among many lines bars across it tell that it is shut."""
    stands = look.states.get(line.id, "")
    told = stands and (len(look.states) <= MANY or stands not in ("open", "shut"))
    return f"{line.label} {tr(stands)}" if told else line.label


def _flag_of(look: PlanLook, line: FlowLine) -> tuple[float, float]:
    """Return the middle of a line's name on the plan [px]: above its highest point."""
    path = look.view.to(np.array(line.path))
    top = path[np.argmin(path[:, 1])]
    return float(top[0]), float(top[1]) - 18


def room_of_flag(look: PlanLook, line: FlowLine) -> tuple[float, float, float, float]:
    """Return what a line's name, with how its valve stands, takes up on the plan, as (left, top, right, bottom) [px]."""
    (x, y), half = _flag_of(look, line), 0.3 * NAME * len(_name(look, line)) + 6
    return x - half, y - 11, x + half, y + 11


def _circle(middle: Floats, radius: float) -> Floats:
    angles = np.linspace(0, 2 * np.pi, 25)
    return np.asarray(middle + radius * np.c_[np.cos(angles), np.sin(angles)])


def _port(place: Floats, feed: bool, colour: str, theme: Theme) -> Iterator[Item]:
    yield Area([_circle(place, 8)], colour if feed else theme.ground, colour, WEIGHT["heavy"])
    if not feed:
        yield Area([_circle(place, 3)], None, colour, WEIGHT["line"])


def _vacuum(path: Floats, membrane: bool, colour: str, theme: Theme) -> Iterator[Item]:
    wide = WEIGHT["tube"] + (6 if membrane else 2)
    yield Line([path], colour, wide)
    yield Line([path], theme.ground, wide - 4)
    reach = 5.0
    if membrane:
        yield Line([path], colour, WEIGHT["line"])
        reach = 7.0
    ticks = []
    for place, direction in _along(path, 18):
        across = np.array([-direction[1], direction[0]])
        ticks.append(np.array([place - across * reach, place + across * reach]))
    yield Line(ticks, colour, WEIGHT["line"], round_ends=False)


def _bars(path: Floats, theme: Theme) -> Iterator[Item]:
    """Strokes across a line that is not open."""
    for place, direction in _along(path, 80) if len(path) > 1 else ():
        across = np.array([-direction[1], direction[0]])
        slant = (across + direction * 0.6) * 8
        yield Line([np.array([place - slant, place + slant])], theme.alarm, WEIGHT["heavy"], round_ends=False)


def _valve(place: Floats, shut: bool, colour: str, theme: Theme) -> Iterator[Item]:
    """A ring where the hose joins, open inside; barred while it is shut."""
    yield Area([_circle(place, 5.5)], theme.ground, colour, WEIGHT["heavy"])
    if shut:
        yield Line(
            [np.array([place + (-5, 5), place + (5, -5)])], theme.alarm, WEIGHT["heavy"], round_ends=False
        )


def _chevron(place: Floats, direction: Floats, colour: str) -> Item:
    """A small arrow head across the line: resin leaves it sideways."""
    across = np.array([direction[1], -direction[0]])
    if across[0] < 0:
        across = -across
    tip, back = place + across * 3, place - across * 2
    return Line([np.array([back + direction * 4, tip, back - direction * 4])], colour, WEIGHT["line"])
