"""Mould by hand: it stands where Bag stands, its lane, stiffeners, bores, check list and recipe."""

from __future__ import annotations

import json
import socket

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QFileDialog
from tests.app.hand import LEFT, answered, choose, press, type_into
from tests.app.walk import alike, cut_off, unspoken

from bibulon.core.drawing.kit.tokens import DAY, NIGHT
from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.plans.ports import moved
from bibulon.core.plans.routes import compare
from bibulon.core.run import shots
from bibulon.core.run.loading import loaded_steps
from bibulon.core.run.shots import shots_of
from bibulon.devices.machine import PartResistance, SimulatedMachine
from bibulon.devices.registers import shipped_map
from bibulon.devices.served import Served
from bibulon.store.jobfile import load


@pytest.fixture
def lid(window, qtbot):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(mould_demo_job())
    window.go([s.name for s in window.stations].index("Mould"))
    return window.station("Mould")


def test_mould_stands_where_bag_stands(window, lid, qtbot):
    rows = {row.name: row for row in window.rail.rows}
    assert rows["Mould"].isVisible()
    assert not rows["Bag"].isVisible()
    assert rows["Mould"].number == rows["Bag"].number == 4
    assert rows["Record"].number == 9
    window.go(0)
    choose(window.station("Part").mould.process, "infusion") if hasattr(
        window.station("Part"), "mould"
    ) else window.session.edit("x", lambda j: j.replaced(process="infusion"))
    assert rows["Bag"].isVisible()
    assert not rows["Mould"].isVisible()
    window.actions_by_title["Go to Bag or Mould"].trigger()
    assert window.stations[window.current].name == "Bag"
    window.session.undo_stack.undo()
    assert window.stations[window.current].name == "Mould"


def test_the_lanes_hand_moves_the_moment_and_the_plan_follows(window, lid, qtbot):
    lane = lid.closing.lane
    at = QPoint(round(lane.lane.x(200.0)), 80)
    answered(qtbot, lid.closing.plan.ask, lambda: qtbot.mouseClick(lane, LEFT, pos=at))
    assert window.session.moment == pytest.approx(200.0, abs=3)
    assert lid.closing.plan.bow.time == window.session.moment
    before = window.session.moment
    answered(qtbot, lid.closing.plan.ask, lambda: qtbot.keyClick(lane, Qt.Key.Key_Right))
    assert window.session.moment > before
    answered(qtbot, lid.closing.plan.ask, lambda: qtbot.keyClick(lane, Qt.Key.Key_End))
    assert window.session.moment == pytest.approx(float(lane.lane.closing.time[lane.lane.closing.worst]))
    assert "lifts" in lid.closing.plan.accessibleDescription()


def test_figures_are_those_of_the_evidence(window, lid):
    mould = window.session.outlook.evidence.mould
    told = lid.closing.figures.figures
    c = mould.closing
    assert told["holds shut"].text.text() == f"{c.held[c.worst] / 1e3:.1f} kN"
    assert told["lifts at most"].text.text() == f"{mould.bow.most * 1e3:.2f} mm"
    assert (
        lid.row(window.session.job, window.session.outlook).figure
        == f"margin {float(c.margin.min()) / 1e3:.1f} kN"
    )


def test_vacuums_are_typed_in_words_and_wrong_ones_refused(window, lid, qtbot):
    page = lid.closing
    type_into(qtbot, page.vacuums["flange"], "85 kPa below")
    assert window.session.job.closed.flange == pytest.approx(101325 - 85e3, abs=1)
    type_into(qtbot, page.vacuums["injection"], "1.1 bar abs")
    assert window.session.job.closed.injection == pytest.approx(1.1e5)
    before = window.session.job
    type_into(qtbot, page.vacuums["flange"], "strong")
    assert window.session.job == before
    assert window.message.isVisible()


def test_stiffeners_are_laid_chosen_and_removed(window, lid, qtbot):
    page = lid.closing
    count = len(window.session.job.closed.upper.ribs)
    press(qtbot, page.side, "Along")
    ribs = window.session.job.closed.upper.ribs
    assert len(ribs) == count + 1
    (x0, y0), (x1, y1) = ribs[-1].path
    assert y0 == y1
    assert abs(x1 - x0) > 0.5
    assert len({r.id for r in ribs}) == len(ribs)
    page.ribs.setCurrentRow(0)
    assert page.plan.rib == ribs[0].id
    press(qtbot, page.side, "Remove")
    assert [r.id for r in window.session.job.closed.upper.ribs] == [r.id for r in ribs[1:]]


def test_skins_thicker_than_the_upper_half_are_refused_in_words(window, lid, qtbot):
    before = window.session.job
    type_into(qtbot, lid.closing.upper.fields["closed.upper.skin"], "6 mm")
    assert window.session.job == before
    assert "no core is left" in window.message.text()


def test_bores_are_tried_and_the_pick_is_taken(window, lid, qtbot):
    page = lid.channel
    assert not page.take.isEnabled()
    with qtbot.waitSignal(page.bar.ready, timeout=60_000):
        lid.tabs.go("Channel")  # by itself: a page answers its question
    assert len(page.view.rows) == 7
    picked = page.view.pick
    qtbot.keyClick(page.view, Qt.Key.Key_Right)
    assert page.view.pick.bore > picked.bore
    press(qtbot, page, "Take this bore")
    assert window.session.job.lines[0].bore == page.view.pick.bore
    assert len(page.view.rows) == 7  # all bores were tried: the one that is taken changes none
    with qtbot.waitSignal(page.bar.ready, timeout=60_000):
        press(qtbot, page, "Try bores")
    before = page.view.rows
    with qtbot.waitSignal(page.bar.ready, timeout=60_000):
        window.session.edit("x", lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=40_000.0)))
        assert page.view.rows == []  # they were of a plan with another vacuum
        assert page.figures.figures["wasted"].text.text() == "—"
    assert page.view.rows[-1].fill_time < before[-1].fill_time
    window.session.edit("x", lambda j: j.replaced(lines=()))
    press(qtbot, page, "Try bores")
    assert "no channel" in window.message.text()


def test_loading_is_ticked_in_order_with_its_gates(window, lid, qtbot):
    lid.tabs.go("Loading")
    page = lid.load
    type_into(qtbot, page.by, "Ada")
    keys = [s.key for s in page.steps]
    page.list.item(keys.index("flange")).setCheckState(Qt.CheckState.Checked)
    assert loaded_steps(window.session.journal) == {}
    assert "First:" in window.message.text()
    for k in range(keys.index("hands") + 1):
        page.list.item(k).setCheckState(Qt.CheckState.Checked)
    assert len(loaded_steps(window.session.journal)) == keys.index("hands") + 1
    assert "Flange at" in page.next.text()
    page.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert "wiped" not in loaded_steps(window.session.journal)


def test_the_recipe_is_shown_and_saved(window, lid, qtbot, tmp_path, monkeypatch):
    lid.tabs.go("Machine")
    page = lid.machine
    assert page.list.item(0).text().startswith("Recirculate")
    assert page.figures.figures["shot"].text.text().endswith("kg")
    path = tmp_path / "r.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    answered(qtbot, window.session.errands, lambda: press(qtbot, page.side, "Save as JSON…"))
    assert json.loads(path.read_text(encoding="utf-8"))["job"] == "Dust collector lid"
    type_into(qtbot, page.cycle.fields["closed.cycle.moulds"], "3")
    assert window.session.job.closed.cycle.moulds == 3
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "no" / "r.pdf"), ""))
    answered(qtbot, window.session.errands, lambda: press(qtbot, page.side, "Save as PDF…"))
    assert "was not written" in window.message.text()


def test_a_shot_runs_on_the_simulated_machine_and_trips_on_its_fault(window, lid, qtbot):
    lid.tabs.go("Machine")
    page = lid.machine
    choose(page.fault, "empty tank")
    page.shot.faster = 400.0
    rows = len(window.session.journal)
    press(qtbot, page.side, "Inject")
    assert page.shot.going
    assert not page.go.isEnabled()
    qtbot.waitUntil(lambda: not page.shot.going, timeout=30_000)
    assert "no resin comes" in page.shot.ended
    assert page.told.text().startswith("No resin comes")
    assert page.shot.machine.safe
    assert len(window.session.journal) == rows  # it is no record of a real shot


def test_the_emergency_stop_stops_at_once(window, lid, qtbot):
    lid.tabs.go("Machine")
    page = lid.machine
    press(qtbot, page.side, "Inject")
    qtbot.waitUntil(lambda: page.shot.time > 1, timeout=10_000)
    press(qtbot, page.side, "EMERGENCY STOP")
    assert not page.shot.going
    assert page.shot.machine.flow == 0
    assert page.told.text().startswith("Emergency stop")
    type_into(qtbot, page.where, "nowhere")
    press(qtbot, page.side, "Inject")
    assert "no address" in window.message.text()
    type_into(qtbot, page.where, "127.0.0.1:1 nowhere.json")
    press(qtbot, page.side, "Inject")
    assert "registers cannot be read" in window.message.text()
    type_into(qtbot, page.where, "127.0.0.1:1")
    press(qtbot, page.side, "Inject")
    qtbot.waitUntil(lambda: "does not answer" in window.message.text(), timeout=15_000)
    assert not page.shot.going


def test_a_controllers_shot_is_on_disk_while_it_runs_and_is_drawn_when_the_job_is_opened_again(
    window, lid, qtbot, tmp_path, monkeypatch
):
    """The program may die at any moment: all rows but the last five seconds of readings are in the file."""
    monkeypatch.setattr(shots, "EVERY", 0.2)
    path = tmp_path / "lid.bibulon"
    assert window.session.save(path)
    lid.tabs.go("Machine")
    page = lid.machine
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    device = SimulatedMachine(
        PartResistance(np.array([0.0, 4.0]), np.array([2e8, 9e9]), 1100.0, 46_000.0), 1.5e5
    )
    with Served(device, shipped_map(), port) as served:
        type_into(qtbot, page.where, f"127.0.0.1:{port}")
        press(qtbot, page.side, "Inject")
        qtbot.waitUntil(lambda: page.shot.going, timeout=10_000)

        def flows():
            with served.lock:
                device.step(0.1)
            page.shot._tick()
            return len(shots_of(load(path).journal)[0].time) >= 8

        qtbot.waitUntil(flows, timeout=20_000)
        (cut,) = shots_of(load(path).journal)
        assert cut.ended == ""
        assert cut.device == f"127.0.0.1:{port}"
        assert cut.shot[-1] > 0
        press(qtbot, page.side, "EMERGENCY STOP")
        qtbot.waitUntil(lambda: not device.running, timeout=10_000)
    (kept,) = shots_of(load(path).journal)
    assert kept.ended == "emergency stop"
    assert len(kept.time) >= len(cut.time)
    page.shot.close()
    page.shot.run = None
    course = page._kept()
    assert course is not None
    assert course.mass[-1] == pytest.approx(kept.shot[-1])
    assert "machine injects" in {
        what for _, what, _ in journal_rows(window.session.journal, window.session.job, "metric")
    }


@pytest.mark.parametrize(
    ("size", "system", "theme"), [((1180, 720), "metric", DAY), ((1280, 800), "us", NIGHT)]
)
def test_no_text_of_a_closed_mould_is_cut_off(window, lid, size, system, theme):
    window.session.set_system(system)
    window.set_theme(theme)
    window.resize(*size)
    wrong = {}
    for name in lid.tabs.names:
        lid.tabs.go(name)
        QApplication.processEvents()
        if found := [*cut_off(window), *unspoken(window), *alike(window)]:
            wrong[name] = found
    assert wrong == {}
    assert "cavity −" in lid.closing.cut.accessibleDescription()
    assert (window.width(), window.height()) == size


def test_it_is_filled_again_with_its_lift(window, lid, qtbot):
    page = lid.closing
    answered(qtbot, page.ask, lambda: press(qtbot, page.side, "Fill again with its lift"))
    assert page.lifted.text().startswith("With its lift all wet after")


def test_a_vent_a_hand_away_is_tried_walked_to_and_moved(window, lid, qtbot):
    off = (0.59, 0.45)
    window.session.edit("move", lambda j: moved(j, "V1", off))
    lid.tabs.go("Ports")
    page = lid.ports
    assert not page.take.isEnabled()
    with qtbot.waitSignal(page.bar.ready, timeout=120_000):
        press(qtbot, page, "Try a hand away")
    assert len(page.rows) == 5
    assert page.pick.place == pytest.approx((0.49, 0.45))
    assert page.figures.figures["port"].text.text() == "V1"
    page.plan.setFocus()
    at = page.rows.index(page.pick)
    qtbot.keyClick(page.plan, Qt.Key.Key_Left)
    assert page.rows.index(page.pick) == at - 1
    qtbot.keyClick(page.plan, Qt.Key.Key_Right)
    qtbot.keyClick(page.plan, Qt.Key.Key_Return)
    assert window.session.job.lines[1].path[0] == pytest.approx((0.49, 0.45))
    assert page.rows == []  # they were of the vent where it was
    window.session.undo_stack.undo()
    assert window.session.job.lines[1].path[0] == off
    window.session.edit("none", lambda j: j.replaced(lines=j.lines[:1], pots=()))
    press(qtbot, page, "Try a hand away")
    assert "no vent and no inlet that is a point" in window.message.text()


def test_a_part_is_reckoned_against_infusion_and_when_the_mould_pays(window, lid, qtbot):
    """By the same rates as on Part: dearer for few, cheaper from the break-even on."""
    page = lid.machine
    for quantity in (2, 400):
        window.session.edit("q", lambda j, q=quantity: j.replaced(rates=j.rates.replaced(quantity=q)))
        with qtbot.waitSignal(page.against.ask.ready, timeout=20_000):
            lid.tabs.go("Loading")
            lid.tabs.go("Machine")
        each = {c.route.name: c.each for c in page.against.costs}
        assert set(each) == {"light RTM", "infusion"}
        assert (each["light RTM"] > each["infusion"]) == (quantity == 2)
        words = page.against.words.text()
        assert f"{each['light RTM']:.0f} a part by light RTM" in words
        pays = int(words.split("From ")[1].split()[0])
        assert 2 < pays < 400
    own = {c.route.name: c.each for c in compare(window.session.job)}
    assert each["light RTM"] == own["light RTM"]
