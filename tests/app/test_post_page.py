"""Post-cure on Cure: a schedule laid by a press, dragged, typed and moved by keys, undone, and written."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import answered, choose, type_cell, type_into

from bibulon.core.drawing.graphs.postcuring import frame, nodes
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.drawing.sheets.oven import oven_pages
from bibulon.core.flow.build.orders import part_temperature


@pytest.fixture
def post(petal, qtbot):
    station = petal.station("Cure")
    petal.go([s.name for s in petal.stations].index("Cure"))
    qtbot.waitUntil(lambda: not station.ask.busy, timeout=20_000)
    station.tabs.go("Post-cure")
    return station.post


def laid(petal, qtbot, post):
    qtbot.mouseClick(post.buttons["lay"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: post.told is not None, timeout=20_000)


def knob(post, k):
    s = post.session
    room = part_temperature(s.job)
    chart = frame(
        s.job, post.told, room, float(post.ramp.width()), float(post.ramp.height()), post.ramp.theme, s.system
    )
    when, warm = nodes(s.job.cure, room)[k]
    ((x, y),) = chart.at(when, warm - 273.15)
    return QPoint(round(x), round(y))


def test_a_schedule_is_laid_under_the_line_and_undone(petal, qtbot, post):
    assert not post.buttons["pdf"].isEnabled()
    laid(petal, qtbot, post)
    assert petal.session.job.cure.steps
    assert "under" in post.figures.figures["closest to the line"].text.text()
    assert post.told.margin >= -0.5
    petal.session.undo_stack.undo()
    assert petal.session.job.cure.steps == ()
    assert post.table.row_count() == 0


def test_a_knob_is_dragged_too_far_and_the_finding_says_so(petal, qtbot, post):
    laid(petal, qtbot, post)
    last = len(petal.session.job.cure.steps) - 1
    before = petal.session.job.cure.steps[last]
    at = knob(post, last)
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        qtbot.mousePress(post.ramp, Qt.MouseButton.LeftButton, pos=at)
        qtbot.mouseMove(post.ramp, at - QPoint(0, 60))
        qtbot.mouseMove(post.ramp, at - QPoint(0, 160))
        qtbot.mouseRelease(post.ramp, Qt.MouseButton.LeftButton, pos=at - QPoint(0, 160))
    after = petal.session.job.cure.steps[last]
    assert after.temperature > before.temperature + 5
    qtbot.waitUntil(lambda: post.told is not None and not post.ask.busy, timeout=20_000)
    assert (post.told.margin < 0) == ("post-over" in {f.kind for f in petal.session.outlook.findings})


def test_steps_by_keys_and_by_typing_and_nonsense_is_refused(petal, qtbot, post):
    qtbot.mouseClick(post.buttons["add"], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(post.buttons["add"], Qt.MouseButton.LeftButton)
    assert post.table.row_count() == 2
    post.ramp.setFocus()
    before = petal.session.job.cure.steps[0]
    qtbot.keyClick(
        post.ramp, Qt.Key.Key_Up
    )  # nothing chosen yet: the first arrow chooses, and changes nothing
    assert "Step 1 of 2" in petal.message.text()
    assert petal.session.job.cure.steps[0] == before
    qtbot.keyClick(post.ramp, Qt.Key.Key_N)
    qtbot.keyClick(post.ramp, Qt.Key.Key_N)
    qtbot.keyClick(post.ramp, Qt.Key.Key_Up)
    qtbot.keyClick(post.ramp, Qt.Key.Key_Right)
    step = petal.session.job.cure.steps[0]
    assert step.temperature == pytest.approx(before.temperature + 5, abs=0.6)
    assert step.hold == before.hold + 1800
    type_cell(post.table, 1, 0, "140 F")
    assert petal.session.job.cure.steps[1].temperature == pytest.approx(333.15)
    type_cell(post.table, 1, 2, "soon")
    assert petal.message.isVisible()
    assert post.table.text_at(1, 2) != "soon"
    post.table.choose(0, 0)
    qtbot.mouseClick(post.buttons["drop"], Qt.MouseButton.LeftButton)
    assert [round(x.temperature, 2) for x in petal.session.job.cure.steps] == [333.15]


def test_it_is_written_as_pdf_and_csv(petal, qtbot, post, tmp_path):
    laid(petal, qtbot, post)
    written = petal.session.errands
    answered(qtbot, written, lambda: [post.write(tmp_path / f"oven.{kind}") for kind in ("pdf", "csv")])
    assert (tmp_path / "oven.pdf").read_bytes().startswith(b"%PDF")
    assert (tmp_path / "oven.csv").read_text().startswith("time_s,temperature_c,begins\n0,")
    answered(qtbot, written, lambda: post.write(tmp_path / "no folder" / "oven.csv"))
    assert "could not be written" in petal.message.text()


def test_taken_out_early_is_a_finding_at_once(petal, qtbot, post):
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, post.fields["taken_out"], "20 min")
    assert "released" in {f.kind for f in petal.session.outlook.findings}
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, post.fields["taken_out"], "0 min")
    assert petal.session.job.cure.taken_out is None


def test_a_heated_blanket_is_chosen_and_the_schedule_says_so(petal, qtbot, post):
    laid(petal, qtbot, post)
    oven = post.told
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        choose(post.heater, "a heated blanket")
    assert petal.session.job.cure.heater == "blanket"
    qtbot.waitUntil(
        lambda: post.told is not None and post.told is not oven and not post.ask.busy, timeout=20_000
    )
    assert post.told.alpha < oven.alpha  # the tool side stays colder
    pages = oven_pages(petal.session.job, post.told, part_temperature(petal.session.job))
    assert any(isinstance(i, Label) and "heated blanket" in i.text for p in pages for i in p.items)
