"""The whole shop day with no mouse: every act from the list, and what is done at every station by Tab, letters and arrows."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLineEdit,
    QPushButton,
    QToolButton,
    QWidget,
)
from tests.app.hand import HandClock, answered

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.run.drawdown import drawn_steps
from bibulon.core.run.loading import loaded_steps
from bibulon.core.run.mixing import mixed_steps
from bibulon.store.jobfile import load
from bibulon.store.logbook import write_series

K, M = Qt.Key, Qt.KeyboardModifier
ROUND = 400  # Tabs after which a control counts as out of reach


class Keys:
    """A hand that has a keyboard and nothing else: keys go to what has the focus."""

    def __init__(self, window):
        self.window = window
        window.activateWindow()

    def press(self, key, held=M.NoModifier, times=1):
        for _ in range(times):
            QTest.keyClick(QApplication.focusWidget() or self.window, key, held)
            QApplication.processEvents()

    def type(self, text):
        assert QApplication.focusWidget() is not None
        QTest.keyClicks(QApplication.focusWidget(), text)

    def tab_to(self, wanted: QWidget):
        """Press Tab until a control has the focus."""
        for _ in range(ROUND):
            now = QApplication.focusWidget()
            if now is wanted or (now is not None and wanted.isAncestorOf(now)):
                return
            self.press(K.Key_Tab)
        raise AssertionError(f"Tab never comes to {wanted.accessibleName() or wanted}")

    def act(self, words):
        """Do an act by typing its words into the list of acts, and going down to it where others have them too."""
        self.press(K.Key_K, M.ControlModifier)
        self.type("".join(c for c in words if c.isascii()))
        found = [a.title for a in self.window.palette_panel._found]
        if words in found:
            self.press(K.Key_Down, times=found.index(words))
            self.press(K.Key_Return)

    def fill(self, field: QLineEdit, text):
        self.tab_to(field)
        self.press(K.Key_A, M.ControlModifier)
        self.type(text)
        self.press(K.Key_Return)

    def push(self, button: QAbstractButton):
        self.tab_to(button)
        self.press(K.Key_Space)

    def pick(self, box: QComboBox, text):
        self.tab_to(box)
        far = box.findText(text) - box.currentIndex()
        self.press(K.Key_Down if far > 0 else K.Key_Up, times=abs(far))
        assert box.currentText() == text

    def page(self, tabs, name):
        """Go to a page by arrows along the row of tabs."""
        row = [tabs.group.button(k) for k in range(len(tabs.names))]
        there = tabs.names.index(name)
        self.tab_to(tabs.group.checkedButton())
        for _ in row:
            if QApplication.focusWidget() is row[there]:
                break
            self.press(K.Key_Right)
        self.press(K.Key_Space)
        assert tabs.names[tabs.stack.currentIndex()] == name

    def station(self, number):
        """Go to a station by its number; return it."""
        self.press(getattr(K, f"Key_{number}"), M.AltModifier)
        return self.window.stations[self.window.current]


@pytest.fixture
def keys(petal):
    return Keys(petal)


@pytest.mark.parametrize("each", [4, pytest.param(1, marks=pytest.mark.slow)])
def test_every_act_is_found_by_its_words_and_done_with_return(petal, keys, each):
    done = []

    def noted(act):
        return replace(act, run=lambda: done.append(act.title))

    every = petal.acts
    assert len(every) > 50
    petal.acts = [noted(act) for act in every]
    for act in every[::each]:
        done.clear()
        keys.act(act.title)
        assert done == ([act.title] if act.can() else []), act.title
        if not act.can():
            keys.press(K.Key_Escape)
        assert not petal.palette_panel.isVisible()


def test_stations_are_gone_to_by_number(petal, keys):
    names = [keys.station(number).name for number in (1, 2, 3, 4, 5, 6, 7, 8, 9, 0)]
    assert names == ["Part", "Stack", "Lines", "Bag", "Charge", "Prove", "Shoot", "Cure", "Record", "Logbook"]


def test_part_a_corner_is_typed_into_its_cell(petal, keys):
    part = keys.station(1)
    table = part.outline.table
    keys.tab_to(table)
    keys.press(K.Key_Home, M.ControlModifier)
    keys.press(K.Key_F2)
    keys.press(K.Key_A, M.ControlModifier)
    keys.type("-50 mm")
    keys.press(K.Key_Return)
    assert petal.session.job.part.outline[0].x == pytest.approx(-0.05)
    keys.press(K.Key_Z, M.ControlModifier)
    assert petal.session.job.part.outline[0].x != pytest.approx(-0.05)


def test_stack_a_layer_is_moved_and_removed(petal, keys):
    stack = keys.station(2)
    before = [x.id for x in petal.session.job.stack]
    keys.tab_to(stack.drawing)
    keys.press(K.Key_Up, times=2)
    keys.press(K.Key_Up, M.ControlModifier)
    assert [x.id for x in petal.session.job.stack] == [before[0], before[2], before[1], *before[3:]]
    keys.press(K.Key_Delete)
    assert before[1] not in [x.id for x in petal.session.job.stack]


def test_lines_a_vacuum_line_is_drawn_from_the_list_of_acts_and_taken_away(petal, keys):
    lines = keys.station(3)
    plan = lines.plan_bench.plan
    before = {x.id for x in petal.session.job.lines}
    keys.act("Draw vacuum")
    for x, y in (("1000 mm", "300 mm"), ("1200 mm", "")):
        keys.press(K.Key_C)
        keys.type(x)
        keys.press(K.Key_Tab)
        if y:
            keys.type(y)
        keys.press(K.Key_Return)  # the second y stands as it was
        assert QApplication.focusWidget() is plan
    keys.press(K.Key_Return)
    (new,) = [x for x in petal.session.job.lines if x.id not in before]
    assert new.role == "vacuum"
    assert new.path == (pytest.approx((1.0, 0.3)), pytest.approx((1.2, 0.3)))
    assert petal.session.selected == new.id
    keys.press(K.Key_Delete)
    assert {x.id for x in petal.session.job.lines} == before


def test_bag_a_pleat_grows_and_a_step_is_ticked(petal, keys, qtbot):
    bag = keys.station(4)
    qtbot.waitUntil(lambda: bag.laid.bag is not None, timeout=20_000)
    keys.tab_to(bag.page.plan)
    keys.press(K.Key_Right)
    chosen = bag.laid.pleat
    assert chosen
    length = next(p for p in bag.laid.bag.pleats if p.id == chosen).size
    keys.press(K.Key_Plus)
    qtbot.waitUntil(
        lambda: next(p for p in bag.laid.bag.pleats if p.id == chosen).size > length, timeout=20_000
    )
    keys.page(bag.tabs, "Draw down")
    keys.fill(bag.draw.by, "Ada")
    keys.tab_to(bag.draw.list)
    keys.press(K.Key_Home)
    keys.press(K.Key_Space)
    assert drawn_steps(petal.session.journal)["edge"].by == "Ada"


def test_charge_a_batch_starts_earlier_and_the_card_is_ticked(petal, keys):
    charge = keys.station(5)
    view = charge.page.view
    keys.tab_to(view)
    keys.press(K.Key_Down, times=2)
    start = view.schedule.batches[1].start
    keys.press(K.Key_Left, M.ControlModifier)
    assert petal.session.job.charge.starts[1] == pytest.approx(start - 15)
    keys.page(charge.tabs, "Mix")
    keys.fill(charge.mix.by, "Ada")
    keys.tab_to(charge.mix.view)
    keys.press(K.Key_Space)
    assert mixed_steps(petal.session.journal)[charge.mix.steps[0].key].by == "Ada"


def test_prove_a_bag_is_pumped_down_shut_and_kept(petal, keys, qtbot):
    prove = keys.station(6)
    clock = HandClock()
    petal.session.run_clock.clock = clock
    petal.session.instruments.run_by(clock)
    prove.test._ticker.setInterval(10**7)

    def button(text):
        return next(b for b in prove.test.findChildren(QPushButton) if b.text() == text and b.isVisible())

    def passes(seconds):
        for _ in range(seconds):
            clock.on(1.0)
            prove.test.tick()

    answered(qtbot, prove.test.laying, lambda: keys.push(button("Pump down")))
    passes(200)
    keys.push(button("Shut off and record"))
    passes(60)
    keys.push(button("Stop and keep"))
    assert len(petal.session.job.test.readings) == 61


def test_shoot_runs_from_start_to_stop(petal, keys):
    board = keys.station(7).board
    clock = HandClock()
    petal.session.run_clock.clock = clock
    petal.session.run_clock._wall_less_up = 1e9 - 100.0
    board._ticker.setInterval(10**7)
    keys.tab_to(board)
    keys.press(K.Key_Return)
    clock.on(90.0)
    board.refresh()
    keys.press(K.Key_B)
    keys.press(K.Key_U)
    kinds = [e.kind for e in petal.session.journal]
    assert kinds[0] == "start"
    assert {"bubbles"} <= set(kinds)
    assert all(e.clock == pytest.approx(90.0) for e in petal.session.journal if e.kind == "bubbles")


def test_cure_a_place_is_chosen_and_the_blanket_typed(petal, keys, qtbot):
    cure = petal.station("Cure")
    answered(qtbot, cure.ask, lambda: keys.station(8))
    answered(qtbot, cure.asking, lambda: (keys.tab_to(cure.map), keys.press(K.Key_Right)))
    before = cure.field.hottest.peak
    answered(qtbot, cure.ask, lambda: keys.fill(cure.heat.fields["cure.blanket"], "30 mm"))
    assert cure.field.hottest.peak > before + 1


def test_record_a_defect_is_pinned_with_its_kind(petal, keys, tmp_path):
    assert petal.session.save(tmp_path / "petal.bibulon")
    record = keys.station(9)
    keys.tab_to(record.pins.plan)
    keys.press(K.Key_Right, times=3)
    keys.pick(record.pins.kind, "bridged")
    keys.push(record.pins.keep)
    (row,) = load(petal.session.path).journal
    assert (row.kind, row.data["defect"]) == ("defect", "bridged")


def test_logbook_a_job_is_found_and_opened(petal, keys, qtbot, tmp_path, demo):
    write_series(tmp_path)
    petal.session.settings.setValue("log/folders", [str(tmp_path)])
    book = petal.station("Logbook")
    answered(qtbot, book.log.ask, lambda: keys.station(0))
    keys.tab_to(book.search)
    keys.type("pinhol")
    qtbot.waitUntil(lambda: book.cards.model().rowCount() == 2)
    keys.tab_to(book.cards)
    keys.press(K.Key_Down)
    name = book.chosen.name
    keys.push(book.buttons["open"])
    assert petal.session.job.name == name


def test_mould_a_seal_is_taken_and_loading_ticked(window, qtbot):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(mould_demo_job())
    keys = Keys(window)
    mould = keys.station(4)
    assert mould.name == "Mould"
    keys.page(mould.tabs, "Seals")
    keys.tab_to(mould.seals.view)
    keys.press(K.Key_Right)
    picked = mould.seals.pick.name
    assert picked != window.session.job.closed.inner.name
    keys.push(mould.seals.inside)
    assert window.session.job.closed.inner.name == picked
    keys.page(mould.tabs, "Loading")
    keys.fill(mould.load.by, "Ada")
    keys.tab_to(mould.load.list)
    keys.press(K.Key_Home)
    keys.press(K.Key_Space)
    assert list(loaded_steps(window.session.journal)) == [mould.load.steps[0].key]


def test_what_a_page_has_buttons_for_is_found_in_the_list_of_acts(petal, keys):
    """Pages by their names, and buttons; what cannot be pressed, or stands elsewhere, is not among them."""
    lines = keys.station(3)
    keys.act(f"Page {lines.bench.names[2]}")
    assert lines.bench.stack.currentIndex() == 2
    keys.act(f"Page {lines.bench.names[0]}")
    assert lines.bench.stack.currentIndex() == 0

    def listed():
        return [a.title for a in petal._listed()]

    assert "Draw feed" in listed()
    button = next(b for b in lines.side.findChildren(QPushButton) if b.text() == "Draw feed")
    button.setEnabled(False)
    assert "Draw feed" not in listed()
    button.setEnabled(True)
    keys.station(2)
    assert "Draw feed" not in listed()


def test_a_button_with_a_menu_opens_it_from_the_list_of_acts(petal, keys, monkeypatch):
    lines = keys.station(3)
    button = lines.plan_bench.tools.layers
    assert button.menu() is not None
    opened = []
    monkeypatch.setattr(
        QToolButton, "showMenu", lambda shown: opened.append(shown)
    )  # a real one would wait for a choice
    keys.act(button.accessibleName())
    assert opened == [button]
