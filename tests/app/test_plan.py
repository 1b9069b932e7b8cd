"""Plan, cut and clock under the hand: real clicks, drags and keys; what the person sees and what the job becomes."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QComboBox, QToolButton, QWidget
from tests.app.hand import answered

from bibulon.app.start import make_window
from bibulon.core.drawing.graphs.timeline import valve_bars
from bibulon.core.drawing.kit.scene import Label, View
from bibulon.core.drawing.plan.fieldmap import FIELDS
from bibulon.core.drawing.plan.signs import draw_mark, scale_bar
from bibulon.core.edit.edit import change, set_outline
from bibulon.core.library.demo import blank_job
from bibulon.core.model.job import Corner, Drawn, OnFront

LEFT = Qt.MouseButton.LeftButton
SHIFT, CTRL, NONE = (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.NoModifier,
)


def px(plan, x, y) -> QPoint:
    return QPointF(*plan.view.to(np.array([[x, y]]))[0]).toPoint()


def click(qtbot, plan, x, y, modifier=NONE):
    qtbot.mouseClick(plan, LEFT, modifier, px(plan, x, y))


def drag(qtbot, widget, start: QPoint, stop: QPoint, modifier=NONE):
    qtbot.mousePress(widget, LEFT, modifier, start)
    qtbot.mouseMove(widget, (start + stop) / 2)
    qtbot.mouseMove(widget, stop)
    qtbot.mouseRelease(widget, LEFT, modifier, stop)


def settled(qtbot, window, act):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        act()


@pytest.fixture
def petal(window, qtbot, demo):
    settled(qtbot, window, lambda: window.session.new(demo))
    window.go(2)
    return window


@pytest.fixture
def plan(petal):
    return petal.station("Lines").plan


def line(window, name):
    return next(x for x in window.session.job.lines if x.id == name)


# -- choosing and arranging


def test_shift_click_chooses_more_and_they_move_as_one(petal, plan, qtbot):
    click(qtbot, plan, 0.07, 0.5)
    assert petal.session.selected == "F1"
    click(qtbot, plan, 1.1, 0.6, SHIFT)
    assert petal.session.selection == ("F1", "F2")
    assert petal.session.selected is None
    before = [line(petal, n).path for n in ("F1", "F2")]
    drag(qtbot, plan, px(plan, 1.1, 0.6), px(plan, 1.16, 0.6))
    after = [line(petal, n).path for n in ("F1", "F2")]
    shift = after[0][0][0] - before[0][0][0]
    assert shift == pytest.approx(0.06, abs=0.01)
    assert after[1][0][0] - before[1][0][0] == pytest.approx(shift)
    assert petal.session.undo_stack.undoText() == "Move F1 and F2"
    petal.session.undo_stack.undo()
    assert [line(petal, n).path for n in ("F1", "F2")] == before


def test_a_box_drawn_with_shift_chooses_what_lies_inside(petal, plan, qtbot):
    drag(qtbot, plan, px(plan, 0.9, 1.55), px(plan, 2.36, 0.05), SHIFT)
    assert set(petal.session.selection) == {"F2", "V1"}


@pytest.mark.parametrize(("keys", "undo"), [
    ((Qt.Key.Key_D, CTRL), "Duplicate F2"),
    ((Qt.Key.Key_M, CTRL | SHIFT), "Mirror F2"),
    ((Qt.Key.Key_R, CTRL), "Turn F2"),
    ((Qt.Key.Key_Delete, NONE), "Delete F2"),
])  # fmt: skip
def test_what_is_chosen_is_changed_by_a_key_and_undone_by_name(petal, plan, qtbot, keys, undo):
    click(qtbot, plan, 1.1, 0.6)
    before = petal.session.job
    qtbot.keyClick(plan, *keys)
    assert petal.session.undo_stack.undoText() == undo
    assert petal.session.job != before
    petal.session.undo_stack.undo()
    assert petal.session.job == before


def test_a_copy_is_chosen_and_has_a_name_of_its_own(petal, plan, qtbot):
    click(qtbot, plan, 1.1, 0.6)
    qtbot.keyClick(plan, Qt.Key.Key_D, CTRL)
    assert petal.session.selection == ("F3",)
    assert line(petal, "F3").label == "F3"


def test_numbers_beside_a_handle_set_its_place(petal, plan, qtbot):
    click(qtbot, plan, 1.1, 0.6)
    click(qtbot, plan, *line(petal, "F2").path[0])
    edit = plan.place_edit
    assert edit.isVisible()
    edit.x_field.selectAll()
    qtbot.keyClicks(edit.x_field, "1.25 m")
    qtbot.keyClick(edit.x_field, Qt.Key.Key_Return)
    assert line(petal, "F2").path[0] == pytest.approx((1.25, 0.22))
    edit.y_field.selectAll()
    qtbot.keyClicks(edit.y_field, "6 potatoes")
    qtbot.keyClick(edit.y_field, Qt.Key.Key_Return)
    assert petal.message.isVisible()
    assert line(petal, "F2").path[0] == pytest.approx((1.25, 0.22))


def test_a_side_is_bent_by_its_middle(petal, qtbot):
    petal.go(0)
    plan = petal.station("Part").plan_bench.plan
    a, b = petal.session.job.part.outline[1:3]
    assert a.bow == 0
    middle = ((a.x + b.x) / 2, (a.y + b.y) / 2)
    drag(qtbot, plan, px(plan, *middle), px(plan, middle[0] + 0.05, middle[1]))
    assert petal.session.job.part.outline[1].bow == pytest.approx(0.05, abs=0.01)
    assert petal.session.undo_stack.undoText() == "Bend side"


def test_a_zone_is_drawn_chosen_and_its_corner_dragged(petal, qtbot):
    petal.go(0)
    station = petal.station("Part")
    plan = station.plan_bench.plan
    plan.begin_drawing("zone")
    for p in ((0.5, 0.4), (0.9, 0.4), (0.9, 0.9)):
        click(qtbot, plan, *p)
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    zone = petal.session.job.part.zones[-1]
    assert isinstance(zone.area, Drawn)
    assert petal.session.selection == (f"zone:{zone.id}",)
    drag(qtbot, plan, px(plan, 0.9, 0.9), px(plan, 0.8, 1.0))
    corner = petal.session.job.part.zones[-1].area.outline[2]
    assert (corner.x, corner.y) == pytest.approx((0.8, 1.0), abs=0.01)


def test_a_crossing_move_is_refused_with_a_reason(petal, qtbot):
    petal.go(0)
    plan = petal.station("Part").plan_bench.plan
    before = petal.session.job.part.outline
    click(qtbot, plan, before[1].x, before[1].y)
    plan.place_edit.x_field.selectAll()
    qtbot.keyClicks(plan.place_edit.x_field, "-1 m")
    qtbot.keyClick(plan.place_edit.x_field, Qt.Key.Key_Return)
    assert petal.session.job.part.outline == before
    assert "cross" in petal.message.text()


# -- snapping and measuring


def test_a_new_line_snaps_to_an_end_and_not_when_it_is_off(petal, plan, qtbot):
    end = line(petal, "F2").path[0]
    plan.begin_drawing("feed")
    qtbot.mouseClick(plan, LEFT, NONE, px(plan, *end) + QPoint(4, 3))
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    assert petal.session.job.lines[-1].path[0] == pytest.approx(end)
    petal.session.undo_stack.undo()
    petal.session.view.set_snaps(False)
    plan.begin_drawing("feed")
    qtbot.mouseClick(plan, LEFT, NONE, px(plan, 1.8, 0.75) + QPoint(4, 3))
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    assert petal.session.job.lines[-1].path[0] != pytest.approx(end)


def test_measuring_changes_nothing(petal, plan, qtbot):
    before = petal.session.job
    petal.actions_by_title["Measure a distance"].trigger()
    for p in ((0.2, 0.7), (1.2, 0.7)):
        click(qtbot, plan, *p)
    words = [i.text for i in plan._floating(plan.look()) if isinstance(i, Label)]
    assert any("distance" in w for w in words)
    qtbot.keyClick(plan, Qt.Key.Key_Escape)
    assert petal.session.job == before


# -- seeing


def test_layers_are_switched_and_remembered(petal, plan, qtbot, tmp_path):
    petal.session.view.show("mesh", False)
    assert "mesh" not in plan.look().shown
    again = make_window(petal.session.settings, tmp_path / "other")
    qtbot.addWidget(again)
    assert "mesh" not in again.session.view.shown
    again.session.close()


@pytest.mark.parametrize("name", list(FIELDS))
def test_every_field_comes_with_a_legend(petal, plan, qtbot, name):
    petal.session.set_moment(petal.session.outlook.forecast.end * 0.6)
    combo = petal.station("Lines").plan_bench.tools.findChild(QComboBox)
    with qtbot.waitSignal(petal.session.moments.ready, timeout=20_000):
        combo.setCurrentIndex(combo.findData(name))
        combo.activated.emit(combo.currentIndex())
    qtbot.waitUntil(lambda: plan._field() is not None, timeout=20_000)
    texts = [i.text for i in plan.items(plan.look(), 700, 400) if isinstance(i, Label)]
    assert FIELDS[name].title in texts
    assert plan._field().name == name


def test_the_probe_tells_all_layers_by_mouse_and_by_key(petal, plan, qtbot):
    petal.session.set_moment(900.0)
    qtbot.mouseMove(plan, px(plan, 0.8, 0.7))

    def told():
        return [i.text for i in plan._floating(plan.look()) if isinstance(i, Label)]

    qtbot.waitUntil(lambda: {"mesh wet at", "pressure"} <= set(told()), timeout=20_000)
    words = told()
    for name in (
        "mesh wet at",
        "upper skin wet at",
        "lower skin wet at",
        "pressure",
        "viscosity",
        "thickness",
    ):
        assert name in words
    plan._hand = None
    qtbot.keyClick(plan, Qt.Key.Key_Right, CTRL)
    qtbot.keyClick(plan, Qt.Key.Key_Right, CTRL)
    assert plan.hand is not None
    qtbot.keyClick(plan, Qt.Key.Key_I)
    assert "mesh wet at" not in [i.text for i in plan._floating(plan.look()) if isinstance(i, Label)]


def test_keys_fit_the_part_and_what_is_chosen(petal, plan, qtbot):
    qtbot.keyClick(plan, Qt.Key.Key_Plus)
    away = plan.view
    qtbot.keyClick(plan, Qt.Key.Key_F)
    fitted = plan.view
    assert fitted != away
    petal.session.select("V1")
    qtbot.keyClick(plan, Qt.Key.Key_F, SHIFT)
    assert plan.view.scale > 1.5 * fitted.scale
    x, y = plan.view.to(np.array([[2.3, 0.75]]))[0]
    assert (x, y) == pytest.approx((plan.width() / 2, plan.height() / 2), abs=2)


def shown_whole(plan) -> bool:
    """Whether the part is to be seen whole, and fills some of the room."""
    points = np.array([(c.x, c.y) for c in plan.session.job.part.outline])
    places = plan.view.to(points)
    size = np.array([plan.width(), plan.height()])
    return bool(
        (places >= 0).all() and (places <= size).all() and (np.ptp(places, axis=0) / size).max() > 0.3
    )


def sized(width: float, high: float):
    """Return the corners of a panel."""
    return tuple(Corner(x=x, y=y) for x, y in ((0, 0), (width, 0), (width, high), (0, high)))


@pytest.fixture
def drawing(petal):
    """The plan on which a part is drawn."""
    return petal.station("Part").plan_bench.plan


def test_another_job_is_shown_whole_whatever_was_looked_at_before(petal, drawing, qtbot):
    plan = drawing
    for _ in range(6):
        qtbot.keyClick(plan, Qt.Key.Key_Plus)
    assert not shown_whole(plan)
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.new(blank_job())  # neither of the two has a file
    assert shown_whole(plan)


@pytest.mark.parametrize("size", [(9.0, 3.0), (0.3, 0.2)])
def test_a_part_that_leaves_what_is_shown_is_shown_whole_again(petal, drawing, qtbot, size):
    petal.session.new(blank_job())
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: set_outline(job, sized(*size)))
    assert shown_whole(drawing)


def test_an_outline_is_traced_anew_for_the_view_only_when_the_part_changes(
    petal, drawing, qtbot, monkeypatch
):
    """Of thousands of corners that takes a whole stall, in every plan that there is."""
    asked = []
    monkeypatch.setattr(drawing, "_shows_part", lambda: asked.append(1) or True)
    petal.session.edit("x", lambda job: change(job, notes="y"))
    petal.session.edit("x", lambda job: change(job, lines=job.lines[:1]))
    assert asked == []
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: set_outline(job, sized(2.0, 1.0)))
    assert asked == [1]


def test_a_view_that_somebody_chose_stays(petal, plan, qtbot):
    qtbot.keyClick(plan, Qt.Key.Key_Plus)
    chosen = plan.view
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("x", lambda job: change(job, notes="y"))
    assert plan.view == chosen
    middle = plan.view.back(plan.width() / 2, plan.height() / 2)
    petal.fold_clock()
    QApplication.processEvents()
    assert plan.view.scale == chosen.scale
    assert plan.view.back(plan.width() / 2, plan.height() / 2) == pytest.approx(middle, abs=0.01)
    qtbot.keyClick(plan, Qt.Key.Key_F)
    petal.fold_clock()
    QApplication.processEvents()
    assert shown_whole(plan)


def test_words_of_the_last_place_keep_off_the_scale(petal, plan):
    """They stand below their ring, but at the foot of the plan above it."""
    x, y, _ = petal.session.outlook.forecast.last_wet
    for foot in (30, 60, 200):
        at = plan.view.to(np.array([(x, y)]))[0]
        plan.view = View(plan.view.scale, plan.view.dx, plan.view.dy + plan.height() - foot - at[1])
        look = plan.look()
        (mark,) = (m for m in plan._signs(look) if m.kind == "last")
        words = next(i for i in draw_mark(look, mark) if isinstance(i, Label))
        scale = next(i for i in scale_bar(look, plan.width(), plan.height()) if isinstance(i, Label))
        assert abs(words.y - scale.y) > 14, foot
        assert (words.y < plan.height() - foot) is (foot < 68)


def test_a_feed_not_open_yet_is_barred(petal, plan):
    petal.session.set_moment(100.0)
    assert plan.look().shut == {"F2"}
    petal.session.set_moment(500.0)
    assert plan.look().shut == frozenset()


def test_the_last_place_is_marked(petal, plan):
    texts = [i.text for i in plan.items(plan.look(), 700, 400) if isinstance(i, Label)]
    assert any(t.startswith("last ") for t in texts)


# -- the cut


@pytest.mark.parametrize(("name", "check"), [
    ("along", lambda p: p[0][1] == pytest.approx(p[1][1])),
    ("across", lambda p: p[0][0] == pytest.approx(p[1][0])),
    ("feed", lambda p: p[0][1] == pytest.approx(0.75, abs=0.01)),
])  # fmt: skip
def test_cuts_are_laid_in_one_press(petal, qtbot, name, check):
    bench = petal.station("Lines").plan_bench
    button = next(b for b in bench.findChildren(QToolButton) if b.text() == name)
    petal.session.edit("elsewhere", lambda j: j.replaced(cut=None))
    qtbot.mouseClick(button, LEFT)
    path = petal.session.job.cut.path
    assert check(path)
    assert math.dist(*path) > 0.5


def test_the_pointer_on_the_cut_shows_on_the_plan(petal, plan, qtbot):
    cut = petal.station("Lines").plan_bench.cut
    qtbot.mouseMove(cut, QPoint(28 + (cut.width() - 56) // 2, 40))
    assert plan.pointed == pytest.approx((1.15, 0.75), abs=0.02)
    qtbot.mouseMove(cut, QPoint(2, 40))
    assert plan.pointed is None


def test_pressure_is_drawn_on_the_cut_on_demand(petal, qtbot):
    cut = petal.station("Lines").plan_bench.cut
    assert not any("pressure" in i.text for i in cut.items(700, 180) if isinstance(i, Label))
    petal.session.set_moment(800.0)
    petal.session.view.set_cut_pressure(True)

    def there() -> bool:
        picture = petal.session.moments.picture
        return picture is not None and picture.moment.time == 800.0

    qtbot.waitUntil(there, timeout=20_000)
    assert any("pressure" in i.text for i in cut.items(700, 180) if isinstance(i, Label))


# -- the clock


def grip(petal, name, shuts=False):
    clock = petal.clock
    bar = next(b for b in valve_bars(petal.session.job, petal.session.outlook.forecast) if b.line == name)
    return clock, QPoint(
        round(clock.strip.x(bar.stop if shuts else bar.start)), round((bar.top + bar.bottom) / 2)
    )


def test_a_bar_dragged_opens_its_feed_at_another_time(petal, qtbot):
    clock, at = grip(petal, "F2")
    to = QPoint(round(clock.strip.x(600)), at.y())
    settled(qtbot, petal, lambda: drag(qtbot, clock, at, to))
    assert line(petal, "F2").opens.time == pytest.approx(600, abs=8)
    assert petal.session.undo_stack.undoText() == "Open F2"
    assert petal.session.outlook.forecast.history.opened["F2"] == pytest.approx(600, abs=8)


def test_a_bar_that_waits_for_the_front_gets_a_delay(petal, qtbot):
    settled(qtbot, petal, lambda: petal.session.edit("front", lambda j: _on_front(j)))
    opened = petal.session.outlook.forecast.history.opened["F2"]
    clock, at = grip(petal, "F2")
    drag(qtbot, clock, at, QPoint(round(clock.strip.x(opened + 120)), at.y()))
    rule = line(petal, "F2").opens
    assert isinstance(rule, OnFront)
    assert rule.delay == pytest.approx(120, abs=10)


def _on_front(job):
    from bibulon.core.edit.edit import open_on_front

    return open_on_front(job, "F2")


def test_the_end_of_a_bar_shuts_a_feed_and_lets_it_be_again(petal, qtbot):
    clock, at = grip(petal, "F1", shuts=True)
    settled(qtbot, petal, lambda: drag(qtbot, clock, at, QPoint(round(clock.strip.x(900)), at.y())))
    assert line(petal, "F1").shuts.time == pytest.approx(900, abs=8)
    clock, at = grip(petal, "F1", shuts=True)
    drag(qtbot, clock, at, QPoint(clock.width() - 20, at.y()))
    assert line(petal, "F1").shuts is None


def test_the_buttons_of_the_clock(petal, qtbot):
    panel = petal.clock_panel
    qtbot.mouseClick(panel.wet, LEFT)
    assert petal.session.moment == pytest.approx(petal.session.outlook.forecast.end)
    qtbot.mouseClick(panel.next, LEFT)
    assert petal.session.moment == 0
    panel.speed.setCurrentText("double")
    with qtbot.waitSignal(petal.session.moment_changed, timeout=5000):
        qtbot.mouseClick(panel.play, LEFT)
    assert petal.clock.playing
    qtbot.mouseClick(panel.play, LEFT)
    assert not petal.clock.playing


# -- findings, palette, panels, drawings


def test_looking_at_a_finding_lights_it_everywhere(petal, plan):
    finding = petal.findings.findings[0]
    petal.findings.hovered.emit(finding)
    assert [m.kind for m in plan.marks if m.place == finding.places[0]] == ["lit"]
    assert petal.clock.lit == finding.time
    petal.findings.hovered.emit(None)
    assert petal.clock.lit is None
    assert not any(m.kind == "lit" for m in plan.marks)


def test_findings_are_filtered(petal):
    combo = petal.findings.filter
    combo.setCurrentText("accepted")
    assert petal.findings._listed() == []
    combo.setCurrentText("to settle")
    listed = [f for _, f in petal.findings._listed()]
    assert "early-feed:F2" in {f.key for f in listed}
    assert all(f.weight != "note" for f in listed)
    everything = petal.findings.findings
    assert {f.key for f in listed} == {f.key for f in everything if f.weight != "note"}
    assert any(f.weight == "note" for f in everything)  # else the filter would have had nothing to do


def test_the_palette_finds_and_does(petal, qtbot):
    qtbot.keyClick(petal, Qt.Key.Key_K, CTRL)
    palette = petal.palette_panel
    assert palette.isVisible()
    qtbot.keyClicks(palette.field, "go charge")
    assert palette.list.item(0).text().startswith("Go to Charge")
    qtbot.keyClick(palette.field, Qt.Key.Key_Return)
    assert not palette.isVisible()
    assert petal.stations[petal.current].name == "Charge"
    qtbot.keyClick(petal, Qt.Key.Key_K, CTRL)
    qtbot.keyClicks(palette.field, "no such act at all")
    assert palette.list.count() == 0
    qtbot.keyClick(palette.field, Qt.Key.Key_Escape)
    assert not palette.isVisible()


def test_the_sheet_lists_every_shortcut(petal, qtbot):
    qtbot.keyClick(petal, Qt.Key.Key_F1, CTRL)
    text = petal.sheet.text.text()
    for act in petal.acts:
        if act.keys:
            assert act.title.replace("&", "&amp;") in text
    assert "mark the front" in text


def test_panels_fold_and_stay_so(petal, qtbot, tmp_path):
    petal.fold_side()
    assert not petal.side.isVisible()
    again = make_window(petal.session.settings, tmp_path / "other")
    qtbot.addWidget(again)
    again.show()
    again.go(2)
    assert not again.side.isVisible()
    again.session.close()
    petal.fold_side()
    assert petal.side.isVisible()
    bench = petal.station("Lines").plan_bench
    bench.fold_cut()
    assert bench.split.sizes()[1] == 0
    bench.fold_cut()
    assert bench.split.sizes()[1] > 50


@pytest.mark.parametrize("name", ["plan", "cut", "clock"])
@pytest.mark.parametrize("ending", [".png", ".svg", ".pdf"])
def test_drawings_are_saved(petal, qtbot, tmp_path, name, ending):
    path = tmp_path / f"drawing{ending}"
    petal.session.set_moment(700.0)
    answered(qtbot, petal.session.errands, lambda: petal.plan_acts.save(name, path))
    data = path.read_bytes()
    assert data[:4] in {b"\x89PNG", b"<svg", b"%PDF"}
    assert path.name in petal.message.text()
    if ending == ".svg" and name == "plan":
        assert b"F1" in data
        assert b"12 min" in data or b"10 min" in data


def test_a_drawing_of_an_unknown_kind_is_refused(petal, qtbot, tmp_path):
    answered(qtbot, petal.session.errands, lambda: petal.plan_acts.save("plan", tmp_path / "drawing.doc"))
    assert ".png, .svg, .pdf or .dxf" in petal.message.text()
    assert not (tmp_path / "drawing.doc").exists()


def test_a_drawing_is_copied(petal, qapp):
    petal.plan_acts.copy("plan")
    image = qapp.clipboard().image()
    assert isinstance(image, QImage)
    assert image.width() > 600


# -- for everybody


def controls(window) -> list[QWidget]:
    from PySide6.QtWidgets import (
        QAbstractButton,
        QAbstractItemView,
        QAbstractSlider,
        QLineEdit,
        QPlainTextEdit,
    )

    kinds = (QAbstractButton, QComboBox, QLineEdit, QAbstractItemView, QPlainTextEdit, QAbstractSlider)
    found = [w for w in window.findChildren(QWidget) if isinstance(w, kinds)]
    found += [w for w in window.findChildren(QWidget) if w.focusPolicy() & Qt.FocusPolicy.TabFocus]
    inner = ("qt_", "QTableCornerButton")
    return [w for w in found if not w.objectName().startswith(inner) and _own(w)]


def _own(widget: QWidget) -> bool:
    """Whether it is ours, and no inner part of a Qt control."""
    parent, inside = widget.parentWidget(), (QComboBox,)
    while parent is not None:
        if isinstance(parent, inside) or (
            parent.inherits("QAbstractScrollArea") and not parent.inherits("QScrollArea")
        ):
            return False
        if parent.inherits("QMenu"):
            return False
        parent = parent.parentWidget()
    return not widget.inherits("QScrollBar") and not widget.inherits("QSplitterHandle")


def test_every_control_has_a_name(petal):
    from PySide6.QtWidgets import QAbstractButton

    for k in range(len(petal.stations)):
        petal.go(k)
    nameless = [
        f"{type(w).__name__} in {type(w.parentWidget()).__name__}"
        for w in controls(petal)
        if not w.accessibleName() and not (isinstance(w, QAbstractButton) and w.text())
    ]
    assert nameless == []


def test_tab_reaches_every_part_of_the_lines_station(petal, qtbot):
    """From the rail on, Tab comes to plan, tools, side panel and clock, and round again."""
    petal.rail.rows[0].setFocus()
    seen = []
    for _ in range(120):
        now = petal.focusWidget()
        seen.append(now)
        petal.focusNextPrevChild(True)
    names = {w.accessibleName() for w in seen if w is not None}
    for wanted in (
        "Plan from the bag side",
        "Clock",
        "Layers of the plan",
        "What colours the plan",
        "Layer whose resin is shown",
    ):
        assert wanted in names


def test_a_cut_is_drawn_as_a_polyline_and_its_points_dragged(petal, plan, qtbot):
    button = next(
        b for b in petal.station("Lines").plan_bench.findChildren(QToolButton) if b.text() == "draw"
    )
    qtbot.mouseClick(button, LEFT)
    for p in ((0.3, 0.4), (1.0, 0.9), (1.9, 0.7)):
        click(qtbot, plan, *p)
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    assert len(petal.session.job.cut.path) == 3
    x, y = petal.session.job.cut.path[1]
    drag(qtbot, plan, px(plan, x, y), px(plan, x + 0.1, y))
    assert petal.session.job.cut.path[1][0] == pytest.approx(x + 0.1, abs=0.01)
    assert petal.session.undo_stack.undoText() == "Move cut"


def test_a_vacuum_line_is_made_a_membrane(petal, plan, qtbot):
    click(qtbot, plan, 2.3, 0.7)
    box = petal.station("Lines").inspector.kind
    assert box.isVisible()
    k = box.findText("membrane")
    box.setCurrentIndex(k)
    box.activated.emit(k)
    assert line(petal, "V1").membrane
    assert petal.session.undo_stack.undoText() == "Make V1 a membrane"


def test_on_the_part_the_hand_tells_where_it_is(petal, qtbot):
    petal.go(0)
    plan = petal.station("Part").plan_bench.plan
    qtbot.mouseMove(plan, px(plan, 0.5, 0.5))
    words = [i.text for i in plan._floating(plan.look()) if isinstance(i, Label)]
    assert any(w.startswith("x 50") for w in words)


def test_the_playing_hand_stops_when_another_job_is_opened(petal):
    petal.go_to("Lines")
    petal.clock.play(True)
    assert petal.clock.playing
    petal.session.new(petal.session.job.replaced(name="Another"))
    assert not petal.clock.playing
