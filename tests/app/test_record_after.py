"""Record after the pins: thickness at points, service, lessons of a call, photos on paper; each a row that a kill leaves."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from tests.app.hand import answered, choose, press, type_into

from bibulon.app.session.lessons import Lessons
from bibulon.app.session.shop_record import hours_of
from bibulon.core.drawing.kit.scene import Picture
from bibulon.core.drawing.kit.svg import svg
from bibulon.core.geometry.zones import regions
from bibulon.store.exports.pdf import write_pages
from bibulon.store.jobfile import load, save
from bibulon.store.logbook import Logbook


@pytest.fixture
def record(petal, tmp_path):
    assert petal.session.save(tmp_path / "petal.bibulon")
    petal.go_to("Record")
    return petal.station("Record")


def kept(record):
    return load(record.session.path).journal


def at_zone(petal, k):
    p = list(regions(petal.session.job.part).zones.values())[k].representative_point()
    return p.x, p.y


def test_thickness_at_a_point_is_a_row_changed_and_taken_off(petal, qtbot, record):
    record.tabs.go("Thickness")
    page = record.thickness
    type_into(qtbot, page.thick, "3 mm")
    assert "Point at the part" in petal.message.text()
    ((x, y),) = page.plan.view().to([at_zone(petal, 0)])
    qtbot.mouseClick(page.plan, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    assert "planned" in page.told.text()
    type_into(qtbot, page.thick, "2.4 mm")
    (row,) = kept(record)  # nothing was saved since: a kill now loses nothing
    assert (row.kind, row.data["thickness"]) == ("thickness", pytest.approx(0.0024))
    assert page.zones[0].points == 1
    assert "Dust" in page.side.findChildren(type(page.told))[-1].text()
    type_into(qtbot, page.thick, "2.5 mm")
    assert [p.thickness for p in page.points] == [pytest.approx(0.0025)]
    type_into(qtbot, page.thick, "9 m")
    assert petal.message.isVisible()
    page.plan.setFocus()
    qtbot.keyClick(page.plan, Qt.Key.Key_Delete)
    assert page.points == ()
    assert [e.kind for e in kept(record)] == ["thickness", "thickness", "unmeasured"]


def test_a_point_by_keys_alone(petal, qtbot, record):
    record.tabs.go("Thickness")
    page = record.thickness
    page.plan.setFocus()
    qtbot.keyClick(page.plan, Qt.Key.Key_Up)
    qtbot.keyClick(page.plan, Qt.Key.Key_Return)
    qtbot.waitUntil(page.thick.hasFocus)
    type_into(qtbot, page.thick, "17 mm")
    assert len(page.points) == 1
    page.plan.grab()
    assert page.shares.grab().height() > 60


def test_service_is_noted_and_read_by_the_log(petal, qtbot, record, tmp_path):
    record.tabs.go("Card and weighing")
    choose(record.serviced, "mould release")
    press(qtbot, record.side, "Serviced after it")
    assert kept(record)[-1].data["text"] == "mould release"
    assert "mould release" in petal.message.text()
    book = Logbook(tmp_path / "index" / "log.sqlite")
    book.refresh([tmp_path])
    assert book.search()[0].serviced == ("mould release",)
    book.close()


def test_a_lesson_of_a_call_is_shown_while_a_job_like_it_is_planned(petal, qtbot, record, tmp_path):
    pins = record.pins
    choose(pins.about, "F2, its place and calls")
    qtbot.keyClicks(pins.lesson, "Wait until the front is past it")
    qtbot.keyClick(pins.lesson, Qt.Key.Key_Return)
    assert kept(record)[-1].data["about"] == "F2"
    assert "F2: Wait until" in pins.lessons.text()
    session = petal.session
    index = session.state_folder / "logbook.sqlite"
    book = Logbook(index)
    book.refresh([tmp_path])
    book.close()
    job = session.job
    other = tmp_path / "other.bibulon"
    save(job.replaced(name="Petal 4"), other)
    with qtbot.waitSignal(session.forecaster.idle, timeout=60_000):
        assert session.open(other)
    lessons = petal.findings.lessons
    qtbot.waitUntil(lambda: bool(lessons.found), timeout=20_000)
    assert lessons.found == (("F2: Wait until the front is past it", job.name),)
    assert any(
        "Wait until" in x.text() for x in petal.findings.area.widget().findChildren(type(pins.lessons))
    )


def test_lessons_of_a_job_unlike_it_and_a_broken_index_are_left_out(petal, qtbot, record, tmp_path):
    index = petal.session.state_folder / "logbook.sqlite"
    index.parent.mkdir(parents=True, exist_ok=True)
    index.write_bytes(b"no index at all")
    lessons = Lessons(petal.session)
    answered(qtbot, lessons.ask, lessons.look)
    assert lessons.found == ()


def test_photos_stand_on_the_card_and_in_its_pdf(petal, qtbot, record, tmp_path):
    pins = record.pins
    pins.point(1.0, 0.6)
    pins.pin()
    photo = tmp_path / "shop.png"
    image = QImage(640, 480, QImage.Format.Format_RGB888)
    image.fill(Qt.GlobalColor.darkGreen)
    image.save(str(photo))
    answered(qtbot, petal.session.errands, lambda: pins.take_photo(photo))
    pages = record.pages()
    pictures = [i for page in pages for i in page.items if isinstance(i, Picture)]
    assert len(pictures) == 1
    assert pictures[0].width / pictures[0].height == pytest.approx(640 / 480, rel=0.01)
    card = tmp_path / "card.pdf"
    answered(qtbot, petal.session.errands, lambda: record.write(card))
    assert b"/DCTDecode" in card.read_bytes()  # a JPEG inside
    broken = Picture(10, 10, 100, 80, b"\xff\xd8 no picture")
    write_pages([[broken]], (300, 200), tmp_path / "broken.pdf", "x")
    assert (tmp_path / "broken.pdf").stat().st_size > 400
    assert "data:image/jpeg;base64," in svg(pictures, 300, 200, "#fff", "x")


def test_the_hunt_goes_by_leaks_that_were_taken_and_back(petal, qtbot, record, tmp_path):
    from bibulon.core.bag.bag import bag_of
    from bibulon.core.leak.hunt import places_of
    from bibulon.core.run.hunting import mended_entry

    job = petal.session.job
    tape = next(p for p in places_of(job, bag_of(job)) if p.kind == "tape")
    folder = tmp_path / "jobs"
    folder.mkdir()
    save(
        job,
        folder / "leaky.bibulon",
        [mended_entry(tape.x, tape.y, "tape", "Ana", float(k)) for k in range(3)],
    )
    petal.session.settings.setValue("log/folders", [str(folder)])
    book = petal.station("Logbook")
    answered(qtbot, book.log.ask, lambda: petal.go_to("Logbook"))
    book.tabs.go("Learned")
    assert book.learned.leaks[0].kind == "tape"
    press(qtbot, book.learned, "Let the hunt for leaks go by this shop's own places")
    hunt = petal.station("Prove").hunt
    before = {p.name: p.weight for p in places_of(job, bag_of(job))}
    answered(qtbot, hunt.ask, hunt.fill)
    assert next(p for p in hunt.places if p.kind == "tape").weight > 1.5 * before[tape.name]


def test_the_shops_hours_are_taken_and_part_reckons_with_them(petal, qtbot, record, tmp_path):
    from bibulon.core.run.journal import Entry

    folder = tmp_path / "jobs"
    folder.mkdir()
    rows = [
        Entry("lay", 0.0, "laid", {"layer": "x", "by": "Ana"}, 1000.0 + 7200.0 * k, f"u{k}") for k in range(2)
    ]
    save(petal.session.job, folder / "laid.bibulon", rows)
    petal.session.settings.setValue("log/folders", [str(folder)])
    book = petal.station("Logbook")
    answered(qtbot, book.log.ask, lambda: petal.go_to("Logbook"))
    book.tabs.go("Learned")
    press(qtbot, book.learned, "Reckon the ways to make a part with this shop's hours")
    assert "infusion 2.0 h (1 job)" in petal.message.text()
    part = petal.station("Part")
    petal.go_to("Part")
    answered(qtbot, part.routes.later, lambda: part.tabs.go("Ways to make it"))
    assert next(c for c in part.routes.costs if c.route.name == "infusion").hours == 2.0
    assert "by 1 job of this shop" in part.routes.typical.text()
    petal.session.settings.setValue("shop/hours", "nonsense")
    assert hours_of(petal.session.settings) == {}
