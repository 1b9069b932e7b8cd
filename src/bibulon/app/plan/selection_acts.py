"""What can be done with what is chosen on the plan: duplicate, mirror, turn, align, points, delete."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from shapely.geometry import LineString, Point

from bibulon.app.kit.acts import Act
from bibulon.app.session.session import Session
from bibulon.core.edit.arrange import (
    ALIGNMENTS,
    Alignment,
    aligned,
    deleted,
    duplicated,
    mirrored,
    moved,
    names,
    turned,
)
from bibulon.core.edit.edit import change_line
from bibulon.core.model.job import Job

__all__ = ["GROUP", "add_point", "remove_point", "selection_acts"]

APART = 0.05  # m that a copy lies beside what it was made from
STEP = 0.005  # m of a nudge
GROUP = "What is chosen"
_SIDES: dict[Alignment, str] = {
    "left": "left edges", "right": "right edges", "top": "upper edges", "bottom": "lower edges",
    "middle": "middles, on one height", "centre": "middles, one above the other",
}  # fmt: skip


def selection_acts(session: Session, seen: Callable[[], bool]) -> list[Act]:
    """Return the acts; each is one undo with the names of what it touched.

    seen : whether what is chosen can be seen now; else nothing is done to it.
    """

    def some() -> bool:
        return bool(session.selection) and seen()

    def several() -> bool:
        return len(session.selection) > 1 and seen()

    def told() -> str:
        return names(session.job, session.selection)

    def edit(verb: str, change: Callable[[Job, tuple[str, ...]], Job]) -> Callable[[], None]:
        def run() -> None:
            things = session.selection
            session.edit(f"{verb} {names(session.job, things)}", lambda j: change(j, things))

        return run

    def duplicate() -> None:
        things = session.selection
        made: list[tuple[str, ...]] = []

        def change(job: Job) -> Job:
            new, copies = duplicated(job, things, APART, -APART)
            made.append(copies)
            return new

        if session.edit(f"Duplicate {names(session.job, things)}", change) and made:
            session.set_selection(made[-1])

    acts = [
        Act(GROUP, "Duplicate", duplicate, ("Ctrl+D",), some),
        Act(GROUP, "Delete", edit("Delete", deleted), ("Del", "Backspace"), some),
        Act(
            GROUP,
            "Mirror left to right",
            edit("Mirror", lambda j, t: mirrored(j, t, "x")),
            ("Ctrl+Shift+M",),
            some,
        ),
        Act(GROUP, "Mirror top to bottom", edit("Mirror", lambda j, t: mirrored(j, t, "y")), (), some),
        Act(GROUP, "Turn a quarter left", edit("Turn", lambda j, t: turned(j, t, 90)), ("Ctrl+R",), some),
        Act(
            GROUP,
            "Turn a quarter right",
            edit("Turn", lambda j, t: turned(j, t, -90)),
            ("Ctrl+Shift+R",),
            some,
        ),
        Act(GROUP, "Turn 15° left", edit("Turn", lambda j, t: turned(j, t, 15)), (), some),
        Act(GROUP, "Turn 15° right", edit("Turn", lambda j, t: turned(j, t, -15)), (), some),
    ]

    def nudge(dx: float, dy: float) -> Callable[[Job, tuple[str, ...]], Job]:
        return lambda job, things: moved(job, things, dx, dy)

    def align(side: Alignment) -> Callable[[Job, tuple[str, ...]], Job]:
        return lambda job, things: aligned(job, things, side)

    for key, dx, dy in (("Left", -STEP, 0.0), ("Right", STEP, 0.0), ("Up", 0.0, STEP), ("Down", 0.0, -STEP)):
        acts.append(
            Act(GROUP, f"Move 5 mm {key.lower()}", edit("Move", nudge(dx, dy)), (f"Alt+{key}",), some)
        )
    for side in ALIGNMENTS:
        acts.append(Act(GROUP, f"Align {_SIDES[side]}", edit("Align", align(side)), (), several))
    return [replace(act, of="plan", told=told) for act in acts]


def add_point(session: Session, place: tuple[float, float]) -> None:
    """Give the chosen line a point where it passes nearest to a place [m]."""
    line = next((x for x in session.job.lines if x.id == session.selected), None)
    if line is None or len(line.path) < 2:
        return
    path = LineString(line.path)
    at = path.project(Point(place))
    new = path.interpolate(at)
    before = sum(1 for p in line.path if path.project(Point(p)) <= at)
    points = [*line.path[:before], (round(new.x, 6), round(new.y, 6)), *line.path[before:]]
    session.edit(f"Add point to {line.label}", lambda j: change_line(j, line.id, path=tuple(points)))


def remove_point(session: Session, place: tuple[float, float]) -> None:
    """Take away the point of the chosen line that lies nearest to a place [m]; one is left at least."""
    line = next((x for x in session.job.lines if x.id == session.selected), None)
    if line is None or len(line.path) < 2:
        return
    nearest = min(range(len(line.path)), key=lambda k: Point(line.path[k]).distance(Point(place)))
    points = tuple(p for k, p in enumerate(line.path) if k != nearest)
    session.edit(f"Remove point of {line.label}", lambda j: change_line(j, line.id, path=points))
