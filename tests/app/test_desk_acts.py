"""Settings as a file, and strong contrast: taken back as written, nonsense refused whole, remembered."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog, QInputDialog
from tests.app.hand import choose, press

from bibulon.app.kit.awake import Awake
from bibulon.app.session.crew import crew
from bibulon.app.session.own_units import apply_own, choose_own
from bibulon.app.session.settings_file import KEPT
from bibulon.app.shell import desk_acts
from bibulon.app.shell.units_panel import UnitsPanel
from bibulon.app.start import wall_display
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, STARK, contrast
from bibulon.core.run.journal import Entry
from bibulon.core.units.units import own_units, show
from bibulon.devices import cluster


def do(window, title):
    next(a for a in window.acts if a.title == title).run()


def test_settings_go_to_a_file_and_come_back(window, tmp_path, monkeypatch):
    path = tmp_path / "mine.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    settings = window.session.settings
    settings.setValue("person", "Ada")
    settings.setValue("recent", ["/home/ada/secret.bibulon"])
    settings.setValue("log/folders", ["/jobs/a", "/jobs/b"])
    window.size_text(1)  # a number, until it is read from disk again
    choose_own(settings, "pressures", "us")
    window.session.rule_sets.first = "Decks"
    do(window, "Settings to a file…")
    kept = json.loads(path.read_text())["settings"]
    assert kept["person"] == "Ada"
    assert kept["log/folders"] == ["/jobs/a", "/jobs/b"]
    assert kept["text_size"] == "112"
    assert (kept["own_units/pressures"], kept["rules/first"]) == ("us", "Decks")
    assert "recent" not in kept  # where jobs lie on this machine is nobody else's
    settings.setValue("person", "Ben")
    settings.remove("log/folders")
    do(window, "Settings from a file…")
    assert settings.value("person") == "Ada"
    assert settings.value("log/folders") == ["/jobs/a", "/jobs/b"]
    assert "from the next start on" in window.message.text()


def rules_called(window, name, **limits):
    return window.session.job.rules.replaced(name=name, **limits)


def test_sets_of_rules_go_along_and_none_here_is_lost(window, tmp_path, monkeypatch):
    path = tmp_path / "shop.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    sets = window.session.rule_sets
    decks, small = (
        rules_called(window, "Decks", gel_margin=0.3),
        rules_called(window, "Small parts", gel_margin=0.1),
    )
    for kept in (decks, small):
        sets.keep(kept)
    sets.first = "Decks"
    do(window, "Settings to a file…")
    assert "2 sets of rules" in window.message.text()
    # Another machine, where another set goes by one of the names.
    sets.path.unlink()
    sets.first = ""
    own = rules_called(window, "Decks", gel_margin=0.5)
    sets.keep(own)
    do(window, "Settings from a file…")
    assert "“Decks” is kept as “Decks 2”" in window.message.text()
    assert sets.all() == {"Decks": own, "Decks 2": decks.replaced(name="Decks 2"), "Small parts": small}
    assert sets.first == "Decks 2"  # that of the file, not the one that had its name here
    do(window, "Settings from a file…")
    assert set(sets.all()) == {"Decks", "Decks 2", "Small parts"}  # taken twice is taken once


def test_a_set_of_rules_that_is_none_changes_nothing(window, tmp_path, monkeypatch):
    path = tmp_path / "shop.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    window.session.rule_sets.keep(rules_called(window, "Decks"))
    window.session.settings.setValue("person", "Ada")
    do(window, "Settings to a file…")
    told = json.loads(path.read_text())
    told["rules"][0]["gel_margin"] = "much"
    told["settings"]["person"] = "Ben"
    path.write_text(json.dumps(told))
    window.session.rule_sets.path.unlink()
    do(window, "Settings from a file…")
    assert "Set 1 of" in window.message.text()
    assert "gel_margin" in window.message.text()
    assert window.session.rule_sets.all() == {}
    assert window.session.settings.value("person") == "Ada"


def test_a_damaged_file_of_sets_is_put_aside_for_those_that_come(window, tmp_path, monkeypatch):
    path = tmp_path / "shop.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    sets = window.session.rule_sets
    sets.keep(rules_called(window, "Decks"))
    do(window, "Settings to a file…")
    sets.path.write_text("[{")
    do(window, "Settings from a file…")
    assert "The damaged file is kept as" in window.message.text()
    assert set(sets.all()) == {"Decks"}
    assert [f.read_text() for f in sets.path.parent.glob("*rules*") if f != sets.path] == ["[{"]


def test_settings_are_written_beside_sets_that_cannot_be_read(window, tmp_path, monkeypatch):
    path = tmp_path / "shop.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    window.session.rule_sets.path.write_text("[{")
    do(window, "Settings to a file…")
    assert "cannot be read" in window.message.text()
    assert json.loads(path.read_text())["rules"] == []


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"format": "bibulon-settings", "settings": {}, "rules": 7}', "no sets of rules"),
        ("{", "line 1"),
        ("[]", "no file of settings"),
        ('{"format": "bibulon-job"}', "no file of settings"),
        ('{"format": "bibulon-settings", "settings": {"person": 7}}', "person"),
        ('{"format": "bibulon-settings", "settings": {"theme": "night", "units": ["us", 4]}}', "units"),
    ],
)
def test_a_file_of_something_else_changes_nothing(window, tmp_path, monkeypatch, text, says):
    path = tmp_path / "other.json"
    path.write_text(text)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    before = {key: window.session.settings.value(key) for key in KEPT}
    do(window, "Settings from a file…")
    assert says in window.message.text()
    assert {key: window.session.settings.value(key) for key in KEPT} == before


def test_a_file_that_cannot_be_had_is_told(window, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(tmp_path / "none.json"), ""))
    do(window, "Settings from a file…")
    assert "No such file" in window.message.text()
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "no" / "s.json"), "")
    )
    do(window, "Settings to a file…")
    assert "could not be written" in window.message.text()


def test_strong_contrast_is_chosen_remembered_and_left(petal):
    do(petal, "High contrast, or not")
    assert petal.theme is STARK
    assert petal.session.settings.value("theme") == "stark"
    petal.go_to("Shoot")
    assert petal._dressed is STARK  # the board keeps it
    petal.go_to("Lines")
    petal.grab()
    do(petal, "High contrast, or not")
    assert petal.theme is DAY
    do(petal, "Day or night")
    assert petal.theme is NIGHT


def test_strong_contrast_is_stronger():
    for text in ("ink", "soft", "accent", "alarm", "feed", "vacuum"):
        assert contrast(getattr(STARK, text), STARK.ground) >= 7


def test_a_wall_display_is_a_second_window_of_the_saved_file(petal, tmp_path, monkeypatch):
    begun = []
    monkeypatch.setattr(desk_acts.subprocess, "Popen", lambda words, **how: begun.append((words, how)))
    do(petal, "Wall display: the board in a second window, to read")
    assert "Save the job first" in petal.message.text()
    path = tmp_path / "petal.bibulon"
    assert petal.session.save(path)
    do(petal, "Wall display: the board in a second window, to read")
    ((words, how),) = begun
    assert words[1:] == ["-m", "bibulon", "open", str(path), "--board"]
    assert how["start_new_session"]
    assert Path(how["env"]["PYTHONPATH"].split(os.pathsep)[0], "bibulon").is_dir()


def test_a_wall_display_shows_the_board_and_nothing_round_it(window, qtbot, demo):
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
        window.session.new(demo)
    wall_display(window)
    assert window.stations[window.current].name == "Shoot"
    assert window.isFullScreen()
    assert not any(w.isVisible() for w in (window.rail, window.topbar, window.clock_panel, window.side))
    assert window.station("Shoot").board.isVisible()


class Screen:
    """A desk's service that writes down what it was asked."""

    def __init__(self):
        self.asked = []

    def call(self, name, *words):
        self.asked.append((name, *words))
        screen = self

        class Told:
            def arguments(self):
                return [7 + len(screen.asked)]

        return Told()


def test_the_screen_stays_awake_while_a_run_goes_on():
    screen = Screen()
    awake = Awake(screen)
    awake.hold(False)
    assert screen.asked == []
    awake.hold(True)
    awake.hold(True)
    awake.hold(False)
    awake.hold(False)
    assert [a[0] for a in screen.asked] == ["Inhibit", "UnInhibit"]
    assert screen.asked[1][1] == 8
    Awake().hold(True)  # a desk without the service


def test_the_board_asks_for_it_by_its_run(petal, qtbot):
    petal.go_to("Shoot")
    board = petal.station("Shoot").board
    screen = Screen()
    board.awake = Awake(screen)
    now = petal.session.run_clock.clock.now()
    start = {"began": now.wall, "up": now.up, "boot": now.boot}
    petal.session.stamp(Entry("r", 0.0, "start", start, now.wall))
    petal.session.stamp(Entry("r", 9.0, "stop", {}, now.wall))
    assert [a[0] for a in screen.asked] == ["Inhibit", "UnInhibit"]


def test_searches_go_to_other_machines_when_an_address_is_given(petal, qtbot, monkeypatch):
    asked = {}

    def answer(parent, title, words, text=""):
        asked.update(title=title, words=words, before=text)
        return "tcp://127.0.0.1:9", True

    monkeypatch.setattr(QInputDialog, "getText", answer)
    monkeypatch.setattr(cluster, "PATIENCE", 0.3)
    do(petal, "Other machines for searches…")
    assert asked["before"] == ""
    assert "own network" in asked["words"]  # whoever reaches a scheduler can run programs on it
    assert petal.message.text() == "Searches go to tcp://127.0.0.1:9."
    petal.go_to("Lines")
    lines = petal.station("Lines")
    lines.tabs.go("Suggest")
    press(qtbot, lines.suggest, "Suggest lines")
    qtbot.waitUntil(lambda: not lines.suggest.bar.busy, timeout=30_000)
    assert (
        lines.suggest.words.text() == "No scheduler answers at tcp://127.0.0.1:9."
    )  # nothing was lost by it
    assert lines.suggest.bar.start.isEnabled()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("  ", True))
    do(petal, "Other machines for searches…")
    assert petal.message.text() == "Searches stay on this machine."
    assert crew(petal.session.settings) == 2
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("tcp://elsewhere:1", False))
    do(petal, "Other machines for searches…")  # given up: as it was
    assert crew(petal.session.settings) == 2


def test_units_of_a_kind_are_chosen_and_hold_from_the_next_start(window, qtbot):
    window.actions_by_title["Units of each kind…"].trigger()
    panel = window.findChild(UnitsPanel)
    assert panel.isVisible()
    choose(panel.boxes["pressures"], "US: inHg, Msi, psi/min")
    assert "Pressures: US: inHg, Msi, psi/min, from the next start on." in window.message.text()
    assert show(2000.0, "pressure") == "20 mbar"  # what is drawn already stays as it is
    try:
        apply_own(window.session.settings)
        assert show(2000.0, "pressure") == "0.6 inHg"
        assert show(0.05, "length") == "50 mm"
        panel.put_away()
        window.actions_by_title["Units of each kind…"].trigger()
        assert window.findChildren(UnitsPanel) == [panel]
        assert panel.boxes["pressures"].currentText().startswith("US: inHg")
        choose(panel.boxes["pressures"], "as the rest")
        apply_own(window.session.settings)
        assert show(2000.0, "pressure") == "20 mbar"
        window.session.settings.setValue(
            "own_units/pressures", "furlongs"
        )  # by an editor, or another program
        apply_own(window.session.settings)
        assert show(2000.0, "pressure") == "20 mbar"
    finally:
        own_units({})
