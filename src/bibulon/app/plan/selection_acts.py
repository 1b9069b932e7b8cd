"""What can be done with what is chosen on the plan: duplicate, mirror, turn, align, points, delete."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
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
from bibulon.core.edit.edit import change_line, lay_along
from bibulon.core.geometry.paths import share_near
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["GROUP", "add_point", "join_hose", "remove_point", "selection_acts"]

APART = 0.05  # m that a copy lies beside what it was made from
STEP = 0.005  # m of a nudge
GROUP = "What is chosen"
_SIDES: dict[Alignment, str] = {
    "left": tr("left edges"), "right": tr("right edges"), "top": tr("upper edges"), "bottom": tr("lower edges"),
    "middle": tr("middles, on one height"), "centre": tr("middles, one above the other"),
}  # fmt: skip

ALIGNING = {side: tr("Align {}", words) for side, words in _SIDES.items()}  # titles of those acts


_Edit = Callable[[Job, tuple[str, ...]], Job]


def _nudge(dx: float, dy: float) -> _Edit:
    return lambda job, things: moved(job, things, dx, dy)


def _align(side: Alignment) -> _Edit:
    return lambda job, things: aligned(job, things, side)


# Title, the verb of its undo, what it does, its keys.
_EDITS: tuple[tuple[str, str, _Edit, tuple[str, ...]], ...] = (
    ("Delete", "Delete", deleted, ("Del", "Backspace")),
    ("Mirror left to right", "Mirror", lambda j, t: mirrored(j, t, "x"), ("Ctrl+Shift+M",)),
    ("Mirror top to bottom", "Mirror", lambda j, t: mirrored(j, t, "y"), ()),
    ("Turn a quarter left", "Turn", lambda j, t: turned(j, t, 90), ("Ctrl+R",)),
    ("Turn a quarter right", "Turn", lambda j, t: turned(j, t, -90), ("Ctrl+Shift+R",)),
    ("Turn 15° left", "Turn", lambda j, t: turned(j, t, 15), ()),
    ("Turn 15° right", "Turn", lambda j, t: turned(j, t, -15), ()),
    *(
        (tr("Move 5 mm {}", key.lower()), "Move", _nudge(dx, dy), (f"Alt+{key}",))
        for key, dx, dy in (
            ("Left", -STEP, 0.0),
            ("Right", STEP, 0.0),
            ("Up", 0.0, STEP),
            ("Down", 0.0, -STEP),
        )
    ),
)


def selection_acts(session: Session, seen: Callable[[], bool]) -> list[Act]:
    """Return the acts; each is one undo with the names of what it touched.

    seen : whether what is chosen can be seen now; else nothing is done to it.
    """

    def some() -> bool:
        return bool(session.selection) and seen()

    def several() -> bool:
        return len(session.selection) > 1 and seen()

    def edit(verb: str, change: _Edit) -> Callable[[], None]:
        def run() -> None:
            things = session.selection
            session.edit(f"{verb} {names(session.job, things)}", lambda j: change(j, things))

        return run

    acts = [Act(GROUP, "Duplicate", lambda: _duplicate(session), ("Ctrl+D",), some)]
    acts += [Act(GROUP, title, edit(verb, change), keys, some) for title, verb, change, keys in _EDITS]
    acts += [Act(GROUP, ALIGNING[s], edit("Align", _align(s)), (), several) for s in ALIGNMENTS]
    return [replace(act, of="plan", told=lambda: names(session.job, session.selection)) for act in acts]


def _duplicate(session: Session) -> None:
    """Lay a copy of what is chosen beside it, and choose that."""
    things = session.selection
    made: list[tuple[str, ...]] = []

    def change(job: Job) -> Job:
        new, copies = duplicated(job, things, APART, -APART)
        made.append(copies)
        return new

    if session.edit(tr("Duplicate {}", names(session.job, things)), change) and made:
        session.set_selection(made[-1])


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
    session.edit(tr("Add point to {}", line.label), lambda j: change_line(j, line.id, path=tuple(points)))


def remove_point(session: Session, place: tuple[float, float]) -> None:
    """Take away the point of the chosen line that lies nearest to a place [m]; one is left at least."""
    line = next((x for x in session.job.lines if x.id == session.selected), None)
    if line is None or len(line.path) < 2:
        return
    nearest = min(range(len(line.path)), key=lambda k: Point(line.path[k]).distance(Point(place)))
    points = tuple(p for k, p in enumerate(line.path) if k != nearest)
    session.edit(tr("Remove point of {}", line.label), lambda j: lay_along(j, line.id, points))


def join_hose(session: Session, place: tuple[float, float]) -> None:
    """Join the hose of the chosen line where it passes nearest to a place [m]."""
    line = next((x for x in session.job.lines if x.id == session.selected), None)
    if line is None or len(line.path) < 2:
        return
    share = share_near(line.path, place)
    session.edit(tr("Move hose of {}", line.label), lambda j: change_line(j, line.id, hose_at=share))
