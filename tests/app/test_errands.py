"""Errands off the interface thread: each is done, in order, also when the window closes; what went wrong is said."""

from __future__ import annotations

import threading

import pytest
from PySide6.QtCore import QObject
from tests.app.hand import answered

from bibulon.app.work.errands import Errands, not_written


@pytest.fixture
def errands(qtbot):
    owner = QObject()
    made = Errands(owner)
    yield made
    made.close()


@pytest.fixture
def heard(errands):
    told: list[tuple[str, bool]] = []
    errands.said.connect(lambda text, alarm: told.append((text, alarm)))
    return told


def test_each_is_written_in_the_order_in_which_it_was_asked_for(errands, heard, qtbot, tmp_path):
    gate = threading.Event()
    path = tmp_path / "log"

    def write(k):
        gate.wait(20)
        with path.open("a") as file:
            file.write(f"{k} {threading.current_thread() is threading.main_thread()}\n")
        return k

    def ask():
        for k in range(4):
            errands.begin(lambda k=k: write(k), lambda came: f"wrote {came}", str)
        assert not path.exists()  # nothing waited for them
        gate.set()

    answered(qtbot, errands, ask)
    assert path.read_text().split() == ["0", "False", "1", "False", "2", "False", "3", "False"]
    assert heard == [(f"wrote {k}", False) for k in range(4)]


def test_what_went_wrong_is_said_and_the_next_one_is_written(errands, heard, qtbot, tmp_path):
    path = tmp_path / "no" / "a.txt"

    def ask():
        errands.begin(lambda: path.write_text("x"), "never", not_written(path))
        errands.begin(lambda: (tmp_path / "b.txt").write_text("x"), "there", str)

    answered(qtbot, errands, ask)
    assert heard == [
        ("a.txt could not be written: No such file or directory.", True),
        ("there", False),
    ]


def test_closing_waits_for_what_is_on_its_way(errands, tmp_path):
    gate = threading.Event()
    for k in range(3):
        errands.begin(lambda k=k: gate.wait(20) and (tmp_path / f"{k}").write_text("x"), "", str)
    gate.set()
    errands.close()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["0", "1", "2"]


@pytest.mark.parametrize(("ending", "start"), [(".png", b"\x89PNG"), (".pdf", b"%PDF"), (".dxf", b"  0")])
def test_a_drawing_saved_as_the_window_closes_is_whole(petal, tmp_path, ending, start):
    path = tmp_path / f"plan{ending}"
    petal.plan_acts.save("plan", path)
    petal.session.close()
    assert path.read_bytes().startswith(start)
    assert [p.name for p in tmp_path.iterdir() if p.is_file() and p.suffix == ".part"] == []
