"""Charge by hand: batches scheduled, dragged and moved by keys, a slower front, the mixing card."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import LEFT, answered, choose, press, type_into


@pytest.fixture
def station(petal):
    petal.go([s.name for s in petal.stations].index("Charge"))
    return petal.station("Charge")


def bar(view, batch):
    """Where a batch's bar is taken hold of."""
    sheet = view.sheet
    b = sheet.schedule.batches[batch]
    return QPoint(round(sheet.x(b.start) + 12), round(sheet.rows + 25 * batch + 10))


def test_the_page_opens_on_the_draw_and_tells_the_same_as_the_rail(petal, station):
    view = station.page.view
    assert view.sheet is not None
    assert "8.84 kg to mix." in view.accessibleDescription()
    assert station.row(petal.session.job, petal.session.outlook).figure == "8.84 kg · 2"
    assert station.figures.figures["batches"].text.text() == "2"
    assert view.schedule.draw.end == petal.session.outlook.forecast.fill_time


def test_batches_are_scheduled_by_one_press_and_undo_takes_it_back(petal, station, qtbot):
    before = petal.session.job
    type_into(qtbot, station.own["reserve"], "1 kg")
    press(qtbot, station.side, "Schedule the batches")
    job = petal.session.job
    assert job.charge.count == len(station.page.view.schedule.batches)
    assert job.charge.starts is None
    assert station.page.view.schedule.troubles == ()
    while petal.session.job != before:
        petal.session.undo_stack.undo()


def test_a_batch_is_dragged_later_until_the_bucket_is_at_its_heel(petal, station, qtbot):
    view = station.page.view
    start = view.schedule.batches[1].start
    grip = bar(view, 1)
    later = view.sheet.x(start + 300) - view.sheet.x(start)
    end = grip + QPoint(round(later), 0)
    qtbot.mousePress(view, LEFT, pos=grip)
    assert view.chosen == 1
    qtbot.mouseMove(view, end)
    qtbot.mouseRelease(view, LEFT, pos=end)
    assert petal.session.job.charge.starts[1] == pytest.approx(start + 300, abs=12)
    assert "the bucket is at its heel" in station.page.words.text()
    qtbot.waitUntil(
        lambda: any(f.kind == "batch-heel" for f in petal.session.outlook.findings), timeout=30_000
    )
    found = next(f for f in petal.session.outlook.findings if f.kind == "batch-heel")
    petal.session.edit("Mend", found.remedy.apply)
    assert petal.session.job.charge.starts is None


def test_a_batch_is_moved_by_keys(petal, station, qtbot):
    view = station.page.view
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Down)
    qtbot.keyClick(view, Qt.Key.Key_Down)
    assert view.chosen == 1
    start = view.schedule.batches[1].start
    qtbot.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert petal.session.job.charge.starts[1] == pytest.approx(start - 15)
    assert view.schedule.batches[1].start == pytest.approx(start - 15)


def test_a_slower_front_draws_the_same_out_and_says_what_gets_too_old(petal, station, qtbot):
    end = station.page.view.schedule.draw.end
    press(qtbot, station.page, "50 %")
    assert station.page.view.schedule.draw.end == pytest.approx(1.5 * end)
    press(qtbot, station.page, "as forecast")
    petal.session.edit(
        "short life",
        lambda j: j.replaced(
            resin=j.resin.replaced(
                pot_life=1.2
                * (station.page.view.schedule.batches[1].gone - station.page.view.schedule.batches[1].start)
            )
        ),
    )
    assert "none too old" in station.page.words.text()
    press(qtbot, station.page, "100 %")
    assert "past its life" in station.page.words.text()


def test_the_mixing_card_turns_from_batch_to_batch(station, qtbot):
    station.tabs.go("Mix")
    station.mix.setFocus()
    assert station.mix.batch == 0
    qtbot.keyClick(station.mix, Qt.Key.Key_Right)
    assert station.mix.batch == 1
    assert station.mix.accessibleDescription() == "Batch 2 of 2"
    qtbot.keyClick(station.mix, Qt.Key.Key_Right)
    assert station.mix.batch == 1


def test_without_a_resin_the_page_says_what_is_missing(window, qtbot):
    window.session.new()
    window.go([s.name for s in window.stations].index("Charge"))
    page = window.station("Charge").page
    assert "Choose a resin" in page.view.problem
    assert page.view.sheet is None


def test_a_wrong_figure_is_refused_in_words(petal, station, qtbot):
    before = petal.session.job
    type_into(qtbot, station.own["scale_step"], "many")
    assert petal.session.job == before
    assert petal.message.isVisible()


def test_the_heat_of_the_first_batch_is_told_and_a_larger_one_is_warmer_sooner(petal, station, qtbot):
    page = station.heat
    answered(qtbot, page.ask, lambda: station.tabs.go("Bucket heat"))
    assert page.batch.text() == "4.42 kg"
    assert "Gels in the core after" in page.words.text()
    assert "meets 45:00 where the sheet says 45:00" in page.words.text()
    small = page.told.heat.gels(core=True)
    answered(qtbot, page.ask, lambda: type_into(qtbot, page.batch, "20 kg"))
    assert page.told.heat.gels(core=True) < small
    answered(qtbot, page.ask, lambda: choose(page.vessel, "a square tray"))
    assert petal.session.job.charge.vessel == "tray"
    assert page.told.heat.fill < 0.35
    before = page.told
    type_into(qtbot, page.batch, "lots")
    assert page.told is before
    assert petal.message.isVisible()


def test_a_resin_without_a_cure_law_says_so(petal, station, qtbot):
    station.tabs.go("Bucket heat")
    answered(qtbot, station.heat.ask, lambda: choose(station.resin, "Heron 12 infusion polyester"))
    assert "no cure law" in station.heat.words.text()
