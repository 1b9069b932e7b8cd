"""Cure: the map, the course of a place, and what it cures on."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import answered, press, type_into

from bibulon.core.drawing.graphs.curing import draw_curing
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.model.materials import ConstantViscosity
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
    answered(qtbot, cure.ask, lambda: type_into(qtbot, cure.fields["blanket"], "30 mm"))
    assert cure.field.hottest.peak > before + 1
    assert petal.session.job.cure.blanket == pytest.approx(0.03)
    answered(qtbot, cure.ask, petal.session.undo_stack.undo)
    assert cure.field.hottest.peak == pytest.approx(before)
    type_into(qtbot, cure.fields["blanket"], "thick")
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
