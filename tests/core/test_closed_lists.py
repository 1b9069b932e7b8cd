"""What is laid out, cut and fitted for a closed mould: hoses and pots, and nothing of a bag."""

from __future__ import annotations

from pathlib import Path

import pytest

from bibulon.core.bag.bag import bag_of
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.lines.kit import kit_of
from bibulon.core.lines.linelist import cuts
from bibulon.core.model.line_kinds import kind_of, kinds_of
from bibulon.store.exports.lists import LISTS, write_list

LID = mould_demo_job()
UNDER_A_BAG = LID.replaced(process="infusion")


def kit(job):
    return {x.key: x for x in kit_of(job, bag_of(job))}


def test_no_film_tape_or_tube_is_laid_out_between_two_halves():
    there, bagged = kit(LID), kit(UNDER_A_BAG)
    assert set(there) == {"hose:F1", "hose:V1", "hose:P1", "pots"}
    assert {"film", "tape", "tube:F1"} <= set(bagged)
    assert there["hose:F1"].amount == LID.lines[0].hose_length


def test_a_channel_of_the_mould_is_neither_cut_nor_paid_for():
    feed, vent, _ = cuts(LID)
    rates = LID.rates
    assert feed.kind.startswith("cut channel")
    assert vent.kind.startswith("point")
    assert (feed.cut, vent.cut) == (0.0, 0.0)
    assert feed.length == pytest.approx(3.18, abs=0.02)  # its way is told all the same
    assert feed.price == pytest.approx(0.8 * rates.hose + 2 * rates.fitting)  # a port and a clamp
    bagged = cuts(UNDER_A_BAG)[0]
    assert bagged.kind.startswith("spiral tube")
    assert bagged.cut == pytest.approx(feed.length + 0.10)


def test_a_line_is_what_the_mould_makes_of_it():
    feed, vent = LID.lines
    assert (kind_of(LID, feed), kind_of(LID, vent)) == ("cut channel", "point")
    assert kinds_of(LID, feed) == ["cut channel"]
    assert kinds_of(LID, vent) == ["point", "membrane"]
    assert kind_of(LID, vent.replaced(membrane=True)) == "membrane"
    assert kind_of(UNDER_A_BAG, feed) == "spiral tube"
    assert "braid" in kinds_of(UNDER_A_BAG, vent)


def test_nobody_walks_round_a_closed_mould_with_tape(tmp_path: Path):
    assert not LISTS["walk-round"].stands(LID)
    assert LISTS["walk-round"].stands(UNDER_A_BAG)
    with pytest.raises(ValueError, match="no bag"):
        write_list(LID, "walk-round", tmp_path / "walk.csv")
    assert list(tmp_path.iterdir()) == []
    for key, told in LISTS.items():
        if told.stands(LID):
            write_list(LID, key, tmp_path / f"{key}.csv")
            words = (tmp_path / f"{key}.csv").read_text(encoding="utf-8").lower()
            assert not [w for w in ("pleat", "film", "spiral", "tape") if w in words], key
