"""Loading and closing a mould: a check list with its gates, and what of it is done, out of the journal."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.run.layup import Laid, noted
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = ["LOADING", "LoadStep", "load_entry", "load_steps", "loaded_steps"]

LOADING = "loading"  # the run under which the rows stand


class LoadStep(Struct, frozen=True):
    """One thing to do; a gate is opened only when all before it is done.  Its words hold figures."""

    key: str
    stage: str
    words: str
    gate: bool = False
    caution: str = ""


def load_steps(job: Job) -> list[LoadStep]:
    """Return the list of a job, in order."""
    closed, air = job.closed, job.conditions.atmosphere
    ports = ", ".join(x.label for x in job.lines)
    steps = [
        LoadStep("wiped", "Mould", tr("Flange and seals wiped free of fibres and set resin")),
        LoadStep("released", "Mould", tr("Both faces released, the inner seal not")),
        LoadStep("seals", "Mould", tr("Seals seated all round: {0} inside, {1} outside", closed.inner.name, closed.outer.name)),
        LoadStep("ports", "Mould", tr("Ports flush and plugged: {}", ports) if ports else tr("Ports flush and plugged")),
        LoadStep("cloth", "Cloth", tr("Cloth touches both faces in every corner; the gap is {}", figure(job.part.cavity, "thickness"))),
        LoadStep("edges", "Cloth", tr("Plies reach the cavity's edges; none lies on the seal")),
        LoadStep("overlaps", "Cloth", tr("Overlaps no more than {}: doubled cloth holds the halves apart", figure(job.rules.overlap_longest, "length"))),
        LoadStep("loaded", "Cloth", tr("Nothing but cloth lies in the mould"), True),
        LoadStep("dowels", "Closing", tr("Upper half on, {0} dowels register, {1} latches only start the seals", closed.dowels, closed.latches)),
        LoadStep("hands", "Closing", tr("Everybody's hands out of the flange"), True, tr("Under vacuum the halves close with tonnes: they crush fingers.")),
    ]  # fmt: skip
    if job.process == "RTM":
        steps.append(
            LoadStep("clamped", "Closing", tr("Clamped with {}", figure(closed.clamps, "force")), True)
        )
        return steps
    below = figure(air - closed.flange, "pressure")
    return [
        *steps,
        LoadStep("flange", "Vacuum", tr("Flange at {} below, shut off, and it holds 2 min", below)),
        LoadStep("proven", "Vacuum", tr("Flange proven before the cavity is drawn down"), True),
        LoadStep("cavity", "Vacuum", tr("Cavity at {} below, by its regulator, catch pot between", figure(air - job.conditions.vacuum, "pressure"))),
        LoadStep("reserve", "Vacuum", tr("Check valve and reservoir of {} on the flange's side", figure(closed.reservoir, "volume"))),
        LoadStep("ready", "Vacuum", tr("Both vacuums hold with the inlet clamped: resin may be mixed"), True),
    ]  # fmt: skip


def loaded_steps(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return what is ticked, by the step's key."""
    return noted(journal, "loaded", "unloaded", "step")


def load_entry(step: LoadStep, words: str, by: str, now: float, done: bool = True) -> Entry:
    """Return the row that notes a step done, or takes the note back; ``words`` as they were read."""
    return Entry(
        LOADING, 0.0, "loaded" if done else "unloaded", {"step": step.key, "text": words, "by": by}, now
    )
