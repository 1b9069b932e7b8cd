"""A new job says what to do first, and leads there."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton

from bibulon.core.edit.edit import change
from bibulon.core.findings.first import next_step
from bibulon.core.library.demo import blank_job


def steps(demo):
    """A blank job, and what it becomes by taking what the demo has, one thing after another."""
    job = change(blank_job(), part=demo.part)
    yield job, "Stack"
    job = change(job, materials=demo.materials, stack=demo.stack)
    yield job, "Charge"
    job = change(job, resin=demo.resin)
    yield job, "Lines"
    job = change(job, lines=(demo.lines[0],))
    yield job, "Lines"
    job = change(job, lines=(demo.lines[0], demo.lines[2].replaced(pot=None)))
    yield job, None


def test_each_step_names_the_station_of_what_is_missing(demo):
    for job, station in steps(demo):
        step = next_step(job)
        assert (step.station if step else None) == station


@pytest.mark.parametrize("which", [0, 1, 2])
def test_the_window_leads_there(window, qtbot, demo, which):
    job, station = list(steps(demo))[which]
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(job)
    QApplication.processEvents()
    window.go_to(station)  # from there it leads nowhere
    assert not any(
        b.text().startswith("Go to") for b in window.findings.area.widget().findChildren(QPushButton)
    )
    window.go_to("Logbook")
    button = next(
        b for b in window.findings.area.widget().findChildren(QPushButton) if b.text() == f"Go to {station}"
    )
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert window.stations[window.current].name == station


def test_a_part_without_zones_is_called_whole_not_rim():
    assert blank_job().part.rest_name == "Whole part"


def test_the_board_of_a_shoot_that_has_not_begun_shows_the_start(petal):
    petal.session.set_moment(840.0)
    petal.go([s.name for s in petal.stations].index("Shoot"))
    assert petal.session.moment == 0.0
