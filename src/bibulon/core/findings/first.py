"""The thread of a first job: at most eight steps to a plan that fills, each with what to look at and why."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from bibulon.core.findings.base import Finding
from bibulon.core.flow.forecast import Forecast
from bibulon.core.library.demo import blank_job
from bibulon.core.model.job import Job
from bibulon.core.model.materials import Fabric, PorousLayer
from bibulon.core.units.words import tr

__all__ = ["THREAD", "Standing", "Step", "next_step", "thread"]


class Standing(Struct, frozen=True):
    """Where a job stands: its forecast and findings, as far as they are known, and whether it has a file."""

    job: Job
    forecast: Forecast | None = None
    findings: Sequence[Finding] = ()
    saved: bool = False


class Step(Struct, frozen=True):
    """One thing to do: its title, what to do and why, and the station where it is done; ``done`` tells by where a job stands."""

    title: str
    text: str
    why: str
    station: str
    done: Callable[[Standing], bool]


LACKING = 5  # the first of them are what a forecast lacks
_PANEL = blank_job().part.outline


def _laid(s: Standing) -> bool:
    return any(isinstance(s.job.materials[x.material], Fabric | PorousLayer) for x in s.job.stack)


def _has(role: str) -> Callable[[Standing], bool]:
    return lambda s: any(line.role == role for line in s.job.lines)


def _fills(s: Standing) -> bool:
    return s.forecast is not None and s.forecast.filled


def _settled(s: Standing) -> bool:
    return _fills(s) and not any(f.weight == "blocking" for f in s.findings)


THREAD: tuple[Step, ...] = (
    Step(
        tr("The outline"),
        tr("Import a drawing, type or paste the corners, start from a shape, or draw it on the plan."),
        tr("Area and distances decide how long resin runs. Look at the size in the rail: is it your part?"),
        "Part",
        lambda s: s.job.part.outline != _PANEL or bool(s.job.stack),
    ),
    Step(
        tr("The plies"),
        tr("Add the cloth, tool side first, then what lies over it: peel ply, film, and the flow mesh."),
        tr("Cloth sets thickness, and how easily resin runs. Look at the thickness of each zone."),
        "Stack",
        _laid,
    ),
    Step(
        tr("The resin"),
        tr("Choose a resin, or make one from what its data sheet says: viscosity, gel time, density."),
        tr("Its viscosity sets the pace, and its gel the end. Look at the gel in the figures."),
        "Charge",
        lambda s: s.job.resin is not None,
    ),
    Step(
        tr("Where resin begins"),
        tr(
            "Press Lay lines so for a plan that suits the part, draw a feed, or press Suggest: it tells what each plan takes."
        ),
        tr("Resin slows with the square of the way from its feed. Look for the longest way."),
        "Lines",
        _has("feed"),
    ),
    Step(
        tr("Where it arrives"),
        tr("Draw a vacuum line where resin should come last, past the end of the mesh."),
        tr("What is cut off from vacuum stays dry. Look that every corner leads to it."),
        "Lines",
        _has("vacuum"),
    ),
    Step(
        tr("Watch it fill"),
        tr("Play the clock below the plan, and move a line while you look."),
        tr("The last place to be wet is the one at risk. Look where the times close in."),
        "Lines",
        _fills,
    ),
    Step(
        tr("What stands against it"),
        tr("Settle the findings that block, at the lower right: choose one to see its place and its remedy."),
        tr("Each says what, where, by how much and why. Warnings can be accepted by name."),
        "Lines",
        _settled,
    ),
    Step(
        tr("Keep it"),
        tr("Save the job (Ctrl+S); then Bag, Charge and Prove take it to the day."),
        tr("The card and the calling sheet print from Record and Lines. The data sheet comes first."),
        "Record",
        lambda s: _settled(s) and s.saved,
    ),
)


def thread(standing: Standing) -> list[tuple[Step, bool]]:
    """Return all steps in order, and whether each is done."""
    return [(step, step.done(standing)) for step in THREAD]


def next_step(job: Job) -> Step | None:
    """Return what is next in shop order of what a forecast lacks; None once one is possible."""
    return next((step for step in THREAD[:LACKING] if not step.done(Standing(job))), None)
