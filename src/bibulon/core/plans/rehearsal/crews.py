"""Crews that shoot a part without a window: a careful one, a careless one, and one that opens the first feed and walks away.

They know what anybody in the shop can know: what is seen, felt and read, never the shop's hidden faults.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from bibulon.core.model.lines import OnFront
from bibulon.core.plans.rehearsal.faults import KINDS
from bibulon.core.plans.rehearsal.shop import Shop
from bibulon.core.units.words import tr

__all__ = ["CREWS", "Noticed", "shoot"]

LOOK = 120.0  # s that a look before resin takes
TICK = 20.0  # s between two looks
LONGEST, AWAY = 6 * 3600.0, 1800.0  # s
BEHIND, AHEAD = 0.8, 1.25  # of the plan's wet share, at which a careful crew asks why
BAD_TEST = 0.1  # Pa/s
WEAK, ZERO = 4000.0, 1000.0  # Pa over the plan's vacuum; by which a gauge may be off in air
COLD, RATIO = 3.0, 0.03  # K under the plan; share by which part B may be off
AT_VENT = 1.1  # times the moment at which all is wet to see, until all is taken to be wet through


@dataclass
class Noticed:
    """What a crew has noticed: kind of fault, and when [s]."""

    when: dict[str, float] = field(default_factory=dict)

    def see(self, shop: Shop, kind: str) -> None:
        """Notice a fault, and mend it where it can be mended."""
        if kind not in self.when:
            self.when[kind] = shop.now
            if KINDS[kind].mends:
                shop.mend(kind)

    def off_plan(self, shop: Shop, kinds: tuple[str, ...]) -> None:
        """Notice that the front is off its plan: those of its causes that are there count as noticed, none is mended."""
        for fault in shop.hidden.faults:
            if fault.kind in kinds:
                self.when.setdefault(fault.kind, shop.now)


def shoot(shop: Shop, crew: str) -> Noticed:
    """Let a crew shoot the part; return what it noticed.

    Raises
    ------
    ValueError : when there is no such crew.
    """
    if crew not in CREWS:
        raise ValueError(tr("there is no crew “{0}”; there are {1}", crew, ", ".join(CREWS)))
    noticed = Noticed()
    CREWS[crew](shop, noticed)
    return noticed


def _first_feeds(shop: Shop) -> list[str]:
    opened = shop.plan.history.opened
    first = [x.id for x in shop.feeds if opened.get(x.id, math.inf) <= 1.0]
    return first or [shop.feeds[0].id]


def _careful(shop: Shop, noticed: Noticed) -> None:
    # Before resin: zero of the gauge, pump, leak test, thermometer, scale.
    plan = shop.job.conditions
    for kind, off in (
        ("gauge", lambda: abs(shop.reads_air() - plan.atmosphere) > ZERO), ("leak", lambda: shop.test_rise() > BAD_TEST),
        ("pump", lambda: shop.gauge() > plan.vacuum + WEAK), ("cold", lambda: shop.resin_reads() < plan.resin_temperature - COLD),
        ("ratio", lambda: abs(shop.weighed_ratio()) > RATIO), ("flange", lambda: shop.flange() > shop.job.closed.flange + WEAK),
    ):  # fmt: skip
        if kind == "flange" and shop.job.process == "infusion":
            continue
        shop.advance(LOOK)
        if off():
            noticed.see(shop, kind)
    left = list(shop.batches())
    shop.mix(left.pop(0))
    for line in _first_feeds(shop):
        shop.open(line)
    wet_to_see = None
    while shop.now < LONGEST:
        shop.advance(TICK)
        if shop.bucket_is_warm():
            noticed.see(shop, "hot")
        seen, planned = shop.seen_share(), shop.planned_share()
        if planned > 0.15 and seen < BEHIND * planned:
            if shop.hose_is_kinked():
                noticed.see(shop, "kink")
            noticed.off_plan(shop, ("slow", "bridge"))
        if planned > 0.15 and seen > AHEAD * planned:
            noticed.off_plan(shop, ("path",))
        _open_by_front(shop)
        _next_batch(shop, left)
        if wet_to_see is None and seen >= 0.999:
            wet_to_see = shop.now
        if wet_to_see is not None and (
            shop.job.process != "infusion" or shop.now >= wet_to_see * AT_VENT + 60
        ):
            break  # a hard vent shows resin at once, under a bag the cloth below lags
        if not any(shop.is_open(x.id) for x in shop.feeds) and not left:
            break
    shop.shut_all("all wet")
    if shop.hose_drips():
        noticed.see(shop, "clamp")
    _hold(shop, 1.0)


def _open_by_front(shop: Shop) -> None:
    """Open each further feed when the front has passed all of it."""
    for line in shop.feeds:
        if line.id not in shop.turns and all(shop.seen_wet(*p) for p in line.path):
            shop.open(line.id)


def _next_batch(shop: Shop, left: list[float]) -> None:
    """Mix the next batch while the one in the bucket still lasts."""
    if not left or shop.job.resin is None:
        return
    ahead = shop.job.resin.mixing_time + 60.0
    goes = shop.drawn(shop.now + ahead) - shop.drawn(shop.now)
    if shop.bucket - goes < shop.job.heel + shop.job.charge.reserve:
        shop.mix(left.pop(0))
        for line in list(shop.turns):  # air that the feed drew meanwhile is let out, then it runs on
            shop.open(line)


def _hold(shop: Shop, share: float) -> None:
    """Keep the vacuum on for a share of the time to gel of the youngest resin, then let go."""
    gel = shop.gel_of_last()
    if math.isfinite(gel):
        shop.advance(max(share * gel - shop.now, 0.0) + (60.0 if share >= 1 else 0.0))
    shop.release()


def _careless(shop: Shop, noticed: Noticed) -> None:
    shop.mix(sum(shop.batches()))
    for first in _first_feeds(shop):
        shop.open(first)
    opened = shop.plan.history.opened
    end = min(shop.plan.fill_time if shop.plan.filled else LONGEST / 2, LONGEST)
    while shop.now < end:
        shop.advance(TICK)
        for line in shop.feeds:
            early = 60.0 if isinstance(line.opens, OnFront) else 0.0
            if line.id not in shop.turns and shop.now >= opened.get(line.id, math.inf) - early:
                shop.open(line.id)
    shop.shut_all("by the clock")
    _hold(shop, 0.9)


def _idle(shop: Shop, noticed: Noticed) -> None:
    shop.mix(shop.batches()[0])
    shop.open(_first_feeds(shop)[0])
    shop.advance(AWAY)  # and then somebody shuts off the pump
    shop.release()


CREWS: dict[str, Callable[[Shop, Noticed], None]] = {
    "careful": _careful,
    "careless": _careless,
    "nothing": _idle,
}
