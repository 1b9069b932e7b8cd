"""Prove as it is used: pump down, shut, watch, keep; killed on the way; gates before resin."""

from __future__ import annotations

import os
import pty
import tty

import pytest
from PySide6.QtCore import Qt, QThread
from tests.app.hand import HandClock, answered, press, type_into

from bibulon.core.library.demo import demo_job
from bibulon.core.run.before import proven_steps
from bibulon.core.run.recording import recordings
from bibulon.devices.bagsim import BagTruth, SimulatedLeak
from bibulon.store.jobfile import load


@pytest.fixture
def prove(petal, qtbot):
    petal.go([s.name for s in petal.stations].index("Prove"))
    station = petal.station("Prove")
    clock = HandClock()
    petal.session.run_clock.clock = clock
    petal.session.instruments.run_by(clock)
    station.hand_clock = clock
    station.test._ticker.setInterval(10**7)  # the hand turns it
    return station


def run(prove, seconds, step=1.0):
    for _ in range(int(seconds / step)):
        prove.hand_clock.on(step)
        prove.test.tick()


def drawn_down(prove, qtbot, seconds=240):
    answered(qtbot, prove.test.laying, lambda: press(qtbot, prove.test, "Pump down"))
    run(prove, seconds, 2.0)


def wait_fit(prove, qtbot):
    answered(qtbot, prove.test.fits, prove.test.refit)


def test_a_bag_is_pumped_down_shut_watched_and_kept(petal, prove, qtbot):
    page = prove.test
    assert "deepest with this pump: " in page.head.deepest.text()
    drawn_down(prove, qtbot)
    assert float(page.head.number.text()) < 30
    press(qtbot, page, "Shut off and record")
    run(prove, 300)
    wait_fit(prove, qtbot)
    assert page.standing is not None
    assert len(page.standing.looks) >= 4
    assert prove.panel.own.text() in {"Not yet known", "Enough: good", "Enough: leaks"}
    assert "this part can bear" in prove.panel.say.text().lower()
    assert page.live.known
    told = prove.panel.figures.figures["after 8 h shut"].text.text()
    assert "mbar" in told
    press(qtbot, page, "Stop and keep")
    test = petal.session.job.test
    assert len(test.readings) == 301  # one as it is shut
    assert test.recorded_at == pytest.approx(prove.hand_clock.at.wall)
    assert len(test.pump_down) > 50
    (kept,) = recordings(petal.session.journal)
    assert kept.device == "simulated gauge"
    assert len(kept.readings) == 301
    petal.session.undo_stack.undo()  # the job's test goes back; the journal never does
    assert len(recordings(petal.session.journal)[0].readings) == 301


def test_what_was_recorded_is_on_disk_before_it_is_stopped(petal, prove, qtbot, tmp_path):
    """The program dies while it records: all rows but those of the last second are in the file."""
    path = tmp_path / "petal.bibulon"
    assert petal.session.save(path)
    drawn_down(prove, qtbot, 60)
    press(qtbot, prove.test, "Shut off and record")
    run(prove, 120, 0.5)
    (cut,) = recordings(load(path).journal)
    assert cut.ended is None
    assert cut.readings[-1].time >= 118.0


def test_closing_the_window_keeps_the_record(petal, prove, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    assert petal.session.save(path)
    drawn_down(prove, qtbot, 60)
    press(qtbot, prove.test, "Shut off and record")
    run(prove, 60)
    petal.session.closing.emit()
    (kept,) = recordings(load(path).journal)
    assert kept.ended is not None
    assert len(kept.readings) == 61


def test_stages_are_told_beside_each_other(petal, prove, qtbot):
    drawn_down(prove, qtbot, 120)
    for stage in ("pump alone", "with the feed"):
        press(qtbot, prove.test, stage)
        prove.test.begin()
        run(prove, 70)
        prove.test.end()
    told = prove.panel.stages
    drawn = prove.panel.staged
    qtbot.waitUntil(lambda: "The bag" in drawn.accessibleDescription())
    assert drawn.accessibleDescription().startswith("The pump and its hose leak")
    assert not told.isHidden()
    assert [a.stage for a in prove.panel.added] == ["pump", "bag"]
    assert not prove.panel.staged.isHidden()
    ticked = [b.text() for b in prove.test.stages.buttons() if b.text().startswith("✓")]
    assert len(ticked) == 2


def test_the_pump_page_says_how_fast_and_how_deep(petal, prove, qtbot):
    press(qtbot, prove.panel, "Sum it from the job")
    drawn_down(prove, qtbot, 240)
    prove.test.begin()
    answered(qtbot, prove.pump.fits, lambda: prove.tabs.go("Pump"))
    speed = prove.pump.figures.figures["draws"].text.text()
    assert float(speed.split()[0]) == pytest.approx(8e-4 * 3600, rel=0.3)  # as the simulated pump is built
    assert prove.pump.blame.text()
    prove.pump.want.setFocus()
    type_into(qtbot, prove.pump.want, "900 mbar")
    assert prove.pump.figures.figures["to the vacuum wanted"].text.text() != "never"
    prove.test.end()


def test_an_instrument_on_a_serial_line_is_read_and_its_plug_pulled(petal, prove, qtbot, tmp_path):
    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    file = tmp_path / "gauge.json"
    file.write_text(
        '{"name": "flange gauge", "pattern": "(?P<v>[0-9.]+) mbar", "values": {"pressure": {"group": "v", "unit": "mbar"}}}'
    )
    prove.panel.pick.where.setText(os.ttyname(theirs))
    prove.panel.pick.connect_to("serial", file)
    assert not petal.session.instruments.simulated
    prove.test.tick()
    os.write(ours, b"21.5 mbar\n")
    prove.test.begin()
    for k in range(40):
        prove.hand_clock.on(0.5)
        os.write(ours, f"{21.5 + k / 10:.1f} mbar\n".encode())
        prove.test.tick()
    assert prove.test.head.number.text() != "—"
    os.close(ours)
    run(prove, 3, 0.5)
    assert "does not answer" in petal.message.text() or "sent nothing" in petal.message.text()
    prove.test.end()
    (kept,) = recordings(petal.session.journal)
    assert kept.device == "flange gauge"
    assert len(kept.gaps) == 1
    os.close(theirs)


def test_a_test_ends_with_the_gauge_it_began_with(petal, prove, qtbot):
    """What another gauge reads, by other seconds, is not of this test."""
    drawn_down(prove, qtbot, 60)
    prove.hand_clock.on(100.0)
    press(qtbot, prove.test, "Shut off and record")
    run(prove, 60)
    prove.panel.pick.connect_to("serial", None)  # a real one, whose file is missing: the simulated one stays
    assert prove.test.live is None
    run(prove, 10)
    (kept,) = recordings(petal.session.journal)
    assert kept.ended is not None
    assert len(kept.readings) == 61


def test_pumping_is_not_logged_on_by_another_clock(petal, prove, qtbot):
    drawn_down(prove, qtbot, 60)
    other = HandClock()
    petal.session.instruments.run_by(other)  # its simulated shop begins at nought
    assert prove.test.pumping == []
    prove.test.tick()
    assert prove.test.pumping == []
    prove.test.pump_down()
    other.on(2.0)
    prove.test.tick()
    assert [r.time for r in prove.test.pumping] == pytest.approx([2.0])


def test_an_instrument_file_that_is_wrong_leaves_the_simulated_one(petal, prove, tmp_path):
    file = tmp_path / "gauge.json"
    file.write_text("{")
    prove.panel.pick.where.setText("/dev/null")
    prove.panel.pick.connect_to("serial", file)
    assert "no JSON" in petal.message.text()
    assert petal.session.instruments.simulated


def test_a_gate_with_something_against_it_opens_by_name_and_reason_alone(petal, prove, qtbot):
    petal.session.edit("Clear", lambda job: job.replaced(test=job.test.replaced(readings=())))
    prove.tabs.go("Before resin")
    page = prove.before
    rows = page.list
    for k, step in enumerate(page.steps):
        if step.key == "leak":
            break
        rows.item(k).setCheckState(Qt.CheckState.Checked)
    leak = next(k for k, s in enumerate(page.steps) if s.key == "leak")
    rows.item(leak).setCheckState(Qt.CheckState.Checked)
    assert "accepted by name" in petal.message.text()
    assert "leak" not in proven_steps(petal.session.journal)
    press(qtbot, page.side, "Accept the leak by name")
    assert "by name, and with a reason" in petal.message.text()
    page.by.setText("Ada")
    page.reason.setText("an offcut to practise on")
    press(qtbot, page.side, "Accept the leak by name")
    assert proven_steps(petal.session.journal)["leak"].by == "Ada"
    rows.item(len(page.steps) - 1).setCheckState(Qt.CheckState.Checked)
    assert page.figures.figures["resin"].text.text() == "may be mixed"
    assert "an offcut to practise on" in rows.item(leak).text()


def test_a_temperature_log_is_taken_beside_the_gauge(petal, prove, qtbot, tmp_path):
    log = tmp_path / "warm.csv"
    log.write_text("time_s,temperature_c\n0,20\n600,21\n")
    answered(qtbot, prove.readings.warm, lambda: prove.readings.load_warmth(log))
    assert len(petal.session.job.test.warmth) == 2
    log.write_text("time_s,temperature_c\n0,200\n")
    answered(qtbot, prove.readings.warm, lambda: prove.readings.load_warmth(log))
    assert petal.message.isVisible()
    assert len(petal.session.job.test.warmth) == 2
    assert demo_job().test.warmth == ()


def test_a_school_is_edited_in_this_job(petal, prove, qtbot):
    before = petal.session.job.rules.schools
    prove.panel.minutes.setFocus()
    type_into(qtbot, prove.panel.minutes, "12")
    prove.panel.allowed.setFocus()
    type_into(qtbot, prove.panel.allowed, "25 mbar")
    chosen = next(s for s in petal.session.job.rules.schools if s.id == petal.session.job.test.school)
    assert (chosen.minutes, chosen.allowed_drop) == (12, pytest.approx(2500))
    petal.session.undo_stack.undo()
    petal.session.undo_stack.undo()
    assert petal.session.job.rules.schools == before


def test_the_bag_s_warmth_is_logged_beside_the_gauge(petal, prove, qtbot):
    drawn_down(prove, qtbot, 120)
    prove.test.begin()
    run(prove, 60)
    prove.test.end()
    warmth = petal.session.job.test.warmth
    assert 5 <= len(warmth) <= 8
    assert all(280 < w.temperature < 310 for w in warmth)


def test_a_sweep_finds_the_loudest_place(petal, prove, qtbot):
    answered(qtbot, prove.hunt.ask, lambda: prove.tabs.go("Hunt"))
    place = prove.hunt.places[len(prove.hunt.places) // 2]
    leak = SimulatedLeak(place.x, place.y, place.along, 0.05)
    petal.session.instruments.lay(BagTruth(0.01, leaks=(leak,)), 1)
    press(qtbot, prove.hunt.side, "Sweep once all round")
    heard = [e for e in petal.session.journal if e.kind == "heard"]
    assert 1 <= len(heard) <= 3
    assert (heard[0].data["x"], heard[0].data["y"]) == (place.x, place.y)
    assert "loudest at" in petal.message.text()


def test_a_gauge_that_lets_wait_is_read_off_the_interface_thread(petal, prove, qtbot, monkeypatch):
    drawn_down(prove, qtbot, 60)
    gauge = petal.session.instruments.gauge
    threads = []
    read = type(gauge).read

    def seen(self, now):
        if self is gauge:  # the simulated thermometer answers at once, and where it is asked
            threads.append(QThread.currentThread())
        return read(self, now)

    monkeypatch.setattr(type(gauge), "read", seen)
    monkeypatch.setattr(type(petal.session.instruments), "waits", property(lambda self: True))
    prove.test.begin()
    prove.hand_clock.on(1.0)
    with qtbot.waitSignal(prove.test.reading.rested, timeout=10_000):
        prove.test.tick()
    assert threads
    assert all(t is not petal.thread() for t in threads)
    assert prove.test.head.number.text() != "—"
    if prove.test.reading.busy:
        with qtbot.waitSignal(prove.test.reading.rested, timeout=10_000):
            pass
    prove.test.end()
