"""Seals, cloth and vents of a closed mould by hand: what is picked, typed and taken, and what the job becomes."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QPushButton
from tests.app.hand import LEFT, choose, press, type_into

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.part import Seam


@pytest.fixture
def lid(window, qtbot):
    job = mould_demo_job()
    layers = tuple(
        x.replaced(seams=(Seam(path=((0.05, 0.45), (0.93, 0.45))),)) if k == 2 else x
        for k, x in enumerate(job.stack)
    )
    vent = job.lines[1]
    lines = (*job.lines, vent.replaced(id="V2", label="V2", path=((0.85, 0.45),)))
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(job.replaced(stack=layers, lines=lines))
    window.go([s.name for s in window.stations].index("Mould"))
    return window.station("Mould")


def test_a_profile_is_picked_by_key_and_click_and_taken(window, lid, qtbot):
    lid.tabs.go("Seals")
    page = lid.seals
    assert page.pick.name == window.session.job.closed.inner.name
    assert not page.inside.isEnabled()  # it lies there already
    qtbot.keyClick(page.view, Qt.Key.Key_Right)
    assert page.pick.name == "hollow 18"
    assert page.figures.figures["this gap"].text.text() == "not sealed"
    width = page.view.width()
    qtbot.mouseClick(page.view, LEFT, pos=QPoint(round(78 + (width - 94) * 6.5 / 8), 200))
    assert page.pick.name == "inflatable 15"
    assert not page.outside.isEnabled()
    press(qtbot, page.side, "Take it inside")
    assert window.session.job.closed.inner.name == "inflatable 15"
    type_into(qtbot, page.inflation, "2.5 bar abs")
    assert window.session.job.closed.inner.inflation == pytest.approx(2.5e5)
    assert float(page.figures.figures["pushes apart"].text.text().split()[0]) > 1.0
    window.session.undo_stack.undo()
    window.session.undo_stack.undo()
    assert window.session.job.closed.inner.name == "hollow 12"
    assert not page.inflation.isEnabled()


def test_a_gap_that_varies_and_a_bladder_are_typed_and_wrong_ones_refused(window, lid, qtbot):
    lid.tabs.go("Seals")
    page = lid.seals
    type_into(qtbot, page.spread, "3 mm")
    assert window.session.job.closed.gap_spread == pytest.approx(0.003)
    assert page.figures.figures["this gap"].text.text() == "not sealed"
    type_into(qtbot, page.spread, "wide")
    assert window.session.job.closed.gap_spread == pytest.approx(0.003)
    assert window.message.isVisible()
    assert not page.no_bladder.isEnabled()
    type_into(qtbot, page.bladder, "2 bar abs")
    assert window.session.job.closed.bladder == pytest.approx(2e5)
    press(qtbot, page.side, "No bladder")
    assert window.session.job.closed.bladder is None
    assert page.bladder.text() == ""


def test_places_and_laps_are_listed_and_picked_on_the_plan(window, lid, qtbot):
    lid.tabs.go("Cloth")
    page = lid.cloth
    rows = [page.list.item(k).text() for k in range(page.list.count())]
    assert rows[0].startswith("Whole part: 28 %")
    assert rows[1].startswith("lap of ply 3: 39 %")
    x, y = page.plan.view().to(np.array([[0.2, 0.45]]))[0]
    qtbot.mouseClick(page.plan, LEFT, pos=QPoint(round(x), round(y)))
    assert page.pick.lapped == window.session.job.stack[2].id
    assert "lap of ply 3" in page.plan.accessibleDescription()
    assert page.figures.figures["fibre here"].text.text() == "39 %"
    type_into(qtbot, page.edge, "1 mm")
    assert window.session.job.conditions.edge_gap == pytest.approx(1e-3)
    assert not page.cloth.edge.is_empty


def test_a_parting_line_is_laid_changed_and_removed(window, lid, qtbot):
    lid.tabs.go("Cloth")
    page = lid.cloth
    assert not page.gape.isEnabled()
    press(qtbot, page.side, "Across")
    press(qtbot, page.side, "Along")
    assert [p.id for p in window.session.job.closed.partings] == ["PL1", "PL2"]
    type_into(qtbot, page.gape, "0.3 mm")
    assert window.session.job.closed.partings[1].gape == pytest.approx(3e-4)
    assert window.session.job.closed.partings[0].gape == pytest.approx(1e-4)
    qtbot.waitUntil(lambda: "goes out there" in page.lost.text(), timeout=60_000)
    type_into(qtbot, page.gape, "9 mm")  # more than any
    assert window.session.job.closed.partings[1].gape == pytest.approx(3e-4)
    press(qtbot, page.side, "Remove")
    assert [p.id for p in window.session.job.closed.partings] == ["PL1"]


def test_a_crossed_outline_is_told_and_no_page_fails(window, lid, qtbot):
    """Four corners in the order of a bow tie: nothing of the mould can be drawn, and all pages stand."""
    for page in ("Closing", "Seals", "Cloth", "Ports", "Vents"):
        lid.tabs.go(page)
    outline = window.session.job.part.outline
    crossed = (outline[0], outline[4], outline[1], outline[5])
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.edit("x", lambda j: j.replaced(part=j.part.replaced(outline=crossed)))
    for page in ("Closing", "Seals", "Cloth", "Ports", "Vents"):
        lid.tabs.go(page)
        window.grab()
    assert lid.seals.figures.figures["pushes apart"].text.text() == "—"
    assert lid.cloth.list.count() == 0
    lid.tabs.go("Cloth")
    press(qtbot, lid.cloth.side, "Across")
    assert "cross" in window.message.text()
    assert not window.session.job.closed.partings
    lid.tabs.go("Vents")
    press(qtbot, lid.vents, "Try ways")
    qtbot.waitUntil(lambda: lid.vents.bar.start.isEnabled(), timeout=60_000)
    window.session.undo_stack.undo()
    lid.tabs.go("Cloth")
    assert lid.cloth.list.count() == 2


def test_ways_to_shut_the_vents_are_tried_and_one_is_taken(window, lid, qtbot):
    page = lid.vents
    assert not page.take.isEnabled()
    with qtbot.waitSignal(page.bar.ready, timeout=60_000):
        lid.tabs.go("Vents")
    assert page.ways.count() == 3
    assert "1. V2" in page.order.text()
    assert page.pick.way != "planned"
    assert page.pick.caught < page.rows[0].caught
    qtbot.keyClick(page.ways, Qt.Key.Key_Home)
    assert page.pick.way == "planned"
    assert not page.take.isEnabled()
    qtbot.keyClick(page.ways, Qt.Key.Key_Down)
    with qtbot.waitSignal(page.bar.ready, timeout=60_000):
        press(qtbot, page, "Shut them so")
        assert page.ways.count() == 0  # they were of another plan, and come anew for this one
    shuts = {x.id: x.shuts for x in window.session.job.lines if x.role == "vacuum"}
    assert shuts["V2"] is not None
    assert shuts["V1"] is None
    assert page.ways.count() > 1
    window.session.edit("x", lambda j: j.replaced(conditions=j.conditions.replaced(vacuum=40_000.0)))
    assert page.ways.count() == 0
    window.session.edit("x", lambda j: j.replaced(lines=j.lines[:1]))
    press(qtbot, page, "Try ways")
    assert "no vent" in window.message.text()


def test_no_mesh_is_offered_between_two_halves_but_one_that_is_there_can_be_taken_off(window, lid, qtbot):
    def offered():
        return {
            b.text()
            for b in lines.side.findChildren(QPushButton)
            if b.text() in {"Draw mesh", "Lay mesh", "No mesh", "Draw feed"} and b.isVisible()
        }

    window.go_to("Lines")
    lines = window.station("Lines")
    assert offered() == {"Draw feed"}
    bag = {"Draw feed", "Draw mesh", "Lay mesh", "No mesh"}
    window.session.edit("x", lambda j: j.replaced(process="infusion"))
    assert offered() == bag
    press(qtbot, lines.side, "Lay mesh")
    window.session.edit("x", lambda j: j.replaced(process="light RTM"))
    assert offered() == bag
    press(qtbot, lines.side, "No mesh")
    assert offered() == {"Draw feed"}


def test_what_the_upper_half_is_made_of_holds_it_down(window, lid, qtbot):
    page = lid.closing
    lid.tabs.go("Closing")
    before = float(window.session.outlook.evidence.mould.bow.most)
    assert page.made.currentText() == "as typed"  # a lid of 16 GPa
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        choose(page.made, "steel")
    upper = window.session.job.closed.upper
    assert (upper.name, upper.modulus, upper.poisson, upper.density) == ("steel", 205e9, 0.29, 7850.0)
    assert page.upper.fields["closed.upper.modulus"].text() == "205.0 GPa"
    # A plate bends as its modulus; stiffeners share the load, so that it is not in proportion.
    assert 0.05 * before < window.session.outlook.evidence.mould.bow.most < 0.7 * before
    type_into(qtbot, page.upper.fields["closed.upper.modulus"], "30 Msi")
    assert window.session.job.closed.upper.modulus == pytest.approx(30 * 6.894757e9)
    assert page.made.currentText() == "as typed"


def test_a_press_adds_to_what_holds_shut(window, lid, qtbot):
    page = lid.closing
    lid.tabs.go("Closing")
    held = window.session.outlook.evidence.mould.closing.held.max()
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, page.kept.fields["closed.clamps"], "40 kN")
    assert window.session.outlook.evidence.mould.closing.held.max() - held == pytest.approx(40_000.0)
    type_into(qtbot, page.kept.fields["closed.clamps"], "-3 kN")
    assert "must be at least" in window.message.text()
    assert window.session.job.closed.clamps == 40_000.0


def test_an_open_bucket_is_said_by_an_empty_field(window, lid, qtbot):
    field = lid.closing.vacuums["injection"]
    lid.tabs.go("Closing")
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert window.session.job.closed.injection is None
    assert field.placeholderText() == "from an open bucket"
    type_into(qtbot, field, "1.2 bar abs")
    assert window.session.job.closed.injection == 120_000.0


def test_a_feed_is_pumped_at_a_rate_or_by_pressure_alone(window, lid, qtbot):
    window.go_to("Lines")
    side = window.station("Lines").inspector
    window.session.select("F1")
    assert side.rate.isVisible()
    assert side.rate.text() == ""
    slow = window.session.outlook.forecast.fill_time
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, side.rate, "0.3 L/min")
    assert window.session.job.lines[0].rate == pytest.approx(0.3e-3 / 60)
    made = window.session.outlook.forecast
    # Three kilograms at a third of a litre a minute: no sooner than the pump gives them.
    assert made.fill_time > max(slow, 0.97 * made.resin_in_part / made.density / (0.3e-3 / 60))
    window.session.select("V1")
    assert not side.rate.isVisible()


def test_forces_and_pressures_are_told_in_the_units_of_the_shop(window, lid, qtbot):
    """In US units none of the pages tells a kilonewton or a kilopascal."""
    window.session.set_system("us")
    seen = []
    for page in ("Closing", "Seals", "Cloth"):
        lid.tabs.go(page)
        current = lid.tabs.current
        seen += [f.text.text() for f in current.figures.figures.values()]
    pounds = float(window.session.outlook.evidence.mould.closing.margin.min()) / 4.4482216
    assert lid.closing.figures.figures["least margin"].text.text() == f"{pounds:.0f} lbf"
    assert lid.row(window.session.job, window.session.outlook).figure == f"margin {pounds:.0f} lbf"
    assert not [text for text in seen if text.endswith(("kN", "kPa", "mbar"))]


def test_lists_and_kinds_are_those_of_a_closed_mould(window, lid, qtbot):
    window.go_to("Stack")
    stack = window.station("Stack")
    stack.bench.go("Lists")
    lists = stack.lists
    offered = [lists.which.itemData(k) for k in range(lists.which.count())]
    assert "kit" in offered
    assert "walk-round" not in offered
    window.go_to("Lines")
    window.session.select("F1")
    inspector = window.station("Lines").inspector
    assert [inspector.kind.itemData(k) for k in range(inspector.kind.count())] == ["cut channel"]
    assert inspector.rate.placeholderText() == "as the machine gives"
    window.session.edit("bag", lambda j: j.replaced(process="infusion"))
    assert inspector.kind.count() > 3
    window.go_to("Stack")
    stack.bench.go("Lists")
    assert lists.which.findData("walk-round") >= 0


def test_a_machine_stands_where_a_bucket_would_and_its_rate_is_typed_there(window, lid, qtbot):
    window.go_to("Lines")
    lines = window.station("Lines")
    lines.bench.go("Diagram")
    view = lines.diagram
    assert view.drawing.nodes()[0].name == "machine"
    view.choose("bucket:")
    assert view.title.text() == "Machine"
    assert "1040 mbar absolute" in view.words.text()
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, view.fields["It gives"], "0.6 L/min")
    assert window.session.job.closed.machine.rate == pytest.approx(1e-5)
    window.session.edit("bucket", lambda j: j.replaced(closed=j.closed.replaced(injection=None)))
    assert view.drawing.nodes()[0].name == "bucket"
    view.choose("bucket:")
    assert "Below the part" in view.fields


def test_a_mesh_is_a_question_only_where_one_is(window, lid, qtbot, demo):
    window.go_to("Lines")
    lines = window.station("Lines")
    lines.bench.go("What if")
    assert not lines.what_if.sliders["mesh"].isVisible()
    assert lines.what_if.sliders["cloth"].isVisible()
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo)
    window.go_to("Lines")
    lines.bench.go("What if")
    assert lines.what_if.sliders["mesh"].isVisible()


def test_nothing_of_the_job_before_stands_on_pages_that_a_closed_mould_has_no_use_for(window, qtbot, demo):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo)
    window.go_to("Prove")
    prove = window.station("Prove")
    prove.tabs.go("Hunt")
    hunt = prove.hunt
    qtbot.waitUntil(lambda: "tape" in hunt.proposed.text(), timeout=20_000)
    window.session.new(mould_demo_job())
    qtbot.waitUntil(lambda: "no bag" in hunt.told.text(), timeout=20_000)
    assert hunt.proposed.text() == ""
    assert {f.text.text() for f in hunt.figures.figures.values()} == {"—"}
    window.go_to("Lines")
    lines = window.station("Lines")
    lines.bench.go("After full")
    qtbot.waitUntil(lambda: "Two hard faces" in lines.hold.problem, timeout=60_000)
    window.session.new(demo)
    assert "hard faces" not in lines.hold.problem  # it waits for its own forecast, and says so
