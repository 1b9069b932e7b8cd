"""Drawing the bag down: a check list made for the job, ending in gates, and what of it is done, out of the journal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from bibulon.core.bag.bag import Bag
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, number, rows_of
from bibulon.core.run.layup import Laid, noted
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = [
    "DRAW",
    "DrawStep",
    "FoundBridge",
    "bridge_entry",
    "bridges_found",
    "draw_entry",
    "draw_steps",
    "drawn_steps",
    "waiting",
]

DRAW = "draw-down"  # the run under which the rows stand
STAGES = (tr("Before the cloth"), tr("The bag goes on"), tr("Half vacuum"), tr("Full vacuum"))


class DrawStep(Struct, frozen=True):
    """One thing to do; a gate holds what comes after it until all before it is done.  Its words hold figures."""

    key: str
    stage: str
    words: str
    gate: bool = False
    at: float | None = None  # along the walk [m]


class FoundBridge(Struct, frozen=True):
    """A place where the bag was found to span a corner [m]."""

    id: str
    x: float
    y: float
    when: float


def draw_steps(job: Job, bag: Bag) -> list[DrawStep]:
    """Return the list of this job, in order."""
    first, on, half, full = STAGES
    return [
        DrawStep("edge", first, tr("Flange wiped clean for {}, released or not as the tape asks", figure(bag.walk.length, "distance", 2))),
        DrawStep("tape-first", first, tr("Tape down before the cloth, its paper left on; corners overlapped")),
        DrawStep("tape-gate", first, tr("All tape lies on bare flange"), True),
        DrawStep("fibres", on, tr("No stray fibre on the tape")),
        *_laid_on(job, bag, on),
        DrawStep("on-gate", on, tr("The bag lies loose all round, nothing pulls"), True),
        DrawStep("half", half, tr("Pump on, held at {} below the air", figure(job.rules.half_vacuum, "pressure"))),
        *_pressed_in(job, bag, half),
        DrawStep("bridge-gate", half, tr("Nothing bridges, or it is pinned on the plan"), True),
        DrawStep("full", full, tr("Vacuum as deep as the pump goes")),
        DrawStep("full-gate", full, tr("Walked round once more: no hiss, nothing stands off"), True),
    ]  # fmt: skip


def _laid_on(job: Job, bag: Bag, on: str) -> Iterator[DrawStep]:
    """Yield what is done as the bag is laid on: tubes wrapped, pleats pressed, the closing one last, feeds shut."""
    for tube in bag.tubes:
        words = tr("{0} wrapped once with tape, at {1}", tube.label, figure(tube.at, "distance", 2))
        yield DrawStep(f"wrap:{tube.line}", on, words, at=tube.at)
    standing = [p for p in bag.pleats if not p.closing]
    if standing:
        yield DrawStep("pleats", on, tr("{} pleats stand, each pressed to its root", len(standing)))
    last = bag.closing
    if last is not None:
        words = tr("Closing pleat at {0} laid last, leaning {1}", figure(last.at, "distance", 2), last.lean)
        yield DrawStep("closing", on, words, at=last.at)
    feeds = ", ".join(x.label for x in job.lines if x.role == "feed")
    if feeds:
        yield DrawStep("shut", on, tr("{} shut", feeds))


def _pressed_in(job: Job, bag: Bag, half: str) -> Iterator[DrawStep]:
    """Yield the corners into which film is worked at half vacuum: of the mould, and of the walk-round."""
    for corner in job.part.corners:
        if corner.kind == "inside":
            x, y = corner.path[len(corner.path) // 2]
            words = tr("Film pressed by hand into inside corner {}, along its whole length", corner.id)
            yield DrawStep(f"corner:{corner.id}", half, words, at=bag.walk.along(x, y))
    for k, at in enumerate(bag.walk.corners):
        if bag.walk.height(float(at)) > 0.005:
            words = tr(
                "Film lies in the corner at {}, slack worked to the pleats", figure(float(at), "distance", 2)
            )
            yield DrawStep(f"turn:{k}", half, words, at=float(at))


def drawn_steps(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return the steps that are done, by key; one taken back counts no more."""
    return noted(journal, "drawn", "undrawn", "step")


def waiting(steps: Sequence[DrawStep], done: dict[str, Laid]) -> list[DrawStep]:
    """Return what is still to be done before the next gate, the gate itself last."""
    out: list[DrawStep] = []
    for step in steps:
        if step.key not in done:
            out.append(step)
        if step.gate and out:
            return out
    return out


def draw_entry(step: DrawStep, words: str, by: str, now: float, done: bool = True) -> Entry:
    """Return the row that notes a step done, or takes the note back; ``words`` as they stood on the list."""
    return Entry(DRAW, 0.0, "drawn" if done else "undrawn", {"step": step.key, "text": words, "by": by}, now)


def bridge_entry(key: str, x: float, y: float, by: str, now: float) -> Entry:
    """Return the row that pins a bridge on the plan [m]."""
    return Entry(DRAW, 0.0, "bridge", {"id": key, "x": x, "y": y, "by": by}, now)


def bridges_found(journal: Sequence[Entry]) -> list[FoundBridge]:
    """Return all bridges that were ever pinned: they stay on the record."""
    out = []
    for entry in rows_of(journal, "bridge"):
        x, y = number(entry.data, "x"), number(entry.data, "y")
        if x is not None and y is not None:
            out.append(FoundBridge(str(entry.data.get("id", "")), x, y, entry.written_at))
    return out
