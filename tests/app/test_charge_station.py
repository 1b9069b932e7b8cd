"""Charge by hand: batches scheduled, dragged and moved by keys, a slower front, the mixing card."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from tests.app.hand import LEFT, answered, choose, press, type_cell, type_into

from bibulon.core.resin.clock import viscosity_at
from bibulon.core.resin.dose import dose_of
from bibulon.core.run.mixing import mixed_steps


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
    answered(qtbot, station.scheduling, lambda: press(qtbot, station.side, "Schedule the batches"))
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
    assert view.schedule.batches[1].start == pytest.approx(start + 300, abs=12)
    assert petal.session.job.charge.starts is None  # seen while it moves, planned when it is let go
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


def test_the_mixing_card_turns_and_is_ticked_in_order(petal, station, qtbot):
    station.tabs.go("Mix")
    mix, view = station.mix, station.mix.view
    view.setFocus()
    assert mix.batch == 0
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert mix.batch == 1
    assert view.accessibleDescription().startswith("Batch 2 of 2; A  resin: not done")
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert mix.batch == 1
    qtbot.keyClick(view, Qt.Key.Key_Down)
    qtbot.keyClick(view, Qt.Key.Key_Space)
    assert "First: A  resin" in petal.message.text()
    type_into(qtbot, mix.by, "Ada")
    qtbot.keyClick(view, Qt.Key.Key_Up)
    qtbot.keyClick(view, Qt.Key.Key_Space)
    key = mix.steps[0].key
    assert mixed_steps(petal.session.journal)[key].by == "Ada"
    assert mix.figures.figures["steps done"].text.text().startswith("1 of")
    at = QPoint(40, round(view.card.tops[1] + view.card.tall[1] / 2))
    qtbot.mouseClick(view, LEFT, pos=at)
    assert len(mixed_steps(petal.session.journal)) == 2
    qtbot.mouseClick(view, LEFT, pos=at)
    assert set(mixed_steps(petal.session.journal)) == {key}


def test_an_order_that_lets_peroxide_meet_the_accelerator_is_told_and_not_ticked(petal, station, qtbot):
    station.tabs.go("Mix")
    choose(station.resin, "Curlew 33 vinyl ester, unpromoted")
    mix = station.mix
    assert [mix.order.item(k).text() for k in range(mix.order.count())][1] == "weigh in the accelerator"
    mix.order.setCurrentRow(2)
    press(qtbot, mix.side, "Later")
    assert petal.session.job.charge.order[1:3] == ("accelerator", "peroxide")
    assert "burn" in mix.trouble.text()
    mix.tick(0)
    assert mixed_steps(petal.session.journal) == {}
    assert "Do not mix" in petal.message.text()
    press(qtbot, mix.side, "Usual")
    assert petal.session.job.charge.order is None
    type_into(qtbot, mix.dose, "4")
    assert "Refused" in mix.dosed.text()


def test_peroxide_is_dosed_by_spoons_where_the_shop_does(petal, station, qtbot):
    """A teaspoon holds 4.93 mL: so many whole ones as come nearest, and their dose is what counts."""
    station.tabs.go("Mix")
    choose(station.resin, "Curlew 33 vinyl ester, unpromoted")
    mix = station.mix
    assert "mark" in mix.dosed.text()
    type_into(qtbot, mix.syringe, "1 tsp")
    dose = dose_of(petal.session.job.resin, petal.session.job.charge, mix.view.plan.batches[mix.batch].mass)
    spoons = round(dose.volume / 4.92892e-6)
    assert spoons > 2
    assert f"{spoons} of 4.9 mL, {spoons * 4.92892:.1f} mL in all" in mix.dosed.text()
    assert dose.mark == pytest.approx(spoons * 4.92892e-6, rel=1e-5)


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


def test_the_warm_side_is_picked_by_viscosity_by_keys_and_by_hand(petal, station, qtbot):
    page, view = station.warm, station.warm.view
    answered(qtbot, page.ask, lambda: station.tabs.go("Warm side"))
    before = view.pick
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view.pick == pytest.approx(before + 0.5)
    qtbot.mousePress(view, LEFT, pos=QPoint(round(view.sheet.x(299.15)), 60))
    qtbot.mouseMove(view, QPoint(round(view.sheet.x(301.15)), 60))
    qtbot.mouseRelease(view, LEFT, pos=QPoint(round(view.sheet.x(301.15)), 60))
    assert view.pick == pytest.approx(301.15, abs=0.1)
    assert petal.session.job.conditions.resin_temperature == pytest.approx(295.15)
    type_into(qtbot, page.wanted, "180 mPas")
    thin = viscosity_at(petal.session.job.resin, view.pick)
    assert thin == pytest.approx(0.18, rel=0.01)
    press(qtbot, page.side, "Plan with this temperature")
    assert petal.session.job.conditions.resin_temperature == pytest.approx(view.pick)
    type_into(qtbot, page.wanted, "1e-9 mPas")
    assert petal.message.isVisible()


def test_over_the_sheets_limit_the_warm_side_cannot_be_planned_with(petal, station, qtbot):
    choose(station.resin, "Curlew 31 vinyl ester")
    answered(qtbot, station.warm.ask, lambda: station.tabs.go("Warm side"))
    station.warm.view.move_to(311.0)
    assert station.warm.take.isEnabled()
    station.warm.view.move_to(315.0)
    assert not station.warm.take.isEnabled()
    assert "does not let" in station.warm.words.text()


def test_drums_and_weighed_facts_are_noted_and_wrong_ones_refused(petal, station, qtbot):
    station.tabs.go("Store")
    store = station.store
    press(qtbot, store.side, "Add a drum")
    assert petal.session.job.charge.drums[0].part == "A"
    type_cell(store.table, 0, 1, "5 kg")
    type_cell(store.table, 0, 2, "2026-06-30")
    type_cell(store.table, 0, 3, "red drum")
    drum = petal.session.job.charge.drums[0]
    assert (drum.mass, drum.use_by, drum.label) == (5.0, "2026-06-30", "red drum")
    type_into(qtbot, store.day, "2026-11-25")
    assert petal.session.job.charge.day == "2026-11-25"
    for column, text in ((0, "C"), (1, "many"), (1, "-3 kg"), (2, "tomorrow")):
        before = petal.session.job
        type_cell(store.table, 0, column, text)
        assert petal.session.job == before
        assert petal.message.isVisible()
    type_into(qtbot, store.day, "25.11.")
    assert store.day.text() == "2026-11-25"
    type_into(qtbot, store.left, "0.3 kg, 500 g")
    assert petal.session.job.charge.leftovers == (0.3, 0.5)
    type_into(qtbot, store.left, "-1 kg")
    assert petal.session.job.charge.leftovers == (0.3, 0.5)
    type_into(qtbot, store.uptake, "900 g/m2")
    assert petal.session.job.charge.core_uptake == pytest.approx(0.9)
    press(qtbot, store.side, "Back to the library's figures")
    assert petal.session.job.charge.core_uptake is None
    store.table.choose(0, 0)
    press(qtbot, store.side, "Remove")
    assert petal.session.job.charge.drums == ()


def test_the_reckoner_works_by_hand_and_out_of_the_palette(petal, station, qtbot):
    page = station.reckon
    answered(qtbot, page.ask, lambda: (station.tabs.go("Reckoner"), page.list.setCurrentRow(1)))
    assert page.row.name == "dose"
    assert page.answers["volume_ml"] == pytest.approx(4.0 * 0.015 / 1150 * 1e6)
    answered(qtbot, page.ask, lambda: type_into(qtbot, page.fields["dose"], "9 %"))
    assert "dose is from" in page.problem.text()
    assert not page.copy.isEnabled()
    petal.go(0)
    palette = petal.palette_panel
    palette.open()
    palette.field.setText("12 kg 100:27")
    assert palette.list.item(0).text().startswith("mix: mass_a_kg 9.449")
    answered(qtbot, page.ask, lambda: qtbot.keyClick(palette.field, Qt.Key.Key_Return))
    assert petal.stations[petal.current] is station
    assert page.row.name == "mix"
    assert page.answers["mass_b_kg"] == pytest.approx(12 * 27 / 127)
    press(qtbot, page, "Copy as a line")
    assert "mix (total 12 kg, ratio 100:27): mass_a_kg 9.449" in QGuiApplication.clipboard().text()
    palette.open()
    palette.field.setText("26 inHg at 1400 m")
    assert "deeper than today's air" in palette.list.item(0).text()
    palette.put_away()


def test_what_was_read_in_the_bucket_corrects_its_heat(petal, station, qtbot):
    page = station.heat
    answered(qtbot, page.ask, lambda: station.tabs.go("Bucket heat"))
    before = page.told.heat.life[0]
    type_into(qtbot, page.reading, "40 °C")
    answered(qtbot, page.ask, lambda: type_into(qtbot, page.read_at, "12 min"))
    assert "by what was read in the bucket" in page.words.text()
    assert page.told.heat.life[0] < before
    assert not page.by_sheet.isEnabled()
    answered(qtbot, page.ask, lambda: press(qtbot, page, "Forget it"))
    assert page.told.heat.life[0] == pytest.approx(before)


def test_the_air_of_the_day_is_said_once_for_drive_gauge_and_new_jobs(petal, qtbot):
    charge, prove = petal.station("Charge"), petal.station("Prove")
    petal.go_to("Charge")
    type_into(qtbot, charge.fields["Air today"], "990 mbar at 1000 m")
    air = petal.session.job.conditions.atmosphere
    assert air == pytest.approx(89_870.0 * 990 / 1013.25, rel=3e-4)
    assert "no gauge goes deeper than 87.8 kPa" in petal.message.text()
    petal.go_to("Prove")
    panel = prove.panel
    assert panel.air.text() == "878 mbar"
    assert "today's air 878 mbar" in prove.test.head.deepest.text()
    type_into(qtbot, panel.air, "940 mbar")
    assert petal.session.job.conditions.atmosphere == 94_000.0
    type_into(qtbot, panel.air, "9000 m")
    assert "a shop's height lies between" in petal.message.text()
    assert petal.session.job.conditions.atmosphere == 94_000.0
    petal.session.edit("x", lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=90_000.0)))
    type_into(qtbot, panel.air, "850 mbar")  # under the vacuum
    assert "above today's air" in petal.message.text()
    assert panel.air.text() == "940 mbar"
    petal.session.new()
    assert petal.session.job.conditions.atmosphere == 94_000.0  # the shop stays where it is
    petal.session.settings.setValue("shop/air", "nonsense")
    petal.session.new()
    assert petal.session.job.conditions.atmosphere == 101_325.0


def test_a_mould_that_is_warmer_than_the_resin_quickens_the_fill_and_is_as_the_resin_again(petal, qtbot):
    petal.go_to("Charge")
    field = petal.station("Charge").fields["Mould"]
    before = petal.session.outlook.forecast.fill_time
    assert field.text() == ""
    assert field.placeholderText() == "as the resin"
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, field, "35 °C")
    assert petal.session.job.conditions.mould_temperature == pytest.approx(308.15)
    assert petal.session.outlook.forecast.fill_time < before
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert petal.session.job.conditions.mould_temperature is None
    type_into(qtbot, field, "hot")
    assert petal.session.job.conditions.mould_temperature is None
    assert field.property("wrong") == "true"
