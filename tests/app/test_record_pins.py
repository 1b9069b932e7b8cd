"""Record: pins with their cause, photo and lesson, by mouse and by key; rows that outlive a killed program."""

from __future__ import annotations

import json

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from tests.app.hand import answered, type_into

from bibulon.app.kit.photo import PhotoError
from bibulon.app.stations.record.photos import SIDE, as_row, picture_of
from bibulon.store.jobfile import load


@pytest.fixture
def pins(petal, tmp_path):
    assert petal.session.save(tmp_path / "petal.bibulon")
    petal.go([s.name for s in petal.stations].index("Record"))
    return petal.station("Record").pins


def kept(pins):
    return load(pins.session.path).journal


def click(qtbot, pins, x, y):
    ((px, py),) = pins.plan.view().to([(x, y)])
    qtbot.mouseClick(pins.plan, Qt.MouseButton.LeftButton, pos=QPoint(round(px), round(py)))


def test_a_pin_is_made_changed_and_taken_off_each_as_a_row(petal, qtbot, pins):
    assert not pins.keep.isEnabled()
    click(qtbot, pins, 0.13, 0.75)
    assert "wet at" in pins.told.text()
    pins.kind.setCurrentText("bridged")
    pins.kind.activated.emit(pins.kind.currentIndex())
    first = pins.causes.buttons()[0]
    assert "in the corner" in first.text()
    qtbot.mouseClick(first, Qt.MouseButton.LeftButton, pos=QPoint(8, first.height() // 2))
    type_into(qtbot, pins.wide, "80 mm")
    pins.causes.buttons()[0].setChecked(True)
    qtbot.mouseClick(pins.keep, Qt.MouseButton.LeftButton)
    (row,) = kept(pins)  # on disk, nothing saved: a kill now loses nothing
    assert (row.kind, row.data["defect"], row.data["size"]) == ("defect", "bridged", 0.08)
    assert "in the corner" in row.data["cause"]
    click(qtbot, pins, 1.8, 0.7)
    assert pins.chosen is None
    click(qtbot, pins, 0.13, 0.75)
    assert pins.chosen is not None
    assert pins.kind.currentText() == "bridged"
    pins.kind.setCurrentText("rich")
    qtbot.mouseClick(pins.keep, Qt.MouseButton.LeftButton)
    assert [d.kind for d in pins.defects] == ["rich"]
    pins.plan.setFocus()
    qtbot.keyClick(pins.plan, Qt.Key.Key_Delete)
    assert pins.defects == ()
    assert [e.kind for e in kept(pins)] == ["defect", "defect", "undefect"]


def test_a_pin_by_keys_alone(petal, qtbot, pins):
    pins.plan.setFocus()
    for _ in range(3):
        qtbot.keyClick(pins.plan, Qt.Key.Key_Right)
    qtbot.keyClick(pins.plan, Qt.Key.Key_Return)
    assert len(pins.defects) == 1
    assert kept(pins)[0].data["cause"] == ""  # left open


def test_a_lesson_is_tied_to_its_place_and_an_empty_one_is_refused(petal, qtbot, pins):
    qtbot.mouseClick(pins.learned, Qt.MouseButton.LeftButton)
    assert "Write the lesson" in petal.message.text()
    click(qtbot, pins, 1.0, 0.5)
    qtbot.keyClicks(pins.lesson, "Open F2 later")
    qtbot.keyClick(pins.lesson, Qt.Key.Key_Return)
    (row,) = kept(pins)
    assert row.kind == "lesson"
    assert row.data["x"] == pytest.approx(1.0, abs=0.01)
    assert "Open F2 later" in pins.lessons.text()


def test_a_photo_is_scaled_and_stripped_and_stays_with_its_pin(petal, qtbot, pins, tmp_path):
    picture = tmp_path / "found.png"
    image = QImage(2400, 1200, QImage.Format.Format_RGB32)
    image.fill(0xFF336699)
    image.setText("GPS", "57.1 N")
    image.save(str(picture))
    pins.take_photo(picture)
    assert "Choose a pin" in petal.message.text()
    click(qtbot, pins, 1.0, 0.5)
    pins.pin()
    answered(qtbot, petal.session.errands, lambda: pins.take_photo(picture))
    assert pins.picture.isVisible()
    shown = picture_of(kept(pins), pins.chosen.uid)
    assert (shown.width(), shown.height()) == (SIDE, SIDE // 2)
    assert shown.textKeys() == []
    assert b"GPS" not in pins.session.path.read_bytes()
    click(qtbot, pins, 1.8, 0.6)
    assert not pins.picture.isVisible()


def test_two_photos_one_after_another_are_both_kept_and_one_of_a_job_that_was_left_is_not(
    petal, qtbot, pins, tmp_path
):
    paths = [tmp_path / f"{k}.png" for k in range(2)]
    for k, path in enumerate(paths):
        image = QImage(300 + 100 * k, 200, QImage.Format.Format_RGB32)
        image.fill(0xFF336699)
        image.save(str(path))
    click(qtbot, pins, 1.0, 0.5)
    pins.pin()
    answered(qtbot, petal.session.errands, lambda: [pins.take_photo(path) for path in paths])
    assert [e.data["text"] for e in kept(pins) if e.kind == "photo"] == ["photo 300 × 200", "photo 400 × 200"]

    def leave():
        pins.take_photo(paths[0])
        petal.session.new()

    answered(qtbot, petal.session.errands, leave)
    assert "0.png was not taken: another job is open by now." in petal.message.text()
    assert petal.session.journal == ()


def test_a_photo_that_is_being_read_as_the_window_closes_is_kept(petal, qtbot, pins, tmp_path):
    photo, home = tmp_path / "late.png", petal.session.path
    image = QImage(3000, 2000, QImage.Format.Format_RGB32)
    image.fill(0xFF336699)
    image.save(str(photo))
    click(qtbot, pins, 1.0, 0.5)
    pins.pin()
    pins.take_photo(photo)
    petal.session.close()
    assert [e.kind for e in load(home).journal] == ["defect", "photo"]
    assert petal.session.keeper.leftovers() == []


def test_what_is_no_photo_is_said_and_changes_nothing(petal, qtbot, pins, tmp_path):
    click(qtbot, pins, 1.0, 0.5)
    pins.pin()
    broken = tmp_path / "broken.jpg"
    broken.write_bytes(b"no picture at all")
    for path in (broken, tmp_path / "missing.jpg"):
        answered(qtbot, petal.session.errands, lambda path=path: pins.take_photo(path))
        assert f"{path.name} cannot be read as a picture" in petal.message.text()
    assert [e.kind for e in kept(pins)] == ["defect"]


def test_a_photo_of_forty_megapixels_is_taken_at_a_tenth_of_its_size(tmp_path):
    picture = tmp_path / "large.jpg"
    image = QImage(7720, 5200, QImage.Format.Format_RGB888)
    image.fill(0xFFAA8844)
    image.save(str(picture))
    entry = as_row(picture, "a", 1.0)
    assert len(entry.data["jpeg"]) < 200_000
    assert picture_of((entry,), "a").width() == SIDE
    with pytest.raises(PhotoError):
        as_row(tmp_path, "a", 1.0)


def test_the_run_is_seen_against_its_plan(petal, qtbot, pins):
    from bibulon.core.run.journal import Entry

    now = petal.session.run_clock.wall()
    for entry in (
        Entry("r", 0.0, "start", {"began": now}, now),
        Entry("r", 0.0, "open", {"line": "F1"}, now),
        Entry("r", 1700.0, "wet", {}, now + 1700),
    ):
        assert petal.session.stamp(entry)
    items = list(pins._against(700.0, 130.0, pins.clock.theme))
    assert any("all wet" in getattr(i, "text", "") for i in items)


def test_all_of_it_is_written_as_files_that_any_program_reads(petal, qtbot, pins, tmp_path):
    picture = tmp_path / "found.png"
    image = QImage(400, 200, QImage.Format.Format_RGB32)
    image.fill(0xFF336699)
    image.save(str(picture))
    click(qtbot, pins, 1.0, 0.5)
    pins.pin()
    answered(qtbot, petal.session.errands, lambda: pins.take_photo(picture))
    record = petal.station("Record")
    with qtbot.waitSignal(petal.session.errands.rested, timeout=60_000):
        record.write_bundle(tmp_path / "all")
    names = {p.name for p in (tmp_path / "all").iterdir()}
    assert names == {"card.pdf", "journal.csv", "record.json", "job.json", "photo-01.jpg"}
    told = json.loads((tmp_path / "all" / "record.json").read_text())
    assert told["defects"][0]["kind"] == pins.defects[0].kind
    assert [r["kind"] for r in told["journal"]] == ["defect", "photo"]
    assert "jpeg" not in told["journal"][1]
    assert QImage(str(tmp_path / "all" / "photo-01.jpg")).width() == 400
    assert load(tmp_path / "all" / "job.json").job == petal.session.job
    assert "written to all" in petal.message.text()
    (tmp_path / "file").write_text("in the way")
    with qtbot.waitSignal(petal.session.errands.rested, timeout=60_000):
        record.write_bundle(tmp_path / "file")
    assert "could not be written" in petal.message.text()
