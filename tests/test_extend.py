"""docs/extend.md, followed word by word: each example registers a toy of its kind, and it works in the real program."""

from __future__ import annotations

import json
import re
import sys
import types
from pathlib import Path
from typing import get_args

import pytest
from PySide6.QtCore import QSettings, Qt

from bibulon.app.session.session import Session
from bibulon.app.shell.window import Window
from bibulon.app.stations.registry import STATIONS
from bibulon.cli.commands import COMMANDS
from bibulon.cli.main import main
from bibulon.core.drawing.kit.tokens import NIGHT
from bibulon.core.drawing.sheets.card import ENTRY_WORDS, journal_rows
from bibulon.core.findings import judge
from bibulon.core.findings.catalogue import practices
from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.geometry.outline import area
from bibulon.core.library.catalogue import library, resins
from bibulon.core.library.properties import KINDS, PROPERTIES, text_of
from bibulon.core.model.job import Layer
from bibulon.core.model.materials import Material
from bibulon.core.plans.reckon.row import reckon
from bibulon.core.plans.reckon.rows import ROWS
from bibulon.core.stack.laminate import layer_state
from bibulon.devices.kinds import INSTRUMENTS
from bibulon.store.exports import lists
from bibulon.store.imports.drawing_in import READERS, DrawingError, assemble, read_drawing
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
    tables: list[dict] = [INSTRUMENTS, READERS, ENTRY_WORDS]
    before = [dict(table) for table in tables]
    yield
    for table, rows in zip(tables, before, strict=True):
        table.clear()
        table.update(rows)
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
    assert set(EXAMPLES) == {
        "station", "page", "drawing", "finding", "command", "list", "ask", "reckon", "entry", "instrument", "import", "question",
    }  # fmt: skip


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


def test_a_drawing_is_painted_in_its_theme_and_says_its_words(qtbot):
    tally = example("drawing")["Tally"](7)
    qtbot.addWidget(tally)
    tally.set_theme(NIGHT)
    tally.resize(200, 60)
    tally.show()
    qtbot.waitUntil(lambda: "7 layers" in tally.accessibleDescription())
    image = tally.grab().toImage()
    assert image.pixelColor(2, 2).name() == NIGHT.ground
    assert any(image.pixelColor(x, 30).name() != NIGHT.ground for x in range(60, 140))


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


def test_an_instrument_is_a_row_and_is_offered_where_one_is_picked(registries, window_of, qtbot, tmp_path):
    example("instrument")
    window = window_of()
    window.go_to("Prove")
    pick = window.station("Prove").panel.pick
    offered = [pick.source.itemText(k) for k in range(pick.source.count())]
    assert offered[-1] == "a slate"
    slate = tmp_path / "slate.txt"
    slate.write_text("read at nine: 4200")
    assert window.session.instruments.choose("slate", "bench", slate) == ""
    assert window.session.instruments.read().values == {"pressure": 4200.0}
    assert not window.session.instruments.simulated
    slate.write_text("nothing yet")
    assert "pressure" not in window.session.instruments.read().values  # a gap, not a guess
    window.session.instruments.choose("simulated")


def test_a_drawing_is_read_by_its_ending(registries, tmp_path):
    path = tmp_path / "panel.xy"
    path.write_text("0 0\n1200 0\n1200 700\n0 700\n")
    with pytest.raises(DrawingError, match="no drawing that is read here: DXF, SVG"):
        read_drawing(path)
    example("import")
    taken = assemble(read_drawing(path), ("points",), "mm", 1e-4)
    assert area(taken.outline) == pytest.approx(1.2 * 0.7)
    path.write_text("0 0\nwide\n")
    with pytest.raises(DrawingError, match="damaged, or no XY file"):
        read_drawing(path)


def test_a_journal_entry_is_on_disk_and_told(registries, window_of, demo, tmp_path):
    made = example("entry")
    window = window_of()
    assert made["note_smell"](window.session, "styrene at the flange")
    rows = journal_rows(window.session.journal, demo, "metric")
    assert rows[-1][1:] == ("smell noted", "styrene at the flange")


def test_a_question_is_an_ensemble(demo):
    times = example("question")["fill_times"](demo, 2, 7)
    assert len(times) == 2
    assert all(300 < t < 7200 for t in times)


def test_no_kind_of_material_lacks_a_name_figures_or_a_state(demo):
    kinds = {cls.kind: cls for cls in get_args(Material)}
    assert set(kinds) == set(KINDS) == set(PROPERTIES)
    shelf = {m.kind: m for m in (*library().values(), *resins().values())}
    assert len(set(kinds) - set(shelf)) <= 1  # of some a shop brings its own alone
    for kind, material in shelf.items():
        assert all(isinstance(text_of(material, p), str) for p in PROPERTIES[kind])
        if kind != "resin":
            job = demo.replaced(materials={"m": material}, stack=(Layer(id="L1", material="m"),), mesh=None)
            assert layer_state(job.stack[0], job).dry_mass >= 0
