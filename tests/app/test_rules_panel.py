"""The shop's rules in the window: opened from the bar and from a finding, set, undone, kept for other jobs."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton
from tests.app.hand import LEFT, choose, press, type_into

from bibulon.app.shell.rules_panel import CHANGED, RulesPanel
from bibulon.core.edit.limits import LIMITS
from bibulon.core.model.rules import RuleSet


@pytest.fixture
def rules(petal, qtbot):
    """The panel, opened by a press on its name in the bar, at Lines."""
    petal.go_to("Lines")
    qtbot.mouseClick(petal.buttons["rules"], LEFT)
    return petal.findChild(RulesPanel)


def titles(panel):
    return [c.limit.title for c in panel.cards]


def card(panel, field):
    return next(c for c in panel.cards if c.limit.field == field)


def forecast_again(qtbot, petal, act):
    with qtbot.waitSignal(petal.session.outlook_changed, timeout=60_000):
        act()


def test_the_bar_names_the_rules_and_opens_those_of_the_station(petal, rules):
    assert petal.buttons["rules"].text() == "rules: House rules"
    assert rules.isVisible()
    assert titles(rules) == [x.title for x in LIMITS.values() if x.station == "Lines"]
    choose(rules.station, "Bag")
    assert "From tube to tube" in titles(rules)


def test_a_limit_that_is_set_judges_anew_is_undone_and_put_back(petal, rules, qtbot):
    shortest = card(rules, "break_shortest")
    assert shortest.field.text() == "50 mm"
    assert not shortest.back.isVisible()
    before = {f.key for f in petal.session.outlook.findings}
    forecast_again(qtbot, petal, lambda: type_into(qtbot, card(rules, "break_longest").field, "120 mm"))
    forecast_again(
        qtbot, petal, lambda: type_into(qtbot, shortest.field, "10 cm")
    )  # the demo's break is 90 mm
    assert petal.session.job.rules.break_shortest == pytest.approx(0.1)
    assert shortest.shipped.text() == "shipped as 50 mm"
    new = {f.key for f in petal.session.outlook.findings} - before
    assert "mesh-vacuum:V1" in new
    forecast_again(qtbot, petal, petal.session.undo_stack.undo)
    assert shortest.field.text() == "50 mm"
    assert "mesh-vacuum:V1" not in {f.key for f in petal.session.outlook.findings}
    press(qtbot, card(rules, "break_longest"), "As shipped")
    assert petal.session.job.rules == RuleSet()
    petal.turn_units()
    assert shortest.field.text() == "1.97 in"


@pytest.mark.parametrize(("typed", "words"), [
    ("9 m", "goes against “Break between mesh and vacuum, at the most”, which is 75 mm"),
    ("-3 mm", "Break between mesh and vacuum, at the least"), ("soon", "length"), ("3 kg", "length"),
])  # fmt: skip
def test_what_cannot_be_is_refused_in_words(petal, rules, qtbot, typed, words):
    type_into(qtbot, card(rules, "break_shortest").field, typed)
    assert words in petal.message.text()
    assert petal.session.job.rules == RuleSet()


def test_words_find_a_rule_of_any_station(rules, qtbot):
    qtbot.keyClicks(rules.search, "hose pull")
    assert titles(rules) == ["Pull that a hose or line may take"]
    rules.search.setText("nothing like it")
    assert any(x.text() == "Nothing holds all of these words." for x in rules.findChildren(QLabel))
    rules.search.setText("e")
    assert len(rules.cards) == 14
    rules.search.clear()
    choose(rules.station, CHANGED)
    assert any(x.text() == "All rules are as they are shipped." for x in rules.findChildren(QLabel))


def test_a_finding_leads_to_the_limit_that_it_is_judged_by(petal, qtbot):
    found = next(f for f in petal.session.outlook.findings if f.kind == "early-feed")
    petal.go_to("Lines")
    petal.findings.choose(found.key)
    button = next(b for b in petal.findings.findChildren(QPushButton) if b.text() == "Limit by House rules…")
    qtbot.mouseClick(button, LEFT)
    panel = petal.findChild(RulesPanel)
    assert titles(panel) == ["How early a feed may open"]
    qtbot.keyClick(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_a_set_is_named_kept_taken_by_another_job_and_forgotten(petal, rules, demo, qtbot):
    type_into(qtbot, rules.name, "Decks of the yard")
    type_into(qtbot, card(rules, "gel_margin").field, "40")
    press(qtbot, rules, "Keep for other jobs")
    assert "Kept as “Decks of the yard”" in petal.message.text()
    assert petal.buttons["rules"].text() == "rules: Decks of the yard"
    qtbot.mouseClick(rules.first, LEFT, pos=rules.first.rect().topLeft() + rules.first.rect().center() / 8)
    assert rules.first.isChecked()
    petal.session.new()
    assert petal.session.job.rules.gel_margin == pytest.approx(0.4)
    assert petal.session.job.rules.name == "Decks of the yard"
    petal.session.new(demo)  # a job from elsewhere keeps its own
    assert petal.session.job.rules == RuleSet()
    choose(rules.sets, "Decks of the yard")
    press(qtbot, rules, "Take it for this job")
    assert petal.session.job.rules.gel_margin == pytest.approx(0.4)
    assert card(rules, "gel_margin").field.text() == "40 %"
    petal.session.undo_stack.undo()
    assert petal.session.job.rules == RuleSet()
    press(qtbot, rules, "Forget it")
    assert [rules.sets.itemText(k) for k in range(rules.sets.count())] == ["the rules as shipped"]
    petal.session.new()
    assert petal.session.job.rules == RuleSet()


def test_a_nameless_set_and_a_disk_that_is_full_are_told(petal, rules, qtbot, monkeypatch):
    type_into(qtbot, rules.name, "   ")
    assert "1 to 60 characters" in petal.message.text()
    assert rules.name.text() == "House rules"

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("bibulon.store.rulesets.write_text", full)
    press(qtbot, rules, "Keep for other jobs")
    assert "could not be kept" in petal.message.text()
    assert rules.sets.count() == 1


def test_damaged_sets_are_told_and_new_jobs_begin_as_shipped(petal, rules, qtbot):
    rules.session.rule_sets.first = "Decks"
    rules.session.rule_sets.path.parent.mkdir(parents=True, exist_ok=True)
    rules.session.rule_sets.path.write_text("{")
    petal.session.new()
    assert petal.session.job.rules == RuleSet()
    assert "sets of rules cannot be read" in petal.message.text()
    rules.put_away()
    rules.open()
    assert "sets of rules cannot be read" in petal.message.text()
    assert rules.session.rule_sets.path.read_text() == "{"


def test_a_set_that_another_window_forgot_is_missed_in_words(petal, rules):
    rules.session.rule_sets.first = "Decks"
    petal.session.new()
    assert "“Decks”, which new jobs begin with, is kept no more" in petal.message.text()
    assert petal.session.job.rules == RuleSet()
