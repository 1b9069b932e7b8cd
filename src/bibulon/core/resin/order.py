"""In what order a batch is put together: an accelerator and a peroxide never meet before one is stirred in."""

from __future__ import annotations

from itertools import pairwise

from bibulon.core.model.job import Adding, ChargePlan
from bibulon.core.model.materials import Resin
from bibulon.core.units.words import tr

__all__ = ["ADDING", "order_of", "order_troubles", "usual_order"]

ADDING: dict[Adding, str] = {
    "resin": "weigh the resin", "accelerator": "weigh in the accelerator", "peroxide": "dose the peroxide",
    "hardener": "weigh in the hardener", "stir": "stir, scraping walls and floor",
}  # fmt: skip
MEET = "peroxide and accelerator meet unmixed: that can burn or burst"


def usual_order(resin: Resin) -> tuple[Adding, ...]:
    """Return the order that is safe: the accelerator is stirred into the resin before any peroxide comes near."""
    if resin.cures == "hardener":
        first: tuple[Adding, ...] = ("resin", "hardener") if resin.parts_b_per_100 else ("resin",)
        if resin.accelerator_per_100:
            first = ("resin", "accelerator", "stir", *first[1:])
        return (*first, "stir")
    if resin.accelerator_per_100:
        return ("resin", "accelerator", "stir", "peroxide", "stir")
    return ("resin", "peroxide", "stir")


def order_of(resin: Resin, plan: ChargePlan) -> tuple[Adding, ...]:
    """Return the order as set by hand, or the usual one."""
    return plan.order or usual_order(resin)


def order_troubles(order: tuple[Adding, ...], resin: Resin) -> list[str]:
    """Say what is wrong with an order; nothing when it is sound."""
    found = []
    here = [step for step in order if step != "stir"]
    for one, next_ in pairwise(order):
        if {one, next_} == {"accelerator", "peroxide"}:
            found.append(MEET)
    if "resin" in here and here[0] != "resin" and MEET not in found:
        found.append(tr("the resin does not come first"))
    for step in dict.fromkeys(s for s in usual_order(resin) if s != "stir"):
        if step not in here:
            found.append(tr("it lacks: {}", ADDING[step]))
    if order and order[-1] != "stir":
        found.append(tr("what is added last is not stirred in"))
    return found
