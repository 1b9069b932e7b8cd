"""What is told after a rehearsal: how the part came out, what was hidden and when it was noticed, and each opening beside the best one."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from bibulon.core.flow.forecast import forecast
from bibulon.core.geometry.zones import regions
from bibulon.core.leak.volume import bag_volume
from bibulon.core.model.lines import AtTime
from bibulon.core.plans.rehearsal.after_full import Settled, parted_at, settled_of, shutting_of
from bibulon.core.plans.rehearsal.faults import KINDS, Fault
from bibulon.core.plans.rehearsal.shop import TEST_RISE, Shop
from bibulon.core.resin.charge import pore_volume
from bibulon.core.units.words import tr

__all__ = ["Debrief", "Decision", "Found", "debrief"]

EARLIEST = {
    "zero": -900.0,
    "pump": -900.0,
    "test": -840.0,
    "scale": -600.0,
    "thermometer": -600.0,
    "hand": 0.0,
    "front": 30.0,
    "flange": -900.0,
}
WORTH = 5.0  # s that a better moment must save to be told
MOST_AIR = 0.3
THICK = 0.3  # of a part whose mould has parted
LEAST_DRAWN = 0.05  # kg that must have run through for nothing to be told


class Found(Struct, frozen=True):
    """A fault that was hidden: when it could first be known, and when it was noticed [s]; None when nobody did."""

    fault: Fault
    known: float
    noticed: float | None


class Decision(Struct, frozen=True):
    """An opening or a shutting: when it was done, when it had best been done [s], and what it cost.

    cost : of an opening, by how much the fill was longer for it [s]; drawn : resin that ran through for nothing [kg];
    dry : area that was left dry [m²].
    """

    what: str
    done: float
    best: float
    cost: float = 0.0
    drawn: float = 0.0
    dry: float = 0.0


class Debrief(Struct, frozen=True):
    """How it came out.

    outcome : good, porous, thick, dry, or lost; dry : area that no resin reached [m²]; air : share of the pores that bubbles
    take; resin : mixed [kg]; filled : when all was wet [s], None when never; loss : from 0 (nothing lost) up.
    """

    outcome: str
    dry: float
    air: float
    resin: float
    wasted: float
    filled: float | None
    released_early: bool
    parted: float | None  # when the halves of a closed mould parted [s]
    settled: Settled | None  # what the hold made of it
    loss: float
    found: tuple[Found, ...]
    decisions: tuple[Decision, ...]
    practise: tuple[str, ...]


def debrief(shop: Shop, noticed: Mapping[str, float]) -> Debrief:
    """Return what a shot came to."""
    flow = shop.truth() if shop.began else None
    area = regions(shop.job.part).whole.area
    dry = area if flow is None else min(flow.dry_area, area)
    if flow is not None and shop.released_at is not None:  # what was dry then stays so
        wet, there = flow.wet_through, (flow.model.node_at >= 0).any(axis=1)
        dry = (
            max(dry, area * float((wet[there] > shop.released_at).mean()))
            if shop.released_at < flow.fill_time
            else dry
        )
    air = _air(shop)
    gel = shop.gel_of_last()
    early = shop.released_at is not None and shop.released_at < gel - 1.0 and math.isfinite(gel)
    parted = parted_at(shop)
    mixed = sum(m.mass for m in shop.mixed)
    taken = shop.drawn(shop.now)
    loss = dry / area + 0.5 * air + (0.1 if shop.air_drawn_at is not None else 0.0)
    if early and shop.released_at is not None:
        loss += 0.2 + max(1 - shop.released_at / gel, 0.0)
    if parted is not None:
        loss += THICK
    outcome = (
        "lost"
        if early or dry > 0.2 * area
        else "dry"
        if dry > shop.job.rules.smallest_dry
        else "thick"
        if parted is not None
        else "porous"
        if air > 0.02
        else "good"
    )
    found = tuple(
        Found(f, max(EARLIEST[KINDS[f.kind].shows], f.began), noticed.get(f.kind)) for f in shop.hidden.faults
    )
    decisions = _decisions(shop)
    return Debrief(
        outcome, dry, air, mixed, max(mixed - taken, 0.0), flow.fill_time if flow is not None and flow.filled else None, early, parted,
        settled_of(shop), loss, found, decisions, _practise(shop, found, decisions, early),
    )  # fmt: skip


def _air(shop: Shop) -> float:
    """Return the share of the pores that a leak fills with bubbles until gel: ∫q dt/p over the pore volume."""
    if not any(f.kind == "leak" for f in shop.hidden.faults):
        return 0.0
    gel = shop.gel_of_last()
    hold = min(gel if math.isfinite(gel) else 3600.0, 6 * 3600.0, shop.mended.get("leak", math.inf))
    if hold <= 0:
        return 0.0
    volume = sum(bag_volume(shop.job).values()) if shop.job.process == "infusion" else shop.job.test.volume
    pressure = max(shop.gauge(), 1000.0)
    return min(TEST_RISE * volume * hold / pressure / max(pore_volume(shop.job), 1e-9), MOST_AIR)


def _decisions(shop: Shop) -> tuple[Decision, ...]:
    """Return each further feed that was opened, beside the moment at which the front had passed all of it."""
    if not shop.began:
        return ()
    out = []
    for line in shop.feeds:
        turns = shop.turns.get(line.id)
        if not turns or turns[0][0] <= 1.0:
            continue
        best = _without(shop, line.id)
        if not math.isfinite(best):
            continue
        job = shop.true_job()
        lines = tuple(x.replaced(opens=AtTime(time=best)) if x.id == line.id else x for x in job.lines)
        other = forecast(job.replaced(lines=lines), shop.resolution)
        mine, theirs = _end(shop.truth()), _end(other)
        cost = mine - theirs if math.isfinite(mine) and math.isfinite(theirs) else 0.0
        out.append(
            Decision(
                tr("open {}", line.label or line.id), turns[0][0], best, cost if abs(cost) > WORTH else 0.0
            )
        )
    shutting = shutting_of(shop)
    if shutting is not None:
        worth = shutting.drawn >= LEAST_DRAWN or shutting.dry > shop.job.rules.smallest_dry
        drawn, dry = (shutting.drawn, shutting.dry) if worth else (0.0, 0.0)
        out.append(Decision("shut the feeds", shutting.done, shutting.best, 0.0, drawn, dry))
    return tuple(out)


def _end(flow) -> float:  # type: ignore[no-untyped-def]
    return float(flow.fill_time) if flow.filled else math.inf


def _without(shop: Shop, line: str) -> float:
    """Return when the front would have passed a feed had it stayed shut [s]."""
    job = shop.true_job()
    lines = tuple(x.replaced(opens=AtTime(time=1e8)) if x.id == line else x for x in job.lines)
    flow = forecast(job.replaced(lines=lines), shop.resolution)
    of = next(x for x in shop.feeds if x.id == line)
    try:
        return max(min(flow.probe(*p).values(), default=math.inf) for p in of.path)
    except ValueError:
        return math.inf


def _practise(
    shop: Shop, found: tuple[Found, ...], decisions: tuple[Decision, ...], early: bool
) -> tuple[str, ...]:
    """Return at most three things to practise, what cost most first."""
    out = []
    if early:
        out.append(tr("Keep the vacuum until the youngest resin has gelled in the cup."))
    if shop.air_drawn_at is not None:
        out.append(tr("Mix the next batch before the bucket is at its heel; clamp before it sucks air."))
    if shop.lost > 0:
        out.append(tr("Feel the bucket every few minutes; small batches, and a tray when it warms."))
    words = {
        "test": tr("Prove the bag before resin is mixed, and long enough."), "scale": tr("Read both weights to each other before you stir."),
        "thermometer": tr("Measure the resin's warmth before it is mixed."), "zero": tr("Open the gauge to the air first: it must read today's air."),
        "hand": tr("Put a hand on bucket and clamps while resin runs."), "front": tr("Hold the front against the plan each minute, and ask why it is off."),
        "pump": tr("Dead-head the pump and hold it against what it is sold with."),
        "flange": tr("Prove the flange's vacuum before the cavity's, and look at its gauge until gel."),
    }  # fmt: skip
    out += [words[KINDS[f.fault.kind].shows] for f in found if f.noticed is None]
    worst = max(decisions, key=lambda d: d.cost, default=None)
    if worst is not None and worst.cost > 60:
        side = tr("Wait for the front before you") if worst.done < worst.best else tr("Be at hand to")
        out.append(f"{side} {worst.what}.")
    shut = next((d for d in decisions if d.what == "shut the feeds"), None)
    if shut is not None and shut.dry > 0:
        out.append(tr("Shut the feed only when all is wet through, the vent side last."))
    elif shut is not None and shut.drawn > 0.2:
        out.append(tr("Shut the feed when the last place is wet: from there resin only runs through."))
    return tuple(dict.fromkeys(out))[:3]
