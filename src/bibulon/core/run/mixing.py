"""Mixing a batch step by step: what is weighed and stirred in which order, and what of it is done, out of the journal."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.model.job import Job
from bibulon.core.resin.charge import Batch
from bibulon.core.resin.dose import dose_of
from bibulon.core.resin.mix import mix_of
from bibulon.core.resin.order import ADDING, order_of, order_troubles
from bibulon.core.run.journal import Entry
from bibulon.core.run.layup import Laid, noted
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["MIXING", "MixStep", "mix_entry", "mix_steps", "mixed_steps", "refusals"]

MIXING = "mixing"  # the run under which the rows stand


class MixStep(Struct, frozen=True):
    """One thing to do for a batch; ``amount`` and ``beside`` are what is weighed and its volume, as figures; empty for stirring."""

    key: str
    words: str
    amount: str = ""
    beside: str = ""
    refused: bool = False


def refusals(job: Job, batch: Batch) -> list[str]:
    """Say why this batch is not to be mixed as planned; nothing when it may be."""
    assert job.resin is not None
    found = order_troubles(order_of(job.resin, job.charge), job.resin)
    if job.resin.cures == "peroxide":
        refused = dose_of(job.resin, job.charge, batch.mass).refused
        found += [refused] if refused else []
    return found


def _weight(mass: float, step: float) -> str:
    """Return a mass [kg] as a scale of a step [kg] shows it: a scale that tells less than a gram, in grams."""
    if step > 0.999e-3:
        return figure(mass, "mass", 3)
    return figure(mass, "weighed", 1 if step > 0.999e-4 else 2)


def mix_steps(job: Job, batch: Batch) -> list[MixStep]:
    """Return what is done for a batch, in order; a peroxide that is refused has no figure."""
    resin = job.resin
    assert resin is not None
    mix = mix_of(resin, job.charge, batch.mass)
    step_of_scale = job.charge.scale_step
    out: list[MixStep] = []
    for at, adding in enumerate(order_of(resin, job.charge)):
        key = f"{batch.number}:{at}:{adding}"
        if adding == "resin":
            out.append(
                MixStep(
                    key,
                    tr("A  resin"),
                    _weight(mix.shown_a, step_of_scale),
                    figure(mix.volume_a, "volume", 2),
                )
            )
        elif adding == "hardener":
            out.append(
                MixStep(
                    key,
                    tr("B  hardener"),
                    _weight(mix.shown_b, step_of_scale),
                    figure(mix.volume_b, "volume", 2),
                )
            )
        elif adding == "accelerator":
            volume = batch.accelerator / resin.accelerator_density
            shown = (
                round(batch.accelerator / step_of_scale) * step_of_scale
                if step_of_scale < batch.accelerator
                else batch.accelerator
            )
            out.append(MixStep(key, "accelerator", figure(shown, "weighed"), figure(volume, "dose")))
        elif adding == "peroxide":
            dose = dose_of(resin, job.charge, batch.mass)
            if dose.refused:
                out.append(MixStep(key, tr("peroxide: refused"), "", "", True))
            else:
                out.append(MixStep(key, "peroxide", figure(dose.mark, "dose"), figure(dose.mass, "weighed")))
        else:
            out.append(MixStep(key, f"{ADDING['stir']}, {clock(resin.mixing_time)}"))
    if job.charge.rest > 0:
        out.append(MixStep(f"{batch.number}:rest", tr("rest or degas {}", clock(job.charge.rest))))
    return out


def mixed_steps(journal: Sequence[Entry]) -> dict[str, Laid]:
    """Return what is ticked, by the step's key."""
    return noted(journal, "mixed", "unmixed", "step")


def mix_entry(step: str, by: str, now: float, done: bool = True) -> Entry:
    """Return the row that notes a step done, or takes the note back."""
    return Entry(MIXING, 0.0, "mixed" if done else "unmixed", {"step": step, "by": by}, now)
