"""A rehearsal in the window: the board on a faster clock over a simulated shop, looks, the end, and that nothing real is touched."""

from __future__ import annotations

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from tests.app.hand import choose

from bibulon.core.run.clock import Instant
from bibulon.devices.bucketsim import SimulatedScale
from bibulon.devices.scaled import ScaledClock
from bibulon.devices.watched import Watched


class HandClock:
    def __init__(self):
        self.t = 1.79e9

    def now(self):
        return Instant(self.t, self.t - 1e9, "boot")


@pytest.fixture
def real(window):
    clock = HandClock()
    window.rehearsal._real.clock = clock
    return clock


def rested(qtbot, window):
    qtbot.waitUntil(lambda: not (window.rehearsal.ask.busy or window.rehearsal.making.busy), timeout=30_000)


@pytest.fixture
def shop(window, qtbot, real):
    act = next(a for a in window.acts if a.title.startswith("Rehearse leak"))
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        act.run()
    window.rehearsal._tick.stop()
    rested(qtbot, window)
    return window.rehearsal.shop


def goes(qtbot, window, real, seconds, step=60.0):
    """Let shop time pass."""
    for _ in range(round(seconds / step)):
        real.t += step / window.rehearsal.clock.speed
        window.rehearsal.step()
        rested(qtbot, window)


def test_the_banner_says_so_and_resin_shows_as_it_is_seen(window, qtbot, real, shop):
    assert window.practice.isVisible()
    assert window.stations[window.current].name == "Shoot"
    assert window.session.job.name.startswith("Rehearsal of")
    assert window.session.path is None
    board = window.station("Shoot").board
    qtbot.mouseClick(board.buttons["start"], Qt.MouseButton.LeftButton)
    goes(qtbot, window, real, 300.0)
    assert window.session.elapsed() == pytest.approx(300.0)
    seen = window.session.seen
    assert seen is not None
    now = window.rehearsal.now
    assert 0.1 < (now.wet <= 300.0).mean() < 0.9
    assert board.plan.own_contours() is seen
    assert seen.top == pytest.approx(300.0)
    assert (seen.raster[seen.raster > 301.0] > 1e5).mean() > 0.5  # what is to come does not show


def test_what_is_looked_at_is_found_and_told_at_the_end(window, qtbot, real, shop, tmp_path):
    bar = window.practice
    choose(bar.looks, "Test the bag")
    qtbot.mouseClick(bar.do, Qt.MouseButton.LeftButton)
    assert "a leak at a pleat" in window.message.text()
    choose(bar.looks, "Gauge in air")
    qtbot.mouseClick(bar.do, Qt.MouseButton.LeftButton)
    assert "nothing out of order" in window.message.text()
    board = window.station("Shoot").board
    qtbot.mouseClick(board.buttons["start"], Qt.MouseButton.LeftButton)
    goes(qtbot, window, real, 120.0)
    clock = window.rehearsal._real
    with qtbot.waitSignal(window.rehearsal.told, timeout=60_000):
        qtbot.mouseClick(bar.end, Qt.MouseButton.LeftButton)
    assert not bar.isVisible()
    assert bar.debrief.isVisible()
    text = bar.debrief.text.text()
    assert "a leak at a pleat" in text
    assert "noticed" in text
    assert "let go before gel" in text
    assert window.session.run_clock is clock
    assert window.session.seen is None
    assert not window.session.run_state().running
    (line,) = (window.session.state_folder / "training.jsonl").read_text().splitlines()
    assert json.loads(line)["faults"] == {"leak": -900.0}
    assert "Rehearsals so far" in text
    assert "1 of 1 faults noticed" in text
    bar.debrief.write(tmp_path / "told.pdf")
    assert (tmp_path / "told.pdf").read_bytes().startswith(b"%PDF")
    assert "told.pdf" in window.message.text()
    bar.debrief.write(tmp_path)
    assert "could not be written" in window.message.text()
    assert "clock was set" not in window.message.text()


def test_another_job_ends_it_and_the_clock_is_the_real_one(window, qtbot, real, shop, demo, tmp_path):
    clock = window.rehearsal._real
    assert window.session.run_clock is not clock
    window.session.new(demo)
    assert not window.practice.isVisible()
    assert window.session.run_clock is clock
    assert window.session.job == demo
    assert window.session.journal == ()
    assert window.rehearsal.shop is None


def test_speed_is_changed_and_it_stands_still(window, qtbot, real, shop):
    board = window.station("Shoot").board
    qtbot.mouseClick(board.buttons["start"], Qt.MouseButton.LeftButton)
    choose(window.practice.speed, "× 20")
    real.t += 3.0
    assert window.session.elapsed() == pytest.approx(60.0)
    choose(window.practice.speed, "stands still")
    real.t += 500.0
    assert window.session.elapsed() == pytest.approx(60.0)


def test_a_job_that_cannot_be_forecast_is_refused_in_words(window, qtbot, real):
    act = next(a for a in window.acts if a.title.startswith("Rehearse this job"))
    act.run()
    rested(qtbot, window)
    qtbot.waitUntil(lambda: window.message.isVisible(), timeout=10_000)
    assert "The rehearsal stopped: Choose a resin first" in window.message.text()
    assert [b.text() for b in window.practice.findChildren(QPushButton)] == ["Look", "End and tell"]


def test_a_scaled_clock_never_jumps():
    real = HandClock()
    fast = ScaledClock(real, 10.0)
    first = fast.now()
    real.t += 2.0
    assert fast.now().up - first.up == pytest.approx(20.0)
    fast.set_speed(0.0)
    here = fast.now()
    real.t += 99.0
    assert fast.now() == here
    fast.set_speed(5.0)
    assert fast.now() == here
    real.t += 1.0
    assert fast.now().wall - here.wall == pytest.approx(5.0)


def test_prove_reads_what_is_hidden_and_a_patch_mends_it(window, qtbot, real, shop):
    bag = window.session.instruments.bag
    (leak,) = bag.truth.leaks
    (fault,) = shop.hidden.faults
    assert (leak.x, leak.y) == fault.place
    window.go_to("Prove")
    page = window.station("Prove").test
    page.pump_down()
    for _ in range(60):
        real.t += 3.0
        page.tick()
    page.begin()
    assert page.live is not None
    first = bag.pressure
    real.t += 30.0  # five minutes of the shop's
    page.tick()
    assert (bag.pressure - first) / 300.0 > 0.3
    bag.press(leak.x, leak.y)
    page.end()
    board = window.station("Shoot").board
    board.start()
    goes(qtbot, window, real, 60.0)
    assert "leak" in window.rehearsal.noticed.when
    assert not shop.has("leak")


def test_the_bucket_stands_on_a_scale_of_the_shop(window, qtbot, real, shop):
    board = window.station("Shoot").board
    qtbot.mouseClick(board.buttons["start"], Qt.MouseButton.LeftButton)
    goes(qtbot, window, real, 120.0)
    board.scale.tick()
    assert "simulated scale" in board.bucket.small.text()
    rows = [e for e in window.session.journal if e.kind == "weight"]
    assert rows[-1].data["left"] == pytest.approx(shop.bucket, abs=0.03)
    qtbot.keyClick(board, Qt.Key.Key_K)
    assert len([e for e in window.session.journal if e.kind == "weight"]) == len(rows) + 1
    assert not board.line.isVisible()  # nothing is asked
    assert "simulated scale" in window.message.text()
    with qtbot.waitSignal(window.rehearsal.told, timeout=60_000):
        window.rehearsal.end()
    assert window.session.instruments.others == {}


def test_a_real_scale_is_put_back_after_a_rehearsal(window, qtbot, real, demo):
    """And one that begins anew before it is over does not take the shop's for the real one."""
    own = Watched(SimulatedScale(lambda: 1.0, lambda: 0.0, 1, "hook 1"))
    window.session.instruments.others["mass"] = own
    for _ in range(2):
        window.rehearsal.begin(demo, 3, ())
        rested(qtbot, window)
        assert window.session.instruments.others["mass"].name == "simulated scale"
    window.session.new(demo)
    assert window.session.instruments.others["mass"] is own
    window.rehearsal._leave()  # nothing is laid any more: nothing is taken
    assert window.session.instruments.others["mass"] is own


def test_another_job_while_the_debrief_is_worked_out_tells_none(window, qtbot, real, shop, demo):
    board = window.station("Shoot").board
    qtbot.mouseClick(board.buttons["start"], Qt.MouseButton.LeftButton)
    goes(qtbot, window, real, 60.0)
    window.rehearsal.end()
    assert window.rehearsal.ending.busy
    window.session.new(demo)
    window.rehearsal.ending._pool.waitForDone()
    assert not window.practice.debrief.isVisible()
    assert not window.rehearsal.running
