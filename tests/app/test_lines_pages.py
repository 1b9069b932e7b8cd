"""The pages of Lines by hand: diagram, rules, calls, search, what if, how sure, starters, variants on one clock."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox
from tests.app.hand import LEFT, answered, choose, press, type_into

from bibulon.core.drawing.kit.look import PlanLook
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.kit.tokens import DAY
from bibulon.core.drawing.plan.plan import draw_lines
from bibulon.core.edit.edit import change_line
from bibulon.core.flow.forecast import Resolution
from bibulon.core.lines.starters import STRATEGIES
from bibulon.core.model.job import AtTime, ByHand, OnEmpty, OnFront
from bibulon.core.outlook.outlook import THROUGH
from bibulon.core.units.units import clock, show


@pytest.fixture
def lines(petal):
    petal.go(2)
    return petal.station("Lines")


# -- the line chosen


def test_all_rules_of_opening_and_shutting(petal, lines, qtbot):
    session = petal.session
    session.select("F2")
    box = lines.inspector
    choose(box.opens.rule, "when the front has passed")
    assert session.job.lines[1].opens == OnFront(line="F2")
    choose(box.opens.target, "F1")
    type_into(qtbot, box.opens.beyond, "50 mm")
    type_into(qtbot, box.opens.time, "1:30")
    assert session.job.lines[1].opens == OnFront(line="F1", beyond=0.05, delay=90)
    choose(box.opens.rule, "when a bucket is empty")
    assert "no bucket to wait for" in petal.message.text()
    choose(box.opens.rule, "by hand")
    type_into(qtbot, box.opens.time, "8 min")
    assert session.job.lines[1].opens == ByHand(about=480)
    choose(box.shuts.rule, "at a time")
    type_into(qtbot, box.shuts.time, "20 min")
    assert session.job.lines[1].shuts == AtTime(time=1200)
    choose(box.shuts.rule, "stays open")
    assert session.job.lines[1].shuts is None
    assert not box.shuts.time.isVisible()


def test_kind_clamp_and_pull_of_a_line(petal, lines, qtbot):
    session = petal.session
    session.select("V1")
    box = lines.inspector
    choose(box.kind, "braid")
    assert session.job.lines[2].kind == "braid"
    choose(box.kind, "membrane")
    assert session.job.lines[2].membrane
    type_into(qtbot, box.pull, "400 mbar")
    assert session.job.lines[2].pull == pytest.approx(40_000)
    type_into(qtbot, box.pull, "lots")
    assert "is not a pressure" in petal.message.text()
    assert session.job.lines[2].pull == pytest.approx(40_000)
    choose(box.tube, "hard")
    choose(box.clamp, "lever clamp")
    assert (session.job.lines[2].hose.tube, session.job.lines[2].hose.clamp) == ("hard", "lever clamp")


@pytest.mark.parametrize("strategy", ["centre out", "stepped", "as suits the part"])
def test_a_starter_lays_lines_that_can_be_undone(petal, lines, qtbot, strategy):
    before = petal.session.job
    petal.session.select(None)
    box = lines.mesh_panel.starter
    assert [box.itemText(i) for i in range(box.count())] == ["as suits the part", *STRATEGIES]
    assert box.currentIndex() == 0
    box.setCurrentText(strategy)
    press(qtbot, lines.side, "Lay lines so")
    assert petal.session.job.lines != before.lines
    assert petal.session.job.mesh is not None
    petal.session.undo_stack.undo()
    assert petal.session.job == before


# -- the diagram


def click_node(qtbot, lines, key):
    drawing = lines.diagram.drawing
    node = next(n for n in drawing.nodes() if n.key == key)
    qtbot.mouseClick(drawing, LEFT, pos=QPoint(round(node.x), round(node.y)))


def test_the_diagram_is_built_and_set_by_hand(petal, lines, qtbot):
    lines.tabs.go("Diagram")
    view, session = lines.diagram, petal.session
    for text in ("Add manifold", "Add bucket", "Add bypass"):
        press(qtbot, view, text)
    job = session.job
    assert (len(job.manifolds), len(job.buckets), len(job.pots), len(job.bypasses)) == (1, 1, 1, 1)
    click_node(qtbot, lines, "bucket:B1")
    type_into(qtbot, view.fields["Heel"], "600 g")
    type_into(qtbot, view.fields["Below the part"], "80 cm")
    type_into(qtbot, view.fields["Batch 1"], "5 kg")
    bucket = session.job.buckets[0]
    assert (bucket.heel, bucket.below, bucket.batches[0].mass) == (
        pytest.approx(0.6),
        pytest.approx(0.8),
        5.0,
    )
    click_node(qtbot, lines, "pot:P1")
    type_into(qtbot, view.fields["Held at"], "500 mbar")
    assert session.job.lines[2].pull == pytest.approx(50_000)
    type_into(qtbot, view.fields["Held at"], "wet")
    assert "is not a pressure" in petal.message.text()
    click_node(qtbot, lines, "feed:F2")
    assert session.selected == "F2"
    type_into(qtbot, view.fields["Tee bore"], "12 mm")
    sealed = view.fields["Joint sealed"]
    assert isinstance(sealed, QCheckBox)
    qtbot.mouseClick(sealed, LEFT, pos=QPoint(8, sealed.height() // 2))
    assert not session.job.lines[1].hose.sealed
    assert session.job.lines[1].hose.tee_bore == pytest.approx(0.012)
    choose(view.fields["Hangs on"], "the bucket itself")
    assert session.job.lines[1].manifold is None
    click_node(qtbot, lines, "pump:")
    type_into(qtbot, view.fields["Draws a second"], "4 L")
    assert session.job.pump.speed == pytest.approx(0.004)
    choose(view.fields["Bypass Y1 shut by"], "lever clamp")
    assert session.job.bypasses[0].clamp == "lever clamp"
    click_node(qtbot, lines, "manifold:M1")
    press(qtbot, view, "Remove it")
    assert session.job.manifolds == ()
    assert session.job.bypasses == ()
    assert view.chosen == ""


def test_the_diagram_is_walked_by_keys(petal, lines, qtbot):
    lines.tabs.go("Diagram")
    drawing = lines.diagram.drawing
    drawing.setFocus()
    seen = []
    for _ in range(6):
        qtbot.keyClick(drawing, Qt.Key.Key_Right)
        seen.append(lines.diagram.chosen)
    assert len(set(seen)) >= 5
    assert {s.partition(":")[0] for s in seen} >= {"bucket", "feed", "vacuum", "pot", "pump"}


def test_a_feed_can_wait_for_a_bucket_that_was_added(petal, lines, qtbot):
    lines.tabs.go("Diagram")
    press(qtbot, lines.diagram, "Add bucket")
    petal.session.select("F2")
    choose(lines.inspector.opens.rule, "when a bucket is empty")
    assert petal.session.job.lines[1].opens == OnEmpty(bucket="B1")
    click_node(qtbot, lines, "bucket:B1")
    press(qtbot, lines.diagram, "Remove it")
    assert petal.session.job.lines[1].opens == AtTime()


# -- calls


def test_calls_move_the_clock_and_are_saved(petal, lines, qtbot, tmp_path):
    lines.tabs.go("Calls")
    view = lines.calls
    qtbot.waitUntil(lambda: len(view.rows) >= 5)
    row = next(k for k, r in enumerate(view.rows) if r.say == "Open F2")
    view.table.choose(row)
    assert petal.session.moment == pytest.approx(view.rows[row].time)
    for name, start in (("calls.pdf", b"%PDF"), ("calls.csv", b"when,")):
        answered(qtbot, petal.session.errands, lambda name=name: view.save(tmp_path / name))
        assert (tmp_path / name).read_bytes().startswith(start)
    view.copy()
    assert "Open F2" in QGuiApplication.clipboard().text()
    answered(qtbot, petal.session.errands, lambda: view.save(tmp_path / "no" / "x.pdf"))
    assert "could not be saved" in petal.message.text()


# -- search


def test_a_search_finds_plans_that_are_taken_and_kept(petal, lines, qtbot, monkeypatch):
    monkeypatch.setattr("bibulon.core.plans.suggest.FINE", Resolution(250, 1, 5))
    lines.tabs.go("Suggest")
    view = lines.suggest
    view.workers = 0
    view.most.setValue(10)
    press(qtbot, view, "Suggest lines")
    assert not view.bar.start.isEnabled()
    assert view.bar.halt.isVisible()
    qtbot.waitUntil(lambda: not view.bar.busy, timeout=60_000)
    assert view.words.text().startswith("10 plans tried")
    assert view.table.row_count() == len(view.found) > 0
    before = petal.session.job
    press(qtbot, view, "Keep all as variants")
    assert len(petal.session.job.variants) == len(view.found)
    petal.session.undo_stack.undo()
    press(qtbot, view, "Take this plan")
    assert petal.session.job.lines == view.found[0].job.lines
    assert petal.session.job.stack == before.stack


def begun(lines, qtbot):
    """A long search of which something is done."""
    lines.tabs.go("Suggest")
    view = lines.suggest
    view.workers = 0
    view.most.setValue(400)
    press(qtbot, view, "Suggest lines")
    qtbot.waitUntil(lambda: view.bar.progress.value() >= 1, timeout=30_000)
    return view


def test_a_search_is_stopped_by_hand(petal, lines, qtbot):
    view = begun(lines, qtbot)
    press(qtbot, view, "Stop")
    qtbot.waitUntil(lambda: not view.bar.busy, timeout=30_000)
    assert "stopped early" in view.words.text()
    assert view.bar.start.isEnabled()


def test_closing_the_window_ends_a_search(petal, lines, qtbot):
    view = begun(lines, qtbot)
    petal.close()
    assert view.bar.run.stopped
    assert view.bar.progress.value() < 400


def test_a_search_without_resin_says_what_is_missing(window, qtbot):
    window.session.new()
    window.go(2)
    lines = window.station("Lines")
    lines.tabs.go("Suggest")
    press(qtbot, lines.suggest, "Suggest lines")
    assert "Lay the stack and choose a resin first" in window.message.text()


# -- what if


def test_sliders_forecast_again_and_change_nothing(petal, lines, qtbot):
    before = petal.session.job
    lines.tabs.go("What if")
    view = lines.what_if
    qtbot.waitUntil(lambda: view.outlook is not None and not view.later.busy, timeout=30_000)
    plain = view.outlook.forecast.fill_time
    planned = petal.session.outlook.forecast
    told = {name: figure.text.text() for name, figure in view.figures.figures.items()}
    assert told["wet through at"] == clock(
        planned.fill_time
    )  # as everywhere in the window, whatever the rough mesh says
    assert told["dry left"] == show(planned.dry_area, "small area", "metric")
    assert petal.session.outlook.contours[THROUGH] is view._fronts_shown()[1]
    view.sliders["viscosity"].setValue(20)
    qtbot.waitUntil(lambda: not view.later.busy, timeout=30_000)
    assert view.outlook.forecast.fill_time > 1.2 * plain
    late = view.outlook.forecast.fill_time / view.plain.forecast.fill_time * planned.fill_time
    assert view.figures.figures["wet through at"].text.text() == clock(late)
    assert view.words.text().startswith(f"{clock(late - planned.fill_time)} later than planned")
    assert view._fronts_shown()[1].top == pytest.approx(
        view.outlook.contours[THROUGH].top * planned.fill_time / view.plain.forecast.fill_time
    )
    assert view.told["viscosity"].text() == "× 1.41"
    press(qtbot, view, "As planned")
    qtbot.waitUntil(lambda: not view.later.busy, timeout=30_000)
    assert view.outlook.forecast.fill_time == pytest.approx(plain)
    qtbot.mouseClick(view.boxes["F2"], LEFT, pos=QPoint(8, view.boxes["F2"].height() // 2))
    qtbot.waitUntil(lambda: not view.later.busy, timeout=30_000)
    assert view.what.unopened == frozenset({"F2"})
    assert view.outlook.forecast.fill_time > plain
    assert petal.session.job == before
    assert not petal.session.modified


def test_how_sure_gives_a_range_and_a_map(petal, lines, qtbot):
    lines.tabs.go("What if")
    view = lines.what_if
    view.workers = 0
    view.begin(6)
    assert view.bar.halt.isVisible()
    qtbot.waitUntil(lambda: not view.bar.busy, timeout=60_000)
    assert view.sure is not None
    assert len(view.sure.runs) == 6
    assert " to " in view.figures.figures["wet through at"].text.text()
    assert "6 runs" in view.words.text()
    assert view.stack.currentWidget() is view.map
    petal.session.edit("x", lambda j: change_line(j, "F2", hose_length=4.0))
    assert view.stack.currentWidget() is view.fronts  # the map was of another plan


def test_variants_are_seen_on_one_clock(petal, lines, qtbot):
    lines.tabs.go("Variants")
    view = lines.variants
    press(qtbot, view, "Keep this plan as a variant")
    qtbot.waitUntil(lambda: len(view.rows) == 2 and not view.later.busy, timeout=30_000)
    told = clock(petal.session.outlook.forecast.fill_time)
    assert [view.table.text_at(k, 7) for k in range(2)] == [told, told]  # as everywhere in the window
    petal.session.set_moment(300.0)
    words = [getattr(i, "text", "") for i in view._items(700.0, 400.0, petal.theme)]
    assert any(w.startswith("this plan at 5:00") for w in words)
    assert any(w.startswith("Plan 1 at 5:00") for w in words)
    assert any("sooner" in w for w in words)


def test_loose_breather_is_drawn_on_the_plan_and_taken_off(petal, qtbot):
    def act(title):
        return next(a for a in petal.acts if a.title == title)

    petal.go_to("Part")
    assert not act("No loose breather").can()
    act("Draw loose breather").run()
    plan = petal.station("Lines").plan
    assert plan.isVisible()
    for place in ((2.35, 0.30), (2.50, 0.30), (2.50, 1.10), (2.35, 1.10)):
        at = plan.view.to(np.array([place]))[0]
        qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=QPoint(round(at[0]), round(at[1])))
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    laid = petal.session.job.breather
    assert len(laid) == 4
    assert laid[0].x == pytest.approx(2.35, abs=0.02)
    look = PlanLook(plan.view, DAY, "metric")
    assert "breather" in {x.text for x in draw_lines(petal.session.job, look) if isinstance(x, Label)}
    act("No loose breather").run()
    assert petal.session.job.breather is None
    act("Draw loose breather").run()
    qtbot.mouseClick(plan, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    qtbot.keyClick(plan, Qt.Key.Key_Return)
    assert "at least three corners" in petal.message.text()
    assert petal.session.job.breather is None
