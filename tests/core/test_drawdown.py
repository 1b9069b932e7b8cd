"""Draw-down: the list of a job, its gates, rows of the journal, and a bridge that stays."""

from __future__ import annotations

import time

import numpy as np
import pytest

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.library.demo import demo_job
from bibulon.core.lines.kit import kit_of, kit_rows
from bibulon.core.model.bag import Bridge
from bibulon.core.run.drawdown import (
    bridge_entry,
    bridges_found,
    draw_entry,
    draw_steps,
    drawn_steps,
    waiting,
)


@pytest.fixture(scope="module")
def steps():
    job = demo_job()
    return draw_steps(job, bag_of(job))


def test_the_list_is_made_for_the_job(steps):
    words = " ".join(s.words for s in steps)
    for label in ("F1 wrapped", "F2 wrapped", "V1 wrapped", "F1, F2 shut", "Closing pleat"):
        assert label in words
    assert [s.key for s in steps if s.gate] == ["tape-gate", "on-gate", "bridge-gate", "full-gate"]
    assert len({s.key for s in steps}) == len(steps)
    assert steps[-1].gate


def test_a_gate_waits_for_all_before_it(steps):
    assert [s.key for s in waiting(steps, {})][-1] == "tape-gate"
    journal = [draw_entry(s, s.words, "Ada", 100.0) for s in steps[:3]]
    due = waiting(steps, drawn_steps(journal))
    assert due[0].key == "fibres"
    assert due[-1].key == "on-gate"
    every = [draw_entry(s, s.words, "Ada", 100.0) for s in steps]
    assert waiting(steps, drawn_steps(every)) == []


def test_a_tick_taken_back_counts_no_more_and_stays_on_record(steps):
    rows = [draw_entry(steps[0], "x", "Ada", 1.0), draw_entry(steps[0], "x", "Ben", 2.0, done=False)]
    assert drawn_steps(rows) == {}
    assert drawn_steps([*rows, draw_entry(steps[0], "x", "Ben", 3.0)])["edge"].by == "Ben"
    assert [r.kind for r in rows] == ["drawn", "undrawn"]


def test_bridges_are_read_back():
    (found,) = bridges_found([bridge_entry("B1", 0.2, 0.35, "Ada", 5.0)])
    assert (found.id, found.x, found.y, found.when) == ("B1", 0.2, 0.35, 5.0)


def test_a_bridge_that_stays_takes_the_resin_of_its_gap():
    """Its volume, g π w²/4, comes on top of the network's, and is drawn from the bucket."""
    plain = demo_job()
    made = plain.replaced(
        bag=plain.bag.replaced(bridges=(Bridge(id="B1", x=0.6, y=0.75, width=0.3, gap=0.003),))
    )
    without, with_it = (forecast(j, COARSE) for j in (plain, made))
    more = with_it.model.network.volume.sum() - without.model.network.volume.sum()
    assert more == pytest.approx(0.003 * np.pi * 0.3**2 / 4, rel=1e-6)
    assert with_it.history.balance < 1e-7
    drawn = [f.resin_in_part + f.resin_in_lines for f in (without, with_it)]
    assert drawn[1] - drawn[0] == pytest.approx(more * with_it.density, rel=0.02)


def test_the_kit_has_all_that_is_used_up_and_what_the_shop_lacks():
    job = demo_job()
    bag = bag_of(job)
    items = {x.key: x for x in kit_of(job, bag)}
    assert {"peel-85", "film-perforated", "net-green", "film", "tape", "hose:F1", "tube:F2", "pots"} <= set(
        items
    )
    assert items["tape"].amount == pytest.approx(bag.tape.total)
    assert items["film"].amount == pytest.approx(bag.film.pulled)
    assert all(x.missing == 0 for x in items.values())
    short = job.replaced(bag=job.bag.replaced(tape_left=bag.tape.total - 2.0, laid_out=("peel-85",)))
    assert {x.key: x.missing for x in kit_of(short, bag) if x.missing} == {"tape": pytest.approx(2.0)}
    rows = kit_rows(short)
    assert rows[1][0] == "yes"
    double = job.replaced(bag=job.bag.replaced(school="double bag"))
    assert "breather" in {x.key for x in kit_of(double, bag_of(double))}


def test_what_is_done_before_a_run_stands_on_record_with_the_time_of_day(steps):
    row = draw_entry(steps[0], "Flange wiped clean", "Ada", 1_000_000.0)
    (told,) = journal_rows([row, bridge_entry("B1", 0.2, 0.35, "Ada", 1_000_060.0)][:1], demo_job(), "metric")
    assert told == (time.strftime("%H:%M", time.localtime(1_000_000.0)), "done", "Flange wiped clean")
    (pin,) = journal_rows([bridge_entry("B1", 0.2, 0.35, "Ada", 1_000_060.0)], demo_job(), "metric")
    assert pin[1:] == ("bag found bridging", "200, 350 mm")
