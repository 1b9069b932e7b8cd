"""A shop that follows the rows of a board: valves as they were turned, batches as they were poured, looks as they were taken."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.geometry.zones import regions
from bibulon.core.plans.rehearsal.after_full import parted_at
from bibulon.core.plans.rehearsal.crews import COLD, RATIO, WEAK, ZERO, Noticed
from bibulon.core.plans.rehearsal.faults import KINDS
from bibulon.core.plans.rehearsal.shop import Mixed, Shop
from bibulon.core.run.journal import Entry, stamped_of
from bibulon.core.units.words import tr

__all__ = ["LOOKS", "Seen", "follow", "heard", "look"]

TANK = 1.5  # times the shot that stands in a machine's tanks
STOPS = {"ratio": "ratio", "kink": "filter"}  # what a machine says of a fault that it stops for
QUIET = 0.1  # of a leak test that nobody hears

LOOKS = {
    "bucket": tr("Feel the bucket"), "hoses": tr("Look along the hoses"), "zero": tr("Gauge in air"), "pump": tr("Dead-head the pump"), "bag": tr("Test the bag"),
    "listen": tr("Listen along the bag"), "scale": tr("Weigh again"), "warmth": tr("Resin's warmth"), "front": tr("Front against plan"),
    "flange": tr("Gauge on the flange"),
}  # fmt: skip


class Seen(Struct, frozen=True, eq=False):
    """What can be seen at a moment: when places showed wet through the bag [s], inf where they do not yet; kg in the bucket;
    what happened by itself since the last look.
    """

    time: float
    wet: npt.NDArray[np.float64]
    bucket: float
    happened: tuple[str, ...]


def follow(shop: Shop, rows: Sequence[Entry], now: float, noticed: Noticed | None = None) -> Seen:
    """Let a shop live through rows that are new to it, in order, and on to a moment [s]; return what is seen then.

    What an injection machine stops for counts as noticed.
    """
    before, since = len(shop.acts), shop.now
    shop.vacuums = shop.vacuums or {}  # a hand moves them, not the plan
    left = list(shop.batches())[len(shop.mixed) :]
    for row in rows:
        if row.kind in ("shot", "machine", "shot-ended"):
            _inject(shop, row, noticed)
        elif row.kind in ("open", "shut", "turned", "batch", "stop"):
            if shop.began and row.clock > shop.now:
                shop.advance(row.clock - shop.now)
            line = str(row.data.get("line", ""))
            if any(x.id == line and x.role == "vacuum" for x in shop.job.lines):
                moved = stamped_of(row)
                shop.move_vacuum(line, moved.share, moved.pressure)
            elif row.kind == "open" and any(x.id == line for x in shop.feeds):
                if not shop.mixed:
                    shop.mixed.append(Mixed(shop.now, left.pop(0) if left else 1.0))
                shop.open(line)
            elif row.kind == "shut":
                shop.shut(line)
            elif row.kind == "batch" and left:
                shop.mixed.append(Mixed(shop.now, left.pop(0)))
            elif row.kind == "stop":
                shop.release()
    if shop.began and now > shop.now:
        shop.advance(now - shop.now)
    wet = np.full(len(shop.plan.model.node_at), np.inf)
    if shop.began:
        flow = shop.truth()
        top = np.where(flow.model.node_at >= 0, flow.wet_at, np.inf).min(axis=1)
        wet = np.where(top <= shop.now, top, np.inf)
    by_itself = [
        tr("{}; the feeds are shut", a.what)
        for a in shop.acts[before:]
        if a.what.startswith(("the bucket", "the machine"))
    ]
    parted = parted_at(shop)
    if parted is not None and since < parted <= shop.now:
        by_itself.append(tr("the halves part, resin stands in the seals"))
    return Seen(shop.now, wet, shop.bucket, tuple(by_itself))


def _inject(shop: Shop, row: Entry, noticed: Noticed | None) -> None:
    """Live through a row of an injection machine: its shot opens the inlets, its end shuts them."""
    if row.kind == "shot":
        if not shop.began:
            shop.injecting = row.run
            shop.mixed.append(Mixed(shop.now, TANK * float(row.data.get("mass", 0.0))))
            for feed in shop.feeds:
                shop.open(feed.id)
        return
    if row.run != shop.injecting:
        return
    shop.advance(max(row.clock - shop.now, 0.0))
    if row.kind == "shot-ended":
        why = str(row.data.get("text", ""))
        kind = next((k for k, words in STOPS.items() if words in why), None)
        if noticed is not None and kind is not None and shop.has(kind):
            noticed.see(shop, kind)
        shop.shut_all(tr("the machine is done") if why == "full" else tr("the machine stopped: {}", why))


def heard(shop: Shop) -> float | None:
    """Return from where a leak hisses, −1 at the left end of the part to 1 at the right; None where it is quiet."""
    fault = next((f for f in shop.hidden.faults if f.kind == "leak"), None)
    if fault is None or fault.place is None or shop.test_rise() <= QUIET:
        return None
    low, _, high, _ = regions(shop.job.part).whole.bounds
    return float(min(max(2 * (fault.place[0] - low) / max(high - low, 1e-9) - 1, -1.0), 1.0))


def look(shop: Shop, noticed: Noticed, which: str) -> str:
    """Look at one thing; return what is found, in a sentence.  What can be mended is mended.

    Raises
    ------
    KeyError : when there is no such look.
    """
    plan = shop.job.conditions
    off = {
        "bucket": ("hot", shop.bucket_is_warm), "zero": ("gauge", lambda: abs(shop.reads_air() - plan.atmosphere) > ZERO),
        "pump": ("pump", lambda: shop.gauge() > plan.vacuum + WEAK), "bag": ("leak", lambda: shop.test_rise() > 0.1),
        "flange": ("flange", lambda: shop.flange() > shop.job.closed.flange + WEAK),
        "scale": ("ratio", lambda: abs(shop.weighed_ratio()) > RATIO), "warmth": ("cold", lambda: shop.resin_reads() < plan.resin_temperature - COLD),
    }  # fmt: skip
    if which == "hoses":
        for kind, there in (("kink", shop.hose_is_kinked), ("clamp", shop.hose_drips)):
            if there():
                noticed.see(shop, kind)
                return tr("Found: {0}; {1}.", KINDS[kind].words, KINDS[kind].mends)
        return tr("The hoses are as they should be.")
    if which == "flange" and shop.job.process == "infusion":
        return tr("This part lies under a bag: there is no flange to read.")
    if which == "listen":
        pan = heard(shop)
        if pan is None:
            return tr("Listen along the bag: it is quiet.")
        noticed.see(shop, "leak")
        side = (
            tr("from the left")
            if pan < -0.33
            else tr("from the right")
            if pan > 0.33
            else tr("from the middle")
        )
        return tr("Found: a hiss {0}; {1}.", side, KINDS["leak"].mends)
    if which == "front":
        seen, planned = shop.seen_share(), shop.planned_share()
        noticed.off_plan(shop, ("path",) if seen > planned else ("slow", "bridge"))
        return tr("{0:.0f} % is wet to see, {1:.0f} % by the plan.", seen * 100, planned * 100)
    kind, there = off[which]
    if not there():
        left = tr("; {:.1f} kg in it", max(shop.bucket, 0.0)) if which == "bucket" else ""
        return tr("{0}: nothing out of order{1}.", LOOKS[which], left)
    noticed.see(shop, kind)
    return tr("Found: {0}; {1}.", KINDS[kind].words, KINDS[kind].mends)
