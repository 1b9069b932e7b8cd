"""What the trade knows of the hold, written down before the program was asked: who bleeds, who thins, who stays rich."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from tests.validation import layouts as shop

from bibulon.core.findings.fronts import LEAVES, packs_before_gel
from bibulon.core.findings.judge import evidence_of
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.flow.hold import bleeding_of, hold_of
from bibulon.core.model.job import MeshExtent
from bibulon.core.model.materials import CastroMacosko

ROUGH = Resolution(500, 1, 10)


def _viscosity(job, factor):
    law = job.resin.viscosity
    assert isinstance(law, CastroMacosko)
    return job.replaced(resin=job.resin.replaced(viscosity=law.replaced(mu0=law.mu0 * factor)))


def _meshed_to(x):
    return shop.job(mesh=MeshExtent(material="net-green", outline=shop.box(0, 0, x, shop.WIDE)))


@cache
def held(name, way="run", after=0.0, to=0.0):
    job = {
        "plain": shop.job, "short break": lambda: _meshed_to(shop.LONG - 0.03), "long break": lambda: _meshed_to(shop.LONG - 0.12),
        "thin resin": lambda: _viscosity(shop.job(), 0.5), "thick resin": lambda: _viscosity(shop.job(), 2.0), "membrane": lambda: shop.job(lines=(shop.feed(), shop.vacuum(membrane=True))),
    }[name]()  # fmt: skip
    flow = forecast(job, ROUGH)
    return flow, hold_of(flow, way, after, to)


def end(name, x, moment=-1, **how):
    """Mean fibre share of the tenth of the panel at x [m]."""
    flow, hold = held(name, **how)
    near = np.abs(flow.model.mesh.points[:, 0] - x) < 0.1
    return float(np.nanmean(hold.share[moment][near]))


def test_full_it_is_rich_at_the_feed_and_packed_at_the_vacuum():
    assert end("plain", 0.0, 0) < end("plain", 0.5, 0) < end("plain", 1.0, 0)


def test_with_the_vacuum_on_the_whole_of_it_packs_until_gel():
    _, hold = held("plain")
    assert hold.ends(-1)[1] > hold.ends(0)[1]
    assert hold.bled[-1] > 0


def test_shut_with_the_feed_the_feed_end_gives_to_the_far_end():
    assert end("plain", 0.0, way="shut") > end("plain", 0.0, 0, way="shut")
    assert end("plain", 1.0, way="shut") < end("plain", 1.0, 0, way="shut")


@pytest.mark.parametrize(
    ("sooner", "later"), [("short break", "plain"), ("plain", "long break"), ("thin resin", "plain")]
)
def test_a_short_break_and_thin_resin_are_even_sooner(sooner, later):
    """On this small panel all that is over has bled by gel: what differs is how long it takes."""
    took = [hold.even_at - hold.time[0] for _, hold in (held(sooner), held(later))]
    assert took[0] < took[1]


def test_a_throttled_vacuum_bleeds_less_and_leaves_it_richer():
    run, throttled = held("plain")[1], held("plain", "throttled", 0.0, 50_000.0)[1]
    assert throttled.bled[-1] < run.bled[-1]
    assert throttled.ends(-1)[1] < run.ends(-1)[1]


def test_through_a_membrane_nothing_bleeds():
    assert abs(held("membrane")[1].bled[-1]) < 1e-6


def test_a_feed_left_open_for_long_leaves_less_time_to_pack():
    assert held("plain", after=1200.0)[1].ends(-1)[1] < held("plain")[1].ends(-1)[1]


@pytest.mark.parametrize(
    ("name", "rich"),
    [
        ("plain", False),
        ("short break", False),
        ("long break", False),
        ("thin resin", False),
        ("thick resin", True),
    ],
)
def test_a_part_that_gels_before_it_is_pressed_is_told_and_one_that_packs_is_not(name, rich):
    """What leaves by one solution at full, against the whole course: near it where little leaves, over it where all does."""
    flow, hold = held(name)
    over, leaves = bleeding_of(flow)
    assert (leaves < LEAVES * over) == rich
    assert [f.key for f in packs_before_gel(evidence_of(flow.job, flow))] == (["rich-at-gel"] if rich else [])
    bled = float(hold.bled[-1])
    assert bled == pytest.approx(min(leaves, over), rel=0.1)
    packed = hold.ends(-1)[1] > hold.planned - 0.01
    assert packed != rich
