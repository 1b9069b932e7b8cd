"""Workers, what a person's view remembers, and the painter: every shape leaves its marks."""

from __future__ import annotations

import ctypes
import gc
import inspect
import os
import platform
import subprocess
import sys
import threading
import weakref
from threading import Event
from time import sleep

import numpy as np
import pytest
from PySide6.QtCore import QObject, QSettings
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QApplication

from bibulon.app import start
from bibulon.app.kit.paint import paint
from bibulon.app.session import forecaster as forecaster_module
from bibulon.app.session.forecaster import Forecaster
from bibulon.app.session.moments import Moments
from bibulon.app.session.view_settings import ViewSettings
from bibulon.app.work import collector
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.look import LAYERS
from bibulon.core.drawing.kit.scene import TILES, Area, Clip, Label, Line, Texture
from bibulon.core.edit.edit import change
from bibulon.core.flow.forecast import Resolution
from bibulon.core.outlook.outlook import Outlook, look_ahead

SMALL = Resolution(300, 1, 8)


@pytest.fixture(scope="module")
def seen(demo):
    return look_ahead(demo, SMALL, fine=True)


@pytest.fixture
def moments(qtbot):
    made = Moments()
    yield made
    made.close()


def test_only_the_newest_wish_is_worked_out(moments, seen, qtbot):
    told = []
    moments.ready.connect(lambda: told.append(moments.picture.moment.time))
    for time in (100.0, 200.0, 300.0, 400.0, 500.0):
        moments.want(seen, time, "pressure", "wet through")
    qtbot.waitUntil(lambda: told[-1:] == [500.0], timeout=20_000)
    assert told == [100.0, 500.0]
    assert moments.picture.field.name == "pressure"


def test_the_same_wish_twice_is_one(moments, seen, qtbot):
    told = []
    moments.ready.connect(lambda: told.append(1))
    for _ in range(3):
        moments.want(seen, 300.0, "age", "wet through")
    qtbot.waitUntil(lambda: bool(told), timeout=20_000)
    moments.want(seen, 300.0, "age", "wet through")
    qtbot.wait(50)
    assert told == [1]


def test_another_field_of_the_same_moment_needs_no_new_moment(moments, seen, qtbot):
    with qtbot.waitSignal(moments.ready, timeout=20_000):
        moments.want(seen, 300.0, "age", "wet through")
    first = moments.picture.moment
    with qtbot.waitSignal(moments.ready, timeout=20_000):
        moments.want(seen, 300.0, "lead", "wet through")
    assert moments.picture.moment is first
    assert moments.picture.field.name == "lead"


def test_without_a_forecast_there_is_no_picture(moments, demo):
    bare = look_ahead(change(demo, lines=()), SMALL, fine=True)
    assert bare.problem
    moments.want(bare, 10.0, "age", "wet through")
    assert moments.picture is None


def test_a_forecast_is_kept_when_only_the_charge_changes(seen, demo):
    other = change(demo, charge=demo.charge.replaced(margin=0.3))
    again = look_ahead(other, SMALL, fine=True, before=seen)
    assert again.forecast is seen.forecast
    assert again.evidence.charge.total > seen.evidence.charge.total


@pytest.mark.parametrize("field", ["part", "stack", "lines", "conditions"])
def test_a_forecast_is_made_anew_when_what_it_hangs_on_changes(seen, demo, field):
    changed = {
        "part": demo.part.replaced(draw_factor=1.2),
        "stack": demo.stack[:-1],
        "lines": (demo.lines[0], demo.lines[2]),
        "conditions": demo.conditions.replaced(vacuum=9000.0),
    }[field]
    again = look_ahead(change(demo, **{field: changed}), SMALL, fine=True, before=seen)
    assert again.forecast is not seen.forecast


# -- a person's view


def settings(tmp_path) -> QSettings:
    return QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)


@pytest.mark.parametrize("layer", sorted(LAYERS))
def test_a_layer_stays_as_it_was_switched(tmp_path, layer):
    view = ViewSettings(settings(tmp_path))
    on = layer in view.shown
    view.show(layer, not on)
    assert (layer in ViewSettings(settings(tmp_path)).shown) is not on


def test_what_an_older_version_left_does_no_harm(tmp_path):
    old = settings(tmp_path)
    old.setValue("view/shown", "mesh lines nonsense")
    old.sync()
    assert ViewSettings(settings(tmp_path)).shown == {"mesh", "lines"}


def test_switches_are_remembered_and_told(tmp_path, qtbot):
    view = ViewSettings(settings(tmp_path))
    for act in (view.set_snaps, view.set_probes, view.set_cut_pressure):
        with qtbot.waitSignal(view.changed):
            act(False)
    with qtbot.waitSignal(view.changed):
        view.set_cut_pressure(True)
    again = ViewSettings(settings(tmp_path))
    assert (again.snaps, again.probes, again.cut_pressure) == (False, False, True)


def test_an_unknown_field_is_not_shown(tmp_path, qtbot):
    view = ViewSettings(settings(tmp_path))
    with qtbot.assertNotEmitted(view.changed):
        view.set_field("mood")
    assert view.field == "resin"


# -- the painter


SQUARE = np.array([[20.0, 20.0], [80.0, 20.0], [80.0, 80.0], [20.0, 80.0]])


def painted(qapp, items, ratio=1.0) -> QImage:
    image = QImage(round(100 * ratio), round(100 * ratio), QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(ratio)
    image.fill("#ffffff")
    painter = QPainter(image)
    paint(painter, items)
    painter.end()
    return image


def inked(image: QImage) -> int:
    white = QColor("#ffffff")
    return sum(image.pixelColor(x, y) != white for x in range(image.width()) for y in range(image.height()))


def test_an_area_fills_its_ring_and_leaves_its_hole(qapp):
    hole = np.array([[40.0, 40.0], [60.0, 40.0], [60.0, 60.0], [40.0, 60.0]])
    image = painted(qapp, [Area([SQUARE, hole], "#000000")])
    assert image.pixelColor(30, 30) == QColor("#000000")
    assert image.pixelColor(50, 50) == QColor("#ffffff")
    assert inked(image) == pytest.approx(3600 - 400, abs=40)


def test_opacity_mixes_with_what_lies_below(qapp):
    image = painted(qapp, [Area([SQUARE], "#000000", opacity=0.5)])
    assert 120 <= image.pixelColor(50, 50).red() <= 135
    after = painted(qapp, [Area([SQUARE], "#000000", opacity=0.5), Area([SQUARE + 0.0], "#000000")])
    assert after.pixelColor(50, 50).red() == 0


def test_a_clip_hides_what_lies_beyond(qapp):
    image = painted(qapp, [Clip([SQUARE], (Area([SQUARE * 2 - 50], "#000000"),))])
    assert image.pixelColor(50, 50) == QColor("#000000")
    assert image.pixelColor(10, 10) == QColor("#ffffff")


def test_a_dashed_line_has_gaps(qapp):
    path = [np.array([[5.0, 50.0], [95.0, 50.0]])]
    solid, dashed = (inked(painted(qapp, [Line(path, "#000000", 3.0, dash)])) for dash in ((), (6.0, 6.0)))
    assert 0.3 * solid < dashed < 0.8 * solid


def test_a_label_stands_on_its_ground(qapp):
    image = painted(qapp, [Label(50, 50, "12:30", "#000000", 14, True, ground="#00ff00")])
    colours = {image.pixelColor(x, y).name() for x in range(100) for y in range(100)}
    assert "#00ff00" in colours
    assert "#000000" in colours or any(QColor(c).lightness() < 60 for c in colours)


@pytest.mark.parametrize("anchor", ["l", "m", "r"])
def test_labels_hang_where_they_are_anchored(qapp, anchor):
    image = painted(qapp, [Label(50, 50, "wet", "#000000", 16, False, anchor)])
    columns = [x for x in range(100) if any(image.pixelColor(x, y).lightness() < 200 for y in range(100))]
    middle = (columns[0] + columns[-1]) / 2
    assert {"l": middle > 55, "m": 45 < middle < 55, "r": middle < 45}[anchor]


@pytest.mark.parametrize("kind", sorted(TILES))
@pytest.mark.parametrize("ratio", [1.0, 1.5, 2.0])
def test_tiles_ink_as_much_as_strokes_do(qapp, kind, ratio):
    """What is laid as tiles on the screen is the texture that paper gets as lines."""
    texture = Texture(
        [np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 100.0], [0.0, 100.0]])], kind, "#000000", 10.0
    )
    tiles, strokes = (inked(painted(qapp, [i], ratio)) for i in (texture, texture.strokes()))
    assert tiles == pytest.approx(strokes, rel=0.15)


def test_a_path_of_a_tuple_is_kept_and_right_after_another_takes_its_place(qapp):
    for shift in range(0, 40, 4):
        rings = (SQUARE * 0.5 + shift,)
        image = painted(qapp, [Area(rings, "#000000")])
        assert image.pixelColor(25 + shift, 25 + shift) == QColor("#000000")
        assert image.pixelColor(99, 99) == QColor("#ffffff")


@pytest.fixture
def owner(qapp):
    from PySide6.QtCore import QObject

    return QObject()


@pytest.mark.parametrize("between", [False, True])
def test_answers_come_between_only_where_a_hand_moves(qtbot, owner, between):
    gate, told = Event(), []
    ask = Ask(owner, lambda: None, between=between)
    ask.ready.connect(told.append)
    ask.want(lambda: gate.wait(20) and 1)
    ask.want(lambda: 2)
    ask.want(lambda: 3)
    gate.set()
    qtbot.waitUntil(lambda: told[-1:] == [3], timeout=20_000)
    assert told == ([1, 3] if between else [3])
    ask.close()


def test_an_answer_whose_key_has_changed_is_dropped_and_the_next_comes(qtbot, owner):
    key, gate, told = ["a"], Event(), []
    ask = Ask(owner, lambda: key[0])
    ask.ready.connect(told.append)
    ask.want(lambda: gate.wait(20) and "of a")
    key[0] = "b"
    with qtbot.waitSignal(ask.rested, timeout=20_000):
        gate.set()
    assert told == []
    with qtbot.waitSignal(ask.ready, timeout=20_000):
        ask.want(lambda: "of b")
    assert told == ["of b"]
    ask.close()


def test_what_is_dropped_is_stopped_and_another_may_start_at_once(qtbot, owner):
    began, told, progress = Event(), [], []
    ask = Ask(owner, lambda: None)
    ask.ready.connect(told.append)
    ask.progress.connect(lambda done, of: progress.append((done, of)))

    def long(tell, stopped):
        began.set()
        tell(1, 2)
        while not stopped():
            pass
        return "stopped"

    ask.start(long)
    qtbot.waitUntil(began.is_set, timeout=20_000)
    with qtbot.waitSignal(ask.rested):
        ask.drop()
    assert not ask.busy
    progress.clear()
    with qtbot.waitSignal(ask.ready, timeout=20_000):
        ask.want(lambda: "next")
    assert told == ["next"]
    assert progress == []  # it came when nobody asked any more
    ask.start(long)
    qtbot.waitUntil(lambda: progress == [(1, 2)], timeout=20_000)
    with qtbot.waitSignal(ask.ready, timeout=20_000):
        ask.cancel()
    assert told[-1] == "stopped"
    with qtbot.waitSignal(ask.failed, timeout=20_000) as problem:
        ask.want(lambda: 1 / 0)
    assert isinstance(problem.args[0], ZeroDivisionError)
    ask.close()


def test_rows_to_read_are_shown_scrolled_and_changed(qtbot):
    from PySide6.QtCore import Qt

    from bibulon.app.kit.table import Table

    view = Table(("time", "what"), "What happened")
    qtbot.addWidget(view)
    view.resize(300, 200)
    view.show()
    view.show_rows([(f"{k}", f"row {k}") for k in range(10_000)])
    model = view.model()
    assert (model.rowCount(), model.columnCount()) == (10_000, 2)
    assert model.index(9_999, 1).data() == "row 9999"
    assert model.headerData(1, Qt.Orientation.Horizontal) == "what"
    view.grab()
    view.updateGeometries()
    view.scrollTo(model.index(5000, 0))
    at = view.verticalScrollBar().value()
    assert at > 0
    view.show_rows([*view.rows.rows, ("10000", "row 10000")])
    assert view.verticalScrollBar().value() == at
    qtbot.keyClick(view, Qt.Key.Key_Tab)
    assert view.currentIndex().row() <= 0  # Tab goes on, not through the cells


def test_a_forecast_that_fails_does_not_take_the_next_ones_answer_with_it(qtbot, demo, monkeypatch):
    """A job waits behind one whose preview breaks: it still comes to its fine answer, and the failure is told once."""
    begun = threading.Event()

    def ahead(job, resolution, *, fine, **rest):
        if job.name == "breaks":
            begun.wait(5.0)
            raise RuntimeError("out of paper")
        return Outlook(job, None, {}, None, None, (), "", fine)

    monkeypatch.setattr(forecaster_module, "look_ahead", ahead)
    forecaster = Forecaster()
    told, failed = [], []
    forecaster.ready.connect(lambda o: told.append((o.job.name, o.fine)))
    forecaster.failed.connect(failed.append)
    forecaster.request(demo.replaced(name="breaks"))
    qtbot.waitUntil(lambda: forecaster._coarse.busy)
    with qtbot.waitSignal(forecaster.idle, timeout=10_000):
        forecaster.request(demo.replaced(name="next"))
        begun.set()
    assert told == [("next", False), ("next", True)]
    assert len(failed) == 1
    assert "out of paper" in failed[0]
    assert not forecaster.busy
    with qtbot.waitSignal(forecaster.idle, timeout=10_000):
        forecaster.request(demo.replaced(name="breaks"))
    assert len(failed) == 2
    forecaster.close()


def test_what_was_worked_out_is_let_go_of(qtbot):
    """A question's work and answer are free once it is answered, dropped or overtaken: they hold whole forecasts."""

    class Held:
        pass

    def asked():
        held = Held()
        watched.append(weakref.ref(held))
        return lambda: held

    watched: list[weakref.ref[Held]] = []
    owner = QObject()
    ask = Ask(owner, lambda: 0)
    for _ in range(3):
        with qtbot.waitSignal(ask.rested, timeout=5000):
            ask.want(asked())
    with qtbot.waitSignal(ask.rested, timeout=5000):
        for _ in range(4):
            ask.want(asked())
    ask.want(asked())
    ask.drop()
    ask.close()
    QApplication.processEvents()
    gc.collect()
    assert len(watched) == 8
    assert [w() for w in watched] == [None] * 8


def test_a_worker_lets_the_interface_thread_on_at_once(qapp):
    """While the interface thread asks for the interpreter a hundred times, a worker gets little done in between."""

    def done_meanwhile(turn: float) -> int:
        count, stop = [0], threading.Event()

        def work():
            while not stop.is_set():
                count[0] += 1

        worker = threading.Thread(target=work)
        usual = sys.getswitchinterval()
        sys.setswitchinterval(turn)
        try:
            worker.start()
            while count[0] < 1000:
                sleep(0)
            before = count[0]
            for _ in range(100):
                sleep(0)  # lets go of the interpreter, as each stroke of a drawing does
            return count[0] - before
        finally:
            stop.set()
            worker.join()
            sys.setswitchinterval(usual)

    assert done_meanwhile(start.TURN) < done_meanwhile(0.005) / 5


def test_the_window_asks_for_short_turns(window):
    assert sys.getswitchinterval() == pytest.approx(start.TURN)


def test_no_source_is_read_for_switches_that_nobody_uses(tmp_path, monkeypatch):
    (tmp_path / "imported_late.py").write_text("import PySide6\nHERE = 1\n")
    monkeypatch.syspath_prepend(tmp_path)
    read = []
    monkeypatch.setattr(inspect, "getsource", read.append)
    assert __import__("imported_late").HERE == 1  # as the statement does it
    assert not read


def _held() -> float:
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="other C libraries give back by themselves")
def test_what_lies_free_between_what_stays_is_given_back():
    pieces = [bytearray(9_000) for _ in range(12_000)]  # a hundred megabytes, in pages of the heap
    kept = pieces[::60]
    del pieces
    before = _held()
    collector.give_back()
    assert _held() < before - 60
    assert len(kept) == 200


APART = """
import ctypes, sys
from bibulon.app.work.collector import one_heap

class Info(ctypes.Structure):
    _fields_ = [(name, ctypes.c_size_t) for name in "arena ordblks smblks hblks hblkhd usmblks fsmblks uordblks fordblks keepcost".split()]

told = ctypes.CDLL(None).mallinfo2
told.restype = Info
if sys.argv[1] == "told":
    one_heap()
bytearray(30_000_000)  # freed at once: from here on the library takes blocks of that size from its heap
before = told().hblkhd
kept = bytearray(4_000_000)
print(told().hblkhd - before)
"""


@pytest.mark.skipif(
    not hasattr(ctypes.CDLL(None), "mallinfo2"), reason="another C library, or one that does not say"
)
@pytest.mark.parametrize(("told", "apart"), [("told", True), ("plain", False)])
def test_large_blocks_lie_apart_from_the_heap(told, apart):
    done = subprocess.run([sys.executable, "-c", APART, told], capture_output=True, text=True, check=True)
    assert (int(done.stdout) >= 4_000_000) == apart


def test_a_window_gives_back_when_its_forecast_is_there(qtbot, tmp_path, monkeypatch):
    given = []
    monkeypatch.setattr(start, "give_back", lambda: given.append(1))
    window = start.make_window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat), tmp_path)
    qtbot.addWidget(window)
    window.session.forecaster.idle.emit()
    assert given == [1]
    window.session.forecaster.close()
