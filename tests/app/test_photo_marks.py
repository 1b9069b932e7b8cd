"""A photo of the bag laid beside the plan: landmarks and strokes by the mouse, rows of the run where the pen was."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from tests.app.hand import LEFT, answered, type_into

from bibulon.core.run.journal import Entry
from bibulon.core.run.photomarks import landmarks, places_of_stroke
from bibulon.store.jobfile import load

SIZE = (1200, 900)


def camera(places):
    """Px of places on the part, by a camera that stands askew."""
    p = np.atleast_2d(np.asarray(places, dtype=float))
    depth = 3.0 + 0.4 * p[:, 0] + 0.2 * p[:, 1]
    return np.c_[150 + 900 * (p[:, 0] + 0.1 * p[:, 1]) / depth, 820 - 1100 * p[:, 1] / depth]


@pytest.fixture
def panel(petal, qtbot, tmp_path):
    session = petal.session
    assert session.save(tmp_path / "petal.bibulon")
    now = session.run_clock.clock.now()
    began = now.wall - 500
    session.stamp(Entry("r", 0.0, "start", {"began": began, "up": now.up - 500, "boot": now.boot}, began))
    image = QImage(*SIZE, QImage.Format.Format_RGB888)
    image.fill(Qt.GlobalColor.lightGray)
    photo = tmp_path / "bag.png"
    image.save(str(photo))
    petal.go_to("Shoot")
    shoot = petal.station("Shoot")
    shoot.take_file(photo)
    qtbot.waitUntil(shoot.photo.isVisible)
    return shoot.photo


def at(panel, place):
    """The point of the photo's widget where a place on the part is seen."""
    p = panel.photo.from_image(tuple(camera(place)[0]))
    return QPoint(round(p.x()), round(p.y()))


def set_landmarks(panel, qtbot):
    for place in list(panel.plan_places):
        qtbot.mouseClick(panel.photo, LEFT, pos=at(panel, place))


def drag(panel, qtbot, *places):
    first, *rest = places
    qtbot.mousePress(panel.photo, LEFT, pos=at(panel, first))
    for place in rest:
        qtbot.mouseMove(panel.photo, at(panel, place))
    qtbot.mouseRelease(panel.photo, LEFT, pos=at(panel, rest[-1]))


def test_strokes_become_rows_where_the_pen_was_at_their_times(petal, panel, qtbot):
    assert panel.isVisible()
    assert "landmark 1" in panel.told.text()
    set_landmarks(panel, qtbot)
    assert "Draw along" in panel.told.text()
    type_into(qtbot, panel.time, "2:00")
    drag(panel, qtbot, (0.4, 0.5), (0.4, 0.75), (0.4, 1.0))
    type_into(qtbot, panel.time, "4:00")
    drag(panel, qtbot, (0.8, 0.6), (0.8, 0.9))
    panel.photo.grab()
    panel.plan.grab()
    qtbot.mouseClick(panel.take, LEFT)
    assert not panel.isVisible()
    rows = [e for e in load(petal.session.path).journal if e.kind == "front"]  # on disk, nothing saved since
    early = [e for e in rows if e.data["seen"] == 120.0]
    late = [e for e in rows if e.data["seen"] == 240.0]
    assert len(early) >= 3
    assert len(late) >= 2
    assert all(e.data["x"] == pytest.approx(0.4, abs=0.02) for e in early)
    assert all(e.data["x"] == pytest.approx(0.8, abs=0.02) for e in late)
    assert max(e.data["y"] for e in early) == pytest.approx(1.0, abs=0.03)
    assert {m.time for m in petal.session.run_state().marks} == {120.0, 240.0}


def test_what_is_wrong_is_told_and_taken_back(petal, panel, qtbot):
    for k in range(4):
        qtbot.mouseClick(panel.photo, LEFT, pos=QPoint(60 + 60 * k, 100))
    assert "on a line" in petal.message.text()
    assert panel.seen == []
    set_landmarks(panel, qtbot)
    drag(panel, qtbot, (9.0, 9.0), (9.5, 9.0))
    assert "off the part" in petal.message.text()
    assert panel.strokes == []
    type_into(qtbot, panel.time, "50:00")
    drag(panel, qtbot, (0.4, 0.6), (0.4, 0.9))
    qtbot.mouseClick(panel.take, LEFT)
    assert "has not come yet" in petal.message.text()
    qtbot.mouseClick(panel.undo, LEFT)
    assert panel.strokes == []
    assert not panel.take.isEnabled()
    qtbot.mouseClick(panel.undo, LEFT)
    assert len(panel.seen) == 3
    qtbot.keyClick(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()
    assert not any(e.kind == "front" for e in petal.session.journal)


def test_another_landmark_is_chosen_on_the_plan(petal, panel, qtbot):
    before = panel.plan_places[0]
    end = petal.session.job.lines[1].path[0]
    ((x, y),) = panel.plan.view().to(np.array([end]))
    qtbot.mouseClick(panel.plan, LEFT, pos=QPoint(round(x), round(y)))
    assert panel.plan_places[0] == pytest.approx(end)
    assert panel.plan_places[0] != before


def test_a_file_that_is_no_picture_is_told(petal, qtbot, panel, tmp_path):
    panel.put_away()
    bad = tmp_path / "bad.jpg"
    bad.write_bytes(b"no picture")
    answered(qtbot, panel.reads, lambda: petal.station("Shoot").take_file(bad))
    assert "cannot be read as a picture" in petal.message.text()
    assert not panel.isVisible()


def test_landmarks_lie_wide_apart_and_a_stroke_is_spread_evenly(demo):
    four = landmarks(demo)
    assert len(set(four)) == 4
    seen = camera(four)
    line = [(0.5, 0.5 + 0.05 * k) for k in range(9)]
    told = places_of_stroke(demo, camera(line), seen, four)
    assert len(told) == 6
    assert np.asarray(told)[:, 0] == pytest.approx(0.5, abs=1e-6)
    assert np.diff(np.asarray(told)[:, 1]) == pytest.approx(0.08, abs=1e-6)


def go_by_keys(panel, qtbot, place):
    """Move the cross to where a place on the part is seen: far steps, then near ones."""
    aim = panel.photo.from_image(tuple(camera(place)[0]))
    for far, shift in ((20.0, Qt.KeyboardModifier.ShiftModifier), (2.0, Qt.KeyboardModifier.NoModifier)):
        for axis, keys in ((0, (Qt.Key.Key_Right, Qt.Key.Key_Left)), (1, (Qt.Key.Key_Down, Qt.Key.Key_Up))):
            for _ in range(60):
                here = panel.photo.from_image(panel.photo.cross or (SIZE[0] / 2, SIZE[1] / 2))
                gap = (aim.x() - here.x(), aim.y() - here.y())[axis]
                if abs(gap) <= far / 2:
                    break
                qtbot.keyClick(panel.photo, keys[gap < 0], shift)


def test_landmarks_and_strokes_are_set_by_keys(petal, panel, qtbot):
    panel.photo.setFocus()
    for place in list(panel.plan_places):
        go_by_keys(panel, qtbot, place)
        qtbot.keyClick(panel.photo, Qt.Key.Key_Return)
    assert "Draw along" in panel.told.text()
    type_into(qtbot, panel.time, "2:00")
    panel.photo.setFocus()
    for place in ((0.4, 0.5), (0.4, 1.0)):
        go_by_keys(panel, qtbot, place)
        qtbot.keyClick(panel.photo, Qt.Key.Key_Return)
    panel.photo.grab()
    qtbot.keyClick(panel.photo, Qt.Key.Key_Return)
    assert len(panel.strokes) == 1
    go_by_keys(panel, qtbot, (0.8, 0.6))
    qtbot.keyClick(panel.photo, Qt.Key.Key_Return)
    qtbot.keyClick(panel.photo, Qt.Key.Key_Escape)
    assert panel.isVisible()  # the stroke begun is given up, not the panel
    assert panel.photo.drawn == []
    qtbot.keyClick(panel.take, Qt.Key.Key_Space)
    rows = [e for e in load(petal.session.path).journal if e.kind == "front"]
    assert {e.data["seen"] for e in rows} == {120.0}
    assert all(e.data["x"] == pytest.approx(0.4, abs=0.03) for e in rows)
    assert max(e.data["y"] for e in rows) == pytest.approx(1.0, abs=0.04)


def test_keys_take_back_and_move_a_landmark_to_the_next_corner(panel, qtbot):
    panel.photo.setFocus()
    qtbot.keyClick(panel.photo, Qt.Key.Key_Return)
    assert len(panel.seen) == 1
    qtbot.keyClick(panel.photo, Qt.Key.Key_Backspace)
    assert panel.seen == []
    moves = 0
    for key, way in (
        (Qt.Key.Key_Right, (1, 0)),
        (Qt.Key.Key_Up, (0, 1)),
        (Qt.Key.Key_Left, (-1, 0)),
        (Qt.Key.Key_Down, (0, -1)),
    ):
        before = panel.plan_places[0]
        qtbot.keyClick(panel.plan, key)
        by = np.subtract(panel.plan_places[0], before)
        if by.any():
            assert by @ way > 0.7 * np.hypot(*by)  # more along the arrow than across it
            moves += 1
    assert moves >= 2
