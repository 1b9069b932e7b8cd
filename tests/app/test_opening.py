"""A large job is read while the window goes on, and opened as it stands when it is read."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from bibulon.app.shell import opening
from bibulon.core.drawing.plan import solid
from bibulon.core.geometry.surface import Lift
from bibulon.core.model.job import Surface
from bibulon.store.ahead import read_ahead
from bibulon.store.jobfile import load, save
from bibulon.store.keeper import Keeper


@pytest.fixture
def far(demo, tmp_path, monkeypatch):
    """A saved job that counts as a large one."""
    monkeypatch.setattr(opening, "LARGE", 0)
    path = tmp_path / "far.bibulon"
    save(demo.replaced(name="Far"), path)
    return path


def test_the_window_answers_while_a_large_job_is_read(window, qtbot, far):
    before = window.session.job
    with qtbot.waitSignal(window.session.job_opened, timeout=20_000):
        window.open(far)
        assert window.session.job is before
        assert window.message.text() == "Reading far.bibulon…"
    assert window.session.job.name == "Far"
    assert window.session.path == far
    assert window.message.text() == ""
    assert not window.session.modified


@pytest.mark.parametrize("leaves", [True, False])
def test_what_is_edited_meanwhile_is_asked_about(window, qtbot, far, monkeypatch, leaves):
    asked = []
    window.session.new()
    window.open(far)
    monkeypatch.setattr(window, "_may_leave", lambda: asked.append(window.session.job.name) or leaves)
    window.session.edit("Rename", lambda job: job.replaced(name="Mine"))
    with qtbot.waitSignal(window.opening.reads.rested, timeout=20_000):
        pass
    assert asked == ["Mine"]
    assert window.session.job.name == ("Far" if leaves else "Mine")


def test_the_area_and_the_picture_of_a_surface_are_worked_out_off_the_interface_thread(
    window, qtbot, far, demo, monkeypatch
):
    xs = np.linspace(0.0, 1.0, 5)
    plan = tuple((float(x), float(y)) for x in xs for y in xs)
    cells = [(5 * i + j, 5 * i + j + 5) for i in range(4) for j in range(4)]
    triangles = tuple(t for a, b in cells for t in ((a, b, b + 1), (a, b + 1, a + 1)))
    surface = Surface(space=tuple((x, y, 0.2 * x) for x, y in plan), plan=plan, triangles=triangles)
    part = demo.part.replaced(surface=surface)
    save(demo.replaced(part=part), far)
    told = []

    def watched(owner, name):
        plain = getattr(owner, name)

        def asked(*args):
            told.append((name, threading.current_thread() is threading.main_thread()))
            return plain(*args)

        monkeypatch.setattr(owner, name, asked)

    watched(Lift, "area_over")
    watched(solid, "border_rings")
    window.go_to("Part")
    with qtbot.waitSignal(window.session.job_opened, timeout=20_000):
        window.open(far)
    assert window.station("Part").solid.isVisible()
    assert {name for name, _ in told} == {"area_over", "border_rings"}
    assert not any(main for _, main in told)


def test_a_new_job_begun_meanwhile_stays(window, qtbot, far):
    window.open(far)
    with qtbot.waitSignal(window.opening.reads.rested, timeout=20_000):
        window.session.new()
    assert window.session.path is None


def test_a_large_file_that_is_no_job_says_so_and_the_open_one_stays(window, qtbot, far, demo):
    window.session.new(demo)
    far.write_bytes(b"not a job" * 100)
    with qtbot.waitSignal(window.opening.reads.rested, timeout=20_000):
        window.open(far)
    assert "far.bibulon" in window.message.text()
    assert "Reading" not in window.message.text()
    assert window.session.job is demo


def test_what_was_read_ahead_counts_only_while_the_file_is_the_same(demo, far, tmp_path):
    ahead = read_ahead(far)
    keeper = Keeper(tmp_path / "state")
    assert keeper.open(far, ahead).job is ahead.loaded.job
    keeper.end()
    save(demo.replaced(name="Newer"), far)
    assert keeper.open(far, ahead).job.name == "Newer"
    keeper.end()
    other = tmp_path / "other.bibulon"
    save(demo.replaced(name="Other"), other)
    assert keeper.open(other, ahead).job == load(other).job
    keeper.end()
