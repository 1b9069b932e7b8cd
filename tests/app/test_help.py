"""The guide inside the program: at the place where one is, searched as one types, by keys alone."""

from __future__ import annotations

from PySide6.QtCore import Qt

from bibulon.app.shell.help_panel import read_guide, sections_with

F1 = Qt.Key.Key_F1


def test_it_opens_at_the_station_and_esc_gives_the_focus_back(petal, qtbot):
    for name in ("Lines", "Logbook", "Cure"):
        petal.go([s.name for s in petal.stations].index(name))
        before = petal.focusWidget()
        qtbot.keyClick(petal, F1)
        assert petal.help.isVisible()
        assert petal.help.list.currentItem().text() == name
        assert petal.help.text.toPlainText().startswith(name)
        qtbot.keyClick(petal.help.field, Qt.Key.Key_Escape)
        assert not petal.help.isVisible()
        assert petal.focusWidget() is before


def test_every_station_has_its_section(petal):
    titles = {s.title for s in read_guide()}
    assert {s.name for s in petal.stations} <= titles


def test_words_are_found_and_arrows_walk_what_was_found(petal, qtbot):
    qtbot.keyClick(petal, F1)
    panel = petal.help
    qtbot.keyClicks(panel.field, "nesting")
    found = [panel.list.item(k).text() for k in range(panel.list.count())]
    assert found == [s.title for s in sections_with(panel.sections, "nesting")]
    assert all("nesting" in s.text.lower() for s in sections_with(panel.sections, "nesting"))
    panel.field.clear()
    qtbot.keyClick(panel.field, Qt.Key.Key_Down)
    assert panel.list.currentRow() == 1
    qtbot.keyClicks(panel.field, "no such words anywhere")
    assert panel.list.count() == 0
    assert "No section" in panel.text.toPlainText()


def test_a_title_weighs_more_than_a_mention():
    assert sections_with(read_guide(), "prove")[0].title == "Prove"
    assert sections_with(read_guide(), "") == read_guide()


def test_a_guide_that_is_missing_is_said(petal, qtbot, monkeypatch, tmp_path):
    monkeypatch.setattr("bibulon.app.shell.help_panel.SOURCE", tmp_path)
    qtbot.keyClick(petal, F1)
    assert "The guide is not there" in petal.help.text.toPlainText()
