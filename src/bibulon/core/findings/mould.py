"""Judgements on a closed mould: whether it stays shut, how far it bows, its seals, channel, vent, inlet and machine."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule, inside_of
from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.paths import middle_of
from bibulon.core.mould.cloth import cloth_of
from bibulon.core.mould.parting import parted_of, shorts_of
from bibulon.core.stack.laid import place_name
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["RULES"]

STATION = "Mould"
DRY_AT_VENT = 0.03  # of the part that may still be dry when resin reaches the vent
THIN_AT_INLET = 0.85  # of the gap, under which the part is thin opposite an inlet
BOTH = 5e3  # Pa by which the flange must pull harder than the cavity for its seal to be sucked shut


def _closed(evidence: Evidence) -> bool:
    return evidence.job.process != "infusion"


def gap_is_set(evidence: Evidence) -> Iterator[Finding]:
    """A closed mould has a gap."""
    if _closed(evidence) and evidence.job.part.cavity <= 0:
        yield Finding(
            "no-gap", "blocking", "The gap between the halves is not set", figure(0.0, "thickness"), "the part's thickness",
            "Thickness, fibre share and flow all follow from it.", "Set the cavity on Part.", "Part",
        )  # fmt: skip


def stays_shut(evidence: Evidence) -> Iterator[Finding]:
    """What holds the mould shut exceeds what opens it by the rule, at every moment."""
    mould, job = evidence.mould, evidence.job
    if mould is None:
        return
    c = mould.closing
    k, rule = c.worst, job.rules.closing_factor
    if c.factor[k] < rule:
        opens = bool(c.factor[k] < 1)
        most = c.most_injection
        lower = Remedy(
            tr("Inject at {} absolute", figure(most, "pressure")),
            lambda j: j.replaced(closed=j.closed.replaced(injection=most)),
        )
        able = job.closed.injection is not None and job.conditions.vacuum + BOTH < most < job.closed.injection
        yield Finding(
            "margin", "blocking", tr("The mould opens") if opens else tr("Too little holds the mould shut"),
            tr("holds {:.2f} times what opens it", c.factor[k]), tr("{:g} times", rule), "It lifts, resin runs under the seal, and air comes in.",
            "Inject with less pressure, pull the flange harder, or make its chamber wider.", STATION, (), float(c.time[k]), lower if able else None,
        )  # fmt: skip
    elif c.shut[0] < c.shut[1]:
        yield Finding(
            "shut-vent", "warning", "With the vent shut the mould would open", tr("holds {:.2f} times what opens it", c.shut[0] / max(c.shut[1], 1e-9)), "1 times",
            "A clamped vent with the inlet still pushing brings the inlet's pressure everywhere.", "Shut the inlet before the vent; say so in the recipe.", STATION,
        )  # fmt: skip


def flange_pulls(evidence: Evidence) -> Iterator[Finding]:
    """The flange's vacuum reaches what the rule asks in today's air, and is stronger than the cavity's."""
    job = evidence.job
    if not _closed(evidence) or job.process == "RTM":
        return
    below = job.conditions.atmosphere - job.closed.flange
    if below < job.rules.flange_least:
        yield Finding(
            "flange-weak", "warning", "The flange pulls too weakly in today's air", tr("{} below", figure(below, "pressure")), tr("{} below", figure(job.rules.flange_least, "pressure")),
            "Its seal is not sucked shut, and the mould is held by little.", "Look at pump and seals; on a hill or in low air there is less to have.", STATION,
        )  # fmt: skip
    if job.conditions.vacuum < job.closed.flange + BOTH:
        yield Finding(
            "cavity-strong", "warning", "The cavity pulls as hard as the flange", figure(job.conditions.vacuum, "pressure"), tr("over {}", figure(job.closed.flange + BOTH, "pressure")),
            "Air then comes from the flange into the part, past the inner seal.", "A regulator on the cavity: half the air is plenty.", STATION,
        )  # fmt: skip


def seals_fit(evidence: Evidence) -> Iterator[Finding]:
    """The inner seal meets a gap in which it seals."""
    job = evidence.job
    if not _closed(evidence):
        return
    seal, spread = job.closed.inner, job.closed.gap_spread
    wide = job.closed.seal_gap + spread > seal.gap_most
    gap = job.closed.seal_gap + (spread if wide else -spread)
    if wide or gap < seal.gap_least:
        yield Finding(
            "seal-gap", "blocking" if wide else "warning", tr("The inner seal does not reach") if wide else tr("The inner seal is crushed"),
            figure(gap, "thickness"), tr("{0} to {1}", figure(seal.gap_least, "thickness"), figure(seal.gap_most, "thickness")),
            tr("Resin and air pass it.") if wide else tr("It holds the halves apart, and tears."),
            tr("Take a taller or inflatable seal, or shim the flange.") if wide else tr("Take a lower seal, or a deeper groove."), STATION,
        )  # fmt: skip


def upper_is_stiff(evidence: Evidence) -> Iterator[Finding]:
    """The upper mould lifts no further than the part's thickness may be off."""
    mould, job = evidence.mould, evidence.job
    if mould is None or mould.bow is None:
        return
    lift, rule = mould.bow.most, job.rules.bow_most
    if lift > rule:
        density = job.resin.density if job.resin else 1100.0
        more = max(mould.bow.extra, 0.0) * density
        yield Finding(
            "bow", "warning", "The upper mould lifts", figure(lift, "thickness"), figure(rule, "thickness"),
            tr("The part is thick there while resin comes, and takes {} more.", figure(more, "mass")) + ("" if mould.bow.linear else tr(" So large a lift is told too large by thin-plate figures.")),
            "Stiffeners across it, a thicker laminate, or less pressure.", STATION, (mould.bow.where,), mould.bow.time, None, lift,
        )  # fmt: skip


def upper_holds_its_gap(evidence: Evidence) -> Iterator[Finding]:
    """Held until gel, the upper mould is not sucked down on to too little cloth."""
    mould, job = evidence.mould, evidence.job
    if mould is None or mould.part is None:
        return
    thin = float(mould.part.lift[mould.part.inside].min())
    if -thin > 2 * job.rules.bow_most:
        at = np.flatnonzero(mould.part.inside)[int(np.argmin(mould.part.lift[mould.part.inside]))]
        x, y = mould.part.mesh.points[at]
        yield Finding(
            "sucked-down", "warning", "The upper mould is sucked down", tr("{} left", figure(job.part.cavity + thin, "thickness")), f"{figure(job.part.cavity - 2 * job.rules.bow_most, 'thickness')}",
            "The cloth does not fill the gap, so the air outside presses the upper half on to it: the part comes out thin.",
            "More cloth, a holding vacuum less deep, or a stiffer upper half.", STATION, ((float(x), float(y)),), None, None, -thin,
        )  # fmt: skip


def _last_of_channels(forecast: Forecast) -> tuple[tuple[float, float], ...]:
    """Return the place along the channels that is wet last; nothing where none is."""
    at = [
        k
        for x in forecast.job.lines
        if x.role == "feed" and len(x.path) > 1
        for k in forecast.model.lines[x.id]
    ]
    if not at:
        return ()
    times = forecast.wet_through[at]
    x, y = forecast.model.mesh.points[at[int(np.argmax(np.where(np.isfinite(times), times, -1.0)))]]
    return ((float(x), float(y)),)


def channel_right(evidence: Evidence) -> Iterator[Finding]:
    """The channel is full round before the front has gone far, and holds no more than it must."""
    mould, job, forecast = evidence.mould, evidence.job, evidence.forecast
    if mould is None or forecast is None or not any(x.role == "feed" and len(x.path) > 1 for x in job.lines):
        return
    whole = (
        forecast.fill_time if math.isfinite(forecast.fill_time) else max(forecast.end, forecast.history.end)
    )
    share = min(mould.channel_full / max(whole, 1e-9), 1.0)
    if share > job.rules.channel_ahead:
        yield Finding(
            "channel-small", "warning", "The channel is full round late", tr("{} of the filling time", figure(share, "share")), figure(job.rules.channel_ahead, "share"),
            "The side by the inlet is far ahead by then: fronts meet away from the vent.", "A wider channel, or a second inlet across from the first.", STATION,
            _last_of_channels(forecast), mould.channel_full,
        )  # fmt: skip
    shot = forecast.resin_in_part + mould.channels
    if shot > 0 and mould.channels > job.rules.channel_waste * shot:
        yield Finding(
            "channel-waste", "note", "Much resin stays in channels and hoses", figure(mould.channels, "mass"), f"{figure(job.rules.channel_waste * shot, 'mass')}",
            "It is paid for at every part.", "A smaller bore, or a shorter hose.", STATION,
        )  # fmt: skip


def vent_comes_last(evidence: Evidence) -> Iterator[Finding]:
    """No vent is wet all along until nearly all else is: one that is wet in one place still draws air in the others."""
    mould, forecast = evidence.mould, evidence.forecast
    if mould is None or forecast is None or not math.isfinite(mould.vents_wet):
        return
    areas = forecast.model.vertex_areas()
    dry = (forecast.wet_through > mould.vents_wet + 1e-6) & (forecast.model.node_at >= 0).any(axis=1)
    share = float(areas[dry].sum() / max(areas.sum(), 1e-12))
    if share > DRY_AT_VENT:
        late = np.flatnonzero(dry)[
            int(np.argmax(np.where(np.isfinite(forecast.wet_through[dry]), forecast.wet_through[dry], 1e12)))
        ]
        x, y = forecast.model.mesh.points[late]
        yield Finding(
            "vent-early", "warning", "The vent is wet before the part is", tr("{} still dry", figure(share, "share")), figure(DRY_AT_VENT, "share"),
            "What is dry then has lost its way out for air, and resin runs to the catch pot.", "Move the vent to where it fills last, or let in from the other side.",
            STATION, ((float(x), float(y)),), mould.vents_wet, None, float(areas[dry].sum()),
        )  # fmt: skip


def inlet_gentle(evidence: Evidence) -> Iterator[Finding]:
    """Resin comes in no faster than cloth stays where it lies, and not onto a thin place."""
    mould, job = evidence.mould, evidence.job
    if mould is None:
        return
    for line in job.lines:
        if (speed := mould.inlets.get(line.id, 0.0)) > job.rules.inlet_speed:
            yield Finding(
                f"fibre-wash:{line.id}", "warning", tr("Resin comes in fast enough to wash fibres at {}", line.label), figure(speed, "speed"),
                figure(job.rules.inlet_speed, "speed"), "Loose plies beside the inlet are pushed into folds.", "Inject slower, or through a channel.",
                STATION, (middle_of(line.path),),
            )  # fmt: skip
    if mould.part is not None:
        for line in job.lines:
            if line.role != "feed":
                continue
            near = int(np.argmin(np.hypot(*(mould.part.mesh.points - np.array(line.path[0])).T)))
            thick = mould.part.thickness[near]
            if np.isfinite(thick) and thick < THIN_AT_INLET * job.part.cavity:
                yield Finding(
                    f"inlet-thin:{line.id}", "note", tr("{} lets in where the part is thin", line.label), figure(float(thick), "thickness"), f"{figure(THIN_AT_INLET * job.part.cavity, 'thickness')}",
                    "Resin finds little room there, and pushes the halves apart.", "Move the inlet, or lay the cloth tighter.", STATION, (line.path[0],),
                )  # fmt: skip


def rated(evidence: Evidence) -> Iterator[Finding]:
    """Nothing is pushed over what pot, hose and mould are rated for."""
    job = evidence.job
    if not _closed(evidence) or job.closed.injection is None:
        return
    most = min(job.closed.machine.most, job.closed.pot_rated if job.pots else math.inf)
    if job.closed.injection > most:
        yield Finding(
            "rated", "blocking", "The pressure is over what is rated for", figure(job.closed.injection, "pressure"), figure(most, "pressure"),
            "A pot or hose that bursts hurts people.", "Inject with less; pots are relieved, hoses tied.", STATION, (), None,
            Remedy("Down to what is rated", lambda j: j.replaced(closed=j.closed.replaced(injection=most))),
        )  # fmt: skip


def holds_until_gel(evidence: Evidence) -> Iterator[Finding]:
    """The flange keeps its vacuum past gel even when the pump stops, and the machine is flushed before its hose gels."""
    mould, job, forecast = evidence.mould, evidence.job, evidence.forecast
    if mould is None or forecast is None or job.process == "RTM":
        return
    gel = forecast.clock.gel
    weak = job.closed.flange > job.conditions.atmosphere - job.rules.flange_least  # told as such
    if gel < 1e8 and mould.held_for < gel and not weak:
        yield Finding(
            "hold-short", "warning", "If the pump stops, the flange lets go before gel", clock(mould.held_for), clock(gel),
            "The mould springs open on a soft part.", "A check valve and a larger reservoir, or clamps as well.", STATION,
        )  # fmt: skip
    if job.closed.injection is not None and gel < job.closed.machine.flush_within:
        yield Finding(
            "flush-late", "warning", "The machine is flushed after its hose has gelled", clock(job.closed.machine.flush_within), clock(gel),
            "A gelled gun and hose are thrown away.", "Flush sooner, or take a slower resin. Solvent: air, gloves, no flame.", STATION,
        )  # fmt: skip


def edges_full(evidence: Evidence) -> Iterator[Finding]:
    """Cloth reaches the edges of the cavity: an empty edge is a way round the part."""
    job = evidence.job
    if _closed(evidence) and job.conditions.edge_gap > 0.5e-3:
        yield Finding(
            "empty-edge", "warning", "The cavity's edges are empty", figure(job.conditions.edge_gap, "thickness"), figure(0.5e-3, "thickness"),
            "Resin races round them and closes on the vent from behind.", "Cut plies to the edge, or a strip of mat along it.", STATION,
        )  # fmt: skip


def inflated_enough(evidence: Evidence) -> Iterator[Finding]:
    """What is blown up, seal or bladder, has more pressure than the resin that stands against it."""
    job = evidence.job
    if not _closed(evidence):
        return
    closed, resin = job.closed, job.closed.injection or job.conditions.atmosphere
    blown = [(tr("inner seal"), closed.inner.inflation, "seal")] if closed.inner.kind == "inflatable" else []
    blown += [("bladder", closed.bladder, "bladder")] if closed.bladder is not None else []
    for name, pressure, key in blown:
        if pressure < resin + job.rules.inflated_over:
            yield Finding(
                f"inflated:{key}", "blocking", tr("The {} is blown up too weakly", name), figure(pressure, "pressure"), f"{figure(resin + job.rules.inflated_over, 'pressure')}",
                tr("Resin pushes past the seal.") if key == "seal" else tr("Resin pushes it in: the wall comes out thick and poor in fibre there, or folds."),
                "More air in it, or inject with less. What is blown up is rated and relieved.", STATION,
            )  # fmt: skip


def laps_close(evidence: Evidence) -> Iterator[Finding]:
    """Where a splice lays a ply twice, the gap still closes on it; and plies touch both faces everywhere."""
    job = evidence.job
    if not _closed(evidence) or job.part.cavity <= 0:
        return
    cloth, most = cloth_of(job), job.rules.cavity_vf_most
    full = [x for x in cloth.laps if x.share > most]
    if full:
        worst = max(full, key=lambda x: x.share)
        over = {x.place for x in cloth.places if x.share > most}
        if not {x.place for x in full} <= over:  # else the place itself is too full, and told on Stack
            yield Finding(
                "lap-full", "warning", "A splice holds the halves apart",
                tr("fibre {:.0f} % by volume", worst.share * 100) if math.isfinite(worst.share) else tr("no room for plies"), f"{most * 100:.0f} %",
                tr("Doubled cloth pushes with {}, and the part is thick beside it.", figure(sum(x.force for x in full), "force")),
                "Butt it, lap it less, or set splices of other plies elsewhere.", STATION, tuple(inside_of(x.region) for x in full[:6]),
            )  # fmt: skip
    for place in cloth.loose:
        if place.share < job.rules.cavity_vf_least:
            continue  # told on Stack as an empty cavity
        yield Finding(
            f"loose:{place.place}", "warning", tr("Cloth does not touch both faces in {}", place_name(job, place.place)), tr("fibre {:.0f} % by volume", place.share * 100), "some push",
            "Resin runs between cloth and mould, and the face is poor in fibre.", "One ply more, or a narrower gap.", STATION, (inside_of(place.region),),
        )  # fmt: skip


def parting_tight(evidence: Evidence) -> Iterator[Finding]:
    """A parting line lets little resin out, and leads none round the cloth."""
    job, forecast = evidence.job, evidence.forecast
    if not _closed(evidence) or forecast is None or not job.closed.partings:
        return
    most = job.rules.parting_loss * (forecast.resin_in_part + forecast.resin_in_lines)
    for loss in parted_of(job, forecast):
        if loss.mass > most:
            yield Finding(
                f"parting:{loss.line.id}", "warning", "Resin is pushed out at the parting line", figure(loss.mass, "mass"), figure(most, "mass"),
                "It flashes on the part, and the pressure that fills the far end is lost.", "Shim or seal the line, clamp harder, or inject with less.", STATION, (loss.where,),
            )  # fmt: skip
    for short in shorts_of(job, forecast):
        yield Finding(
            f"short:{short.line.id}", "warning", tr("Resin runs along the parting line from {0} to {1}", short.inlet, short.vent), clock(short.seconds), tr("{} through the cloth", clock(short.front)),
            "The vent drinks before the part is wet.", "End the line short of the vent, seal it, or move the vent.", STATION, short.line.path[:1] + short.line.path[-1:],
        )  # fmt: skip


RULES: list[Rule] = [
    inflated_enough, laps_close, parting_tight,
    gap_is_set, stays_shut, flange_pulls, seals_fit, upper_is_stiff, upper_holds_its_gap, channel_right, vent_comes_last,
    inlet_gentle, rated, holds_until_gel, edges_full,
]  # fmt: skip
