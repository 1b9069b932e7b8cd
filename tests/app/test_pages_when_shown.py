"""A page is made when it is first shown or asked for, once, and looks and works as if it had always been there."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QUndoCommand
from PySide6.QtWidgets import QLabel, QWidget
from tests.app.hand import choose, press, type_into

from bibulon.app.kit.fields import push, remember_sizes
from bibulon.app.kit.tabs import Tabs, paged, pages_of
from bibulon.app.plan.view import PlanView
from bibulon.app.shell.side import Side
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.tokens import DAY, NIGHT

# -- tabs by themselves


class Owner:
    """Three pages, counted as they are made."""

    def __init__(self, qtbot):
        self.count: dict[str, int] = {}
        self.tabs = Tabs("Owner", pages_of(self))
        qtbot.addWidget(self.tabs)
        self.tabs.show()

    def _made(self, name):
        self.count[name] = self.count.get(name, 0) + 1
        return QLabel(name)

    @paged("First")
    def first(self) -> QLabel:
        return self._made("First")

    @paged("Second")
    def second(self) -> QLabel:
        return self._made("Second")

    @paged("Third")
    def third(self) -> QLabel:
        return self._made("Third")


@pytest.fixture
def owner(qtbot):
    return Owner(qtbot)


def test_only_the_first_page_is_made_at_first(owner):
    assert owner.tabs.names == ["First", "Second", "Third"]
    assert owner.count == {"First": 1}
    assert owner.tabs.current is owner.first
    assert owner.tabs.has("First")
    assert not owner.tabs.has("Third")


def test_a_page_is_made_once_by_press_and_told(owner, qtbot):
    told: list[QWidget] = []
    owner.tabs.made.connect(told.append)
    press(qtbot, owner.tabs, "Second")
    press(qtbot, owner.tabs, "First")
    press(qtbot, owner.tabs, "Second")
    assert owner.count == {"First": 1, "Second": 1}
    assert told == [owner.second]
    assert owner.tabs.current is owner.second
    assert owner.second.isVisible()
    assert owner.tabs.name == "Second"


def test_a_page_that_is_asked_for_is_made_behind_the_one_shown(owner):
    label = owner.third
    assert owner.count == {"First": 1, "Third": 1}
    assert owner.third is label
    assert owner.tabs.current is owner.first
    assert not label.isVisible()
    owner.tabs.go("Third")
    assert owner.tabs.current is label
    assert label.isVisible()


def test_shown_comes_after_the_page_is_there(owner):
    seen = []
    owner.tabs.shown.connect(lambda k: seen.append((k, owner.tabs.current.text())))
    owner.tabs.go(2)
    owner.tabs.go("First")
    assert seen == [(2, "Third"), (0, "First")]


def test_a_theme_reaches_the_pages_that_are_made(qtbot):
    worn = []

    class Page(QWidget):
        def set_theme(self, theme):
            worn.append(theme)

    tabs = Tabs("Pages", [("One", Page()), ("Two", Page)])
    qtbot.addWidget(tabs)
    tabs.set_theme(NIGHT)
    assert worn == [NIGHT]


# -- stations


def test_a_station_first_shown_makes_one_page_and_the_others_follow(petal, qtbot):
    made = {"Prove": ["Test"], "Charge": ["Draw and bucket"], "Lines": ["Plan and cut"], "Bag": ["Bag plan"]}
    for name, first in made.items():
        petal.go_to(name)
        tabs = petal.station(name).tabs
        assert [n for n in tabs.names if tabs.has(n)] == first, name
    prove = petal.station("Prove")
    petal.go_to("Prove")
    for name in prove.tabs.names:
        press(qtbot, prove.bench, name)
        assert prove.tabs.current.isVisible()
        side = prove.current_side()
        assert side is None or side.isVisible(), name


def test_a_page_made_late_is_in_the_window_its_theme_and_its_work_ends_with_it(petal, qtbot):
    petal.set_theme(NIGHT)
    petal.go_to("Lines")
    lines = petal.station("Lines")
    press(qtbot, lines.bench, "What if")
    assert lines.what_if.window() is petal
    assert lines.what_if.later in petal.findChildren(Ask)
    press(qtbot, lines.bench, "After full")
    assert lines.hold.map.theme is NIGHT
    petal.set_theme(DAY)
    assert lines.hold.map.theme is DAY


def test_a_page_made_late_shows_the_job_as_it_is_by_then(petal, qtbot):
    petal.go_to("Charge")
    charge = petal.station("Charge")
    choose(charge.people, "3")
    type_into(qtbot, charge.fields["Heel"], "1.5 kg")
    press(qtbot, charge.bench, "Store")
    press(qtbot, charge.side.window(), "Add a drum")
    assert charge.store.table.row_count() == 1
    press(qtbot, charge.bench, "Mix")
    assert charge.mix.steps
    total = petal.session.outlook.evidence.charge.total
    assert charge.plan.total == pytest.approx(total, rel=0.2)
    assert charge.store.plan is charge.plan


def test_what_is_chosen_before_a_page_is_made_counts_on_it(petal):
    petal.go_to("Charge")
    charge = petal.station("Charge")
    batches = len(charge.page.view.schedule.batches)
    charge.page.view.chosen = batches - 1
    charge.page.view.chose.emit()
    assert not charge.tabs.has("Mix")
    assert charge.mix.batch == batches - 1
    charge.page.view.chosen = 0
    charge.page.view.chose.emit()
    assert charge.mix.batch == 0


def test_plans_of_pages_made_late_take_the_plan_s_keys(petal):
    petal.go_to("Part")
    part = petal.station("Part")
    editable = [p for p in part.bench.findChildren(PlanView) if p.editable]
    assert editable
    assert all(p.menu_acts is not None for p in editable)
    assert all(p.actions() for p in editable)


def test_panels_of_the_part_are_made_as_they_are_opened(petal, qtbot):
    petal.go_to("Part")
    part = petal.station("Part")
    assert [n for n in part.panels.names if part.panels.has(n)] == ["Outline"]
    press(qtbot, petal.side, "Mould")
    assert part.mould.isVisible()
    drawn = []
    part.plan_bench.plan.begin_drawing = drawn.append
    press(qtbot, petal.side, "Zones")
    assert part.zones.table.row_count() == len(petal.session.job.part.zones)


def test_a_round_of_corners_that_has_none_to_round_is_told(petal, qtbot):
    petal.go_to("Part")
    before = petal.session.job
    press(qtbot, petal.side, "Round corners")
    assert "straight sides" in petal.message.text()
    assert petal.session.job is before


# -- small parts


def test_a_button_does_its_act_and_says_its_name(qtbot):
    done = []
    button = push("Do it", lambda: done.append(1), name="Combine zones", tip="Joins both")
    qtbot.addWidget(button)
    button.click()
    assert done == [1]
    assert (button.accessibleName(), button.toolTip()) == ("Combine zones", "Joins both")


def test_sizes_of_a_splitter_come_back(qtbot, tmp_path):
    from PySide6.QtCore import QSettings, Qt
    from PySide6.QtWidgets import QSplitter

    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)

    def made():
        split = QSplitter(Qt.Orientation.Horizontal)
        qtbot.addWidget(split)
        for _ in range(2):
            part = QWidget()
            part.setMinimumWidth(20)
            split.addWidget(part)
        split.resize(400, 100)
        remember_sizes(split, settings, "view/test")
        split.show()
        return split

    first = made()
    first.setSizes([300, 100])
    first.splitterMoved.emit(300, 1)
    sizes = first.sizes()
    assert sizes[0] > sizes[1]
    assert made().sizes() == sizes


def test_edits_together_are_one_step_and_none_leaves_none(petal):
    session = petal.session
    before, stack = session.job, session.undo_stack
    count = stack.count()
    with session.together("Three things"):
        for name in ("a", "b", "c"):
            session.edit("Rename", lambda j, n=name: j.replaced(name=n))
    assert (session.job.name, stack.undoText(), stack.count()) == ("c", "Three things", count + 1)
    assert isinstance(stack.command(count), QUndoCommand)
    stack.undo()
    assert session.job == before
    stack.redo()
    assert session.job.name == "c"
    stack.undo()
    with session.together("Nothing"):
        pass
    assert session.job == before
    assert stack.undoText() != "Nothing"

    def half():
        with session.together("Half of it"):
            session.edit("Rename", lambda j: j.replaced(name="half"))
            raise RuntimeError

    with pytest.raises(RuntimeError):  # what was done before a fault can be undone
        half()
    assert session.job.name == "half"
    stack.undo()
    assert session.job == before


class ToldOf:
    """A station as the side sees it: its panels, and which one is open."""

    side_share = 5

    def __init__(self, *panels):
        self.panels = panels

    def sides(self):
        return self.panels

    def current_side(self):
        return self.panels[0]


class Opening(QWidget):
    """A panel that brings another one when it is first seen, as a page does that is made then."""

    def __init__(self, side):
        super().__init__()
        self.side, self.other = side, QLabel("made late")

    def showEvent(self, event):
        self.side.add(ToldOf(self.other))


def test_a_panel_that_brings_another_as_it_is_shown_is_shown_alone(qtbot):
    side = Side(QWidget())
    qtbot.addWidget(side)
    panel, beside = Opening(side), QLabel("of another station")
    side.add(ToldOf(panel))
    side.add(ToldOf(beside))
    side.show()
    side.show_side(ToldOf(panel))
    assert panel.isVisible()
    assert not panel.other.isVisible()
    side.show_side(ToldOf(panel.other))
    assert panel.other.isVisible()
    assert not panel.isVisible()
    assert not beside.isVisible()
