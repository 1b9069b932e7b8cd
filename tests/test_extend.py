"""docs/extend.md, followed word by word: each example registers a toy of its kind, and it works in the real program."""

from __future__ import annotations

import json
import re
import sys
import types
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, Qt

from bibulon.app.session.session import Session
from bibulon.app.shell.window import Window
from bibulon.app.stations.registry import STATIONS
from bibulon.cli.commands import COMMANDS
from bibulon.cli.main import main
from bibulon.core.findings import judge
from bibulon.core.findings.catalogue import practices
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.plans.reckon.row import reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.store.exports import lists
from bibulon.store.jobfile import save

TEXT = (Path(__file__).resolve().parents[1] / "docs/extend.md").read_text(encoding="utf-8")
EXAMPLES = dict(re.findall(r"```python (\w+)\n(.*?)```", TEXT, re.DOTALL))


def example(name):
    """Run an example of the page and return what it made."""
    made: dict[str, object] = {}
    exec(compile(EXAMPLES[name], f"docs/extend.md, {name}", "exec"), made)
    return made


@pytest.fixture
def registries():
    """What the examples register goes again."""
    kept_rules = list(judge.RULES)
    kept, kept_rows = dict(lists.LISTS), dict(ROWS)
    yield
    ROWS.clear()
    ROWS.update(kept_rows)
    judge.RULES[:] = kept_rules
    lists.LISTS.clear()
    lists.LISTS.update(kept)


@pytest.fixture
def window_of(qtbot, tmp_path, demo):
    made = []

    def make(*kinds):
        session = Session(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat), tmp_path / "state")
        window = Window(session, (*STATIONS, *kinds))
        window._may_leave = lambda: True
        qtbot.addWidget(window)
        window.show()
        session.keeper.begin(demo)
        session.job = demo
        session.job_changed.emit(demo)
        made.append(window)
        return window

    yield make
    for window in made:
        window.session.close()


def test_every_example_is_tried():
    assert set(EXAMPLES) == {"station", "page", "finding", "command", "list", "ask", "reckon"}


def test_a_station_is_a_class_and_a_line(window_of, qtbot, demo):
    window = window_of(example("station")["TallyStation"])
    row = window.rail.rows[-1]
    assert row.name == "Tally"
    assert row.state.figure == f"{len(demo.stack)} layers"
    qtbot.mouseClick(row, Qt.MouseButton.LeftButton)
    assert window.stations[window.current].name == "Tally"
    assert window.stations[window.current].bench.text() == f"{len(demo.stack)} layers"
    assert window.stations[-1].side.isVisible()
    assert f"Go to {window.stations[-1].name}" in window.actions_by_title


def test_a_page_brings_its_own_side_panel(window_of):
    window = window_of(example("page")["PagedStation"])
    window.go(len(window.stations) - 1)
    station = window.stations[-1]
    assert station.side.isVisible()
    station.bench.go("Sums")
    assert station.bench.current.side.isVisible()
    assert not station.side.isVisible()
    station.bench.go("Plain")
    assert station.side.isVisible()


def test_twelve_stations_scroll_and_are_reached(window_of, qtbot):
    toy = example("station")["TallyStation"]
    window = window_of(*([toy] * 2))
    window.resize(1180, 720)
    shown = [r for r in window.rail.rows if r.isVisible()]
    assert [r.number for r in shown] == list(range(1, 13))
    row = shown[-1]
    window.go(row.index)
    top = row.mapTo(window.rail.viewport(), row.rect().topLeft()).y()
    assert 0 <= top <= window.rail.viewport().height() - row.height()


def test_a_finding_is_a_function(registries, demo, window_of):
    example("finding")
    found = {f.key: f for f in find(evidence_of(demo))}
    assert found["toy-layers"].worded("metric").number == f"{len(demo.stack)} layers on 0.50 m²"
    assert found["toy-layers"].worded("us").number == f"{len(demo.stack)} layers on 5.38 ft²"
    cards = {p.rule: p for p in practices()}
    assert cards["too_few_layers"].words == "A part of fewer than twenty layers (a toy limit)."
    assert cards["too_few_layers"].drawing == ""


def test_a_command_is_a_module_and_a_line(monkeypatch, demo, tmp_path, capsys):
    made = types.ModuleType("bibulon.cli.commands.tally")
    made.__dict__.update(example("command"))
    monkeypatch.setitem(sys.modules, made.__name__, made)
    monkeypatch.setitem(COMMANDS, "tally", "Count layers.")
    save(demo, tmp_path / "d.json")
    assert main(["tally", str(tmp_path / "d.json"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == {"layers": len(demo.stack)}


def test_a_list_is_an_entry(registries, demo, tmp_path):
    example("list")
    lists.write_list(demo, "layers", tmp_path / "layers.csv")
    assert (tmp_path / "layers.csv").read_text().splitlines()[0] == "layer,material"
    lists.write_list(demo, "layers", tmp_path / "layers.pdf")
    assert (tmp_path / "layers.pdf").read_bytes().startswith(b"%PDF")


def test_work_is_asked_with_a_key(window_of, qtbot, demo):
    window = window_of()
    told = []
    ask = example("ask")["asked"](window.session, window, told.append)
    qtbot.waitUntil(lambda: told == [len(demo.stack)], timeout=20_000)
    ask.close()


def test_a_row_of_the_reckoner(registries):
    example("reckon")
    assert reckon(ROWS["cloth"], {"area": "2 m2", "areal_mass": "600 g/m2"}) == {
        "mass_kg": pytest.approx(1.2)
    }
