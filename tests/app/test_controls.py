"""Our own style: what controls look like in each theme and state, read off what they draw."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPointF, QRect, Qt
from PySide6.QtGui import QColor, QEnterEvent, QPainter, QPixmap
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QProgressBar,
    QPushButton,
    QScrollBar,
    QStyle,
    QStyleOptionButton,
    QStyleOptionSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid
from tests.app.walk import rest

from bibulon.app.kit.appearance import named, tint
from bibulon.app.kit.button_row import ButtonRow
from bibulon.app.kit.look import Look
from bibulon.app.kit.rows import Rows
from bibulon.app.kit.theme import dress, install
from bibulon.app.plan import canvas
from bibulon.app.shell import rail
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, STARK, contrast
from bibulon.core.edit.edit import change

THEMES = [DAY, NIGHT, STARK]


@pytest.fixture
def sheet(qtbot):
    """A bare window to lay controls on, and the theme put back in the end."""
    install(DAY)
    made = QWidget()
    QVBoxLayout(made)
    qtbot.addWidget(made)

    def lay(*widgets):
        for widget in widgets:
            made.layout().addWidget(widget)
        made.show()
        made.activateWindow()
        made.setFocus()
        QApplication.processEvents()
        return widgets[0]

    yield lay
    install(DAY)


def colours(widget):
    """How often each colour is met in what a widget draws."""
    image = widget.grab().toImage()
    found = {}
    for x in range(image.width()):
        for y in range(image.height()):
            name = QColor(image.pixel(x, y)).name()
            found[name] = found.get(name, 0) + 1
    return found


def main_colour(widget):
    found = colours(widget)
    return max(found, key=found.get)


@pytest.mark.parametrize("theme", THEMES, ids=lambda t: t.name)
def test_a_control_draws_in_the_colours_of_its_theme(sheet, theme):
    plain, act, off = QPushButton("Lay"), named(QPushButton("Take"), "act"), named(QPushButton("Take"), "act")
    chosen, field = QPushButton("20 %"), QLineEdit("1.2 m")
    chosen.setCheckable(True)
    chosen.setChecked(True)
    off.setEnabled(False)
    sheet(plain, act, off, chosen, field)
    install(theme)
    QApplication.processEvents()
    assert main_colour(plain) == theme.raised
    assert theme.edge in colours(plain)
    assert main_colour(act) == theme.accent
    assert main_colour(off) == theme.raised  # nobody takes it for one that does something
    assert main_colour(chosen) == theme.accent
    assert main_colour(field) == theme.raised


@pytest.mark.parametrize("theme", THEMES, ids=lambda t: t.name)
def test_a_link_is_read_on_the_ground_of_its_theme(petal, theme):
    for worn in (DAY, theme):  # first read by day
        petal.set_theme(worn)
        petal.help.open()
        QApplication.processEvents()
    assert theme.accent in colours(petal.help.foot)
    assert contrast(theme.accent, theme.raised) > 4.5
    petal.help.put_away()


def test_the_focus_is_seen_on_each_kind_of_control(sheet):
    kinds = [
        QPushButton("Lay"), named(QPushButton("Take"), "act"), named(QPushButton("Mix"), "tab"), QToolButton(),
        named(QToolButton(), "flat"), QComboBox(), QLineEdit("1"), Rows(), QCheckBox("began late"),
    ]  # fmt: skip
    for widget in kinds:
        widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        widget.setMinimumSize(60, 30)
    sheet(*kinds)
    for widget in kinds:
        without = widget.grab().toImage()
        widget.setFocus()
        QApplication.processEvents()
        assert widget.hasFocus()
        within = widget.grab().toImage()
        changed = sum(
            within.pixel(x, y) != without.pixel(x, y)
            for x in range(within.width())
            for y in range(within.height())
        )
        assert changed > 40, f"{type(widget).__name__} {widget.objectName()}"


def test_a_pointer_over_a_button_is_answered(sheet):
    button = sheet(QPushButton("Lay"))
    assert DAY.accent not in colours(button)
    QApplication.sendEvent(button, QEnterEvent(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5)))
    QApplication.sendEvent(button, QEvent(QEvent.Type.HoverEnter))
    button.setAttribute(Qt.WidgetAttribute.WA_UnderMouse)
    assert DAY.accent in colours(button)


def test_a_figure_that_is_refused_stands_out(sheet):
    from bibulon.app.kit.fields import UnitEdit

    field = sheet(UnitEdit("length", "Heel"))
    assert DAY.alarm not in colours(field)
    field.setText("two")
    field.setModified(True)
    field.editingFinished.emit()
    assert main_colour(field) == DAY.alarm_ground
    assert DAY.alarm in colours(field)


def test_a_part_in_the_dark_takes_all_that_is_in_it_along_and_comes_back(sheet):
    part, button, label = QWidget(), QPushButton("Open F2"), named(QLabel("after the first mix"), "soft")
    row = QVBoxLayout(part)
    row.addWidget(button)
    row.addWidget(label)
    sheet(part)
    dress(part, NIGHT)
    assert main_colour(part) == NIGHT.ground
    assert main_colour(button) == NIGHT.raised
    assert label.palette().color(label.foregroundRole()).name() == NIGHT.soft
    dress(part, None)
    assert main_colour(part) == DAY.ground
    assert main_colour(button) == DAY.raised
    assert label.palette().color(label.foregroundRole()).name() == DAY.soft


def test_words_in_a_colour_of_their_own_come_back_to_that_of_the_theme(sheet):
    label = sheet(named(QLabel("Fails"), "head"))
    tint(label, DAY.alarm, DAY.alarm_ground)
    assert main_colour(label) == DAY.alarm_ground
    tint(label)
    assert label.palette().color(label.foregroundRole()).name() == DAY.ink


def test_how_far_it_has_come_is_a_share_of_the_bar(sheet):
    bar = QProgressBar()
    bar.setTextVisible(False)
    bar.setFixedSize(200, 4)
    bar.setValue(30)
    found = colours(sheet(bar))
    assert found[DAY.accent] == pytest.approx(0.3 * 800, abs=8)
    assert found[DAY.edge] == pytest.approx(0.7 * 800, abs=8)


def test_a_chosen_row_of_a_list_is_filled_from_edge_to_edge(sheet):
    rows = Rows()
    rows.addItems(["first", "second"])
    rows.setCurrentRow(1)
    sheet(rows)
    image = rows.viewport().grab().toImage()
    rect = rows.visualItemRect(rows.item(1))
    plain = QListWidget()
    plain.addItem("second")
    assert rect.height() > plain.sizeHintForRow(0)
    for x in (rect.left() + 1, rect.right() - 1):
        assert QColor(image.pixel(x, rect.center().y())).name() == DAY.accent


@given(low=st.integers(-50, 50), span=st.integers(1, 5000), page=st.integers(0, 500), share=st.floats(0, 1), room=st.integers(40, 900), upright=st.booleans())  # fmt: skip
def test_the_parts_of_a_scroll_bar_fill_it_without_a_gap(qapp, low, span, page, share, room, upright):
    install(DAY)
    option, look = QStyleOptionSlider(), QApplication.style()
    option.rect = QRect(0, 0, 10, room) if upright else QRect(0, 0, room, 10)
    option.orientation = Qt.Orientation.Vertical if upright else Qt.Orientation.Horizontal
    option.minimum, option.maximum, option.pageStep = low, low + span, page
    option.sliderPosition = low + round(share * span)
    bar = QScrollBar(option.orientation)
    where = [
        look.subControlRect(QStyle.ComplexControl.CC_ScrollBar, option, part, bar)
        for part in (
            QStyle.SubControl.SC_ScrollBarSubPage, QStyle.SubControl.SC_ScrollBarSlider, QStyle.SubControl.SC_ScrollBarAddPage,
        )
    ]  # fmt: skip
    long = [r.height() if upright else r.width() for r in where]
    starts = [r.top() if upright else r.left() for r in where]
    assert sum(long) == room
    assert starts[1] == long[0]
    assert starts[2] == long[0] + long[1]
    assert min(long) >= 0
    if share == 0:
        assert long[0] == 0
    if share == 1:
        assert long[2] == 0


def test_an_option_of_another_kind_is_left_to_the_style_below(sheet):
    """Wrappers that are held too long come back as those of what lies at their place by then."""
    button, look, other = sheet(QPushButton("Lay")), QApplication.style(), QStyleOptionSlider()
    other.rect = QRect(0, 0, 60, 30)
    picture = QPixmap(60, 30)
    painter = QPainter(picture)
    look.drawControl(QStyle.ControlElement.CE_PushButton, other, painter, button)
    look.drawComplexControl(QStyle.ComplexControl.CC_ToolButton, other, painter, button)
    look.drawPrimitive(QStyle.PrimitiveElement.PE_PanelLineEdit, other, painter, button)
    size = look.sizeFromContents(
        QStyle.ContentsType.CT_ScrollBar, QStyleOptionButton(), button.sizeHint(), button
    )
    painter.end()
    assert size.isValid()


def test_an_error_in_drawing_is_logged_and_the_control_still_drawn(sheet, caplog, monkeypatch):
    """An error that went on into Qt would end the program."""
    button, look = sheet(QPushButton("Lay")), QApplication.style()
    assert isinstance(look, Look)

    def broken(*_):
        raise RuntimeError("already deleted")

    kind, _ = look._controls[QStyle.ControlElement.CE_PushButton]
    monkeypatch.setitem(look._controls, QStyle.ControlElement.CE_PushButton, (kind, broken))
    assert len(colours(button)) > 3
    assert "could not be drawn" in caplog.text
    assert "already deleted" in caplog.text


@pytest.mark.parametrize("part", ["draw_base", "draw_lines", "draw_resin"])
def test_an_error_in_drawing_the_plan_leaves_words_there_and_the_program_goes_on(
    petal, caplog, monkeypatch, part, qtbot
):
    """Each of them is painted with a painter within a painter: left at work, they end the program."""
    petal.go_to("Lines")
    rest(petal)
    plan = petal.station("Lines").plan

    def broken(*_, **__):
        raise RuntimeError("no such corner")
        yield

    with monkeypatch.context() as patch:
        patch.setattr(canvas, part, broken)
        for _ in range(3):
            plan.zoom(1.1)
            plan.repaint()
        assert plan.property("undrawn")
        assert caplog.text.count("could not be drawn") == 1  # told once, not at every stroke of the hand
        ground = plan.grab().toImage()
        inks = {ground.pixelColor(x, ground.height() // 2).name() for x in range(ground.width())}
        assert len(inks) > 1  # words across the middle
        petal.go_to("Charge")
        rest(petal)
        assert petal.bench.currentWidget().isVisible()
        petal.go_to("Lines")
        with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
            petal.session.edit("less", lambda job: change(job, lines=job.lines[:1] + job.lines[2:]))
        assert len(petal.session.job.lines) == 2
    plan.zoom(1.1)
    plan.repaint()
    assert not plan.property("undrawn")


def test_an_error_in_drawing_of_clock_rail_or_page_ends_nothing(petal, caplog, monkeypatch):
    def broken(*_, **__):
        raise RuntimeError("no such corner")

    petal.go_to("Lines")
    rest(petal)
    monkeypatch.setattr(type(petal.clock), "items", broken)
    monkeypatch.setattr(rail, "pixmap", broken)
    petal.clock.repaint()
    for row in petal.rail.rows:
        row.repaint()
    petal.grab()
    assert petal.clock.property("undrawn")
    assert all(row.property("undrawn") for row in petal.rail.rows if row.isVisible())
    assert "no such corner" in caplog.text
    petal.go_to("Stack")
    assert petal.stations[petal.current].name == "Stack"


def test_a_turn_of_the_theme_moves_nothing(petal):
    petal.go_to("Charge")
    rest(petal)
    before = {w: w.geometry() for w in petal.findChildren(QWidget) if w.isVisible()}
    petal.set_theme(NIGHT)
    rest(petal)
    stayed = {w: at for w, at in before.items() if isValid(w)}  # findings are written anew
    assert len(stayed) > 60
    assert {w: w.geometry() for w in stayed} == stayed
    assert isinstance(QApplication.style(), Look)


def test_nothing_wears_a_style_sheet():
    """One sheet anywhere would dress all that is in it, widget by widget, and end the theme that is but a palette."""
    for file in (Path(__file__).resolve().parents[2] / "src/bibulon").rglob("*.py"):
        assert "setStyleSheet" not in file.read_text(encoding="utf-8"), file.name


@pytest.mark.parametrize("width", [1, 60, 130, 200, 260, 400, 900])
def test_buttons_go_on_in_lines_as_alike_as_can_be(qtbot, width):
    """Never more lines than filling each in turn takes; none is left with one where another has three."""
    row = ButtonRow(*(QPushButton(f"Act {k}") for k in range(7)))
    qtbot.addWidget(row)
    row.show()
    row.resize(width, 300)
    row.layout().activate()
    buttons = row.findChildren(QPushButton)
    lines = [[b for b in buttons if b.y() == y] for y in sorted({b.y() for b in buttons})]
    assert [b for line in lines for b in line] == buttons
    one = buttons[0].sizeHint().width() + 6
    fits = max((width + 6) // one, 1)
    assert len(lines) == -(-7 // fits)
    assert max(map(len, lines)) - min(map(len, lines)) <= max(fits - 1, 1)
    if len(lines) == 2:
        assert min(map(len, lines)) >= 3
