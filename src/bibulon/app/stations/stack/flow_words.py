"""What is said of how resin runs through a stack, and where its core takes it up."""

from __future__ import annotations

from bibulon.core.model.job import Job
from bibulon.core.stack.derived import flow_of
from bibulon.core.stack.laminate import core_uptake, zone_stack
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = ["words_of_flow"]


def words_of_flow(job: Job, zone: str, s: System) -> str:
    """Return how resin runs in a zone, and where its core takes it up."""
    stack = zone_stack(job, zone)
    words = [
        tr("A square metre, under the full pressure of the bag.") if job.process == "infusion"
        else tr("A square metre, as thick as the cavity.")
    ]  # fmt: skip
    if (flow := flow_of(stack)) is not None:
        if flow.k_main > 1.02 * flow.k_across:
            words.append(
                tr(
                    "Resin runs best at {0:.0f}°: K {1:.1e} m², {2:.1e} across.",
                    flow.angle_deg,
                    flow.k_main,
                    flow.k_across,
                )
            )
        else:
            words.append(tr("Resin runs alike every way: K {:.1e} m².", flow.k_main))
        through = f"{flow.permeance:.1e} m" if flow.permeance else tr("none, the core is shut")
        words.append(tr("Through the stack: {}.", through))
    density = job.resin.density if job.resin else 1100.0
    for state in stack.layers:
        core = job.materials[state.layer.material]
        if core.kind == "core":
            take = core_uptake(core, state.layer.curve)
            told = [
                f"{name} {show(v * density, 'areal mass', s)}"
                for name, v in (
                    ("grooves", take.grooves), ("scores", take.scores), ("holes", take.holes), (tr("cut faces"), take.faces),
                )
                if v
            ]  # fmt: skip
            words.append(tr("The core takes up {}.", ", ".join(told) or "nothing"))
    return " ".join(words)
