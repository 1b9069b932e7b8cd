"""What became of the part once it was full: when its feeds were shut, how full of fibre it is at gel, and whether the halves held.

A bag settles as in ``flow.hold``; a closed mould keeps its gap as long as what holds it shut is more than what opens it.
"""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast, forecast
from bibulon.core.flow.hold import hold_of
from bibulon.core.mould.closing import closing_of
from bibulon.core.plans.rehearsal.shop import SHUT, Shop

__all__ = ["Settled", "Shutting", "parted_at", "settled_of", "shutting_of"]


class Settled(Struct, frozen=True):
    """Fibre by volume at gel, or when the vacuum was let go: of the least, the mean and the densest place; and what the plan's bag gives."""

    low: float
    mean: float
    high: float
    planned: float


class Shutting(Struct, frozen=True):
    """When the last feed was shut, when it had best been [s]; what was drawn after it was full [kg], what was left dry [m²]."""

    done: float
    best: float
    drawn: float
    dry: float


def shut_at(shop: Shop) -> float | None:
    """Return when the last feed was shut by hand [s]; None while one is open, or before any was."""
    if not shop.began or any(shop.is_open(x.id) for x in shop.feeds):
        return None
    return max(turns[-1][0] for turns in shop.turns.values())


def settled_of(shop: Shop) -> Settled | None:
    """Return what an infused part has become; None for one that is dry somewhere, or lies between two hard faces."""
    done = shut_at(shop)
    if done is None or shop.job.process != "infusion":
        return None
    truth = shop.truth()
    if not truth.filled:
        return None
    hold = hold_of(truth, "run", max(done - truth.fill_time, 0.0))
    until = shop.released_at if shop.released_at is not None else math.inf
    low, mean, high = hold.ends(hold.at(min(until, float(hold.time[-1]))))
    return Settled(low, mean, high, hold.planned)


def shutting_of(shop: Shop) -> Shutting | None:
    """Return the shutting of the feeds beside the moment at which the part was full, or would have been."""
    done = shut_at(shop)
    if done is None:
        return None
    open_on = _left_open(shop)
    if not open_on.filled:
        return None
    best = float(open_on.fill_time)
    late = max(done - best, 0.0)
    dry = 0.0 if done >= best else shop.truth().dry_area
    return Shutting(done, best, late * _rate(open_on), dry)


def _left_open(shop: Shop) -> Forecast:
    """Return the shot as it would have gone had the feeds stayed open that were."""
    job = shop.true_job()
    lines = []
    for line in job.lines:
        turns = line.turns
        if line.role == "feed" and turns and (turns[-1].share or 0.0) <= max(SHUT, shop.rest):
            line = line.replaced(turns=turns[:-1])
        lines.append(line)
    return forecast(job.replaced(lines=tuple(lines)), shop.resolution)


def _rate(flow: Forecast) -> float:
    """Return what is drawn from the bucket when the part is full [kg/s]: from there it runs through to the vacuum."""
    frames = flow.history.frames
    time, fed = np.array([f.time for f in frames]), np.array([sum(f.fed) for f in frames])
    end = flow.fill_time
    span = max(0.05 * end, 1.0)
    return float(np.interp(end, time, fed) - np.interp(end - span, time, fed)) * flow.density / span


def parted_at(shop: Shop) -> float | None:
    """Return when the halves of a closed mould part [s]: from then on more opens it than holds it shut; None where they hold."""
    if shop.job.process == "infusion" or not shop.began:
        return None
    truth = shop.truth()
    closing = closing_of(truth.job, truth)
    over = np.flatnonzero(closing.factor < 1.0)
    return float(closing.time[over[0]]) if len(over) else None
