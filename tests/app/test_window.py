"""The real window, driven by clicks and keys; what is asserted is what a user sees."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QFileDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTableView,
    QWidget,
)
from tests.app.hand import answered, type_cell

from bibulon.app.plan.view import PlanView
from bibulon.app.start import settle
from bibulon.core.edit.edit import open_on_front
from bibulon.core.model.job import AtTime, OnFront
from bibulon.core.run.journal import run_state
from bibulon.core.units.units import clock
from bibulon.store.jobfile import load, save


def go(window, name):
    window.go([s.name for s in window.stations].index(name))
    return window.station(name)


def at(plan: PlanView, x: float, y: float) -> QPoint:
    import numpy as np

    px = plan.view.to(np.array([[x, y]]))[0]
    return QPointF(*px).toPoint()


def press(qtbot, widget: QWidget, text: str):
    button = next(
        b
        for b in widget.findChildren(QPushButton)
        if b.text().replace("\n", " ").startswith(text) and b.isVisible()
    )
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def outlook(qtbot, window, act):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        act()
    return window.session.outlook


@pytest.fixture
def petal(window, qtbot, demo):
    outlook(qtbot, window, lambda: window.session.new(demo))
    return window


def test_the_demo_shows_its_forecast_everywhere(petal):
    lines = go(petal, "Lines")
    f = petal.session.outlook.forecast
    assert f.filled
    shown = {
        label.accessibleName(): label.text()
        for label in lines.side.findChildren(QLabel)
        if label.accessibleName()
    }
    assert shown["wet through at"] == f"{int(f.fill_time // 60)}:{round(f.fill_time % 60):02d}"
    assert petal.rail.rows[2].state.figure == clock(f.fill_time)
    assert petal.rail.rows[2].state.state == "warned"
    assert any("F2 opens before" in w.text() for w in petal.findings.findChildren(QLabel))


def test_dragging_the_clock_moves_the_moment(petal, qtbot):
    go(petal, "Lines")
    strip = petal.clock.strip
    qtbot.mousePress(petal.clock, Qt.MouseButton.LeftButton, pos=QPoint(round(strip.x(300)), 60))
    assert petal.session.moment == pytest.approx(300, abs=5)
    qtbot.mouseMove(petal.clock, QPoint(round(strip.x(900)), 60))
    qtbot.mouseRelease(petal.clock, Qt.MouseButton.LeftButton, pos=QPoint(round(strip.x(900)), 60))
    qtbot.keyClick(petal.clock, Qt.Key.Key_End)
    assert petal.session.moment == pytest.approx(petal.session.outlook.forecast.end)
    qtbot.keyClick(petal.clock, Qt.Key.Key_N)
    assert petal.session.moment == 0.0


def test_moving_a_line_is_one_undo_and_gives_new_fronts(petal, qtbot):
    lines = go(petal, "Lines")
    plan, before = lines.plan, petal.session.job
    first = petal.session.outlook.forecast.fill_time
    path = next(x for x in before.lines if x.id == "F2").path
    start = at(plan, path[0][0], 0.6)

    def drag():
        qtbot.mousePress(plan, Qt.MouseButton.LeftButton, pos=start)
        for step in (10, 25, 40):
            qtbot.mouseMove(plan, start + QPoint(step, 0))
        qtbot.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=start + QPoint(40, 0))

    after = outlook(qtbot, petal, drag)
    assert petal.session.job != before
    assert petal.session.undo_stack.count() == 1
    assert petal.session.undo_stack.undoText() == "Move F2"
    assert after.forecast.fill_time != first
    outlook(qtbot, petal, lambda: qtbot.keyClick(petal, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert petal.session.job == before
    outlook(qtbot, petal, lambda: qtbot.keyClick(petal, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier))
    assert petal.session.job != before


def test_the_remedy_of_a_finding_is_one_press_and_one_undo(petal, qtbot):
    go(petal, "Lines")
    petal.findings.choose("early-feed:F2")
    outlook(qtbot, petal, lambda: press(qtbot, petal.findings, "Open F2 on the front"))
    assert isinstance(petal.session.job.lines[1].opens, OnFront)
    assert "early-feed:F2" not in {f.key for f in petal.session.outlook.findings}
    petal.session.undo_stack.undo()
    assert petal.session.job.lines[1].opens == AtTime(time=420)


def test_a_warning_is_accepted_only_with_a_reason(petal, qtbot):
    petal.findings.choose("early-feed:F2")
    press(qtbot, petal.findings, "Accept")
    assert "Say why" in petal.message.text()
    assert not petal.session.job.accepted
    field = next(e for e in petal.findings.findChildren(QLineEdit) if e.isVisible())
    qtbot.keyClicks(field, "trial panel")
    outlook(qtbot, petal, lambda: press(qtbot, petal.findings, "Accept"))
    assert petal.session.job.accepted[0].reason == "trial panel"
    assert any("accepted" in w.text() for w in petal.findings.findChildren(QLabel))


def test_from_an_empty_job_to_resin_that_fills(window, qtbot):
    """The whole way by hand: outline, zone, plies, resin, feed, vacuum, mesh."""
    window.session.new()
    part = go(window, "Part")
    plan = part.plan_bench.plan
    press(qtbot, part.side, "Draw outline")
    for x, y in ((0, 0), (1.0, 0), (1.0, 0.5), (0, 0.5)):
        qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=at(plan, x, y))
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    assert part.figures.figures["area"].text.text() == "0.50 m²"
    assert part.figures.figures["perimeter"].text.text() == "3.00 m"
    type_cell(part.outline.table, 0, 2, "2 in")
    assert window.session.job.part.outline[0].bow == pytest.approx(0.0508)
    part.panels.go("Zones")
    press(qtbot, part.side, "Zone inside")
    type_cell(part.zones.table, 0, 2, "120")
    assert window.session.job.part.zones[0].area.distance == pytest.approx(0.12)

    stack = go(window, "Stack")
    for key in ("biax-600", "triax-850", "foam-15-grooved", "triax-850"):
        stack.material.setCurrentIndex(stack.material.findData(key))
        press(qtbot, stack.bench, "Add on top")
    assert stack.table.row_count() == 4
    assert window.session.job.stack[2].zones == ("zone1",)
    type_cell(stack.table, 1, 2, "45")
    assert window.session.job.stack[1].angle_deg == 45
    assert stack.figures.figures["thickness"].text.text().endswith("mm")

    charge = go(window, "Charge")
    charge.resin.setCurrentIndex(charge.resin.findData("polyester-fast"))
    charge.resin.activated.emit(charge.resin.currentIndex())
    assert len(charge.page.plan.sinks) > 3

    lines = go(window, "Lines")
    plan = lines.plan

    def draw(kind, *points):
        press(qtbot, lines.side, f"Draw {kind}")
        for x, y in points:
            qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=at(plan, x, y))
        qtbot.keyClick(plan, Qt.Key.Key_Return)

    draw("feed", (0.03, 0.05), (0.03, 0.45))
    window.session.select(None)
    draw("vacuum", (0.96, 0.05), (0.96, 0.45))
    window.session.select(None)
    last = outlook(qtbot, window, lambda: press(qtbot, lines.side, "Lay mesh"))
    assert last.forecast is not None
    assert last.forecast.fill_time > 0
    assert "mesh-vacuum:V1" not in {f.key for f in last.findings}
    assert {x.label for x in window.session.job.lines} == {"F1", "V1"}


def test_wrong_input_is_told_and_changes_nothing(petal, qtbot):
    part = go(petal, "Part")
    before = petal.session.job
    type_cell(part.outline.table, 0, 0, "12 kg")
    assert "not a unit of length" in petal.message.text()
    type_cell(part.outline.table, 1, 0, "-3 m")  # turns the outline inside out: it crosses itself
    assert "crosses itself near" in petal.message.text()
    assert petal.session.job == before
    assert part.outline.table.text_at(0, 0) == "0.0"
    charge = go(petal, "Charge")
    field = charge.fields["Vacuum"]
    field.selectAll()
    qtbot.keyClicks(field, "5 bananas")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.property("wrong") == "true"
    assert "not a unit of pressure" in petal.message.text()
    assert petal.session.job == before
    field.selectAll()
    qtbot.keyClicks(field, "30 mbar")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert petal.session.job.conditions.vacuum == pytest.approx(3000)


def test_us_units_change_what_is_shown_not_what_is_kept(petal, qtbot):
    before = petal.session.job
    qtbot.mouseClick(petal.buttons["units"], Qt.MouseButton.LeftButton)
    part = go(petal, "Part")
    assert part.figures.figures["area"].text.text().endswith("ft²")
    assert part.outline.table.text_at(1, 0) == "90.55"
    assert petal.session.job == before


def test_prove_judges_by_the_school_chosen(petal, qtbot, tmp_path):
    prove = go(petal, "Prove")
    qtbot.waitUntil(lambda: prove.panel.verdict.text() == "Passes", timeout=20_000)
    log = tmp_path / "gauge.csv"
    log.write_text(
        "time_s,pressure_mbar_absolute\n" + "\n".join(f"{t},{20 + t * 0.12}" for t in range(0, 601, 30))
    )
    outlook(qtbot, petal, lambda: prove.readings.load_log(log))
    assert prove.panel.verdict.text().startswith("Fails")
    assert next(r for r in petal.rail.rows if r.name == "Prove").state.state == "blocked"
    assert "leak" in {f.key for f in petal.session.outlook.findings if f.weight == "blocking"}
    log.write_text("time,absolute\n0,20\n60,\n")
    answered(qtbot, prove.readings.reader, lambda: prove.readings.load_log(log))
    assert "line 3" in petal.message.text()
    assert len(petal.session.job.test.readings) == 21


def test_a_run_is_stamped_at_once_and_survives_a_restart(petal, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    assert petal.session.save(path)
    board = go(petal, "Shoot").board
    board.setFocus()
    qtbot.keyClick(board, Qt.Key.Key_Return)
    assert board.state().running
    qtbot.mouseClick(board.plan, Qt.MouseButton.LeftButton, pos=at(board.plan, 0.5, 0.7))
    qtbot.keyClick(board, Qt.Key.Key_2)
    qtbot.keyClick(board, Qt.Key.Key_U)
    stored = load(path).journal
    assert [e.kind for e in stored] == ["start", "open", "front", "open", "bubbles"]
    assert stored[2].data["x"] == pytest.approx(0.5, abs=0.01)
    assert board.plan.states["F2"] == "open"
    petal.session.open(path)
    assert board.state().running
    assert board.state().marks[0].x == pytest.approx(0.5, abs=0.01)
    qtbot.keyClick(board, Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
    assert run_state(load(path).journal).running
    qtbot.keyClick(board, Qt.Key.Key_Q)
    assert run_state(load(path).journal).running  # asked once more
    qtbot.keyClick(board, Qt.Key.Key_Q)
    assert not run_state(load(path).journal).running


def test_record_shows_and_writes_the_card(petal, tmp_path, monkeypatch, qtbot):
    record = go(petal, "Record")
    answered(qtbot, record.laying, lambda: record.tabs.go("Card and weighing"))
    assert len(record.preview.pages) >= 2
    target = tmp_path / "card.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    answered(qtbot, petal.session.errands, lambda: press(qtbot, record.side, "Save job card"))
    assert target.read_bytes().startswith(b"%PDF")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("/no/such/place/card.pdf", ""))
    answered(qtbot, petal.session.errands, lambda: press(qtbot, record.side, "Save job card"))
    assert "could not be written" in petal.message.text()


def test_save_open_recent_and_new(petal, tmp_path, monkeypatch, qtbot):
    path = tmp_path / "petal.bibulon"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "petal"), ""))
    petal.session.edit("Rename", lambda j: j.replaced(name="Petal 4"))
    assert "not saved" in petal.saved.text()
    qtbot.keyClick(petal, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert load(path).job.name == "Petal 4"
    assert "saved" in petal.saved.text()
    qtbot.keyClick(petal, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert petal.title.text() == "Untitled job"
    assert petal.session.recent() == [path]
    petal.open(path)
    assert petal.title.text() == "Petal 4"
    (tmp_path / "bad.json").write_text("{")
    petal.open(tmp_path / "bad.json")
    assert "damaged" in petal.message.text()
    assert petal.title.text() == "Petal 4"


def test_autosave_is_taken_up_after_a_crash(petal, qtbot, tmp_path):
    petal.session.edit("Rename", lambda j: j.replaced(name="Half done"))
    petal.session.autosave()
    left = petal.session.keeper.working
    petal.session.keeper._forget()  # as a crash leaves it: nothing removed, the lock gone with the process
    from PySide6.QtCore import QSettings

    from bibulon.app.session.session import Session

    other = Session(QSettings(str(tmp_path / "o.ini"), QSettings.Format.IniFormat), tmp_path / "state")
    assert [x.path for x in other.leftovers()] == [left]
    assert other.recover(left)
    assert other.job.name == "Half done"
    assert other.modified
    assert other.save(tmp_path / "kept.bibulon")
    assert other.leftovers() == []
    other.close()


def test_an_older_answer_is_dropped(petal, qtbot, demo):
    """Edits in a row, as of a hand that moves: a preview in between, then the last one's fine answer."""
    seen = []
    petal.session.forecaster.ready.connect(lambda o: seen.append((o.job.conditions.vacuum, o.fine)))

    def both():
        petal.session.edit(
            "a",
            lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=9000.0)),
        )
        petal.session.edit(
            "m",
            lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=12000.0)),
        )
        petal.session.edit(
            "b",
            lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=15000.0)),
        )

    outlook(qtbot, petal, both)
    assert [v for v, fine in seen if fine] == [15000.0]
    assert seen[0] == (9000.0, False)
    assert len(seen) == 3  # the edit in the middle was never worked out
    petal.session.forecaster.cancel()
    assert not petal.session.forecaster.busy
    outlook(qtbot, petal, lambda: petal.session.undo_stack.undo())  # and the next use works
    assert petal.session.outlook.job.conditions.vacuum == 12000.0


def test_all_controls_have_names(petal):
    for station in petal.stations:
        petal.go(petal.stations.index(station))
        for widget in petal.findChildren(QWidget):
            if (
                isinstance(widget, QAbstractButton | QComboBox | QLineEdit | QPlainTextEdit | QTableView)
                and widget.isVisible()
            ):
                named = widget.accessibleName() or (isinstance(widget, QAbstractButton) and widget.text())
                inner = widget.parent() and isinstance(widget.parent(), QComboBox | QTableView)
                assert named or inner, f"{station.name}: {widget} has no name"


def test_a_crossed_outline_in_a_file_is_shown_not_thrown(window, qtbot, demo, tmp_path):
    outline = demo.part.outline
    crossed = demo.replaced(part=demo.part.replaced(outline=(outline[0], outline[2], outline[1], outline[3])))
    save(crossed, tmp_path / "x.json")
    last = outlook(qtbot, window, lambda: window.session.open(tmp_path / "x.json"))
    assert "crosses itself" in last.problem
    go(window, "Lines")
    go(window, "Part")
    window.grab()
    assert window.rail.rows[0].state.state == "blocked"


def test_screenshot_of_the_demo(tmp_path: Path, qtbot):
    from bibulon.app.start import start_demo

    target = tmp_path / "shot.png"
    assert start_demo(str(target), "Lines", "14:00") == 0
    from PySide6.QtGui import QImage

    image = QImage(str(target))
    assert (image.width(), image.height()) == (1280, 800)
    colours = {image.pixelColor(x, y).name() for x in range(200, 860, 20) for y in range(100, 480, 20)}
    assert len(colours) > 12


def test_settle_returns_when_nothing_runs(window):
    window.session.forecaster.cancel()
    settle(window, 10)


def test_what_was_said_of_one_station_goes_with_it_and_an_alarm_stays(petal):
    petal.go_to("Bag")
    petal.say("10.93 m² less of the rolls is pulled.", False)
    assert petal.message.isVisible()
    petal.go_to("Charge")
    assert not petal.message.isVisible()
    petal.say("The job could not be saved.", True)
    petal.go_to("Bag")
    assert "could not be saved" in petal.message.text()
    petal.say("Kept.", False)
    petal.session.new()
    assert petal.message.text() == ""


def test_the_fine_forecast_can_be_stopped_and_starts_again(petal, qtbot, monkeypatch):
    from bibulon.app.session import forecaster
    from bibulon.core.flow.forecast import Resolution

    monkeypatch.setattr(forecaster, "FINE_ON_SCREEN", Resolution(6000, 3, 40))
    with qtbot.waitSignal(petal.session.forecaster.progress, timeout=60_000):
        petal.session.edit("Move", lambda j: open_on_front(j, "F2", 10.0))
    assert petal.stop.isVisible()
    qtbot.mouseClick(petal.stop, Qt.MouseButton.LeftButton)
    assert not petal.session.forecaster.busy
    assert not petal.stop.isVisible()
    assert not petal.session.outlook.fine
    monkeypatch.setattr(forecaster, "FINE_ON_SCREEN", Resolution(400, 1, 8))
    assert outlook(
        qtbot, petal, lambda: petal.session.edit("Move", lambda j: open_on_front(j, "F2", 20.0))
    ).fine


def dropped(window, path):
    """Drop a file on the window, as a file manager does."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    window.dropEvent(
        QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip


def test_a_gauge_log_dropped_on_the_window_is_read_by_prove(petal, qtbot, tmp_path):
    log = tmp_path / "gauge.csv"
    log.write_text(
        "time_s,pressure_mbar_absolute\n" + "".join(f"{t},{20 + t / 300}\n" for t in range(0, 661, 60))
    )
    answered(qtbot, petal.station("Prove").readings.reader, lambda: dropped(petal, log))
    assert petal.stations[petal.current].name == "Prove"
    assert len(petal.session.job.test.readings) == 12


def test_a_broken_drawing_dropped_on_the_window_leaves_the_part(petal, qtbot, tmp_path):
    before = petal.session.job.part
    path = tmp_path / "panel.dxf"
    path.write_text("not a drawing")
    answered(qtbot, petal.station("Part").outline.reader, lambda: dropped(petal, path))
    assert "panel.dxf" in petal.message.text()
    assert petal.stations[petal.current].name == "Part"
    assert petal.session.job.part == before
