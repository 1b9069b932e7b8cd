"""A bucket of the job's own, set on the diagram: Charge, clock and forecast tell of the same batches, and either way round."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from tests.app.hand import answered, press, type_into

from bibulon.core.drawing.kit.scene import Label


@pytest.fixture
def charge(petal, qtbot):
    """The Charge station, after a bucket was added on the diagram and its first batch made smaller."""
    lines = petal.station("Lines")
    petal.go_to("Lines")
    lines.tabs.go("Diagram")
    press(qtbot, lines.diagram, "Add bucket")
    lines.diagram.choose("bucket:B1")
    type_into(qtbot, lines.diagram.fields["Batch 1"], "3 kg")
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        type_into(qtbot, lines.diagram.fields["Batch 2"], "6.5 kg")
    petal.go_to("Charge")
    return petal.station("Charge")


def test_what_stands_in_the_bucket_is_what_is_mixed(petal, charge):
    assert charge.figures.figures["to mix"].text.text() == "9.50 kg"
    assert [b.mass for b in charge.page.view.schedule.batches] == [3.0, 6.5]
    assert charge.row(petal.session.job, petal.session.outlook).figure == "9.50 kg · 2"
    told = petal.session.outlook.forecast.history.poured
    assert [b.pour for b in charge.page.view.schedule.batches] == [p.time for p in told]
    clock = petal.clock
    texts = {i.text for i in clock.items(clock.strip, clock.height()) if isinstance(i, Label)}
    assert {"batch 1 · 3.00 kg", "batch 2 · 6.50 kg"} <= texts


def test_its_heel_is_set_on_either_page(petal, charge, qtbot):
    type_into(qtbot, charge.fields["Heel"], "900 g")
    assert petal.session.job.buckets[0].heel == pytest.approx(0.9)
    assert petal.session.job.charge.heel == 0.4
    assert charge.fields["Heel"].text() == "0.90 kg"
    petal.session.undo_stack.undo()
    assert charge.fields["Heel"].text() == "0.40 kg"


def test_a_schedule_is_put_into_the_bucket_and_the_forecast_pours_it(petal, charge, qtbot):
    session = petal.session
    with qtbot.waitSignal(session.forecaster.idle, timeout=60_000):
        answered(qtbot, charge.scheduling, lambda: press(qtbot, charge.side, "Schedule the batches"))
    (bucket,) = session.job.buckets
    assert sum(b.mass for b in bucket.batches) == pytest.approx(8.84, abs=0.01)  # what the job asks for
    assert len({round(b.mass, 9) for b in bucket.batches}) == 1
    told = session.outlook.forecast.history.poured
    assert [p.time for p in told] == pytest.approx([b.poured.time for b in bucket.batches])
    session.undo_stack.undo()
    assert [b.mass for b in session.job.buckets[0].batches] == [3.0, 6.5]


def test_a_batch_moved_by_keys_is_mixed_and_poured_later(petal, charge, qtbot):
    view = charge.page.view
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Down)
    qtbot.keyClick(view, Qt.Key.Key_Down)
    before = petal.session.job.buckets[0].batches[1].mixed
    qtbot.keyClick(view, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    after = petal.session.job.buckets[0].batches[1]
    assert after.mixed > before
    assert petal.session.job.charge.starts is None


def test_of_several_buckets_the_diagram_decides(petal, charge, qtbot):
    lines = petal.station("Lines")
    petal.go_to("Lines")
    with qtbot.waitSignal(petal.session.forecaster.idle, timeout=60_000):
        press(qtbot, lines.diagram, "Add bucket")
    petal.go_to("Charge")
    job = petal.session.job
    answered(qtbot, charge.scheduling, lambda: press(qtbot, charge.side, "Schedule the batches"))
    assert petal.session.job == job
    assert "2 buckets: set their batches on the diagram" in petal.message.text()
