"""The board in the hour that counts: marks by hand, what they make known, what is asked and typed, gates, a file of marks."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import HandClock
from tests.written import written

from bibulon.app.stations.shoot import refitting
from bibulon.core.geometry.zones import regions
from bibulon.core.plans.refit.prior import Prior, prior_of
from bibulon.core.run.day import weighings
from bibulon.core.run.journal import Entry, run_state
from bibulon.core.run.landmarks import LETTERS, grid_of, place_named
from bibulon.devices.device import Reading
from bibulon.devices.watched import Watched
from bibulon.store.jobfile import load

K = Qt.Key


@pytest.fixture
def board(petal, qtbot):
    clock = HandClock()
    petal.session.run_clock.clock = clock
    petal.session.run_clock._wall_less_up = 1e9 - 100.0
    petal.go([s.name for s in petal.stations].index("Shoot"))
    board = petal.station("Shoot").board
    board.hand_clock = clock
    board._ticker.setInterval(10**7)
    board.setFocus()
    return board


def started(board, qtbot, seconds=60.0):
    qtbot.keyClick(board, K.Key_Return)
    board._ticker.stop()
    board.hand_clock.on(seconds)
    board.refresh()


def px(board, x, y):
    at = board.plan.view.to(np.array([(x, y)]))[0]
    return QPoint(round(at[0]), round(at[1]))


def kinds(board):
    return [e.kind for e in board.session.journal]


def test_a_tap_a_stroke_and_the_other_button(board, qtbot):
    started(board, qtbot)
    qtbot.mouseClick(board.plan, Qt.MouseButton.LeftButton, pos=px(board, 0.3, 0.7))
    assert kinds(board)[-1] == "front"
    a, b = px(board, 0.4, 0.4), px(board, 0.4, 1.1)
    qtbot.mousePress(board.plan, Qt.MouseButton.LeftButton, pos=a)
    for share in np.linspace(0, 1, 12):
        qtbot.mouseMove(board.plan, a + (b - a) * float(share))
    before = len(board.session.journal)
    board.plan._stroke = [
        *board.plan._stroke,
        *(QPoint(a + (b - a) * float(s)).toPointF() for s in np.linspace(0, 1, 12)),
    ]
    qtbot.mouseRelease(board.plan, Qt.MouseButton.LeftButton, pos=b)
    fresh = [e for e in board.session.journal[before:] if e.kind == "front"]
    assert 2 <= len(fresh) <= 5
    assert {round(e.data["x"], 1) for e in fresh} == {0.4}
    qtbot.mouseClick(board.plan, Qt.MouseButton.RightButton, pos=px(board, 1.2, 0.7))
    assert kinds(board)[-1] == "dry"


def test_a_mark_may_be_of_some_seconds_ago_and_be_withdrawn_but_stays_on_record(board, qtbot):
    started(board, qtbot, 100.0)
    qtbot.keyClick(board, K.Key_T)
    assert board.buttons["front"].text().startswith("Front 10 s ago")
    qtbot.mouseClick(board.plan, Qt.MouseButton.LeftButton, pos=px(board, 0.3, 0.7))
    mark = board.state().marks[-1]
    assert mark.time == pytest.approx(90.0)
    assert board.back == 0
    qtbot.keyClick(board, K.Key_Backspace)
    assert board.state().marks == ()
    assert kinds(board)[-2:] == ["front", "withdrawn"]
    qtbot.keyClick(board, K.Key_Backspace)
    assert kinds(board)[-1] == "withdrawn"


def test_marks_are_on_disk_before_they_are_drawn(board, qtbot, petal, tmp_path):
    path = tmp_path / "p.bibulon"
    assert petal.session.save(path)
    started(board, qtbot)
    seen = []
    board.plan.update = lambda *_: seen.append([e.kind for e in load(path).journal])
    board.mark_front(0.3, 0.7)
    board.mark_dry(1.0, 0.7)
    assert any("front" in rows for rows in seen)
    assert [e.kind for e in load(path).journal][-2:] == ["front", "dry"]


def test_what_is_typed_stands_below_the_map(board, qtbot, petal):
    started(board, qtbot)
    qtbot.keyClick(board, K.Key_P)
    assert board.line.isVisible()
    qtbot.keyClicks(board.typed, "26 mbar")
    qtbot.keyClick(board.typed, K.Key_Return)
    assert not board.line.isVisible()
    assert board.session.journal[-1].data["pressure"] == pytest.approx(2600)
    assert "bag 26 mbar" in board.told.text()
    qtbot.keyClick(board, K.Key_K)
    qtbot.keyClicks(board.typed, "3.2 kg")
    qtbot.keyClick(board.typed, K.Key_Return)
    assert board.session.journal[-1].data["left"] == pytest.approx(3.2)
    assert "3.20 kg left" in board.bucket.big.text()
    qtbot.keyClick(board, K.Key_G)
    qtbot.keyClicks(board.typed, "f2")
    qtbot.keyClick(board.typed, K.Key_Return)
    assert kinds(board)[-1] == "front"
    before = kinds(board)
    for key, text in ((K.Key_G, "nowhere"), (K.Key_P, "much"), (K.Key_K, "some")):
        qtbot.keyClick(board, key)
        qtbot.keyClicks(board.typed, text)
        qtbot.keyClick(board.typed, K.Key_Return)
        assert petal.message.isVisible()
    qtbot.keyClick(board, K.Key_N)
    qtbot.keyClick(board.typed, K.Key_Escape)
    assert not board.line.isVisible()
    assert kinds(board) == before


def test_a_question_is_answered_by_a_key_and_stands_on_record(board, qtbot, petal):
    started(board, qtbot)
    qtbot.keyClick(board, K.Key_A)
    assert "steady stream" in board.next.big.text()
    assert board.next.title.text() == "BUBBLES"
    qtbot.keyClick(board, K.Key_2)
    assert board.session.journal[-1].data["text"] == "Bubbles: Scattered"
    assert "resin boils" in petal.message.text()
    qtbot.keyClick(board, K.Key_A)
    qtbot.keyClick(board, K.Key_B)  # leaves the question, and means what it always does
    assert kinds(board)[-1] == "batch"
    assert board.asked is None


def test_before_gel_the_clock_stops_by_name_and_reason_alone(board, qtbot):
    started(board, qtbot, 1600.0)
    qtbot.keyClick(board, K.Key_W)
    for _ in range(2):
        qtbot.keyClick(board, K.Key_Q)
    assert board.line.isVisible()
    qtbot.keyClick(board.typed, K.Key_Escape)
    assert board.state().running
    for _ in range(2):
        qtbot.keyClick(board, K.Key_Q)
    qtbot.keyClicks(board.typed, "Ada: practice piece")
    qtbot.keyClick(board.typed, K.Key_Return)
    assert kinds(board)[-2:] == ["held", "stop"]


@pytest.mark.gates
def test_the_gates_are_asked_for_once(board, qtbot, petal):
    qtbot.keyClick(board, K.Key_Return)
    assert "gates before resin" in petal.message.text()
    assert not board.state().running
    qtbot.keyClick(board, K.Key_Return)
    assert board.state().running


def test_a_file_of_marks_is_taken_row_by_row(board, qtbot, petal, tmp_path):
    shoot = petal.station("Shoot")
    good = tmp_path / "marks.csv"
    good.write_text("x_mm,y_mm,time_s,kind\n300,700,0:40,front\n900,700,50,not yet\n", encoding="utf-8")
    shoot.take_file(good)
    assert "Start the clock first" in petal.message.text()
    started(board, qtbot, 60.0)
    shoot.take_file(good)
    assert [(m.kind, m.time) for m in board.state().marks] == [("front", 40.0), ("dry", 50.0)]
    late = tmp_path / "late.csv"
    late.write_text("x_mm,y_mm,time_s\n300,700,900\n", encoding="utf-8")
    shoot.take_file(late)
    assert "has not come yet" in petal.message.text()
    late.write_text("x_mm,y_mm,time_s\n300,here,9\n", encoding="utf-8")
    shoot.take_file(late)
    assert "line 2" in petal.message.text()
    assert len(board.state().marks) == 2


_priors: dict[str, Prior] = {}


def small_prior(job, **_):
    """The prior of a few forecasts, made once: two tests ask for that of the demo."""
    key = written(job)
    if key not in _priors:
        _priors[key] = prior_of(job, runs=16, shots=4, workers=0)
    return _priors[key]


def test_marks_bring_a_range_a_moved_call_and_name_the_odd_one(board, qtbot, petal, monkeypatch):
    monkeypatch.setattr(refitting, "prior_of", small_prior)
    board.refitting._make = refitting.prior_of
    board.refitting._asked = None
    started(board, qtbot, 200.0)
    with qtbot.waitSignal(board.refitting.ask.rested, timeout=120_000):
        board.refitting.want()
    prior = board.refitting.prior
    assert prior is not None
    top, mesh = prior.planned.top, prior.mesh
    now = board.elapsed()
    state = run_state(board.session.journal)
    wet = np.argsort(np.abs(top - 0.6 * now))[:40:8]
    for k in wet:
        x, y = mesh.points[k]
        board.session.stamp(
            Entry(state.run, now, "front", {"x": float(x), "y": float(y), "seen": float(top[k])}, now)
        )
    board.refresh()
    assert "wet through in" in board.told.text()
    assert "(" in board.told.text().splitlines()[0]
    assert board.plan.own_contours() is not None
    assert "full before it" in board.gel.small.text()
    x, y = mesh.points[wet[0]]
    board.session.stamp(
        Entry(
            state.run,
            now,
            "front",
            {"x": float(x) + 0.02, "y": float(y), "seen": 4.0 * float(top[wet[0]])},
            now,
        )
    )
    board.refresh()
    refit = board.refitting.refit
    if refit.contradictions:
        assert "than the others say" in board.look.big.text()
        odd = refit.contradictions[0].mark
        qtbot.keyClick(board, K.Key_X)
        assert board.session.journal[-1].kind == "withdrawn"
        assert board.session.journal[-1].data["text"].startswith("mark of")
        assert odd < len(refit.marks)
    board.plan.grab()  # the band is painted


def test_leaving_the_job_forgets_the_ensemble(board, petal, qtbot):
    board.refitting.prior = object()
    petal.session.new()
    assert board.refitting.prior is None
    assert board.refitting.picture is None


def test_the_resins_warmth_is_typed_kept_and_refused_in_words(board, qtbot):
    started(board, qtbot)
    qtbot.keyClick(board, K.Key_R)
    qtbot.keyClicks(board.typed, "17,5")
    qtbot.keyClick(board.typed, K.Key_Return)
    (row,) = [e for e in board.session.journal if e.kind == "resin"]
    assert row.data["temperature"] == pytest.approx(290.65)
    for words, told in (("200", "no temperature of a resin"), ("warm", "warm")):
        qtbot.keyClick(board, K.Key_R)
        qtbot.keyClicks(board.typed, words)
        qtbot.keyClick(board.typed, K.Key_Return)
        assert told in board.window().message.text()
    assert kinds(board).count("resin") == 1


class LineScale:
    """A scale that says what the test puts on it, as a device."""

    units = {"mass": "mass"}
    points: dict[str, str] = {}
    name = "hook 1"

    def __init__(self):
        self.says = Reading(0.0, {"mass": 4.0})

    def read(self):
        return self.says


def test_a_scale_writes_rows_on_disk_before_they_are_shown_and_a_pulled_plug_is_a_gap(board, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    assert board.session.save(path)
    scale = LineScale()
    board.session.instruments.others["mass"] = Watched(scale)
    started(board, qtbot)
    board.scale.tick()
    assert "hook 1: 4.00 kg" in board.bucket.small.text()
    assert [e.data["left"] for e in load(path).journal if e.kind == "weight"] == [4.0]
    for left, rows in ((3.99, 1), (3.5, 2)):  # less than it can tell makes no row
        scale.says = Reading(0.0, {"mass": left})
        board.hand_clock.on(21.0)
        board.scale.tick()
        assert len([e for e in load(path).journal if e.kind == "weight"]) == rows
    scale.says = Reading(0.0, {}, gap="hook 1: nothing comes")
    board.hand_clock.on(21.0)
    board.scale.tick()
    assert "nothing comes" in board.bucket.small.text()
    scale.says = Reading(0.0, {"mass": 9e9})
    board.scale.tick()
    assert "is no mass of a bucket" in board.bucket.small.text()
    assert len([e for e in load(path).journal if e.kind == "weight"]) == 2
    scale.says = Reading(0.0, {"mass": 3.4})
    qtbot.keyClick(board, K.Key_K)  # at once, and nobody is asked
    assert not board.line.isVisible()
    assert [e.data["left"] for e in load(path).journal if e.kind == "weight"][-1] == 3.4
    assert weighings(load(path).journal)[-1][1] > 0


@pytest.mark.gates
def test_gates_of_the_shot_are_noted_by_one_press_each_and_used_up_by_a_start(board, qtbot, tmp_path):
    path = tmp_path / "petal.bibulon"
    assert board.session.save(path)
    board.session.settings.setValue("person", "Ada")
    assert list(board.buttons) == ["gate1", "gate2", "gate3", "gate4", "start"]
    qtbot.keyClick(board, K.Key_2)
    assert "gate2" not in board.buttons
    qtbot.mouseClick(board.buttons["gate3"], Qt.MouseButton.LeftButton)
    assert "4.42 kg" in board.window().message.text()  # the batch that the plan mixes first
    noted = [(e.data["step"], e.data["by"]) for e in load(path).journal if e.kind == "proven"]
    assert noted == [("shot:heel", "Ada"), ("shot:batch", "Ada")]  # on disk as they are pressed
    qtbot.keyClick(board, K.Key_Return)
    assert not board.state().running
    told = board.window().message.text()
    assert "valves named, all in place" in told
    assert "Prove, Before resin" in told
    qtbot.keyClick(board, K.Key_Return)
    assert board.state().running
    for _ in range(2):
        qtbot.keyClick(board, K.Key_Q)
    assert not board.state().running
    assert list(board.buttons) == ["gate1", "gate2", "gate3", "gate4", "start"]  # a second shot asks again


def test_choices_of_a_decision_are_forecast_beside_each_other(board, qtbot, monkeypatch):
    job = board.session.job
    monkeypatch.setattr(refitting, "prior_of", prior_of)
    prior = small_prior(job)
    started(board, qtbot, 500.0)
    board.refitting.prior = prior
    board.refitting._of = job
    top = prior.planned.top
    k = int(np.argmin(np.abs(top - 300.0)))
    x, y = prior.mesh.points[k]
    board.mark_front(float(x), float(y))
    board.refitting.update()
    assert board.refitting.refit is not None
    qtbot.keyClick(board, K.Key_A)
    qtbot.keyClick(board, K.Key_A)
    with qtbot.waitSignal(board.choosing.ask.rested, timeout=60_000):
        qtbot.keyClick(board, K.Key_A)
    assert board.asked is not None
    assert board.asked.title == "Front behind"
    assert board.next.small.text().startswith("Wet through as it is ")
    assert "F2 now" in board.next.small.text()
    assert "mould 10 K warmer" in board.next.small.text()


@pytest.mark.parametrize("said", ["F2", "1100,750", "3.5 m", "3C", "3 c"])
def test_a_place_is_marked_by_what_it_is_called(board, qtbot, said):
    started(board, qtbot)
    qtbot.keyClick(board, K.Key_G)
    assert board.plan.grid  # the squares stand on the plan while a name is asked for
    qtbot.keyClicks(board.typed, said)
    qtbot.keyClick(board.typed, K.Key_Return)
    assert not board.plan.grid
    (mark,) = board.state().marks
    assert shapely.contains_xy(regions(board.session.job.part).whole, mark.x, mark.y)
    if said == "F2":
        assert (mark.x, mark.y) == pytest.approx(board.session.job.lines[1].path[1], abs=1e-3)


@pytest.mark.parametrize(
    ("said", "told"),
    [("9A", "holds nothing of the part"), ("99 m", "walk-round ends at"), ("there", "no square such as 4C")],
)
def test_a_name_that_is_none_is_told_and_nothing_is_marked(board, qtbot, said, told):
    started(board, qtbot)
    qtbot.keyClick(board, K.Key_G)
    qtbot.keyClicks(board.typed, said)
    qtbot.keyClick(board.typed, K.Key_Return)
    assert told in board.window().message.text()
    assert board.state().marks == ()


def test_squares_cover_the_part_and_are_round(demo):
    grid = grid_of(demo)
    whole = regions(demo.part).whole
    low_x, low_y, high_x, high_y = whole.bounds
    assert grid.columns <= 10
    assert grid.x + grid.columns * grid.side >= high_x - 1e-9
    assert grid.y + grid.rows * grid.side >= high_y - 1e-9
    assert (grid.x, grid.y) == (low_x, low_y)
    assert grid.side in {0.2, 0.25, 0.5}
    inside = 0
    for column in range(grid.columns):
        for row in range(grid.rows):
            try:
                x, y = place_named(demo, f"{column + 1}{LETTERS[row]}")
            except ValueError:
                assert not whole.buffer(-0.003).intersects(shapely.box(*grid.corners(column, row)))
                continue
            left, low, right, high = grid.corners(column, row)
            assert left <= x <= right
            assert low <= y <= high
            inside += 1
    assert inside > 10
