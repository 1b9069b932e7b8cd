"""A rehearsal in the window: the board on a faster clock over a simulated shop, looks, the end, and that nothing real is touched."""

from __future__ import annotations

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton
from tests.app.hand import answered, choose, press

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.run.clock import Instant
from bibulon.core.run.recording import recordings
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
    answered(qtbot, window.session.errands, lambda: bar.debrief.write(tmp_path / "told.pdf"))
    assert (tmp_path / "told.pdf").read_bytes().startswith(b"%PDF")
    assert "told.pdf" in window.message.text()
    answered(qtbot, window.session.errands, lambda: bar.debrief.write(tmp_path))
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


def test_a_leak_test_that_runs_ends_with_the_rehearsal_by_its_clock(window, qtbot, real, shop):
    """The rehearsal's clock is ahead of the real one: rows by both would tell of seconds before the first."""
    window.go_to("Prove")
    page = window.station("Prove").test
    page._ticker.setInterval(10**7)
    page.pump_down()
    real.t += 30.0
    page.tick()
    page.begin()
    for _ in range(4):
        real.t += 3.0
        page.tick()
    with qtbot.waitSignal(window.rehearsal.told, timeout=60_000):
        qtbot.mouseClick(window.practice.end, Qt.MouseButton.LeftButton)
    assert page.live is None
    page.tick()
    (kept,) = recordings(window.session.journal)
    assert kept.ended is not None
    walls = [e.written_at for e in window.session.journal]
    assert walls == sorted(walls)
    page.pump_down()  # by the real clock now
    real.t += 3.0
    page.tick()
    assert [r.time for r in page.pumping] == sorted(r.time for r in page.pumping)


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
    window.rehearsal.ending._thread.join()
    QApplication.processEvents()
    assert not window.practice.debrief.isVisible()
    assert not window.rehearsal.running


def inject(qtbot, window, real, seconds, step=5.0):
    """Let shop time pass while a machine injects, until it stops."""
    shot = window.station("Mould").machine.shot
    shot._timer.stop()  # stepped by hand, as the clock is
    for _ in range(round(seconds / step)):
        real.t += step / window.rehearsal.clock.speed
        shot._tick()
        if shot.ended:
            break
    return shot


def closed_shop(qtbot, window, seed, faults):
    window.rehearsal.begin(mould_demo_job(), seed, faults)
    qtbot.waitUntil(
        lambda: window.session.outlook is not None and window.session.outlook.forecast is not None,
        timeout=60_000,
    )
    window.rehearsal._tick.stop()
    rested(qtbot, window)
    qtbot.waitUntil(lambda: window.rehearsal.shop is not None, timeout=30_000)
    window.go([s.name for s in window.stations].index("Mould"))
    page = window.station("Mould").machine
    window.station("Mould").tabs.go("Machine")
    return page


def test_a_closed_moulds_machine_injects_into_the_shops_part_by_its_clock(window, qtbot, real):
    """The shot's rows open and shut the inlets; the mass that the machine counts is what the shop's own filling took."""
    page = closed_shop(qtbot, window, 4, ["cold"])
    assert "goes by the clock" in page.told.text()
    press(qtbot, page.side, "Inject")
    shot = inject(qtbot, window, real, 3000.0)
    assert shot.ended == "full"
    window.rehearsal.step()
    rested(qtbot, window)
    shop = window.rehearsal.shop
    (took,) = [t[-1][0] for t in shop.turns.values()]
    assert took == pytest.approx(shot.time, abs=6.0)
    assert not any(shop.is_open(x.id) for x in shop.feeds)
    assert shop.drawn(shop.now) == pytest.approx(float(shot.course.mass[-1]), rel=0.04)
    # Resin six kelvin colder than planned: it took longer than the plan's shot.
    assert took > 1.1 * float(page.course.time[-1])
    kinds = [e.kind for e in window.session.journal]
    assert kinds[0] == "shot"
    assert kinds[-1] == "shot-ended"
    assert kinds.count("machine") > 20
    window.rehearsal._leave()
    assert window.session.instruments.machine is None


def test_a_shot_that_runs_leaves_no_row_in_a_job_that_is_opened_meanwhile(window, qtbot, real):
    page = closed_shop(qtbot, window, 4, [])
    press(qtbot, page.side, "Inject")
    shot = inject(qtbot, window, real, 60.0)
    assert not shot.ended
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(mould_demo_job())
    shot._tick()
    assert not window.session.journal
    assert not shot.going
    assert page.go.isEnabled()
    assert "twenty times" in page.told.text()


def test_a_real_machine_is_never_set_going_by_a_rehearsal(window, qtbot, real):
    page = closed_shop(qtbot, window, 4, [])
    page.where.setText("127.0.0.1:5020")
    press(qtbot, page.side, "Inject")
    assert page.shot.run is None
    assert page.shot.machine is None
    assert not window.session.journal
    assert "clear the controller's address" in window.message.text()


def test_a_ratio_that_drifts_trips_the_machine_and_counts_as_noticed(window, qtbot, real):
    page = closed_shop(qtbot, window, 4, ["ratio"])
    press(qtbot, page.side, "Inject")
    shot = inject(qtbot, window, real, 3000.0)
    assert "ratio" in shot.ended
    assert "Ratio out of its band" in page.told.text()
    window.rehearsal.step()
    rested(qtbot, window)
    shop = window.rehearsal.shop
    assert window.rehearsal.noticed.when["ratio"] == pytest.approx(shot.time, abs=6.0)
    assert any(a.what.startswith("the machine stopped") for a in shop.acts)
    assert 0.1 < shop.seen_share() < 0.95  # it stands there, part filled
    assert "the machine stopped" in window.message.text()
