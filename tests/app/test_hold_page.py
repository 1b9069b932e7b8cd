"""After full: the map and its course, ways to hold, and what the board says of shutting the feed."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import answered, press, type_into

from bibulon.cli.main import main
from bibulon.core.flow.hold import hold_of, spare_of
from bibulon.core.model.materials import ConstantViscosity
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import save


@pytest.fixture
def hold(petal, qtbot):
    petal.go_to("Lines")
    lines = petal.station("Lines")
    answered(qtbot, lines.hold.ask, lambda: lines.tabs.go("After full"))
    return lines.hold


def test_the_hold_is_that_of_the_forecast_and_a_moment_is_chosen(petal, qtbot, hold):
    told = hold_of(petal.session.outlook.forecast)
    assert np.nanmax(np.abs(hold.hold.share[-1] - told.share[-1])) < 1e-9
    assert hold.figures.figures["fibre, mean"].text.text() == f"{told.ends(-1)[1] * 100:.1f} %"
    assert hold.moment == pytest.approx(told.time[-1])
    hold.map.grab()
    at = QPoint(hold.course.width() // 2, 60)
    qtbot.mouseClick(hold.course, Qt.MouseButton.LeftButton, pos=at)
    middle = hold.moment
    assert told.time[0] < middle < told.time[-1]
    qtbot.keyClick(hold.course, Qt.Key.Key_Left)
    assert hold.moment < middle
    hold.course.grab()


def test_throttled_and_shut_bleed_less_and_later_is_later(petal, qtbot, hold):
    run = float(hold.hold.bled[-1])
    answered(qtbot, hold.ask, lambda: press(qtbot, hold.side, "Throttled"))
    assert hold.level.isEnabled()
    held_back = float(hold.hold.bled[-1])
    answered(qtbot, hold.ask, lambda: press(qtbot, hold.side, "Shut with the feed"))
    assert abs(float(hold.hold.bled[-1])) < 1e-6
    assert run > held_back > 0
    before = hold.hold.time[0]
    answered(qtbot, hold.ask, lambda: type_into(qtbot, hold.after, "5 min"))
    assert hold.hold.time[0] == pytest.approx(before + 300)
    type_into(qtbot, hold.after, "soon")
    assert petal.message.isVisible()


def test_a_part_that_does_not_fill_says_why_there_is_nothing(petal, qtbot, hold, demo):
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: job.replaced(lines=job.lines[:1]))
    if hold.ask.busy:
        with qtbot.waitSignal(hold.ask.rested, timeout=60_000):
            pass
    assert "does not fill" in hold.problem
    assert hold.figures.figures["fibre, mean"].text.text() == "—"


def test_the_board_tells_what_shutting_now_and_later_comes_to(petal, qtbot):
    session = petal.session
    petal.go_to("Shoot")
    board = petal.station("Shoot").board
    now = session.run_clock.clock.now()
    flow = session.outlook.forecast
    began = now.wall - flow.fill_time - 30
    up = now.up - flow.fill_time - 30
    session.stamp(Entry("r", 0.0, "start", {"began": began, "up": up, "boot": now.boot}, began))
    answered(qtbot, board.holding.ask, lambda: board.ask("shut"))
    minutes = board.holding.thickness()
    assert [m for m, _ in minutes] == [0.0, 2.0, 5.0]
    assert "At gel, if shut: now" in board.asked.question
    assert 0.005 < minutes[0][1] < 0.02
    session.stamp(Entry("r", flow.fill_time + 31, "wet", {}, now.wall))
    board.refresh()
    assert "by gel" in board.told.text()
    assert "hold the vacuum until" in board.told.text()


def test_before_full_it_says_whether_what_is_squeezed_out_covers_what_is_dry(petal):
    flow = petal.session.outlook.forecast
    early, late = spare_of(flow, 0.3 * flow.fill_time), spare_of(flow, 0.97 * flow.fill_time)
    assert early[1] > late[1] > 0
    assert early[0] < early[1]
    assert late[0] > late[1]
    last = float(flow.wet_at[np.isfinite(flow.wet_at)].max())  # the last corner under a vacuum line is wet
    assert spare_of(flow, last + 1)[1] == pytest.approx(0.0, abs=1e-3)


def test_the_command_tells_the_same(petal, tmp_path, capsys):
    path = tmp_path / "petal.bibulon"
    save(petal.session.job, path)
    assert main(["hold", str(path), "--coarse", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["vf_end"]["low"] < told["vf_end"]["mid"] < told["vf_end"]["high"] < told["vf_planned"]
    assert told["shut_s"] < told["even_s"] <= told["no_more_flow_s"] <= told["vacuum_until_s"]
    assert told["course"][0]["bled_kg"] == 0.0
    assert main(["hold", str(path), "--coarse", "--vacuum", "shut", "--units", "us"]) == 0
    assert "lb" in capsys.readouterr().out
    assert main(["hold", str(path), "--shut-after", "soon"]) == 2
    assert "soon" in capsys.readouterr().err


def test_the_vacuum_stays_as_long_as_cure_says(petal, qtbot, hold):
    """One figure through page, board, command and Cure: the last batch is the youngest, and gels last."""
    cure = petal.station("Cure")
    answered(qtbot, cure.ask, lambda: petal.go_to("Cure"))
    told = cure.figures.figures["vacuum until"].text.text()
    assert hold.until > hold.hold.gel  # the demo mixes twice
    assert f"stays on until {told}." in hold.told.text()


def test_a_resin_whose_sheet_tells_no_gel_is_held_by_the_cup(petal, qtbot, hold):
    oil = petal.session.job.resin.replaced(viscosity=ConstantViscosity(value=0.25), gel_time=None, name="Oil")
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: job.replaced(resin=oil))
    qtbot.waitUntil(lambda: not hold.ask.busy, timeout=30_000)
    assert not np.isfinite(hold.hold.gel)
    assert "until the cup has gelled" in hold.told.text()
    hold.course.grab()
