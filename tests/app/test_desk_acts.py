"""Settings as a file, and strong contrast: taken back as written, nonsense refused whole, remembered."""

from __future__ import annotations

import json

import pytest
from PySide6.QtWidgets import QFileDialog

from bibulon.app.session.settings_file import KEPT
from bibulon.core.drawing.kit.tokens import DAY, NIGHT, STARK, contrast


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
    do(window, "Settings to a file…")
    kept = json.loads(path.read_text())["settings"]
    assert kept["person"] == "Ada"
    assert kept["log/folders"] == ["/jobs/a", "/jobs/b"]
    assert "recent" not in kept  # where jobs lie on this machine is nobody else's
    settings.setValue("person", "Ben")
    settings.remove("log/folders")
    do(window, "Settings from a file…")
    assert settings.value("person") == "Ada"
    assert settings.value("log/folders") == ["/jobs/a", "/jobs/b"]
    assert "from the next start on" in window.message.text()


@pytest.mark.parametrize(
    ("text", "says"),
    [
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
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path), ""))
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
