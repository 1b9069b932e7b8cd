"""What is shown is measured and painted by itself: hidden pages cost nothing, long drawings have a turn of their own."""

from __future__ import annotations

from itertools import pairwise

import pytest
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QVBoxLayout, QWidget

from bibulon.app.kit import page_view as page_module
from bibulon.app.kit.drawn import Drawn
from bibulon.app.kit.page_view import PageView
from bibulon.app.kit.pile import Pile
from bibulon.app.kit.table import Cell, Column, Table
from bibulon.app.kit.turns import wait_again
from bibulon.app.shell.page_loader import PageLoader
from bibulon.core.drawing.kit.pages import Page
from bibulon.core.drawing.kit.scene import Label

# -- pages one upon another


class _Sized(QWidget):
    """A page of a size, which counts how often it is asked for it."""

    def __init__(self, width: int, height: int) -> None:
        super().__init__()
        self.size_told, self.asked = QSize(width, height), 0

    def sizeHint(self) -> QSize:
        self.asked += 1
        return self.size_told

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()


class _Pages(QWidget):
    small: _Sized
    large: _Sized
    pile: Pile


@pytest.fixture
def pile(qtbot):
    owner, pile = _Pages(), Pile()
    QVBoxLayout(owner).addWidget(pile)
    small, large = _Sized(100, 40), _Sized(700, 900)
    pile.addWidget(small)
    pile.addWidget(large)
    qtbot.addWidget(owner)
    owner.small, owner.large, owner.pile = small, large, pile
    owner.show()
    return owner


def test_the_page_shown_alone_says_how_large_they_are(pile):
    stack = pile.pile
    assert (stack.sizeHint(), stack.minimumSizeHint()) == (QSize(100, 40), QSize(100, 40))
    least = pile.minimumSizeHint()
    stack.setCurrentWidget(pile.large)
    assert stack.sizeHint() == QSize(700, 900)
    assert pile.minimumSizeHint().width() == least.width() + 600  # what it stands in is told


def test_a_page_that_is_not_seen_is_not_measured_while_another_changes(pile, qapp):
    before = pile.large.asked
    for height in range(50, 90, 10):
        pile.small.size_told = QSize(100, height)
        pile.small.updateGeometry()
        qapp.processEvents()
    assert pile.pile.sizeHint().height() == 80
    assert pile.large.asked == before


def test_no_page_has_no_size(qtbot):
    empty = Pile()
    qtbot.addWidget(empty)
    assert not empty.sizeHint().isValid()
    assert not empty.minimumSizeHint().isValid()


# -- drawings


class _Square(Drawn):
    """Fills itself with red."""

    def __init__(self) -> None:
        super().__init__()
        self.drawn, self.fails = 0, False

    def draw(self, painter: QPainter) -> None:
        self.drawn += 1
        if self.fails:
            raise ValueError("a drawing that fails")
        painter.fillRect(self.rect(), QColor("red"))


class _Squares(QWidget):
    squares: list[_Square]


@pytest.fixture
def squares(qtbot):
    owner = _Squares()
    layout = QVBoxLayout(owner)
    made = [_Square() for _ in range(3)]
    for square in made:
        layout.addWidget(square)
    qtbot.addWidget(owner)
    owner.squares = made
    return owner


def middle(widget) -> QColor:
    return widget.grab().toImage().pixelColor(widget.width() // 2, widget.height() // 2)


def test_drawings_first_seen_together_are_painted_one_a_turn(squares, qtbot, qapp):
    squares.resize(200, 200)
    squares.show()
    most = 0
    before = [0, 0, 0]
    for _ in range(60):
        qapp.processEvents()
        now = [s.drawn for s in squares.squares]
        most = max(most, sum(a > b for a, b in zip(now, before, strict=True)))
        before = now
        if all(now):
            break
    assert all(before)
    assert most == 1
    assert [middle(s) for s in squares.squares] == [QColor("red")] * 3


def test_a_drawing_seen_before_is_painted_at_once(squares, qtbot):
    squares.resize(200, 200)
    squares.show()
    square = squares.squares[0]
    qtbot.waitUntil(lambda: square.drawn > 0)
    before = square.drawn
    square.repaint()
    assert square.drawn == before + 1


def test_a_drawing_that_waits_is_not_painted_in_the_turn_of_another(squares, qtbot):
    squares.resize(200, 200)
    squares.show()
    qtbot.waitExposed(squares)
    squares.grab()  # all are seen, none has had its turn
    last = squares.squares[2]
    last.repaint()
    assert last.drawn == 0
    qtbot.waitUntil(lambda: last.drawn > 0)


def test_a_drawing_waits_again_where_the_window_is_dressed_anew(squares, qtbot):
    squares.resize(200, 200)
    squares.show()
    square = squares.squares[0]
    qtbot.waitUntil(lambda: all(s.drawn > 0 for s in squares.squares))
    before = square.drawn
    wait_again(square)
    square.repaint()
    assert square.drawn == before
    qtbot.waitUntil(lambda: square.drawn > before)


def test_entering_the_board_its_plan_has_a_turn_of_its_own(petal, qtbot, monkeypatch):
    petal.go_to("Shoot")
    plan, drawn = petal.station("Shoot").board.plan, []
    real = plan._fluid
    monkeypatch.setattr(plan, "_fluid", lambda look: (drawn.append(1), real(look))[1])
    qtbot.waitUntil(lambda: bool(drawn))
    petal.go_to("Lines")
    drawn.clear()
    petal.go_to("Shoot")
    plan.repaint()
    assert not drawn  # its ground alone
    qtbot.waitUntil(lambda: bool(drawn))


def test_a_drawing_gone_before_its_turn_does_no_harm(squares, qtbot, qapp):
    squares.resize(200, 200)
    squares.show()
    first, second, third = squares.squares
    qtbot.waitExposed(squares)
    squares.grab()  # all are seen, none has had its turn
    second.setParent(None)
    second.deleteLater()
    qtbot.waitUntil(lambda: first.drawn > 0 and third.drawn > 0)


def test_after_an_error_in_drawing_it_is_painted_again(qtbot, caplog):
    square = _Square()
    qtbot.addWidget(square)
    square.resize(50, 50)
    square.show()
    qtbot.waitUntil(lambda: square.drawn > 0)
    square.fails = True
    assert middle(square) != QColor("red")
    assert "a drawing that fails" in caplog.text
    square.fails = False
    assert middle(square) == QColor("red")


# -- cells


@pytest.fixture
def table(qtbot):
    columns = (
        Column("what", 120),
        Column("how much", 120, right=True),
        Column("kind", 120, choices=("net", "foam")),
    )
    made = Table(columns, "Cells")
    made.show_rows(
        [
            ("Peel ply", "0.15 mm", "net"),
            ("A cloth whose name is too long for its column", "1", "foam"),
            ("", "", Cell("net", fixed=True)),
        ]
    )
    qtbot.addWidget(made)
    made.resize(420, 200)
    made.show()
    return made


def image_of(table, cell, paint, chosen, height=28):
    option = QStyleOptionViewItem()
    option.initFrom(table.viewport())
    option.rect = (
        table.viewport()
        .rect()
        .adjusted(0, 0, 120 - table.viewport().width(), height - table.viewport().height())
    )
    option.state = QStyle.StateFlag.State_Active
    option.displayAlignment = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
    if table.isEnabled():
        option.state |= QStyle.StateFlag.State_Enabled
    if height > 28:
        option.features |= QStyleOptionViewItem.ViewItemFeature.WrapText
    if chosen:
        option.state |= QStyle.StateFlag.State_Selected
    option.font, option.textElideMode, option.widget = table.font(), table.textElideMode(), table
    image = QImage(120, height, QImage.Format.Format_RGB32)
    image.fill(table.palette().base().color())
    painter = QPainter(image)
    painter.setFont(table.font())
    paint(painter, option, table.model().index(*cell))
    painter.end()
    return image.copy(0, 0, 119, height - 1)  # without the lines between cells


@pytest.mark.parametrize("enabled", [True, False])
@pytest.mark.parametrize("chosen", [False, True])
@pytest.mark.parametrize("cell", [(0, 0), (0, 1), (1, 0), (1, 1), (2, 0), (2, 2)])
def test_words_look_as_the_style_writes_them(table, cell, chosen, enabled):
    """The cell's own short way against Qt's long one, pixel by pixel."""
    table.setEnabled(enabled)
    own = image_of(table, cell, table.itemDelegate().paint, chosen)
    theirs = image_of(table, cell, QStyledItemDelegate(table).paint, chosen)
    assert own == theirs


def test_words_of_a_row_as_high_as_they_need_are_all_seen(table):
    """A sentence that is longer than its column goes on in the next line, as Qt breaks it."""
    table.rows.rows[1] = ("A cloth whose name is too long", "1", "foam")
    height = 3 * table.fontMetrics().height()
    own, theirs = (
        image_of(table, (1, 0), paint, chosen=False, height=height)
        for paint in (table.itemDelegate().paint, QStyledItemDelegate(table).paint)
    )
    assert own == theirs
    base = table.palette().base().color()
    inked = [any(own.pixelColor(x, y) != base for x in range(own.width())) for y in range(own.height())]
    lines = sum(now and not before for before, now in pairwise([False, *inked]))
    assert lines >= 2


def test_a_word_ends_before_the_arrow_of_its_choice(table):
    narrow = table.itemDelegate()
    table.rows.rows[0] = ("Peel ply", "0.15 mm", "Perforated release film")
    image = image_of(table, (0, 2), narrow.paint, chosen=False)
    base = table.palette().base().color()
    right = [x for x in range(image.width()) if any(image.pixelColor(x, y) != base for y in range(6, 22))]
    gap = max(b - a for a, b in pairwise(right) if a > 80)
    assert gap >= 4  # px of ground between word and arrow


def test_columns_fitted_to_their_cells_cut_no_word(table):
    table.fit_columns()
    metrics = table.fontMetrics()
    for row in range(table.row_count()):
        for column in range(2):
            assert metrics.horizontalAdvance(table.text_at(row, column)) < table.columnWidth(column)
    assert table.columnWidth(0) < 2 * metrics.horizontalAdvance(table.text_at(1, 0))


# -- printed pages


def test_a_page_is_drawn_once_until_it_changes(qtbot, monkeypatch):
    drawn = []
    real = page_module.paint
    monkeypatch.setattr(
        page_module, "paint", lambda painter, items: (drawn.append(items), real(painter, items))
    )
    view = PageView("Card")
    qtbot.addWidget(view)
    first, other = (
        Page([Label(200, 200, "charge", "#000000", 40)]),
        Page([Label(200, 200, "other", "#000000", 40)]),
    )
    view.set_pages([first])
    view.show()
    qtbot.waitUntil(lambda: len(drawn) > 0)
    before = view.grab().toImage()
    view.repaint()
    assert drawn == [first.items]
    view.set_pages([other])
    assert view.grab().toImage() != before
    assert drawn == [first.items, other.items]


# -- stations


def test_stations_are_made_ready_while_nobody_waits(petal, qtbot):
    assert not all(s.built for s in petal.stations)
    with qtbot.waitSignal(PageLoader(petal).done, timeout=60_000):
        pass
    standing = [s for s in petal.stations if s.stands(petal.session.job)]
    assert all(s.built for s in standing)
    assert petal.current == 0  # nobody was led away
    assert not petal.build_one()
    made = {s.name: s.bench for s in standing}
    for station in standing:
        petal.go_to(station.name)
        assert station.bench is made[station.name]
        assert petal.bench.currentWidget() is station.bench


def test_stations_wait_for_a_forecast_that_runs_and_are_made_after_it(window, demo, qtbot):
    window.session.new(demo)
    assert window.session.forecaster.busy
    loader, built_at_idle = PageLoader(window), []
    window.session.forecaster.idle.connect(
        lambda: built_at_idle.append(sum(s.built for s in window.stations))
    )
    with qtbot.waitSignal(loader.done, timeout=60_000):
        pass
    assert built_at_idle[0] == 1  # the one that is shown
    made = sum(s.built for s in window.stations)
    assert made > 5
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.edit("Name", lambda job: job.replaced(name="Another"))
        window.session.edit(
            "Warm", lambda job: job.replaced(conditions=job.conditions.replaced(resin_temperature=299.0))
        )
    assert sum(s.built for s in window.stations) == made  # it is over
