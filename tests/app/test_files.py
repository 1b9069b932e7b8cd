"""Which file: names that a disk takes, endings, the folder of last time."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QMessageBox

from bibulon.app.kit import files

SHEET = "PDF (*.pdf);;CSV (*.csv)"


@pytest.fixture
def dialog(monkeypatch, tmp_path, qapp):
    """A dialog that answers with what is typed in it, and tells what it was given."""
    files.keep_in(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    told = {"answer": "", "kind": "", "offered": "", "replace": QMessageBox.StandardButton.Yes, "asked": 0}

    def ask(parent, title, offered, kinds):
        told["offered"] = offered
        return told["answer"], told["kind"]

    def question(*_):
        told["asked"] += 1
        return told["replace"]

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", ask)
    monkeypatch.setattr(
        QFileDialog, "getExistingDirectory", lambda p, t, at: told.update(offered=at) or told["answer"]
    )
    monkeypatch.setattr(QMessageBox, "question", question)
    yield told
    files._settings.clear()


@given(st.text(max_size=400))
def test_any_words_make_a_name_that_a_disk_takes(tmp_path_factory, words):
    name = files.name_of(words)
    assert not set(name) & set('/\\:*?"<>|\0\n')
    assert not name.startswith((".", " "))
    path = tmp_path_factory.mktemp("names") / f"{name}.bibulon-part"
    path.write_text("")
    assert path.is_file()


@pytest.mark.parametrize(
    ("words", "name"),
    [
        ("Hull 3/4, port", "Hull 3-4, port"),
        ("deck 2.5 m", "deck 2.5 m"),
        ("..", "unnamed"),
        ("", "unnamed"),
        ("  Größe „L“ ", "Größe „L“"),
    ],
)
def test_a_name_keeps_what_it_can(words, name):
    assert files.name_of(words) == name


@pytest.mark.parametrize(
    ("typed", "kind", "written"),
    [
        ("deck", "", "deck.pdf"),
        ("deck", "CSV (*.csv)", "deck.csv"),
        ("deck 2.5", "", "deck 2.5.pdf"),
        ("deck.CSV", "PDF (*.pdf)", "deck.CSV"),
        ("deck.txt", "", "deck.txt.pdf"),
    ],
)
def test_a_name_without_an_ending_gets_that_of_the_kind(dialog, tmp_path, typed, kind, written):
    dialog.update(answer=str(tmp_path / typed), kind=kind)
    assert files.to_write(None, "Save", "deck", SHEET) == tmp_path / written


def test_what_was_completed_is_not_written_over_unasked(dialog, tmp_path):
    (tmp_path / "deck.pdf").write_text("of yesterday")
    dialog.update(answer=str(tmp_path / "deck"), replace=QMessageBox.StandardButton.No)
    assert files.to_write(None, "Save", "deck", SHEET) is None
    dialog["replace"] = QMessageBox.StandardButton.Yes
    assert files.to_write(None, "Save", "deck", SHEET) == tmp_path / "deck.pdf"
    assert dialog["asked"] == 2
    dialog["answer"] = str(tmp_path / "deck.pdf")  # the dialog itself has asked
    files.to_write(None, "Save", "deck", SHEET)
    assert dialog["asked"] == 2


def test_a_dialog_begins_where_the_last_one_ended(dialog, tmp_path):
    there = tmp_path / "moulds"
    there.mkdir()
    dialog["answer"] = str(there / "gate.dxf")
    files.to_read(None, "Import", "Drawings (*.dxf)")
    dialog["answer"] = ""  # going back leaves no trace
    files.to_write(None, "Save", "a/b", SHEET)
    assert dialog["offered"] == str(there / "a-b.pdf")
    files.folder(None, "Folder")
    assert dialog["offered"] == str(there)
    there.rmdir()  # a stick that was pulled
    files.to_read(None, "Import", "Drawings (*.dxf)")
    assert Path(dialog["offered"]).is_dir()


def test_what_a_job_writes_is_offered_beside_it(petal, monkeypatch, tmp_path):
    told = []
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda p, t, offered, kinds: told.append(offered) or ("", "")
    )
    home = tmp_path / "jobs"
    home.mkdir()
    petal.session.edit("Rename", lambda job: job.replaced(name="Hatch 1/2"))
    assert petal.session.save(home / "hatch.bibulon")
    petal.open(home / "hatch.bibulon")
    petal.plan_acts.save("plan")
    assert told == [str(home / "Hatch 1-2 plan.png")]
