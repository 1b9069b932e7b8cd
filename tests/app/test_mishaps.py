"""What can go wrong here: every rule is a card with a drawing, the job's own faults come first, and a press shows the place."""

from __future__ import annotations

import inspect

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton
from tests.app.hand import LEFT, choose

from bibulon.app.stations.registry import STATIONS
from bibulon.core.drawing.graphs.mishaps import HIGH, MISHAPS, WIDE, draw_mishap
from bibulon.core.drawing.kit.scene import Area, Label, Line
from bibulon.core.drawing.kit.tokens import DAY, NIGHT
from bibulon.core.findings.catalogue import PICTURED, practices
from bibulon.core.findings.judge import RULES, evidence_of, find


def test_every_rule_is_a_practice_with_a_sentence_a_station_and_a_drawing():
    assert set(PICTURED) == {r.__name__ for r in RULES}
    names = {kind.name for kind in STATIONS}
    for p in practices():
        assert p.station in names
        assert p.drawing in MISHAPS
        assert p.words.endswith(".")
        assert p.words != p.rule
    for rule in RULES:
        assert inspect.getdoc(rule)
    assert set(MISHAPS) == {drawing for _, drawing in PICTURED.values()}  # none that nothing uses


@pytest.mark.parametrize("kind", MISHAPS)
def test_a_drawing_lies_within_its_field_by_day_and_night(kind):
    for theme in (DAY, NIGHT):
        items = list(draw_mishap(kind, theme))
        assert len(items) >= 2
        for item in items:
            if isinstance(item, Area | Line):
                for ring in item.rings if isinstance(item, Area) else item.paths:
                    assert ring.min() >= 0
                    assert ring[:, 0].max() <= WIDE
                    assert ring[:, 1].max() <= HIGH
            elif isinstance(item, Label):
                assert 0 < item.x < WIDE


def test_a_finding_tells_its_rule(demo):
    found = find(evidence_of(demo.replaced(lines=demo.lines[:1])))
    rules = {f.rule for f in found}
    assert "no_vacuum" in rules
    assert rules <= set(PICTURED)


def cards(panel):
    return [x.text() for x in panel.area.widget().findChildren(QLabel) if x.text().startswith("This job: ")]


def test_the_jobs_own_faults_stand_first_and_a_press_shows_the_place(petal, qtbot):
    petal.go_to("Lines")
    qtbot.keyClick(petal, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    panel = petal.mishaps
    assert panel.isVisible()
    assert panel.station.currentText() == "Lines"
    assert len(panel.shown()) == len(practices("Lines"))
    mine = [f for f in petal.findings.findings if f.rule in {p.rule for p in practices("Lines")}]
    assert len(cards(panel)) == len({f.rule for f in mine}) >= 1
    button = next(b for b in panel.area.widget().findChildren(QPushButton) if b.text() == "Show it")
    qtbot.mouseClick(button, LEFT)
    assert not panel.isVisible()
    assert petal.findings.open_key == mine[0].key


def test_it_is_searched_and_shows_all_stations(petal, qtbot):
    petal.go_to("Part")
    panel = petal.mishaps
    panel.open()
    assert {p.station for p in panel.shown()} == {"Part"}
    choose(panel.station, "all stations")
    assert len(panel.shown()) == len(RULES)
    qtbot.keyClicks(panel.search, "boil")
    assert {p.rule for p in panel.shown()} <= {"resin_boils"} | {
        p.rule for p in practices() if "boil" in p.words
    }
    panel.search.clear()
    qtbot.keyClicks(panel.search, "no such thing")
    assert panel.shown() == []
    assert any("Nothing holds" in x.text() for x in panel.area.widget().findChildren(QLabel))
    qtbot.keyClick(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()
