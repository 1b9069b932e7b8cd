"""A first job by somebody who reads only the screen: ways to begin, the thread from step to step, and the acts that it takes."""

from __future__ import annotations

import ezdxf
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFileDialog
from tests.app.hand import LEFT, answered, choose, press, type_into

from bibulon.app.shell.begin import WAYS
from bibulon.app.stations.part import import_dialog
from bibulon.core.edit.edit import change
from bibulon.core.findings.first import THREAD, Standing, next_step, thread
from bibulon.core.library.demo import blank_job


@pytest.fixture
def empty(window, qtbot):
    """A program that nobody has used yet."""
    window.session.new()
    window.first.turn(True)
    window.show_ways()
    return window


def drawing(path):
    """An invented hatch cover, in mm."""
    doc = ezdxf.new()
    doc.units = ezdxf.units.MM
    corners = [(0, 0), (900, 0), (900, 420), (700, 600), (0, 600)]
    doc.modelspace().add_lwpolyline(corners, close=True)
    doc.saveas(path)
    return path


def title(window):
    return window.first.title.text()


def test_six_ways_stand_there_and_esc_leaves_an_empty_panel(empty, qtbot):
    assert [t.accessibleName() for t in empty.ways.tiles.values()] == [name for name, _ in WAYS.values()]
    assert empty.ways.isVisible()
    assert empty.ways.lead.isChecked()
    empty.ways.grab()
    qtbot.keyClick(empty.ways, Qt.Key.Key_Escape)
    assert not empty.ways.isVisible()
    assert title(empty) == "1 of 8: The outline"


@pytest.mark.parametrize("kind", ["measured", "shape", "old", "demo", "practise"])
def test_each_way_puts_the_hand_where_it_begins(empty, qtbot, kind):
    tile = empty.ways.tiles[kind]
    if kind == "demo":
        with qtbot.waitSignal(empty.session.forecaster.idle, timeout=60_000):
            qtbot.mouseClick(tile, LEFT)
    else:
        qtbot.mouseClick(tile, LEFT)
    assert not empty.ways.isVisible()
    part = empty.station("Part")
    if kind == "measured":
        qtbot.waitUntil(part.outline.table.hasFocus)
    elif kind == "shape":
        qtbot.waitUntil(part.outline.starter.hasFocus)
        assert "Choose a shape" in empty.message.text()
    elif kind == "old":
        assert empty.stations[empty.current].name == "Logbook"
    elif kind == "demo":
        assert "petal" in empty.session.job.name
    else:
        assert empty.palette_panel.list.count() >= 9


def test_from_a_drawing_and_a_data_sheet_to_a_plan_that_nothing_blocks(empty, qtbot, tmp_path, monkeypatch):
    """Counted: every press, choice, typed field and file that is picked."""
    acts: list[str] = []

    def act(words, doing):
        acts.append(words)
        doing()

    window, session = empty, empty.session
    file = drawing(tmp_path / "cover.dxf")
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *_, **__: acts.append("pick the file") or (str(file), "")
    )
    monkeypatch.setattr(
        QFileDialog,
        "getSaveFileName",
        lambda *_, **__: acts.append("name it") or (str(tmp_path / "cover.bibulon"), ""),
    )
    monkeypatch.setattr(
        import_dialog.DrawingImport,
        "exec",
        lambda self: acts.append("take the outline") or QDialog.DialogCode.Accepted,
    )
    part = window.station("Part")
    act(
        "from a drawing",
        lambda: answered(
            qtbot, part.outline.reader, lambda: qtbot.mouseClick(window.ways.tiles["drawing"], LEFT)
        ),
    )
    assert "Stack" in window.first.there.text()
    act("go to Stack", lambda: qtbot.mouseClick(window.first.there, LEFT))
    stack = window.station("Stack")
    names = [stack.material.itemText(k) for k in range(stack.material.count())]
    biax = next(n for n in names if "biax" in n.lower())
    peel = next(n for n in names if "peel" in n.lower())
    act("choose the cloth", lambda: choose(stack.material, biax))
    for k in range(4):
        act(f"add ply {k + 1}", lambda: press(qtbot, stack.bench, "Add on top"))
    act("choose peel ply", lambda: choose(stack.material, peel))
    act("add it", lambda: press(qtbot, stack.bench, "Add on top"))
    assert title(window) == "3 of 8: The resin"
    act("go to Charge", lambda: qtbot.mouseClick(window.first.there, LEFT))
    charge = window.station("Charge")
    slow = next(
        charge.resin.itemText(k)
        for k in range(charge.resin.count())
        if "slow" in charge.resin.itemText(k).lower()
    )
    act("choose a resin", lambda: choose(charge.resin, slow))
    act("go to its sheet", lambda: window.go_to("Stack"))
    act("library", lambda: stack.tabs.go("Library"))
    library = stack.library
    act("the job's resin", lambda: library.choose("job", "=resin"))
    sheet = library.sheet
    act("type its viscosity", lambda: type_into(qtbot, sheet.viscosities, "280 mPa.s at 25 °C"))
    act("type its gel time", lambda: type_into(qtbot, sheet.fields["gel"], "90 min"))
    act("fit", lambda: answered(qtbot, sheet.later, lambda: press(qtbot, sheet, "Fit")))
    assert title(window) == "4 of 8: Where resin begins"
    act("go to Lines", lambda: qtbot.mouseClick(window.first.there, LEFT))
    lines = window.station("Lines")
    act("lay mesh", lambda: press(qtbot, lines.side, "Lay mesh"))
    with qtbot.waitSignal(session.forecaster.idle, timeout=60_000):
        act("lay lines", lambda: press(qtbot, lines.side, "Lay lines so"))
    qtbot.waitUntil(lambda: session.outlook is not None and session.outlook.judged, timeout=20_000)
    blocking = [f.title for f in session.outlook.findings if f.weight == "blocking"]
    assert session.outlook.forecast.filled
    assert blocking == []
    assert title(window) == "8 of 8: Keep it"
    act("save", window.save)
    assert title(window) == "A plan that fills, with nothing that blocks it"
    assert 15 < len(acts) <= 25, acts
    print(len(acts), "acts")


def test_a_step_that_is_pressed_is_told_and_an_edit_goes_on(empty, qtbot, demo):
    empty.ways.put_away()
    qtbot.mouseClick(empty.first.steps[4], LEFT)
    assert "5 of 8" in title(empty)
    qtbot.mouseClick(empty.first.there, LEFT)
    assert empty.stations[empty.current].name == "Lines"
    with qtbot.waitSignal(empty.session.forecaster.idle, timeout=60_000):
        empty.session.edit(
            "x", lambda job: change(job, part=demo.part, materials=demo.materials, stack=demo.stack)
        )
    assert title(empty) == "3 of 8: The resin"
    assert [b.text() for b in empty.first.steps[:3]] == ["✓", "✓", "3"]


def test_it_is_left_and_taken_up_again_and_remembered(empty, qtbot):
    empty.ways.put_away()
    assert not any(
        b.text().startswith("Go to")
        for b in empty.findings.area.widget().findChildren(type(empty.first.leave))
    )
    qtbot.mouseClick(empty.first.leave, LEFT)
    assert not empty.first.isVisible()
    assert empty.session.settings.value("view/first-job") == "no"
    assert empty.stations[empty.current].name == "Part"
    empty.go_to("Stack")
    assert any(
        b.text() == "Go to Part" for b in empty.findings.area.widget().findChildren(type(empty.first.leave))
    )
    empty.first.turn(True)
    assert empty.first.isVisible()
    assert empty.session.settings.value("view/first-job") == "yes"


def test_the_thread_has_at_most_eight_steps_each_with_a_reason():
    assert len(THREAD) <= 8
    job = blank_job()
    assert [done for _, done in thread(Standing(job))] == [False] * len(THREAD)
    for step in THREAD:
        assert step.why
        assert step.text.endswith(".")
    assert next_step(job) is THREAD[0]
