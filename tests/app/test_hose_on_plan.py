"""The hose of a line moved along it: by its ring on the plan, the menu, a number at the side, and the remedy of a finding."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QMenu
from tests.app.hand import press, type_into

from bibulon.app.plan.handles import Handle, moved
from bibulon.core.edit.edit import change_line
from bibulon.core.geometry.outline import area
from bibulon.core.geometry.paths import inlet_of
from bibulon.core.geometry.starters import STARTERS
from bibulon.core.model.job import Corner, MeshExtent, Part

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def px(plan, place):
    return QPointF(*plan.view.to(np.array([place]))[0]).toPoint()


def feed(window):
    return next(x for x in window.session.job.lines if x.id == "F1")


@pytest.fixture
def petal(window, qtbot, demo):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(change_line(demo, "F1", hose_at=0.5))
    window.go_to("Lines")
    window.session.select("F1")
    return window


@pytest.fixture
def plan(petal):
    return petal.station("Lines").plan


def test_its_ring_is_dragged_along_the_line_and_rests_in_the_middle(petal, plan, qtbot):
    path = feed(petal).path
    start, stop = (
        px(plan, inlet_of(feed(petal))),
        px(plan, (0.4, 1.1)),
    )  # beside the line: it follows all the same
    qtbot.mousePress(plan, LEFT, NONE, start)
    qtbot.mouseMove(plan, (start + stop) / 2)
    qtbot.mouseMove(plan, stop)
    qtbot.mouseRelease(plan, LEFT, NONE, stop)
    assert feed(petal).path == path
    assert inlet_of(feed(petal)) == pytest.approx((0.07, 1.1), abs=0.02)
    assert petal.session.undo_stack.undoText() == "Move hose of F1"
    start, stop = px(plan, inlet_of(feed(petal))), px(plan, (0.07, 0.757))
    qtbot.mousePress(plan, LEFT, NONE, start)
    qtbot.mouseMove(plan, stop)
    qtbot.mouseRelease(plan, LEFT, NONE, stop)
    assert feed(petal).hose_at == 0.5
    petal.session.undo_stack.undo()
    petal.session.undo_stack.undo()
    assert feed(petal).hose_at == 0.5


def test_the_menu_joins_it_where_it_was_opened(petal, plan):
    menu = QMenu()
    plan.menu_acts(menu, (0.09, 0.415))
    next(a for a in menu.actions() if a.text() == "Join the hose here").trigger()
    assert inlet_of(feed(petal)) == pytest.approx((0.07, 0.415))


def test_a_point_taken_away_leaves_the_hose_in_its_place(petal, plan):
    session = petal.session
    bent = ((0.07, 0.08), (0.07, 1.2), (0.3, 1.3))
    session.edit("Bend", lambda j: change_line(j, "F1", path=bent, hose_at=0.4))
    place = inlet_of(feed(petal))
    menu = QMenu()
    plan.menu_acts(menu, (0.3, 1.3))
    next(a for a in menu.actions() if a.text() == "Remove the nearest point").trigger()
    assert len(feed(petal).path) == 2
    assert inlet_of(feed(petal)) == pytest.approx(place)


def test_how_far_along_is_typed_and_beyond_the_end_is_the_end(petal, qtbot):
    field = petal.station("Lines").inspector.hose_at
    length = math.dist(*feed(petal).path)
    assert field.text() == "0.67 m"
    type_into(qtbot, field, "335 mm")
    assert feed(petal).hose_at * length == pytest.approx(0.335)
    type_into(qtbot, field, "9 m")
    assert feed(petal).hose_at == 1.0
    assert "its hose joins at its end" in petal.message.text()
    type_into(qtbot, field, "half way")
    assert feed(petal).hose_at == 1.0
    assert "half way" in petal.message.text()


def test_a_point_has_no_place_along_it(petal):
    petal.session.edit("A port", lambda j: change_line(j, "F1", path=((0.07, 0.75),), kind="point"))
    assert not petal.station("Lines").inspector.hose_at.isVisible()


def test_the_remedy_of_a_thin_feed_moves_its_hose(petal, qtbot):
    def thin():
        petal.session.edit("Thin", lambda j: change_line(j, "F1", bore=0.006, hose_at=0.0))

    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        thin()
    found = next(f for f in petal.findings.findings if f.kind == "along")
    petal.findings.choose(found.key)
    press(qtbot, petal.findings, "Join it in the middle")
    assert feed(petal).hose_at == 0.5


def test_the_area_of_a_part_is_less_its_holes(petal, qtbot):
    start = STARTERS["ring"]
    outline, holes = start.make(**start.sizes)
    part = Part(outline=outline, holes=holes)
    petal.session.edit("A ring", lambda j: j.replaced(part=part, lines=(), mesh=None, stack=j.stack[:1]))
    petal.go_to("Part")
    shown = petal.station("Part").figures.figures["area"].text.text()
    assert float(shown.split()[0]) == pytest.approx(area(outline) - sum(map(area, holes)), abs=0.006)
    square = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
    crossed = (square[0], square[2], square[1], square[3])
    petal.session.edit("Cross it", lambda j: j.replaced(part=Part(outline=crossed)))
    assert petal.station("Part").figures.figures["area"].text.text() == "—"


def test_each_piece_of_mesh_and_each_hole_has_corners_to_drag(petal, plan, qtbot):
    def box(x0, y0, x1, y1):
        return tuple(Corner(x=x, y=y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))

    mesh = MeshExtent(
        material="net-green", outline=box(0.1, 0.3, 0.8, 1.1), pieces=(box(1.3, 0.6, 1.8, 0.9),), holes=(box(0.3, 0.5, 0.5, 0.7),)
    )  # fmt: skip
    petal.session.edit("Mesh", lambda j: j.replaced(mesh=mesh))
    petal.session.select(None)
    for at, to in (((1.8, 0.9), (1.7, 0.85)), ((0.5, 0.7), (0.6, 0.8)), ((0.8, 1.1), (0.75, 1.0))):
        start, stop = px(plan, at), px(plan, to)
        qtbot.mouseMove(plan, start)
        qtbot.mousePress(plan, LEFT, NONE, start)
        qtbot.mouseMove(plan, stop)
        qtbot.mouseRelease(plan, LEFT, NONE, stop)
        assert petal.session.undo_stack.undoText() == "Move mesh edge"
    now = petal.session.job.mesh
    for ring, place in ((now.pieces[0], (1.7, 0.85)), (now.holes[0], (0.6, 0.8)), (now.outline, (0.75, 1.0))):
        assert (ring[2].x, ring[2].y) == pytest.approx(place, abs=0.02)
    # A hole that would leave none of the mesh stays where it was.
    alone = now.replaced(pieces=(), holes=(box(0.0, 0.2, 0.9, 1.0),))
    petal.session.edit("Alone", lambda j: j.replaced(mesh=alone))
    job = petal.session.job
    assert moved(job, Handle("mesh", "mesh", 6, (0.9, 1.0)), (0.9, 1.05)) is not None
    wide = moved(job, Handle("mesh", "mesh", 6, (0.9, 1.0)), (0.95, 1.2))
    assert wide is not None
    assert moved(wide, Handle("mesh", "mesh", 7, (0.0, 1.0)), (0.0, 1.2)) is None


def test_the_rail_keeps_all_its_rows_in_sight_while_the_clock_grows(petal, qtbot):
    petal.resize(1280, 800)
    rows = [row for row in petal.rail.rows if row.isVisible()]

    def seen():
        return all(row.visibleRegion().boundingRect().height() == row.height() for row in rows)

    line = feed(petal)
    more = tuple(line.replaced(id=f"F{k}", label=f"F{k}") for k in range(10, 16))
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.edit("More", lambda j: j.replaced(lines=(*j.lines, *more)))
    assert petal.clock.height() == 167
    qtbot.waitUntil(seen)
    assert all(row.low for row in rows)
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        petal.session.undo_stack.undo()
    petal.resize(1280, 1000)
    qtbot.waitUntil(lambda: not any(row.low for row in rows))
    assert seen()
