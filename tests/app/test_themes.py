"""Day and night: what is seen turns at once, what is not seen when somebody goes to it; the board is dark in both."""

from __future__ import annotations

from threading import Event

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication, QLabel

from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.tokens import DAY, NIGHT


def light(widget, at):
    """How light a spot is, 0 to 255."""
    QApplication.processEvents()
    return QColor(widget.grab().toImage().pixel(at)).lightness()


def ground(window, name):
    """How light the ground of a station's side panel is, or of a board."""
    window.go_to(name)
    return light(window, QPoint(window.width() - 6, 60))


def test_stations_that_were_not_seen_wear_the_theme_when_they_are(petal):
    for name in ("Part", "Charge", "Lines"):
        assert ground(petal, name) > 180
    petal.set_theme(NIGHT)
    charge = petal.station("Charge")
    assert ground(petal, "Lines") < 80
    assert ground(petal, "Charge") < 80
    assert charge.bench.isVisible()
    assert charge.current_side().isVisible()
    petal.set_theme(DAY)
    for name in ("Charge", "Part", "Lines"):
        assert ground(petal, name) > 180


def test_the_board_is_dark_by_day_however_often_the_theme_turns(petal):
    for _ in range(2):
        assert ground(petal, "Shoot") < 80
        petal.set_theme(NIGHT)
        assert ground(petal, "Shoot") < 80
        petal.go_to("Part")
        petal.set_theme(DAY)
        assert ground(petal, "Part") > 180
    petal.go_to("Shoot")
    told = next(x for x in petal.station("Shoot").board.findChildren(QLabel) if x.objectName() == "hugeclock")
    image = told.grab().toImage()
    shades = {
        QColor(image.pixel(x, y)).lightness()
        for x in range(image.width())
        for y in range(0, image.height(), 3)
    }
    assert max(shades) > 200  # its clock is light on the dark ground
    assert min(shades) < 80


def test_a_finding_lights_its_place_on_a_station_that_is_not_seen(petal, qtbot):
    petal.go_to("Lines")
    plan = petal.station("Lines").plan_bench.plan
    petal.go_to("Part")
    petal.set_theme(NIGHT)
    found = next(f for f in petal.findings.findings if f.places and f.station == "Lines")
    petal._light(found)
    petal.go_to("Lines")
    assert any(mark.kind == "lit" for mark in plan.marks)
    qtbot.keyClick(plan, Qt.Key.Key_N)
    assert petal.session.selected


def test_work_for_a_station_that_is_not_seen_ends_with_its_job(petal, qtbot, demo):
    petal.go_to("Charge")
    charge = petal.station("Charge")
    petal.go_to("Part")
    petal.set_theme(NIGHT)
    asks = charge.bench.findChildren(Ask)
    assert asks
    told, gate = [], Event()
    asks[0].ready.connect(told.append)
    qtbot.waitUntil(lambda: not asks[0].busy, timeout=20_000)
    asks[0].want(gate.wait)
    assert asks[0].busy
    petal.session.new(demo)
    gate.set()
    assert not asks[0].busy
    asks[0]._thread.join()
    QApplication.processEvents()
    assert True not in told
