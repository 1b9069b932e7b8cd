"""Bag by hand: pleats on plan and walk, film and school, cut plan, kit, draw-down with its rows."""

from __future__ import annotations

import csv
import os
import signal
import subprocess
import sys

import numpy as np
import pypdf
import pytest
from PySide6.QtCore import QPoint, Qt
from tests.app.hand import LEFT, answered, choose, press, tick_cell, type_into

from bibulon.core.bag import nesting
from bibulon.core.edit.edit import change
from bibulon.core.library.demo import demo_job
from bibulon.core.run.drawdown import bridges_found, drawn_steps
from bibulon.core.run.mixing import mixed_steps
from bibulon.store.jobfile import load


@pytest.fixture
def bag(petal, qtbot):
    petal.go([s.name for s in petal.stations].index("Bag"))
    station = petal.station("Bag")
    if station.laid.job is not petal.session.job:
        with qtbot.waitSignal(station.laid.changed, timeout=20_000):
            station.laid.want()
    return station


def settled(qtbot, bag, act):
    """Do an act that changes the job, and wait for its bag."""
    with qtbot.waitSignal(bag.laid.changed, timeout=20_000):
        act()
    assert bag.laid.job is bag.session.job


def on_plan(bag, pleat):
    """Where a pleat is seen on the plan."""
    walk, view = bag.laid.bag.walk, bag.page.plan.view
    x, y = view.to(np.array([walk.place(pleat.at)]))[0]
    out = np.array(walk.outward(pleat.at)) * (1, -1)
    x, y = (x, y) + out * pleat.size * view.scale / 2
    return QPoint(round(x), round(y))


def on_walk(bag, at):
    strip = bag.page.walk.strip
    return QPoint(round(strip.x(at)), round(strip.base - 6))


def test_the_rail_tells_tape_and_pleats_and_the_panel_the_same(petal, bag):
    row = bag.standing(petal.session.job, petal.session.outlook)
    count = len(bag.laid.bag.pleats)
    assert row.figure == f"{bag.laid.bag.tape.total:.1f} m · {count} pleats"
    assert row.state == "settled"
    assert bag.page.figures.figures["pleats"].text.text() == str(count)


def test_a_pleat_chosen_on_the_walk_is_chosen_on_the_plan_and_in_the_panel(bag, qtbot):
    pleat = next(p for p in bag.laid.bag.pleats if p.tube == "F2")
    qtbot.mouseClick(bag.page.walk, LEFT, pos=on_walk(bag, pleat.at))
    assert bag.laid.chosen is pleat
    assert f"Chosen: {round(pleat.size * 1000)} mm" in bag.page.plan.accessibleDescription()
    assert bag.page.tall.text() == "25 mm"
    assert "F2 comes through" in bag.page.why.text()
    other = next(p for p in bag.laid.bag.pleats if p.tube == "F1")
    qtbot.mouseClick(bag.page.plan, LEFT, pos=on_plan(bag, other))
    assert bag.laid.chosen is other
    qtbot.keyClick(bag.page.plan, Qt.Key.Key_Escape)
    assert bag.laid.chosen is None
    assert not bag.page.tall.isEnabled()


def test_pleats_are_moved_grown_split_and_taken_away_by_keys_and_undo_brings_them_back(petal, bag, qtbot):
    walk = bag.page.walk
    before = petal.session.job
    walk.setFocus()
    qtbot.keyClick(walk, Qt.Key.Key_Right)
    first = bag.laid.chosen
    assert first.id == "P1"
    settled(qtbot, bag, lambda: qtbot.keyClick(walk, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier))
    assert bag.laid.chosen.at == pytest.approx(first.at + 0.01)
    settled(qtbot, bag, lambda: qtbot.keyClick(walk, Qt.Key.Key_Minus))
    assert bag.laid.chosen.size == pytest.approx(first.size - 0.005)
    settled(qtbot, bag, lambda: press(qtbot, bag.side, "Split in two"))
    assert sum(abs(p.size - (first.size - 0.005) / 2) < 1e-9 for p in bag.laid.bag.pleats) == 2
    count = len(bag.laid.bag.pleats)
    settled(qtbot, bag, lambda: qtbot.keyClick(walk, Qt.Key.Key_Delete))
    assert len(bag.laid.bag.pleats) == count - 1
    settled(qtbot, bag, lambda: press(qtbot, bag.side, "Work out pleats"))
    assert petal.session.job.bag.pleats is None
    while petal.session.job != before:
        assert petal.session.undo_stack.canUndo()
        petal.session.undo_stack.undo()


def test_a_pleat_is_dragged_along_the_tape(petal, bag, qtbot):
    pleat = next(p for p in bag.laid.bag.pleats if p.tube == "F2")
    walk = bag.page.walk
    start, end = on_walk(bag, pleat.at), on_walk(bag, pleat.at + 0.4)
    qtbot.mousePress(walk, LEFT, pos=start)
    qtbot.mouseMove(walk, end)
    settled(qtbot, bag, lambda: qtbot.mouseRelease(walk, LEFT, pos=end))
    assert bag.laid.chosen.at == pytest.approx(pleat.at + 0.4, abs=0.02)
    qtbot.waitUntil(
        lambda: any(f.key == "tube-pleat:F2" for f in petal.session.outlook.findings), timeout=30_000
    )


def test_sizes_typed_are_taken_and_nonsense_is_refused(petal, bag, qtbot):
    bag.laid.choose("P1")
    settled(qtbot, bag, lambda: type_into(qtbot, bag.page.tall, "3 in"))
    assert bag.laid.chosen.size == pytest.approx(0.0762)
    before = petal.session.job
    type_into(qtbot, bag.page.fields["allowance"], "lots")
    assert petal.session.job == before
    assert petal.message.isVisible()


def test_film_too_small_is_told_on_the_side_and_mended_by_one_press(petal, bag, qtbot):
    settled(qtbot, bag, lambda: type_into(qtbot, bag.page.fields["allowance"], "0 %"))
    short = [s for s in bag.laid.bag.sides if s.short > 0]
    if not short:  # without allowance the girth itself is there: pleats set taller ask for more
        bag.laid.choose("P1")
        settled(qtbot, bag, lambda: type_into(qtbot, bag.page.tall, "400 mm"))
        short = [s for s in bag.laid.bag.sides if s.short > 0]
    assert short
    qtbot.waitUntil(
        lambda: any(f.key.startswith("film-short") for f in petal.session.outlook.findings), timeout=30_000
    )
    assert bag.standing(petal.session.job, petal.session.outlook).state == "blocked"
    found = next(f for f in petal.session.outlook.findings if f.key.startswith("film-short") and f.remedy)
    settled(qtbot, bag, lambda: petal.session.edit("Mend", found.remedy.apply))
    assert found.key.partition(":")[2] not in {s.side.name for s in bag.laid.bag.sides if s.short > 0}


def test_each_school_changes_film_and_tape(bag, qtbot):
    tape = bag.page.figures.figures["tape"].text.text()
    settled(qtbot, bag, lambda: choose(bag.page.school, "double bag"))
    assert bag.page.figures.figures["tape"].text.text() != tape
    assert bag.page.figures.figures["film cut"].text.text() == "4 pieces"


def test_the_walk_is_saved_at_full_size(petal, bag, qtbot, tmp_path):
    answered(qtbot, petal.session.errands, lambda: bag.page.save_walk(tmp_path / "w.pdf"))
    assert "strips to lay along the flange" in petal.message.text()
    assert len(pypdf.PdfReader(tmp_path / "w.pdf").pages) > 5
    answered(qtbot, petal.session.errands, lambda: bag.page.save_walk(tmp_path / "nowhere" / "w.pdf"))
    assert "could not be saved" in petal.message.text()


def test_pieces_lie_on_shelves_at_once_and_closer_when_asked(petal, bag, qtbot, tmp_path, monkeypatch):
    few = [ply.id for ply in petal.session.job.stack if ply.material != "biax-600"][1:]
    settled(  # each material is searched for two seconds
        qtbot, bag,
        lambda: petal.session.edit("few", lambda j: change(j, stack=tuple(p for p in j.stack if p.id not in few))),
    )  # fmt: skip
    answered(qtbot, bag.cut.quick, lambda: bag.tabs.go("Cut plan"))
    lengths = {r.material: r.length for r in bag.cut.rolls.plan.rolls}
    assert "film" in lengths
    for _ in range(10):  # each looks on for some seconds by the wall, of which a busy machine makes little
        with qtbot.waitSignal(bag.cut.bar.ready, timeout=120_000):
            press(qtbot, bag.cut, "Nest closer")
        if bag.cut.rolls.plan.rolls[0].length < 0.97 * lengths["biax-600"]:
            break
        assert all(r.length <= lengths[r.material] + 1e-9 for r in bag.cut.rolls.plan.rolls)
    else:
        pytest.fail(f"ten searches end no closer: {bag.cut.rolls.plan.rolls[0].length} m")
    assert all(r.length <= lengths[r.material] + 1e-9 for r in bag.cut.rolls.plan.rolls)
    assert "less of the rolls is pulled" in petal.message.text()
    kept = bag.cut.rolls.plan
    monkeypatch.setattr(
        nesting, "_searched", lambda pieces, width, *a: tuple((p.key, 0.0, 0.0, 0.0) for p in pieces)
    )
    with qtbot.waitSignal(bag.cut.bar.ready, timeout=60_000):
        press(qtbot, bag.cut, "Nest closer")
    assert "No shorter way" in petal.message.text()
    assert bag.cut.rolls.plan.pulled == pytest.approx(kept.pulled)
    look = bag.cut.rolls.look
    point = bag.cut.rolls.plan.rolls[0].placed[0].shape.representative_point()
    y = 8 + 26 + (1.27 - point.y) * look.scale(bag.cut.rolls.plan)
    qtbot.mouseClick(
        bag.cut.rolls, LEFT, pos=QPoint(round(18 + point.x * look.scale(bag.cut.rolls.plan)), round(y))
    )
    assert bag.cut.rolls.chosen == bag.cut.rolls.plan.rolls[0].placed[0].piece.key
    answered(qtbot, petal.session.errands, lambda: bag.cut.save(tmp_path / "piece.dxf"))
    assert "saved at full size" in petal.message.text()
    answered(qtbot, petal.session.errands, lambda: bag.cut.save(tmp_path / "piece.doc"))
    assert "could not be saved" in petal.message.text()


def test_pieces_are_chosen_by_arrows_and_scrolled_to(petal, bag, qtbot):
    answered(qtbot, bag.cut.quick, lambda: bag.tabs.go("Cut plan"))
    rolls = bag.cut.rolls
    rolls.setFocus()
    pieces = list(dict.fromkeys(p.piece.key for r in rolls.plan.rolls for p in r.placed))
    assert len(pieces) > 3
    walked = []
    for _ in pieces:
        qtbot.keyClick(rolls, Qt.Key.Key_Right)
        walked.append(rolls.chosen)
    assert walked == pieces
    qtbot.keyClick(rolls, Qt.Key.Key_Right)
    qtbot.keyClick(rolls, Qt.Key.Key_Left)
    assert rolls.chosen == pieces[-1]
    chosen = next(p.piece for r in rolls.plan.rolls for p in r.placed if p.piece.key == pieces[-1])
    assert f"chosen: {chosen.label}" in rolls.accessibleDescription()
    bar = bag.cut.scroller.verticalScrollBar()
    assert bar.maximum() == 0 or bar.value() > 0
    qtbot.keyClick(rolls, Qt.Key.Key_Escape)
    assert rolls.chosen == ""
    assert "chosen" not in rolls.accessibleDescription()


def test_the_kit_is_ticked_saved_and_what_is_short_is_listed(petal, bag, qtbot, tmp_path):
    answered(qtbot, bag.kit.ask, lambda: bag.tabs.go("Kit"))
    answered(qtbot, bag.kit.ask, lambda: tick_cell(bag.kit.table, 0))
    assert petal.session.job.bag.laid_out == ("peel-85",)
    assert bag.kit.words.text().startswith("1 of ")
    bag.kit.save_missing(tmp_path / "short.csv")
    assert "Nothing is short" in petal.message.text()
    answered(
        qtbot,
        bag.kit.ask,
        lambda: petal.session.edit("less", lambda j: j.replaced(bag=j.bag.replaced(tape_left=1.0))),
    )
    bag.kit.save_missing(tmp_path / "short.csv")
    rows = list(csv.reader((tmp_path / "short.csv").read_text().splitlines()))
    assert rows[1][0].startswith("Sealing tape")
    answered(qtbot, petal.session.errands, lambda: bag.kit.save("csv", tmp_path / "kit.csv"))
    assert next(csv.reader((tmp_path / "kit.csv").read_text().splitlines()))[0] == "laid out"


def test_a_step_is_ticked_and_a_gate_is_not_passed_before_its_time(petal, bag, qtbot):
    bag.tabs.go("Draw down")
    page = bag.draw
    type_into(qtbot, page.by, "Ada")
    page.list.item(0).setCheckState(Qt.CheckState.Checked)
    assert drawn_steps(petal.session.journal)["edge"].by == "Ada"
    page.list.item(2).setCheckState(Qt.CheckState.Checked)  # the gate, with the tape still to be laid
    assert "First: Tape down" in petal.message.text()
    assert "tape-gate" not in drawn_steps(petal.session.journal)
    assert page.list.item(2).checkState() == Qt.CheckState.Unchecked
    page.list.item(5).setCheckState(Qt.CheckState.Checked)  # beyond the gate
    assert len(drawn_steps(petal.session.journal)) == 1
    page.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert drawn_steps(petal.session.journal) == {}
    assert [e.kind for e in petal.session.journal] == ["drawn", "undrawn"]


def test_a_bridge_is_pinned_and_left_in_the_part(petal, bag, qtbot):
    bag.tabs.go("Draw down")
    page = bag.draw
    page.pin_button.setChecked(True)
    x, y = page.plan.view.to(np.array([[0.6, 0.7]]))[0]
    qtbot.mouseClick(page.plan, LEFT, pos=QPoint(round(x), round(y)))
    (found,) = bridges_found(petal.session.journal)
    assert (found.x, found.y) == (pytest.approx(0.6, abs=0.01), pytest.approx(0.7, abs=0.01))
    assert not page.pin_button.isChecked()
    settled(qtbot, bag, lambda: page.found.item(0).setCheckState(Qt.CheckState.Checked))
    assert [b.id for b in petal.session.job.bag.bridges] == [found.id]
    petal.session.undo_stack.undo()
    assert petal.session.job.bag.bridges == ()
    assert len(bridges_found(petal.session.journal)) == 1  # what was found stays on the record


KILLED = """
import sys
from pathlib import Path
from PySide6.QtCore import QSettings, Qt
from bibulon.app.start import application, make_window
from bibulon.store.jobfile import load
application()
folder = Path(sys.argv[1])
window = make_window(QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat), folder / "state")
window.session.open(folder / "petal.bibulon")
window.show()
window.go([s.name for s in window.stations].index("Bag"))
bag = window.station("Bag")
from PySide6.QtCore import QEventLoop
loop = QEventLoop()
bag.laid.changed.connect(loop.quit)
bag.laid.want()
if bag.laid.bag is None:
    loop.exec()
bag.tabs.go("Draw down")
for k in range(2):
    bag.draw.list.item(k).setCheckState(Qt.CheckState.Checked)
bag.draw.pin(0.5, 0.6)
window.go([s.name for s in window.stations].index("Charge"))
window.station("Charge").mix.tick(0)
print("ticked", flush=True)
sys.stdin.read()
"""


def test_ticks_and_pins_outlive_a_killed_program(tmp_path):
    from bibulon.store.jobfile import save

    save(demo_job(), tmp_path / "petal.bibulon")
    run = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert run.stdout.readline() == "ticked\n"
    run.send_signal(signal.SIGKILL)
    run.wait()
    run.stdin.close()
    run.stdout.close()
    journal = load(tmp_path / "petal.bibulon").journal
    assert set(drawn_steps(journal)) == {"edge", "tape-first"}
    assert [(b.x, b.y) for b in bridges_found(journal)] == [(0.5, 0.6)]
    assert len(mixed_steps(journal)) == 1


def test_film_and_tape_are_this_shops(petal, bag, qtbot):
    answered(qtbot, bag.kit.ask, lambda: bag.tabs.go("Kit"))

    def row(name):
        return next(x for x in bag.kit.items if x.key == name)

    price = row("film").price
    answered(
        qtbot, bag.kit.ask, lambda: type_into(qtbot, bag.kit.film.fields["bag.film.price_per_m2"], "2.20")
    )
    assert row("film").price == pytest.approx(2 * price)
    answered(qtbot, bag.kit.ask, lambda: type_into(qtbot, bag.kit.film.texts["bag.film.name"], "Clear 75"))
    assert row("film").name == "Clear 75"
    rolls = row("tape").packs
    answered(qtbot, bag.kit.ask, lambda: type_into(qtbot, bag.kit.tape.fields["bag.tape.roll_length"], "5 m"))
    assert row("tape").packs != rolls
    before = petal.session.job
    type_into(qtbot, bag.kit.film.texts["bag.film.name"], " ")
    assert petal.session.job == before  # a film has a name
    assert bag.kit.film.texts["bag.film.name"].text() == "Clear 75"
