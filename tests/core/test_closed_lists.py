"""What paper says of a closed mould: hoses and pots and nothing of a bag, its vacuums, and how resin is let in."""

from __future__ import annotations

from pathlib import Path

import pytest
from tests.core.test_mould_findings import closed

from bibulon.core.bag.bag import bag_of
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.flow.forecast import Resolution
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.lines.kit import kit_of
from bibulon.core.lines.linelist import cuts, line_length
from bibulon.core.lines.words import valve_words
from bibulon.core.model.line_kinds import kind_of, kinds_of
from bibulon.core.model.lines import OnFront, ValveTurn
from bibulon.core.outlook.outlook import look_ahead
from bibulon.core.units.figures import worded
from bibulon.core.units.units import show
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


def card_of(job, system="metric"):
    """Return the words of a job's card, page after page, and its outlook."""
    found = look_ahead(job, Resolution(400, 1, 8), fine=True, drawn=False)
    pages = card_pages(job, found.evidence, found.findings, (), system)
    return [[x.text for x in p.items if isinstance(x, Label)] for p in pages], found


def words_of(job):
    """Return all words of its card."""
    return [words for page in card_of(job)[0] for words in page]


def test_the_card_says_how_the_mould_is_held_and_how_resin_is_let_in():
    pages, found = card_of(LID)
    at = next(p for p in pages if "Mould" in p)
    mould = found.evidence.mould
    c = mould.closing
    assert "900 mbar below the air" in at
    assert "553 mbar below the air" in at
    assert "1.50 L/min until 1040 mbar absolute" in at
    assert show(float(c.margin[c.worst]), "force", "metric") in at
    assert f"no more than {show(c.most_injection, 'pressure', 'metric')} absolute" in at
    assert f"lifts {show(mould.bow.most, 'thickness', 'metric')}" in at
    assert any("crushes" in words for words in at)  # the whole of it on one page, with its caution


def test_a_mould_fed_from_a_bucket_or_by_pressure_alone_says_so():
    drawn = closed(LID, injection=None)
    assert "drawn from an open bucket" in words_of(drawn)
    strong = closed(LID, machine=LID.closed.machine.replaced(rate=0.01))
    assert "1040 mbar absolute" in words_of(strong)
    assert "Mould" not in words_of(UNDER_A_BAG)


def test_all_that_is_done_with_a_valve_is_on_the_card():
    """Vacuum lines that are shut on the way were told as open throughout."""
    feed, vent = LID.lines
    shut = vent.replaced(
        shuts=OnFront(line="V1", delay=60.0, beyond=0.02),
        turns=(ValveTurn(when=OnFront(line="F1"), share=0.5, pressure=60_000.0),),
    )
    labels = {"F1": "F1", "V1": "V1"}
    assert valve_words(vent, labels) == "open throughout"
    told = worded(valve_words(shut, labels))
    assert told == (
        "50 % open when the front passes F1; to 600 mbar absolute when the front passes F1; "
        "shut when the front passes it by 20 mm + 1:00"
    )
    assert "by 0.79 in" in worded(valve_words(shut, labels), "us")
    assert worded(valve_words(feed.replaced(shuts=OnFront(line="V1")), labels)) == (
        "at 0:00; shut when the front passes V1"
    )
    words = words_of(LID.replaced(lines=(feed, vent.replaced(shuts=OnFront(line="V1", delay=60.0)))))
    assert "shut when the front passes it + 1:00" in words
    assert "open throughout" not in words


def test_the_card_and_the_line_list_tell_one_length(demo):
    line = demo.lines[0]
    assert show(line_length(demo, line), "distance", "metric") in words_of(demo)
