"""The plan and the acts by keyboard alone."""

from __future__ import annotations

import pytest
import shiboken6
from PySide6.QtCore import Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtWidgets import QLineEdit, QMenu

from bibulon.core.run.journal import run_state

K = Qt.Key
CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


def go(window, name):
    window.go([s.name for s in window.stations].index(name))
    return window.station(name)


@pytest.fixture
def plan(petal, qtbot):
    plan = go(petal, "Lines").plan_bench.plan
    petal.activateWindow()
    plan.setFocus()
    return plan


def type_place(qtbot, plan, x, y):
    qtbot.keyClick(plan, K.Key_C)
    for field, text in ((plan.place_edit.x_field, x), (plan.place_edit.y_field, y)):
        if not plan.place_edit.isVisible():
            qtbot.keyClick(plan, K.Key_C)
        field.setFocus()
        field.selectAll()
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, K.Key_Return)


def test_the_hand_moves_by_the_grid_and_presses(petal, plan, qtbot):
    qtbot.keyClick(plan, K.Key_Right, CTRL)  # called to the middle
    first = plan.hand
    qtbot.keyClick(plan, K.Key_Right, CTRL)
    qtbot.keyClick(plan, K.Key_Up, CTRL)
    assert plan.hand[0] > first[0]
    assert plan.hand[1] > first[1]


def test_the_hand_jumps_to_the_next_place_that_it_snaps_to(petal, plan, qtbot):
    qtbot.keyClick(plan, K.Key_Left, CTRL)
    for _ in range(8):
        qtbot.keyClick(plan, K.Key_Left, CTRL | SHIFT)
    places = [p for line in petal.session.job.lines for p in line.path]
    places += [(c.x, c.y) for c in petal.session.job.part.outline] + [h.place for h in plan._handles()]
    assert min(abs(plan.hand[0] - x) + abs(plan.hand[1] - y) for x, y in places) < 0.01


def test_a_feed_is_drawn_by_keys_with_typed_coordinates(petal, plan, qtbot):
    before = {x.id for x in petal.session.job.lines}
    plan.begin_drawing("feed")
    for x, y in ((0.5, 0.4), (0.5, 0.9)):
        plan._typed((x, y))
    qtbot.keyClick(plan, K.Key_Right, CTRL)
    qtbot.keyClick(plan, K.Key_Space)
    qtbot.keyClick(plan, K.Key_Backspace)  # takes the last point back
    qtbot.keyClick(plan, K.Key_Return)
    (new,) = [x for x in petal.session.job.lines if x.id not in before]
    assert new.role == "feed"
    assert new.path == ((0.5, 0.4), (0.5, 0.9))


def test_coordinates_are_typed_beside_the_hand(petal, plan, qtbot):
    qtbot.keyClick(plan, K.Key_C)
    field = plan.place_edit.x_field
    assert plan.place_edit.isVisible()
    assert petal.focusWidget() is field
    field.selectAll()
    qtbot.keyClicks(field, "40 in")
    qtbot.keyClick(field, K.Key_Return)
    assert plan.hand[0] == pytest.approx(1.016)
    assert not plan.place_edit.isVisible()
    assert petal.focusWidget() is plan


def test_things_and_handles_are_chosen_and_moved_by_keys(petal, plan, qtbot):
    lines = [x.id for x in petal.session.job.lines]
    qtbot.keyClick(plan, K.Key_N)
    assert petal.session.selected == lines[0]
    qtbot.keyClick(plan, K.Key_N)
    assert petal.session.selected == lines[1]
    qtbot.keyClick(plan, K.Key_P)
    assert petal.session.selected == lines[0]
    qtbot.keyClick(plan, K.Key_H)
    assert plan.place_edit.isVisible()
    before = petal.session.job.lines[0].path
    field = plan.place_edit.x_field
    field.selectAll()
    qtbot.keyClicks(field, "123 mm")
    qtbot.keyClick(field, K.Key_Return)
    after = petal.session.job.lines[0].path
    assert after != before
    assert any(p[0] == pytest.approx(0.123) for p in after)
    petal.session.undo_stack.undo()
    plan.setFocus()
    qtbot.keyClick(plan, K.Key_Right, ALT)
    moved = petal.session.job.lines[0].path
    assert moved[0][0] == pytest.approx(before[0][0] + 0.005)


def test_the_menu_key_opens_the_menu_at_the_hand(petal, plan, qtbot, monkeypatch):
    opened = []
    monkeypatch.setattr(QMenu, "popup", lambda self, at: opened.append([a.text() for a in self.actions()]))
    petal.session.select(petal.session.job.lines[0].id)
    x, y = plan.view.to(__import__("numpy").array([petal.session.job.lines[0].path[0]]))[0]
    plan._hand_px = (float(x), float(y))
    plan.contextMenuEvent(
        QContextMenuEvent(
            QContextMenuEvent.Reason.Keyboard, plan.rect().center(), plan.mapToGlobal(plan.rect().center())
        )
    )
    assert "Delete" in opened[0]


def test_delete_in_a_table_never_touches_what_is_chosen_on_a_plan(petal, plan, qtbot):
    lines = petal.session.job.lines
    petal.session.select(lines[0].id)
    stack = go(petal, "Stack")
    table = stack.table
    table.setFocus()
    table.choose(0)
    qtbot.keyClick(table, K.Key_Delete)
    assert petal.session.job.lines == lines
    petal.actions_by_title["Delete"].trigger()  # nor by menu or palette, unseen
    assert petal.session.job.lines == lines
    assert not next(a for a in petal.acts if a.title == "Delete").can()


def test_delete_on_the_plan_says_what_it_takes_and_undo_brings_it_back(petal, plan, qtbot):
    lines = petal.session.job.lines
    petal.session.select(lines[1].id)
    act = next(a for a in petal.acts if a.title == "Delete")
    assert act.words == f"Delete: {lines[1].label}"
    plan.setFocus()
    qtbot.keyClick(plan, K.Key_Delete)
    assert lines[1].id not in {x.id for x in petal.session.job.lines}
    assert petal.session.undo_stack.undoText() == f"Delete {lines[1].label}"
    petal.session.undo_stack.undo()
    assert petal.session.job.lines == lines


def test_space_beside_the_plan_of_the_board_marks_nothing_by_chance(petal, qtbot):
    board = go(petal, "Shoot").board
    qtbot.keyClick(board, K.Key_Return)
    board.plan.leaveEvent(None)
    board.plan.setFocus()
    qtbot.keyClick(board.plan, K.Key_Space)
    assert run_state(petal.session.journal).marks == ()
    assert "Point at the front" in petal.message.text()


def test_the_palette_keeps_the_focus_and_hears_escape(petal, plan, qtbot):
    petal.palette_panel.open()
    assert petal.focusWidget() is petal.palette_panel.field
    qtbot.keyClick(petal.palette_panel.field, K.Key_Tab)
    assert petal.focusWidget() is petal.palette_panel.field
    qtbot.keyClick(petal.palette_panel.field, K.Key_Escape)
    assert not petal.palette_panel.isVisible()
    assert petal.focusWidget() is plan


def test_an_act_is_run_although_the_field_that_had_the_focus_is_gone(petal, plan, qtbot):
    """A page that is made anew under the list takes the field along."""
    field = QLineEdit(petal)
    field.show()
    field.setFocus()
    before = petal.session.system
    petal.palette_panel.open()
    shiboken6.delete(field)
    qtbot.keyClicks(petal.palette_panel.field, "metric or us")
    qtbot.keyClick(petal.palette_panel.field, K.Key_Return)
    assert not petal.palette_panel.isVisible()
    assert petal.session.system != before
