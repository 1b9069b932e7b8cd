"""What the job card says of a closed mould: its vacuums, how resin is let in, and what holds it shut."""

from __future__ import annotations

import math

from bibulon.core.drawing.kit.pages import Pages
from bibulon.core.findings.base import Evidence
from bibulon.core.mould.recipe import course_of, given_rate
from bibulon.core.units.units import System, clock, show
from bibulon.core.units.words import tr

__all__ = ["lay_mould"]

HIGH = 150.0  # px that it takes: no page ends within it


def lay_mould(card: Pages, evidence: Evidence, system: System) -> None:
    """Lay the mould's settings and their limits; nothing for a part under a bag."""
    job, mould, forecast = evidence.job, evidence.mould, evidence.forecast
    if job.process == "infusion":
        return
    card.room(HIGH)
    card.heading("Mould")
    if mould is None or forecast is None:
        card.line(tr("No forecast: whether it stays shut is not known."))
        return
    air, closed, c = job.conditions.atmosphere, job.closed, mould.closing

    def below(pressure: float) -> str:
        return tr("{} below the air", show(air - pressure, "pressure", system))

    worst = c.worst
    least = (
        tr("holds from {} on", below(c.least_flange))
        if c.least_flange > 0
        else tr("no vacuum holds by the rule")
    )
    rows = [
        (tr("Flange"), below(closed.flange), least),
        (tr("Cavity"), below(job.conditions.vacuum), tr("up to {} once it is full, until gel", below(closed.holding))),
        (*_inlet(evidence, system), _most(c.most_injection, system)),
        (tr("Stays shut by"), show(float(c.margin[worst]), "force", system),
         tr("{0:.2f} times what opens it; rule {1:g}", float(c.factor[worst]), job.rules.closing_factor)),
    ]  # fmt: skip
    if mould.bow is not None:
        rows.append(
            (tr("Upper half"), tr("lifts {}", show(mould.bow.most, "thickness", system)), tr("at {}", clock(float(c.time[c.peak]))))
        )  # fmt: skip
    card.table((("", 0, "l"), (tr("is set to"), 110, "l"), (tr("bounds"), 340, "l")), rows)
    card.line(
        tr(
            "Hands out before the flange is drawn down: it crushes. Relief valve open to nobody, hoses tied, eyes and hands covered."
        ),
        size=10,
    )


def _inlet(evidence: Evidence, system: System) -> tuple[str, str]:
    """Return how resin is let in: at a rate, up to a pressure, or from an open bucket."""
    job, forecast = evidence.job, evidence.forecast
    assert forecast is not None
    if job.closed.injection is None:
        return tr("Inlet"), tr("drawn from an open bucket")
    limit = tr("{} absolute", show(job.closed.injection, "pressure", system))
    rate = given_rate(job)
    if rate is None or course_of(job, forecast).switch <= 0:
        return tr("Inject"), limit
    return tr("Inject"), tr("{0} until {1}", show(rate, "flow", system), limit)


def _most(pressure: float, system: System) -> str:
    """Return what may be injected with by the rule of closing."""
    if not math.isfinite(pressure):
        return tr("as much as the hoses bear")
    return tr("no more than {} absolute", show(pressure, "pressure", system))
