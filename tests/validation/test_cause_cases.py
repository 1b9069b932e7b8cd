"""What an experienced hand looks for first when a part comes out with a fault, written down before the program was asked."""

from __future__ import annotations

from functools import cache

import pytest
from tests.validation import layouts as shop

from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.model.bag import Bridge
from bibulon.core.series.causes import likely_causes


@cache
def made(name):
    job = {
        "plain": shop.job,
        "rim without a vent": lambda: shop.perimeter_in(vent=False),
        "rim with a vent": lambda: shop.perimeter_in(vent=True),
        "inside corner": lambda: shop.cornered("inside", 0.006),
        "outside corner": lambda: shop.cornered("outside", 0.006),
        "cored": lambda: shop.cored(30.0),
        "vinyl ester, hard vacuum": lambda: shop.deep("vinylester", 500.0),
        "vinyl ester, held back": lambda: shop.deep("vinylester", 12_000.0),
        "bridge left": lambda: _bridged(),
    }[name]()
    return job, forecast(job, Resolution(500, 1, 10))


def _bridged():
    job = shop.cornered("inside", 0.006)
    return job.replaced(bag=job.bag.replaced(bridges=(Bridge(id="B1", x=0.4, y=0.25),)))


# what is told, which part, what was found, where [m], bag leaks?, what comes first, what must not stand above the last
ROWS = [
    ("dry in the middle of a part fed at its rim, no vent: shut in", "rim without a vent", "dry", (0.0, 0.0), False, ("pocket", "no resin could come")),
    ("dry beside the vent of the same part: wet last", "rim with a vent", "dry", (0.02, 0.0), False, ("wet last", "pocket")),
    ("dry at the far edge, by the vacuum: wet last", "plain", "dry", (0.99, 0.25), False, ("wet last",)),
    ("dry in the first third, where resin came early: a hand clamped too soon", "plain", "dry", (0.3, 0.25), False, ("clamped early",)),
    ("pores all over, and the bag had failed its test: the leak", "plain", "porous", (0.5, 0.25), True, ("leak",)),
    ("pinholes with a tight bag by a feed: air in the feed", "plain", "pinholes", (0.03, 0.25), False, ("feed",)),
    ("pores by the vacuum with vinyl ester drawn as hard as the pump can: boiled", "vinyl ester, hard vacuum", "porous", (0.99, 0.25), False, ("boiled", "wet last")),
    ("rich under the feed", "plain", "rich", (0.03, 0.25), False, ("under the feed",)),
    ("rich in an inside corner: cloth not down", "inside corner", "rich", (0.4, 0.25), False, ("in the corner",)),
    ("bridged in an inside corner: cloth or film not down", "inside corner", "bridged", (0.4, 0.25), False, ("in the corner",)),
    ("bridged where a bridge was pinned at draw down", "bridge left", "bridged", (0.41, 0.25), False, ("found and left",)),
    ("wrinkled over an outside corner: cloth too short round it", "outside corner", "wrinkled", (0.4, 0.25), False, ("round the corner",)),
    ("wrinkled on the flat: film too short, or slid", "plain", "wrinkled", (0.5, 0.25), False, ("film too short",)),
    ("a race mark along the corner: a path ran ahead", "inside corner", "race mark", (0.41, 0.25), False, ("path",)),
    ("print-through on the flat, no core near: hot, or green", "plain", "print-through", (0.5, 0.25), False, ("hot cure",)),
    ("rich on the flat, far from all lines: a ply left out, or a fold", "plain", "rich", (0.5, 0.25), False, ("plies left out",)),
]  # fmt: skip


@pytest.mark.parametrize(
    ("part", "kind", "at", "leak", "first"), [r[1:] for r in ROWS], ids=[r[0] for r in ROWS]
)
def test_what_is_looked_for_first(part, kind, at, leak, first):
    job, flow = made(part)
    told = likely_causes(job, flow, kind, *at, leak=leak)
    assert any(word in told[0].words for word in first), [c.words for c in told]


def test_a_vacuum_that_was_held_back_for_styrene_is_not_blamed_for_boiling():
    job, flow = made("vinyl ester, held back")
    told = [c.words for c in likely_causes(job, flow, "porous", 0.99, 0.25)]
    assert not any("boiled" in words for words in told)
