"""Record: the part weighed after demould, and what comes of it."""

from __future__ import annotations

from tests.app.hand import type_into

from bibulon.core.stack.totals import part_totals
from bibulon.store.jobfile import load


def test_a_weighing_is_a_row_and_tells_the_fibre_share(petal, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    assert petal.session.save(path)
    petal.go([s.name for s in petal.stations].index("Record"))
    record = petal.station("Record")
    record.tabs.go("Card and weighing")
    assert "not weighed" in record.came.text()
    mass = part_totals(petal.session.job).mass
    type_into(qtbot, record.masses["part"], f"{mass:.2f} kg")
    assert "Fibre by volume" in record.came.text()
    assert [e.kind for e in load(path).journal] == ["weighed"]
    type_into(qtbot, record.masses["caught"], "0.2 kg")
    type_into(qtbot, record.masses["left"], "0.3 kg")
    assert "not accounted for" in record.came.text() or "balance closes" in record.came.text()
    type_into(qtbot, record.masses["part"], "0.2 kg")
    assert "scale and dry mass" in record.came.text()
    assert [e.kind for e in load(path).journal] == ["weighed"] * 4
    before = record.came.text()
    type_into(qtbot, record.masses["part"], "heavy")
    assert petal.message.isVisible()
    assert record.came.text() == before


def test_rows_made_elsewhere_are_shown_when_it_is_entered(petal, qtbot):
    record = petal.station("Record")
    record.tabs.go("Card and weighing")
    petal.go(0)
    rows = record.journal.model().rowCount()
    petal.session.run_clock.wall()
    petal.go([s.name for s in petal.stations].index("Shoot"))
    board = petal.station("Shoot").board
    board.start()
    assert record.journal.model().rowCount() == rows  # nobody sees it
    petal.go([s.name for s in petal.stations].index("Record"))
    qtbot.waitUntil(lambda: record.journal.row_count() >= 2)
