"""The side panels and tables of the stations, by hand: what is typed and pressed, what the job becomes."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox
from shapely.geometry import Point
from tests.app.hand import answered, press, type_cell, type_into

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import AtTime, Inset, OnFront
from bibulon.core.run.journal import run_state
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.mesh_cover import mesh_cover


def go(window, name):
    window.go([s.name for s in window.stations].index(name))
    return window.station(name)


def type_ply(stack, row, column, text):
    type_cell(stack.table, row, column, text)


def ply(stack, row, column):
    return stack.table.text_at(row, column)


# -- Stack


def test_an_angle_typed_turns_the_ply(petal):
    stack = go(petal, "Stack")
    type_ply(stack, 0, 2, "45")
    assert petal.session.job.stack[0].angle_deg == 45
    assert petal.session.undo_stack.undoText() == "Turn layer"
    assert ply(stack, 0, 2) == "45°"


@pytest.mark.parametrize("nonsense", ["lots", "12 kg", "", "1e9"])
def test_a_wrong_angle_is_told_and_nothing_changes(petal, nonsense):
    stack = go(petal, "Stack")
    before = petal.session.job
    type_ply(stack, 0, 2, nonsense)
    assert petal.session.job == before
    assert petal.message.isVisible()
    assert petal.message.text()
    assert ply(stack, 0, 2) == "0°"


def test_layers_are_added_moved_and_removed(petal, qtbot):
    stack = go(petal, "Stack")
    count = len(petal.session.job.stack)
    stack.material.setCurrentIndex(stack.material.findData("quad-1200"))
    press(qtbot, stack.bench, "Add on top")
    assert petal.session.job.stack[-1].material == "quad-1200"
    press(qtbot, stack.bench, "Down")
    assert petal.session.job.stack[-2].material == "quad-1200"
    press(qtbot, stack.bench, "Up")
    assert petal.session.job.stack[-1].material == "quad-1200"
    press(qtbot, stack.bench, "Remove")
    assert len(petal.session.job.stack) == count
    for _ in range(4):
        petal.session.undo_stack.undo()
    assert len(petal.session.job.stack) == count


def test_a_layer_is_laid_in_a_zone_by_its_list(petal):
    stack = go(petal, "Stack")
    stack.table.edit(stack.table.rows.at(0, 3))
    (box,) = (b for b in stack.table.viewport().findChildren(QComboBox))
    k = box.findText("Cored field")
    box.setCurrentIndex(k)
    box.activated.emit(k)
    assert petal.session.job.stack[0].zones == ("field",)
    type_ply(stack, 0, 3, "Cored field + Foot flange")
    assert petal.session.job.stack[0].zones == ("field", "foot")
    type_ply(stack, 0, 3, "attic")
    assert "There is no zone “attic”" in petal.message.text()


def test_figures_follow_the_zone_chosen(petal):
    stack = go(petal, "Stack")
    shown = {}
    for k in range(stack.zone.count()):
        stack.zone.setCurrentIndex(k)
        shown[stack.zone.itemData(k)] = stack.figures.figures["thickness"].text.text()
    for zone, text in shown.items():
        assert text == f"{zone_stack(petal.session.job, zone).thickness * 1e3:.2f} mm"
    assert len(set(shown.values())) == 3


def test_nothing_chosen_is_told(petal, qtbot):
    stack = go(petal, "Stack")
    stack.table.choose(-1, 0)
    before = petal.session.job
    press(qtbot, stack.bench, "Remove")
    assert petal.session.job == before
    assert "Choose a layer" in petal.message.text()


# -- Part


def test_a_zone_by_its_distance_is_typed_in_any_unit(petal):
    part = go(petal, "Part")
    part.panels.go("Zones")
    type_cell(part.zones.table, 0, 2, "8 in")
    area = petal.session.job.part.zones[0].area
    assert isinstance(area, Inset)
    assert area.distance == pytest.approx(0.2032)
    type_cell(part.zones.table, 0, 0, "Middle")
    assert petal.session.job.part.zones[0].name == "Middle"


def test_a_zone_that_leaves_nothing_is_refused(petal):
    part = go(petal, "Part")
    part.panels.go("Zones")
    before = petal.session.job
    type_cell(part.zones.table, 0, 2, "3 m")
    assert petal.session.job == before
    assert "empty" in petal.message.text()


def test_corners_are_added_and_removed_down_to_three(petal, qtbot):
    part = go(petal, "Part")
    press(qtbot, part.side, "Add corner")
    assert len(petal.session.job.part.outline) == 5
    for _ in range(4):
        press(qtbot, part.side, "Remove corner")
    assert len(petal.session.job.part.outline) == 3
    assert "three corners" in petal.message.text()


def test_a_flange_is_set_and_drawn(petal, qtbot):
    part = go(petal, "Part")
    part.panels.go("Mould")
    type_into(qtbot, part.mould.fields["flange"], "150 mm")
    assert petal.session.job.part.flange == pytest.approx(0.15)
    assert petal.session.undo_stack.undoText() == "Change flange beyond the part"


def test_removing_a_zone_takes_its_layers_with_it(petal, qtbot):
    part = go(petal, "Part")
    part.panels.go("Zones")
    part.zones.table.choose(1)
    press(qtbot, part.side, "Remove zone")
    assert [z.id for z in petal.session.job.part.zones] == ["field"]
    assert not any("foot" in s.zones for s in petal.session.job.stack)


# -- Lines


def test_a_line_s_fields(petal, qtbot):
    lines = go(petal, "Lines")
    petal.session.select("F2")
    box = lines.inspector
    type_into(qtbot, box.hose_length, "6 ft")
    type_into(qtbot, box.hose_bore, "12 mm")
    type_into(qtbot, box.time, "9:30")
    feed = petal.session.job.lines[1]
    assert feed.hose_length == pytest.approx(1.8288)
    assert feed.hose_bore == pytest.approx(0.012)
    assert feed.opens == AtTime(time=570)
    box.rule.setCurrentIndex(1)
    box.rule.activated.emit(1)
    assert petal.session.job.lines[1].opens == OnFront(line="F2")
    type_into(qtbot, box.time, "45 s")
    assert petal.session.job.lines[1].opens == OnFront(line="F2", delay=45)
    type_into(qtbot, box.label, "Middle feed")
    assert petal.session.job.lines[1].label == "Middle feed"
    press(qtbot, lines.side, "Remove line")
    assert [x.id for x in petal.session.job.lines] == ["F1", "V1"]


@pytest.mark.parametrize(("field", "text"), [
    ("hose_length", "-1 m"), ("hose_bore", "3 kg"), ("time", "soon"), ("bore", "5 m"),
])  # fmt: skip
def test_wrong_entries_of_a_line_are_kept_marked_and_told(petal, qtbot, field, text):
    lines = go(petal, "Lines")
    petal.session.select("F2")
    before = petal.session.job
    edit = getattr(lines.inspector, field)
    type_into(qtbot, edit, text)
    assert petal.session.job == before
    assert edit.property("wrong") == "true"
    assert edit.text() == text
    assert petal.message.isVisible()


def test_mesh_is_laid_under_feeds_and_taken_off(petal, qtbot):
    lines = go(petal, "Lines")
    press(qtbot, lines.side, "No mesh")
    assert petal.session.job.mesh is None
    type_into(qtbot, lines.mesh_panel.distance, "80 mm")
    press(qtbot, lines.side, "Lay mesh")
    job = petal.session.job
    cover, edge = mesh_cover(job), regions(job.part).whole.exterior
    assert cover.distance(Point(0.0, 0.75)) < 1e-6  # on under the feed, to the edge behind it
    middle = min(
        (Point(x, y) for x, y in edge.segmentize(0.01).coords if 0.6 < x < 0.8 and y > 0.75),
        key=cover.distance,
    )
    assert cover.distance(middle) == pytest.approx(0.08, abs=2e-3)  # beside it, as was typed


def from_elsewhere(job):
    """The job with cloth and a flow mesh of another shop's, which no library here has."""
    cloth = job.materials[job.stack[0].material].replaced(name="Their cloth")
    net = job.materials[job.mesh.material].replaced(name="Their net")
    return job.replaced(
        materials={**{k: m for k, m in job.materials.items() if k != job.mesh.material}, "their-cloth": cloth, "their-net": net},
        stack=(job.stack[0].replaced(material="their-cloth"), *job.stack[1:]),
        mesh=job.mesh.replaced(material="their-net"),
    )  # fmt: skip


def test_materials_of_a_job_from_elsewhere_are_offered_as_long_as_it_is_open(petal, demo, qtbot):
    lines, stack = go(petal, "Lines"), go(petal, "Stack")
    petal.session.new(from_elsewhere(demo))
    go(petal, "Stack")
    assert stack.material.findText("Their cloth") >= 0
    stack.material.setCurrentText("Their cloth")
    count = len(petal.session.job.stack)
    press(qtbot, stack.bench, "Add on top")
    assert petal.session.job.stack[count].material == "their-cloth"
    go(petal, "Lines")
    assert lines.mesh_panel.material.currentText() == "Their net"
    type_into(qtbot, lines.mesh_panel.distance, "90 mm")
    press(qtbot, lines.side, "Lay mesh")
    assert petal.session.job.mesh.material == "their-net"
    petal.session.new(demo)
    assert lines.mesh_panel.chosen() == demo.mesh.material
    assert lines.mesh_panel.material.findText("Their net") == -1
    go(petal, "Stack")
    assert stack.material.findText("Their cloth") == -1
    press(qtbot, stack.bench, "Add on top")
    assert petal.session.job.stack[-1].material in petal.session.shelf


# -- Charge


def test_margins_typed_change_the_charge(petal, qtbot):
    charge = go(petal, "Charge")
    before = petal.session.outlook.evidence.charge.total
    name, field = next((n, f) for n, f in charge.fields.items() if "heel" in n.lower())
    type_into(qtbot, field, "900 g")
    assert petal.session.job.charge.heel == pytest.approx(0.9), name
    qtbot.waitUntil(lambda: petal.session.outlook.evidence.charge.total > before, timeout=30_000)


def test_another_resin_is_chosen(petal):
    charge = go(petal, "Charge")
    now = petal.session.job.resin.name
    other = next(
        k for k in range(charge.resin.count()) if charge.resin.itemData(k) and charge.resin.itemText(k) != now
    )
    charge.resin.setCurrentIndex(other)
    charge.resin.activated.emit(other)
    assert petal.session.job.resin.name == charge.resin.itemText(other)


# -- Prove


def test_readings_are_typed_and_judged(petal, qtbot):
    prove = go(petal, "Prove")
    prove.tabs.go("Readings")
    press(qtbot, prove.bench, "Clear")
    assert petal.session.job.test.readings == ()
    for _ in range(3):
        press(qtbot, prove.bench, "Add reading")
    assert len(petal.session.job.test.readings) == 3
    type_cell(prove.readings.table, 2, 1, "45 mbar")
    assert petal.session.job.test.readings[2].pressure == pytest.approx(4500)
    before = petal.session.job
    type_cell(prove.readings.table, 2, 1, "a lot")
    assert petal.session.job == before
    assert petal.message.isVisible()


def test_a_log_with_a_fault_is_told_by_its_line(petal, qtbot, tmp_path):
    prove = go(petal, "Prove")
    before = petal.session.job
    path = tmp_path / "gauge.csv"
    path.write_text("time s,pressure mbar absolute\n0,20\n30,twenty\n", encoding="utf-8")
    answered(qtbot, prove.readings.reader, lambda: prove.readings.load_log(path))
    assert petal.session.job == before
    assert "3" in petal.message.text()


# -- Shoot


def test_every_key_of_the_board_is_a_stamp(petal, qtbot):
    board = go(petal, "Shoot").board
    qtbot.keyClick(board, Qt.Key.Key_Return)
    assert run_state(petal.session.journal).running
    for key, kind in ((Qt.Key.Key_B, "batch"), (Qt.Key.Key_U, "bubbles"), (Qt.Key.Key_2, "open"), (Qt.Key.Key_1, "shut"),
                      (Qt.Key.Key_W, "wet")):  # fmt: skip
        qtbot.keyClick(board, key)
        assert petal.session.journal[-1].kind == kind
    qtbot.keyClick(board, Qt.Key.Key_Q)
    assert petal.session.journal[-1].kind == "wet"
    assert board.buttons["stop"].text().startswith("Once more")
    qtbot.keyClick(board, Qt.Key.Key_Q)
    qtbot.keyClicks(board.typed, "Ada, a practice piece")  # before gel the hold is broken by name and reason
    qtbot.keyClick(board.typed, Qt.Key.Key_Return)
    assert petal.session.journal[-1].kind == "stop"
    state = run_state(petal.session.journal)
    assert not state.running
    assert state.wet_at is not None
    assert state.open == {"F2"}
    qtbot.keyClick(board, Qt.Key.Key_B)
    assert petal.session.journal[-1].kind == "stop"
    assert list(board.buttons)[-1] == "start"
    assert board.buttons["start"].text().startswith("Start a new run")


def test_a_stamp_leaves_the_hand_where_it_was(petal, qtbot):
    board = go(petal, "Shoot").board
    qtbot.keyClick(board, Qt.Key.Key_Return)
    button = board.buttons["bubbles"]
    button.setFocus()
    assert petal.focusWidget() is button
    qtbot.keyClick(button, Qt.Key.Key_Space)
    assert petal.session.journal[-1].kind == "bubbles"
    assert board.buttons["bubbles"] is button
    assert petal.focusWidget() is button
    qtbot.mouseClick(board.buttons["F2"], Qt.MouseButton.LeftButton)
    assert board.buttons["F2"].text().startswith("F2 shut")
    assert petal.focusWidget() is button


def test_what_was_done_is_drawn_under_what_was_planned(petal, qtbot):
    board = go(petal, "Shoot").board
    qtbot.keyClick(board, Qt.Key.Key_Return)
    qtbot.keyClick(board, Qt.Key.Key_B)
    words = [getattr(i, "text", "") for i in petal.clock.items(petal.clock.strip, 124)]
    assert "batch in, done" in words


# -- Record


def test_notes_are_kept_with_the_job(petal, qtbot):
    record = go(petal, "Record")
    record.tabs.go("Card and weighing")
    assert record.side is not None
    from PySide6.QtWidgets import QPlainTextEdit

    (field,) = record.side.findChildren(QPlainTextEdit)
    assert "Tip" not in petal.session.job.notes
    field.setFocus()
    qtbot.keyClicks(field, "Tip 2 mm thick")
    go(petal, "Part")
    assert petal.session.job.notes.endswith("Tip 2 mm thick")


def test_a_log_that_does_not_say_how_its_gauge_reads_is_asked_about(petal, qtbot, tmp_path):
    prove = go(petal, "Prove")
    prove.tabs.go("Readings")
    before = petal.session.job.test.readings
    path = tmp_path / "gauge.csv"
    path.write_text("time s,pressure kPa\n" + "".join(f"{t},{97 - t / 600}\n" for t in range(0, 601, 60)))
    answered(qtbot, prove.readings.reader, lambda: prove.readings.load_log(path))
    assert prove.readings.asking.isVisible()
    assert "does not say how its gauge reads" in petal.message.text()
    assert petal.session.job.test.readings == before
    answered(qtbot, prove.readings.reader, lambda: press(qtbot, prove.readings.asking, "Below today's air"))
    assert not prove.readings.asking.isVisible()
    first = petal.session.job.test.readings[0].pressure
    assert first == pytest.approx(petal.session.job.conditions.atmosphere - 97_000)
