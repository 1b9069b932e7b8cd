"""The same figure by every way to it: window, card, lists and command line tell the same of one job."""

from __future__ import annotations

import csv
import json
import re

import pypdf
import pytest
from tests.app.hand import press

from bibulon.app.session import forecaster
from bibulon.cli.main import main
from bibulon.core.drawing.sheets.card import card_pages
from bibulon.core.flow.forecast import COARSE
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.outlook.outlook import THROUGH, look_ahead
from bibulon.core.units.units import clock, show
from bibulon.store.jobfile import save

JOBS = {"bag": demo_job(), "mould": mould_demo_job()}
_said: dict[tuple[str, ...], str] = {}  # by job and command: a job's file is the same in every test


@pytest.fixture(params=sorted(JOBS))
def told(request, window, qtbot, tmp_path, monkeypatch, capsys):
    """A window with a job on the mesh of a command's ``--coarse``, and what the command line says of the same file."""
    monkeypatch.setattr(forecaster, "FINE_ON_SCREEN", COARSE)
    job = JOBS[request.param]
    with qtbot.waitSignal(window.session.forecaster.idle, timeout=120_000):
        window.session.new(job)
    path = tmp_path / "job.bibulon"
    save(window.session.job, path)

    def by_command(*words):
        coarse = ["--coarse"] if words[0] in {"forecast", "findings", "mould", "calls"} else []
        if (request.param, *words) not in _said:
            main([words[0], str(path), *coarse, "--json"])
            _said[(request.param, *words)] = capsys.readouterr().out
        return json.loads(_said[(request.param, *words)])

    return window, by_command, path


def rail(window, name):
    """Return what the rail's row of a station says, as who cannot see it is told."""
    row = next(r for r in window.rail.rows if r.name == name)
    return row.accessibleName()


def test_the_fill_and_the_charge_are_one(told):
    window, by_command, _ = told
    outlook = window.session.outlook
    assert outlook.fine
    forecast, charge = by_command("forecast"), by_command("charge")
    assert forecast["fill_time_s"] == pytest.approx(outlook.forecast.fill_time, rel=1e-9)
    assert forecast["dry_area_m2"] == pytest.approx(outlook.forecast.dry_area, abs=1e-9)
    plan = outlook.evidence.charge
    assert charge["total_kg"] == pytest.approx(plan.total, rel=1e-9)
    assert charge["part_a_kg"] == pytest.approx(plan.part_a, rel=1e-9)
    assert clock(forecast["fill_time_s"]) in rail(window, "Lines")
    assert show(charge["total_kg"], "mass") in rail(window, "Charge")
    lines, vessel = window.station("Lines"), window.station("Charge")
    window.go_to("Lines")
    assert lines.figures.figures["wet through at"].text.text() == clock(forecast["fill_time_s"])
    window.go_to("Charge")
    assert vessel.figures.figures["to mix"].text.text() == show(charge["total_kg"], "mass")
    assert vessel.figures.figures["part B"].text.text() == show(charge["part_b_kg"], "mass")


def test_findings_are_the_same_in_their_order(told):
    window, by_command, _ = told
    shown = [(f.key, f.weight) for f in window.session.outlook.findings]
    assert [(f["key"], f["weight"]) for f in by_command("findings")] == shown
    listed = [(f.key, f.weight) for f in window.findings.findings]
    assert sorted(listed) == sorted(shown)


def test_what_is_reckoned_without_a_window_is_what_the_window_reckoned(told):
    window, _, _ = told
    there = window.session.outlook
    bare = look_ahead(window.session.job, COARSE, fine=True)
    assert bare.forecast.fill_time == pytest.approx(there.forecast.fill_time, rel=1e-9)
    assert [f.key for f in bare.findings] == [f.key for f in there.findings]
    assert bare.evidence.charge == there.evidence.charge


def test_the_card_says_what_the_window_says(told, tmp_path):
    window, by_command, path = told
    forecast, charge = by_command("forecast"), by_command("charge")
    assert main(["card", str(path), "-o", str(tmp_path / "card.pdf")]) == 0
    printed = " ".join(p.extract_text() for p in pypdf.PdfReader(tmp_path / "card.pdf").pages)
    outlook, s = window.session.outlook, window.session
    laid = card_pages(
        s.job, outlook.evidence, outlook.findings, s.journal, s.system, outlook.contours.get(THROUGH)
    )
    seen = " ".join(i.text for p in laid for i in p.items if hasattr(i, "text"))
    for words in (clock(forecast["fill_time_s"]), show(charge["total_kg"], "mass"), s.job.name):
        assert words in seen
    for words in (show(charge["total_kg"], "mass"), s.job.name):  # its forecast is on the finer mesh
        assert words.split()[0] in printed


def test_the_kit_is_one_on_screen_and_in_its_file(told, qtbot, tmp_path):
    window, _, path = told
    if window.session.job.process != "infusion":
        pytest.skip("a closed mould has no bag to lay out")
    window.go_to("Bag")
    bag = window.station("Bag")
    press(qtbot, bag.bench, "Kit")
    qtbot.waitUntil(lambda: bag.kit.table.row_count() > 0, timeout=20_000)
    assert main(["list", str(path), "kit", "-o", str(tmp_path / "kit.csv")]) == 0
    with open(tmp_path / "kit.csv", newline="") as file:
        rows = list(csv.reader(file))[1:]
    shown = [bag.kit.table.text_at(r, 0) for r in range(bag.kit.table.row_count())]
    in_file = " ".join(" ".join(row) for row in rows)
    assert [name for name in shown if name not in in_file] == []
    tape = by_name(bag.kit.table, "tape")
    assert tape is None or tape.split()[0] in in_file


def by_name(table, word):
    """Return how much of the first thing of this name is needed, as the list says it."""
    for r in range(table.row_count()):
        if re.search(rf"\b{word}\b", table.text_at(r, 0)):
            return table.text_at(r, 2)
    return None


def test_a_mould_s_fill_is_one_by_both_commands(told):
    window, by_command, _ = told
    if window.session.job.process == "infusion":
        pytest.skip("a bag has no mould")
    mould = by_command("mould")
    assert mould["fill_time_s"] == pytest.approx(by_command("forecast")["fill_time_s"], rel=1e-9)
    least = window.session.outlook.evidence.mould.closing.margin.min() / 1000.0
    assert mould["margin_least_kn"] == pytest.approx(least, rel=1e-9)
    assert f"margin {least:.1f} kN" in rail(window, "Mould")


@pytest.mark.parametrize("system", ["metric", "us"])
def test_words_of_a_command_are_its_figures_in_the_reader_s_units(told, capsys, system):
    _, by_command, path = told
    figures = by_command("charge")
    assert main(["charge", str(path), "--units", system]) == 0
    words = capsys.readouterr().out
    for mass in (
        figures["total_kg"],
        *(s["mass_kg"] for s in figures["sinks"]),
        *(b["part_b_kg"] for b in figures["batches"]),
    ):
        assert show(mass, "mass", system, 3) in words
    assert main(["forecast", str(path), "--coarse", "--units", system]) == 0
    words = capsys.readouterr().out
    assert clock(by_command("forecast")["fill_time_s"]) in words


def test_a_call_chosen_in_a_sorted_list_moves_the_clock_to_its_own_moment(told, qtbot):
    window, by_command, _ = told
    window.go_to("Lines")
    lines = window.station("Lines")
    press(qtbot, lines.bench, "Calls")
    table = lines.calls.table
    qtbot.waitUntil(lambda: table.row_count() > 0, timeout=20_000)
    times = [row.time for row in lines.calls.rows]
    table.sort(2)
    table.sort(2)  # by what is said, from the end of the alphabet
    for place in range(table.row_count()):
        table.setCurrentIndex(table.rows.index(place, 0))
        assert window.session.moment == pytest.approx(times[table.current_row()])
        assert table.rows.index(place, 0).data() == table.text_at(table.current_row(), 0)
    assert [c["at"] for c in by_command("calls")] == [clock(t) for t in times]


def test_units_of_the_window_change_what_is_shown_and_nothing_else(told):
    window, by_command, _ = told
    before, job = by_command("charge"), window.session.job
    window.go_to("Charge")
    charge = window.station("Charge")
    for system in ("us", "metric"):
        window.session.set_system(system)
        shown = charge.figures.figures["to mix"].text.text()
        assert shown == show(before["total_kg"], "mass", system)
    assert window.session.job is job
    assert before == by_command("charge")
