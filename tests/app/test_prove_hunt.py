"""The hunt by hand: pointed at, listened to, halved by clamps, mended; and the volume summed from the job."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import LEFT, answered, press, type_into

from bibulon.core.leak.volume import bag_volume
from bibulon.core.run.hunting import hunt_done, mended
from bibulon.devices.bagsim import BagTruth, SimulatedLeak


@pytest.fixture
def prove(petal, qtbot):
    petal.go([s.name for s in petal.stations].index("Prove"))
    station = petal.station("Prove")
    answered(qtbot, station.hunt.ask, lambda: station.tabs.go("Hunt"))
    return station


def test_it_says_where_to_look_and_what_is_heard_changes_it(petal, prove, qtbot):
    page, view = prove.hunt, prove.hunt.view
    assert page.told.text().startswith("Look here next: tube")
    first = view.hunt.next
    type_into(qtbot, page.by, "Ada")
    press(qtbot, page.side, "Nothing there")
    assert view.hunt.share[first] < 0.1
    assert view.hunt.next != first
    qtbot.keyClick(view, Qt.Key.Key_Up)
    place = view.hunt.places[view.hunt.next]
    x, y = view.view.to([[place.x, place.y]])[0]
    qtbot.mouseClick(view, LEFT, pos=QPoint(round(x), round(y)))
    at = view.hunt.places[view.at]
    assert ((at.x - place.x) ** 2 + (at.y - place.y) ** 2) ** 0.5 < 0.05
    for _ in range(3):
        press(qtbot, page.side, "It hisses")
    assert view.hunt.found
    assert "all but sure" in page.told.text()
    assert [e.data["by"] for e in petal.session.journal if e.run == "hunt"] == ["Ada"] * 4


def test_the_detector_is_read_at_the_place_and_pressing_shuts_the_leak(petal, prove, qtbot):
    page = prove.hunt
    press(qtbot, page.side, "Hold the detector there")
    assert "no detector yet" in petal.message.text()
    place = page.places[page.view.at]
    leak = SimulatedLeak(place.x, place.y, place.along, 0.05)
    petal.session.instruments.lay(BagTruth(0.01, leaks=(leak,)), 1)
    before = page.view.hunt.share[page.view.at]
    press(qtbot, page.side, "Hold the detector there")
    assert page.view.hunt.share[page.view.at] > before
    row = petal.session.journal[-1]
    assert row.data["hit"] is True
    assert row.data["db"] > 30
    press(qtbot, page.side, "Mended here")
    assert petal.session.instruments.bag.leak() == 0


def test_a_clamp_halves_it_and_mending_begins_anew(petal, prove, qtbot):
    page, view = prove.hunt, prove.hunt.view
    clamp, before = view.clamp, view.hunt.bits
    type_into(qtbot, page.rate, "0 mbar.L/s")
    done = hunt_done(petal.session.journal)
    assert (done[0].start, done[0].end, done[0].leak) == (clamp.start, clamp.end, 0.0)
    assert view.hunt.bits < before
    type_into(qtbot, page.rate, "much")
    assert petal.message.isVisible()
    assert len(hunt_done(petal.session.journal)) == 1
    type_into(qtbot, page.what, "tape pressed down")
    press(qtbot, page.side, "Mended here")
    assert [m[2] for m in mended(petal.session.journal)] == ["tape pressed down"]
    assert hunt_done(petal.session.journal) == []
    assert view.hunt.bits == pytest.approx(before)


def test_the_volume_is_summed_from_the_job(petal, prove, qtbot):
    prove.tabs.go("Test")
    press(qtbot, prove.side, "Sum it from the job")
    assert petal.session.job.test.volume == pytest.approx(sum(bag_volume(petal.session.job).values()))
    assert "give or take a fifth" in petal.message.text()


def test_a_closed_mould_is_sent_to_its_own_check_list(petal, prove, qtbot):
    petal.session.edit("x", lambda j: j.replaced(process="light RTM"))
    assert "closed mould has no bag" in prove.hunt.told.text()
    assert prove.hunt.view.hunt is None
