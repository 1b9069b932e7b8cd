"""Logbook: search as one types, side by side, a job made anew, series and their parts, by mouse and by key."""

from __future__ import annotations

import shutil
import threading

import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import answered

from bibulon.app.stations.logbook import station
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import load, save
from bibulon.store.logbook import write_series


@pytest.fixture(scope="module")
def folder(tmp_path_factory, demo):
    """The demo series and the demo job."""
    made = tmp_path_factory.mktemp("jobs")
    write_series(made)
    save(demo, made / "petal.bibulon")
    return made


@pytest.fixture
def book(petal, qtbot, folder):
    petal.session.settings.setValue("log/folders", [str(folder)])
    shelf = petal.station("Logbook")
    answered(qtbot, shelf.log.ask, lambda: petal.go([s.name for s in petal.stations].index("Logbook")))
    return shelf


def shown(book):
    model = book.cards.model()
    return [model.index(k).data() for k in range(model.rowCount())]


def test_typing_finds_and_the_rail_counts(petal, qtbot, book):
    assert len(shown(book)) == 25
    assert petal.rail.rows[-1].state.figure == "25 jobs"
    assert "25 of 25 jobs" in book.told.text()
    answered(qtbot, book.log.ask, lambda: qtbot.keyClicks(book.search, "pinhol"))
    qtbot.waitUntil(lambda: len(shown(book)) == 2)
    assert all("lid 2" in words for words in shown(book))
    book.search.clear()
    qtbot.keyClicks(book.search, "petal")
    qtbot.waitUntil(lambda: len(shown(book)) == 1)
    book.search.clear()
    qtbot.keyClicks(book.search, "no such word")
    qtbot.waitUntil(lambda: shown(book) == [])
    assert "Nothing holds" in book.told.text()
    assert not book.buttons["open"].isEnabled()


def test_a_job_is_chosen_by_arrows_and_opened(petal, qtbot, book):
    book.cards.setFocus()
    qtbot.keyClick(book.cards, Qt.Key.Key_Right)
    assert book.chosen.name == "Dust collector lid 23"
    assert "pinholes" in shown(book)[1] or book.chosen.defects == ("pinholes",)
    assert "latch 3" in book.lessons.text()
    qtbot.mouseClick(book.buttons["open"], Qt.MouseButton.LeftButton)
    assert petal.session.job.name == "Dust collector lid 23"
    assert petal.session.path.name == "dust-collector-lid-23.bibulon"


def test_a_mirrored_job_is_begun_with_the_lessons_of_the_old(petal, qtbot, book, monkeypatch):
    ready = []
    monkeypatch.setattr(
        station, "make_ready", lambda part: ready.append((part, threading.current_thread().name))
    )
    book.cards.setCurrentIndex(book.cards.model().index(1))
    qtbot.mouseClick(book.mirror, Qt.MouseButton.LeftButton, pos=QPoint(8, book.mirror.height() // 2))
    answered(qtbot, book.making, lambda: qtbot.mouseClick(book.buttons["anew"], Qt.MouseButton.LeftButton))
    job = petal.session.job
    assert job.name == "Dust collector lid 23 mirrored"
    assert "latch 3" in job.notes
    assert ready == [(job.part, "ask")]  # off the interface thread
    assert petal.session.path is None
    assert petal.session.journal == ()
    assert petal.stations[petal.current].name == "Part"


def test_four_stand_side_by_side_and_the_fifth_pushes_the_first_out(petal, qtbot, book):
    for k in range(5):
        book.cards.setCurrentIndex(book.cards.model().index(k))
        qtbot.mouseClick(book.buttons["compare"], Qt.MouseButton.LeftButton)
    assert [r.name[-2:] for r in book.compared] == ["23", "22", "21", "20"]
    assert book.buttons["compare"].text() == "Leave out"
    book.tabs.go("Compare")
    qtbot.mouseClick(book.buttons["compare"], Qt.MouseButton.LeftButton)
    assert [r.name[-2:] for r in book.compared] == ["23", "22", "21"]


def test_the_series_points_at_parts_and_says_what_is_out_of_line(petal, qtbot, book, tmp_path):
    book.tabs.go("Series")
    page = book.series
    assert page.mould.currentText() == "Mould DC-1, 24 parts"
    assert "seals" in page.words.text()
    assert book.chosen.name == "Dust collector lid 24"
    assert "Out of line" in book.figures.text()
    page.charts.setFocus()
    for _ in range(20):
        qtbot.keyClick(page.charts, Qt.Key.Key_Left)
    assert book.chosen.name == "Dust collector lid 04"
    assert "Out of line" not in book.figures.text()
    page.write(tmp_path / "lids.csv")
    (tmp_path / "bad.csv").write_text("part,mass_kg\nA,heavy\n")
    page.take(tmp_path / "bad.csv")
    assert "row 2, mass_kg" in petal.message.text()
    page.take(tmp_path / "lids.csv")
    assert len(page.series.charts["mass"].values) == 48  # those of the log, and those of the table after them


def test_it_follows_the_disk(petal, qtbot, book, folder, tmp_path, demo):
    away = tmp_path / "more"
    shutil.copytree(folder, away)
    answered(qtbot, book.log.ask, lambda: book.log.add(away))
    assert len(shown(book)) == 50
    (away / "petal.bibulon").unlink()
    (away / "spoilt.bibulon").write_text("not a job")
    qtbot.waitUntil(lambda: any("cannot be read" in words for words in shown(book)), timeout=10_000)
    assert len(shown(book)) == 50
    k = next(k for k, words in enumerate(shown(book)) if "cannot be read" in words)
    book.cards.setCurrentIndex(book.cards.model().index(k))
    assert not book.buttons["open"].isEnabled()
    assert not book.buttons["anew"].isEnabled()


def test_the_most_like_comes_first(petal, qtbot, book):
    assert "petal" not in shown(book)[0]
    qtbot.mouseClick(book.like, Qt.MouseButton.LeftButton, pos=QPoint(8, book.like.height() // 2))
    assert shown(book)[0].startswith("Observatory dome petal 3")


def test_an_empty_log_says_what_to_do(petal, qtbot):
    station = petal.station("Logbook")
    answered(qtbot, station.log.ask, lambda: petal.go([s.name for s in petal.stations].index("Logbook")))
    assert "add the one in which the shop keeps its jobs" in station.told.text()
    assert station.title.text() == "No job chosen"
    station.tabs.go("Series")
    assert "3 parts or more" in station.series.problem


def test_nothing_of_a_job_is_changed_by_looking(petal, qtbot, book, folder):
    path = folder / "dust-collector-lid-07.bibulon"
    before = path.read_bytes()
    book.cards.setCurrentIndex(book.cards.model().index(17))
    book.put_beside()
    answered(qtbot, book.making, book.begin_from)
    assert path.read_bytes() == before
    assert len(load(path).journal) == 8


def test_what_runs_taught_is_shown_and_taken_into_the_shops_library(petal, qtbot, tmp_path, demo):
    mesh = demo.materials[demo.mesh.material]
    for k, factor in enumerate((0.3, 0.36, 0.33)):
        row = Entry("record", 0.0, "learned", {"factors": {mesh.name: [factor, 0.1, mesh.k1]}}, 1e9 + k)
        save(demo, tmp_path / f"petal-{k}.bibulon", (row,))
    petal.session.settings.setValue("log/folders", [str(tmp_path)])
    station = petal.station("Logbook")
    answered(qtbot, station.log.ask, lambda: petal.go_to("Logbook"))
    station.tabs.go("Learned")
    page = station.learned
    (p,) = page.found
    assert p.runs == 3
    assert 1.2 < p.middle < 1.4
    before = petal.session.job.materials[demo.mesh.material].k1
    qtbot.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert "Taken into the shop's library" in petal.message.text()
    own = petal.session.own_materials[demo.mesh.material]
    assert own.k1 == pytest.approx(mesh.k1 * p.middle)
    assert page.found[0].middle == pytest.approx(1.0, abs=0.03)  # pressed again it asks for no more
    assert own.about["k1"].source == "this shop, 3 runs"
    assert petal.session.job.materials[demo.mesh.material].k1 == before  # old jobs keep their own


def test_nothing_learned_says_how_to(petal, qtbot, book):
    book.tabs.go("Learned")
    assert "mark the front three times" in book.learned.words.text()
    assert not book.learned.take.isEnabled()


def test_examples_are_written_when_the_log_first_looks_and_not_before(petal, qtbot, tmp_path):
    petal.session.examples = tmp_path / "examples"
    station = petal.station("Logbook")
    assert not petal.session.examples.exists()
    answered(qtbot, station.log.ask, lambda: petal.go_to("Logbook"))
    assert len(shown(station)) == 24
