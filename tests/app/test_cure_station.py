"""Cure: the map, the course of a place, and what it cures on."""

from __future__ import annotations

import os
import pty
import tty

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import HandClock, answered, choose, press, type_into

from bibulon.core.drawing.graphs.curing import draw_curing
from bibulon.core.drawing.graphs.depthfield import Field
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.run.journal import Entry
from bibulon.core.run.warmth import warm_entry, with_readings
from bibulon.store.jobfile import load


@pytest.fixture
def cure(petal, qtbot):
    station = petal.station("Cure")
    answered(qtbot, station.ask, lambda: petal.go([s.name for s in petal.stations].index("Cure")))
    return station


def test_it_says_until_when_the_vacuum_stays_and_when_the_part_comes_out(petal, cure):
    assert cure.field is not None
    assert cure.figures.figures["vacuum until"].text.text() not in {"—", ""}
    low, middle, high = cure.field.last.demould
    assert cure.field.slowest.gel < low < middle < high
    assert "demould" in next(r for r in petal.rail.rows if r.name == "Cure").state.figure
    assert cure.map.grab().toImage().height() > 100


def test_a_click_and_arrows_choose_a_place(petal, cure, qtbot):
    at = cure.map.view().to(np.array([(1.2, 0.75)]))[0]
    answered(
        qtbot,
        cure.asking,
        lambda: qtbot.mouseClick(cure.map, Qt.MouseButton.LeftButton, pos=QPoint(round(at[0]), round(at[1]))),
    )
    assert (cure.place.x, cure.place.y) == (pytest.approx(1.2, abs=0.01), pytest.approx(0.75, abs=0.01))
    before = cure.place.x
    answered(qtbot, cure.asking, lambda: qtbot.keyClick(cure.map, Qt.Key.Key_Right))
    assert cure.place.x == pytest.approx(before + 0.05, abs=1e-6)
    answered(qtbot, cure.asking, lambda: cure.choose(9.0, 9.0))
    assert "outside the part" in petal.message.text()


def test_a_thicker_blanket_makes_it_hotter_and_undo_takes_it_back(petal, cure, qtbot):
    before = cure.field.hottest.peak
    answered(qtbot, cure.ask, lambda: type_into(qtbot, cure.heat.fields["cure.blanket"], "30 mm"))
    assert cure.field.hottest.peak > before + 1
    assert petal.session.job.cure.blanket == pytest.approx(0.03)
    answered(qtbot, cure.ask, petal.session.undo_stack.undo)
    assert cure.field.hottest.peak == pytest.approx(before)
    type_into(qtbot, cure.heat.fields["cure.blanket"], "thick")
    assert petal.message.isVisible()


def test_too_hot_is_told_with_its_place(petal, cure, qtbot):
    limit = cure.field.hottest.peak - 2
    petal.session.edit("x", lambda job: job.replaced(cure=job.cure.replaced(part_limit=limit)))
    with qtbot.waitSignal(cure.ask.rested, timeout=60_000):
        cure._work()
    assert "Too hot" in cure.told.text()
    assert next(r for r in petal.rail.rows if r.name == "Cure").state.state == "warned"


def test_gel_and_demould_are_shown_by_their_buttons(cure, qtbot):
    press(qtbot, cure.bench, "Gel of the last of the thickness")
    assert cure.map.which == "gel"
    press(qtbot, cure.bench, "Demould")
    assert cure.map.which == "demould"
    cure.map.grab()


def test_a_resin_without_a_law_says_so(petal, cure, qtbot):
    plain = petal.session.job.resin.replaced(viscosity=ConstantViscosity(value=0.2), name="Oil")
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: job.replaced(resin=plain))
    if cure.ask.busy:
        with qtbot.waitSignal(cure.ask.rested, timeout=60_000):
            pass
    assert cure.field is None
    assert "no cure law" in cure.told.text()


def test_the_course_is_drawn_in_both_units(petal, cure):
    for system in ("metric", "us"):
        words = [
            i.text
            for i in draw_curing(petal.session.job, cure.place, 293.15, 600, 260, DAY, system)
            if isinstance(i, Label)
        ]
        assert any(w.startswith("gel ") for w in words)
        assert ("°F" if system == "us" else "°C") in words
    assert len(list(draw_curing(petal.session.job, None, 293.15, 600, 260, DAY, "metric"))) == 1


def test_a_thermometers_log_corrects_the_law_and_stays_with_the_job(petal, qtbot, cure, tmp_path):
    import numpy as np

    from bibulon.core.cure.places import course_at

    job, flow, at = petal.session.job, cure.forecast, (cure.place.x, cure.place.y)
    course, arrived = course_at(job, flow, at, 1.25, 0.0)
    log = tmp_path / "thermocouple.csv"
    rows = [
        f"{arrived + t:.0f},{np.interp(t, course.time, course.temperature[:, 0, -1]) - 273.15:.2f}"
        for t in range(60, 5400, 120)
    ]
    log.write_text("time_s,temperature\n" + "\n".join(rows))
    assert "corrects the law" in cure.thermometer.read.text()
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        cure.thermometer.take_log(log)
    qtbot.waitUntil(lambda: "quicker" in cure.thermometer.read.text(), timeout=20_000)
    assert petal.session.job.cure.read_at == at
    cure.thermometer.take_log(tmp_path / "none.csv")
    assert petal.message.isVisible()
    assert "quicker" in cure.thermometer.read.text()
    petal.session.undo_stack.undo()
    assert petal.session.job.cure.read == ()
    qtbot.waitUntil(lambda: "corrects the law" in cure.thermometer.read.text(), timeout=20_000)


def test_hardness_is_noted_and_held_against_what_is_wanted(petal, qtbot, cure, tmp_path):
    assert petal.session.save(tmp_path / "p.bibulon")
    type_into(qtbot, cure.hard, "30")
    assert "no least is asked" in cure.hardness.text()
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, cure.wanted, "35")
    assert "not yet" in cure.hardness.text()
    for value in (36, 37, 38, 36, 39):
        type_into(qtbot, cure.hard, f"{value}")
    assert "hard enough" in cure.hardness.text()
    rows = load(tmp_path / "p.bibulon").journal  # on disk as they are typed
    assert [r.data["value"] for r in rows if r.kind == "hardness"] == [30, 36, 37, 38, 36, 39]


def test_through_the_thickness_a_moment_is_chosen_by_mouse_and_by_key(petal, cure, qtbot):
    page = cure.depth
    answered(qtbot, page.ask, lambda: cure.tabs.go("Through the thickness"))
    depth = page.through
    assert (depth.x, depth.y) == (cure.place.x, cure.place.y)
    own = depth.temperature[:, depth.wet]
    assert page.view.moment == pytest.approx(depth.time[own.max(axis=1).argmax()])
    assert own.max() == pytest.approx(cure.place.peak, abs=0.3)
    page.view.grab()
    field = Field(depth, float(page.view.width()), float(page.view.height()))
    at = QPoint(round(float(field.x(depth.end / 2))), 200)
    qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=at)
    assert page.view.moment == pytest.approx(depth.end / 2, rel=0.02)
    before = page.view.moment
    qtbot.keyClick(page.view, Qt.Key.Key_Right)
    assert before < page.view.moment < before + (depth.end - depth.time[0]) / 40


def shot(petal, seconds):
    """Begin a run so many seconds ago, by a clock that the hand turns."""
    clock = HandClock()
    session = petal.session
    session.run_clock.clock = clock
    began = clock.at.wall - seconds
    session.stamp(Entry("r1", 0.0, "start", {"began": began, "up": 0.0, "boot": "boot"}, began))
    return clock


def test_a_thermometer_is_followed_live_row_by_row_and_a_kill_loses_none(petal, cure, qtbot, tmp_path):
    panel = cure.thermometer
    assert petal.session.save(tmp_path / "live.bibulon")
    qtbot.mouseClick(panel.follow, Qt.MouseButton.LeftButton)
    assert "start the run in Shoot first" in petal.message.text()
    assert not panel.follow.isChecked()
    clock = shot(petal, 1800.0)
    panel._ticker.setInterval(10**7)  # the hand turns it
    answered(qtbot, panel.laying, lambda: qtbot.mouseClick(panel.follow, Qt.MouseButton.LeftButton))
    assert "simulated thermometer" in panel.live.text()
    for _ in range(20):
        clock.on(30.0)
        panel.tick()
    rows = [e for e in load(petal.session.path).journal if e.kind == "warm"]
    assert len(rows) == 21
    assert rows[-1].clock == pytest.approx(2400.0)
    assert all(280 < e.data["temperature"] < 340 for e in rows)
    qtbot.waitUntil(lambda: panel.corrected is not None, timeout=30_000)
    qtbot.waitUntil(lambda: "demould there" in panel.read.text(), timeout=30_000)
    cure.graph.grab()
    qtbot.mouseClick(panel.follow, Qt.MouseButton.LeftButton)
    clock.on(60.0)
    panel.tick()
    assert len([e for e in load(petal.session.path).journal if e.kind == "warm"]) == 21


def test_a_real_thermometer_that_is_unplugged_leaves_a_gap(petal, cure, qtbot, tmp_path):
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    file = tmp_path / "probe.json"
    file.write_text(
        '{"name": "probe 2", "pattern": "T (?P<v>[0-9.]+)", "values": {"temperature": {"group": "v", "unit": "°C"}}}'
    )
    panel = cure.thermometer
    panel._ticker.setInterval(10**7)
    panel.pick.where.setText(os.ttyname(theirs))
    panel.pick.connect_to("serial", file)
    clock = shot(petal, 600.0)
    qtbot.mouseClick(panel.follow, Qt.MouseButton.LeftButton)
    assert "waiting" in panel.live.text()
    os.write(ours, b"T 24.5\n")
    qtbot.waitUntil(lambda: panel.tick() or "probe 2: 24.5" in panel.live.text(), timeout=5000)
    os.close(ours)
    for _ in range(3):
        clock.on(30.0)
        panel.tick()
    assert "probe 2" in panel.live.text()
    assert "24.5" not in panel.live.text()
    assert len([e for e in petal.session.journal if e.kind == "warm"]) == 1
    os.close(theirs)
    file.write_text(
        '{"name": "scale", "pattern": "(?P<v>[0-9.]+)", "values": {"mass": {"group": "v", "unit": "kg"}}}'
    )
    panel.pick.where.setText("/dev/null")
    panel.pick.connect_to("serial", file)
    assert petal.message.isVisible()
    assert petal.session.instruments.others == {}


def test_rows_of_a_thermometer_that_was_moved_or_lack_a_figure_are_passed_over(petal):
    job = petal.session.job
    rows = [
        Entry("r", 0.0, "start", {}, 1.0),
        warm_entry("r", 100.0, 300.0, (0.5, 0.5), "bag", 1.0),
        warm_entry("r", 200.0, 301.0, (1.0, 0.5), "tool", 1.0),
        warm_entry("r", 200.0, 302.0, (1.0, 0.5), "tool", 1.0),
        warm_entry("r", 300.0, 1e4, (1.0, 0.5), "tool", 1.0),
        Entry("r", 400.0, "warm", {"x": 1.0, "y": 0.5, "where": "tool"}, 1.0),
    ]
    told = with_readings(job, rows).cure
    assert [(r.time, r.temperature) for r in told.read] == [(200.0, 301.0)]
    assert told.read_at == (1.0, 0.5)
    assert told.read_where == "tool"
    assert with_readings(job, rows[:1]) is job


def test_a_tool_of_metal_draws_the_heat_and_figures_of_ones_own_stand_as_typed(petal, cure, qtbot):
    before = cure.field.hottest.peak
    assert cure.tool.currentText() == "glass laminate"
    answered(qtbot, cure.ask, lambda: choose(cure.tool, "aluminium"))
    plan = petal.session.job.cure
    assert (plan.tool_k, plan.tool_rho_c) == (160.0, 2.4e6)
    assert cure.field.hottest.peak < before - 0.5
    answered(qtbot, cure.ask, lambda: type_into(qtbot, cure.heat.fields["cure.tool_rho_c"], "3 MJ/m3K"))
    assert petal.session.job.cure.tool_rho_c == 3e6
    assert cure.tool.currentText() == "as typed"


def test_a_part_that_must_be_cooler_waits_longer(petal, cure, qtbot):
    field = cure.leaves.fields["cure.demould_below"]
    before = cure.out.demould[1]
    answered(qtbot, cure.ask, lambda: type_into(qtbot, field, "22.2 °C"))
    assert cure.out.demould[1] > before
    type_into(qtbot, field, "300 °C")
    assert "must be" in petal.message.text()
    assert petal.session.job.cure.demould_below == pytest.approx(295.35)
