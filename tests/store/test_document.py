"""The document in a file: earlier versions, its parts beside it, what is damaged or dangling left out and nothing else."""

from __future__ import annotations

import copy
import json
import signal
import sqlite3
import subprocess
import sys
from pathlib import Path

import jsonschema
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.written import written

from bibulon.core.library.demo import demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.job import Variant
from bibulon.core.model.part import Surface
from bibulon.core.run.journal import Entry
from bibulon.store import container
from bibulon.store.document import REF, Document, document_of, joined
from bibulon.store.jobfile import JobFileError, load, save
from bibulon.store.keeper import Keeper
from bibulon.store.migrations import STEPS, migrated
from bibulon.store.raw import job_from, raw_of, schema

FROZEN = Path(__file__).parent / "frozen"


@pytest.fixture(scope="module")
def rich(demo):
    """A job with two other plans, a long record of the gauge, and a surface."""
    readings = tuple(Reading(time=10.0 * k, pressure=2500.0 + k) for k in range(60))
    plain = demo.replaced(test=demo.test.replaced(readings=readings))
    plans = tuple(
        Variant(id=f"v{k}", name=f"plan {k}", job=plain.replaced(name=f"plan {k}", notes="x" * k))
        for k in (1, 2)
    )
    corners = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0))
    surface = Surface(space=tuple((x, y, 0.1 * x) for x, y in corners), plan=corners, triangles=((0, 1, 2),))
    return plain.replaced(variants=plans, part=plain.part.replaced(surface=surface))


# -- earlier versions


@pytest.mark.parametrize("ending", ["bibulon", "json"])
def test_a_job_of_the_first_version_opens_with_all_that_it_held(ending):
    raw = json.loads((FROZEN / "version-1.json").read_text())
    assert raw["version"] == 1
    loaded = load(FROZEN / f"version-1.{ending}")
    assert loaded.problems == ()
    assert loaded.job.version == 2
    assert [(r.time, r.pressure) for r in loaded.job.test.readings] == [
        (r["time"], r["pressure"]) for r in raw["test"]["readings"]
    ]
    (variant,) = loaded.job.variants
    assert variant.name == raw["variants"][0]["name"]
    assert [x.id for x in variant.job.lines] == [x["id"] for x in raw["variants"][0]["job"]["lines"]]
    assert len(variant.job.test.readings) == len(raw["variants"][0]["job"]["test"]["readings"])
    assert loaded.job.notes == raw["notes"]
    assert [(e.kind, e.clock, e.uid) for e in loaded.journal] == [("start", 0.0, "a1"), ("front", 61.5, "a2")]


@pytest.mark.parametrize("ending", ["bibulon", "json"])
def test_a_job_of_the_first_version_goes_on_and_is_saved_in_todays(tmp_path, ending):
    path = tmp_path / f"old.{ending}"
    path.write_bytes((FROZEN / f"version-1.{ending}").read_bytes())
    keeper = Keeper(tmp_path / "state")
    opened = keeper.open(path)
    assert not opened.modified
    keeper.stamp(Entry("r", 70.0, "note", {"text": "later"}))
    assert [e.kind for e in load(path).journal] == ["start", "front", "note"]  # before anything is saved
    assert keeper.save(opened.job.replaced(notes="now")) == ()
    keeper.end()
    again = load(path)
    assert (again.job.notes, again.problems) == ("now", ())
    assert [e.kind for e in again.journal] == ["start", "front", "note"]
    if ending == "bibulon":
        with sqlite3.connect(path) as db:
            assert db.execute("PRAGMA user_version").fetchone() == (3,)
            assert json.loads(db.execute("SELECT json FROM document").fetchone()[0])["version"] == 2
        db.close()


def test_steps_leave_what_they_do_not_know(demo):
    assert sorted(STEPS) == [1]  # a step from every version that there was
    assert migrated({"version": 9, "x": 1}) == {"version": 9, "x": 1}
    assert migrated({"x": 1}) == {"x": 1}  # by hand, for today's
    odd = {"version": 1, "test": {"readings": "none", "warmth": []}, "variants": [3, {"job": 4}]}
    assert migrated(copy.deepcopy(odd)) == {**odd, "version": 2}


# -- by columns


def test_a_gauges_record_is_written_by_columns_and_read_back(demo, rich):
    cells = json.loads(written(rich))["test"]["readings"]
    assert cells["time"][:3] == [0.0, 10.0, 20.0]
    assert job_from(json.loads(written(rich))) == rich
    jsonschema.validate(json.loads(written(rich)), schema())
    by_rows = {"readings": [{"time": 0.0, "pressure": 2000.0}]}  # as people write it by hand
    assert job_from({**raw_of(demo), "test": by_rows}).test.readings == (Reading(time=0.0, pressure=2000.0),)


@pytest.mark.parametrize(
    ("columns", "says"),
    [
        ({"time": [0.0, 1.0], "pressure": [2000.0]}, "not of one length"),
        ({"time": [0.0], "pressure": [-1.0]}, "readings.0.pressure"),
        ({"time": [0.0], "depth": [1.0]}, "readings.0.depth"),
        ({"time": 3.0, "pressure": [1.0]}, "not of one length"),
        ("many", "readings"),
    ],
)
def test_columns_that_are_none_are_refused(demo, columns, says):
    with pytest.raises(Invalid, match=says.replace(".", r"\.")):
        job_from({**raw_of(demo), "test": {"readings": columns}})


# -- parts


def test_what_is_large_stands_beside_the_text_once(rich, demo):
    kept = document_of(rich)
    whole = json.loads(kept.text)
    assert set(whole["variants"][0]["job"]) == {REF}
    assert set(whole["test"]["readings"]) == set(whole["part"]["surface"]) == {REF}
    # Two plans, one surface, and one record of the gauge, which all three plans share.
    assert len(kept.parts) == 4
    assert len(kept.text) < 0.4 * len(written(rich))
    back, problems = joined(whole, kept.parts)
    assert problems == []
    assert job_from(back) == rich
    assert document_of(demo).parts == {}


def test_a_file_with_parts_comes_back_in_both_forms(rich, tmp_path):
    for name in ("a.bibulon", "a.json"):
        save(rich, tmp_path / name)
        assert load(tmp_path / name).job == rich
    assert REF not in (tmp_path / "a.json").read_text()  # for other programs all stands in one


@pytest.mark.parametrize(
    ("which", "says", "left"),
    [
        (
            "variants",
            "the plan “plan 1” is damaged and was left out",
            lambda j: [v.name for v in j.variants] == ["plan 2"],
        ),
        ("readings", "the record of the leak test is damaged", lambda j: j.test.readings == ()),
        ("surface", "the mould's surface is damaged", lambda j: j.part.surface is None),
    ],
)
@pytest.mark.parametrize("how", ["gone", "changed"])
def test_a_damaged_part_costs_itself_alone(rich, tmp_path, which, says, left, how):
    path = tmp_path / "a.bibulon"
    save(rich, path, [Entry("r", 0.0, "note", {"text": "kept"})])
    whole = json.loads(document_of(rich).text)
    cell = {
        "variants": whole["variants"][0]["job"], "readings": whole["test"]["readings"], "surface": whole["part"]["surface"],
    }[which]  # fmt: skip
    act = (
        "DELETE FROM part WHERE sum = ?"
        if how == "gone"
        else "UPDATE part SET json = json || ' ' WHERE sum = ?"
    )
    with sqlite3.connect(path) as db:
        assert db.execute(act, (cell[REF],)).rowcount == 1
    db.close()
    loaded = load(path)
    assert any(says in p for p in loaded.problems)
    assert left(loaded.job)
    assert loaded.job.lines == rich.lines
    assert len(loaded.journal) == 1


def parts_in(path):
    with sqlite3.connect(path) as db:
        found = db.execute("SELECT sum, rowid FROM part ORDER BY rowid").fetchall()
    db.close()
    return found


def test_an_autosave_writes_the_text_alone_where_the_parts_are_there(rich, tmp_path, monkeypatch):
    keeper = Keeper(tmp_path)
    keeper.begin(rich)
    keeper.autosave(rich)
    before = parts_in(keeper.working)
    monkeypatch.setattr(container, "write", None)  # nothing is written whole from here on
    keeper.autosave(rich.replaced(notes="more"))
    assert parts_in(keeper.working) == before
    assert load(keeper.working).job.notes == "more"
    third = Variant(id="v3", name="plan 3", job=rich.variants[0].job.replaced(notes="third"))
    keeper.autosave(rich.replaced(variants=(*rich.variants, third)))
    assert parts_in(keeper.working)[: len(before)] == before
    assert len(parts_in(keeper.working)) == len(before) + 1
    assert load(keeper.working).problems == ()
    assert len(load(keeper.working).job.variants) == 3
    keeper.end()


def test_an_autosave_after_a_row_loses_neither(rich, tmp_path):
    keeper = Keeper(tmp_path)
    keeper.begin(rich)
    keeper.autosave(rich)
    keeper.stamp(Entry("r", 1.0, "note", {"text": "one"}))
    keeper.autosave(rich.replaced(notes="two"))
    keeper.autosave(rich.replaced(notes="three"))
    found = load(keeper.working)
    assert (found.job.notes, [e.data["text"] for e in found.journal], found.problems) == (
        "three",
        ["one"],
        (),
    )
    keeper.end()


KILLED = """
import sys
from pathlib import Path
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import load
from bibulon.store.keeper import Keeper
keeper = Keeper(Path(sys.argv[2]))
job = load(Path(sys.argv[1])).job
keeper.begin(job)
write = keeper.autosave
if len(sys.argv) > 3:
    keeper.save(job, Path(sys.argv[3]))
    write = keeper.save
for k in range(100000):
    if k % 5 == 0:
        keeper.stamp(Entry("r", float(k), "note", {"text": str(k)}))
        print("row", k, flush=True)
    write(job.replaced(notes=str(k)))
    print("saved", k, flush=True)
"""


def killed_after(lines, source, state, *home):
    """Let a program stamp and write until it has told so many lines, and kill it; return the rows and states that it told."""
    run = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(source), str(state), *map(str, home)],
        stdout=subprocess.PIPE,
        text=True,
    )
    told = [run.stdout.readline().split() for _ in range(lines)]
    run.send_signal(signal.SIGKILL)
    run.wait()
    run.stdout.close()
    return [k for what, k in told if what == "row"], [int(k) for what, k in told if what == "saved"]


@pytest.mark.parametrize("after", [7, 18, 31])
def test_a_kill_between_autosaves_loses_no_row_and_no_more_than_the_last_edit(rich, tmp_path, after):
    source, state = tmp_path / "a.json", tmp_path / "state"
    save(rich, source)
    rows, saved = killed_after(after, source, state)
    keeper = Keeper(state)
    (left,) = keeper.leftovers()
    assert left.problem == ""
    opened = keeper.recover(left.path)
    assert int(opened.job.notes) >= saved[-1]
    assert opened.job.variants == rich.variants
    assert [e.data["text"] for e in keeper.rows][: len(rows)] == rows
    keeper.end()


@pytest.mark.parametrize("after", [7, 18, 31])
def test_a_kill_between_saves_leaves_a_whole_file_with_every_row(rich, tmp_path, after):
    source, home = tmp_path / "a.json", tmp_path / "home.bibulon"
    save(rich, source)
    rows, saved = killed_after(after, source, tmp_path / "state", home)
    there = load(home)
    assert there.problems == ()
    assert int(there.job.notes) >= saved[-1]
    assert there.job.variants == rich.variants
    assert [e.data["text"] for e in there.journal][: len(rows)] == rows


def test_a_save_takes_out_parts_that_the_job_no_longer_has(rich, tmp_path):
    home, keeper = tmp_path / "home.bibulon", Keeper(tmp_path / "state")
    keeper.begin(rich)
    keeper.save(rich, home)
    keeper.save(rich.replaced(variants=()))
    with sqlite3.connect(home) as db:
        kept = {s for (s,) in db.execute("SELECT sum FROM part")}
    assert kept == set(document_of(rich.replaced(variants=())).parts) != set(document_of(rich).parts)
    assert load(home).job == rich.replaced(variants=())
    assert load(home).problems == ()
    keeper.end()


@pytest.mark.parametrize(
    "trouble", [sqlite3.OperationalError("attempt to write a readonly database"), OSError("no")]
)
def test_a_file_that_cannot_be_written_in_place_is_written_anew(rich, tmp_path, monkeypatch, trouble):
    home, keeper = tmp_path / "home.bibulon", Keeper(tmp_path / "state")
    keeper.begin(rich)
    keeper.save(rich, home)
    keeper.stamp(Entry("r", 1.0, "note", {"text": "kept"}))
    before = home.stat().st_ino

    def refused(*_):
        raise trouble

    monkeypatch.setattr(container, "revise", refused)
    assert keeper.save(rich.replaced(name="Anew")) == ()
    assert home.stat().st_ino != before
    assert load(home).job.name == "Anew"
    assert [e.data["text"] for e in load(home).journal] == ["kept"]
    keeper.end()


@pytest.mark.parametrize(
    "place", ["UPDATE meta SET value = x'ff' WHERE key = 'head'", "UPDATE part SET sum = x'ff'"]
)
def test_a_file_whose_words_are_no_words_is_refused_in_place(rich, tmp_path, place):
    home, keeper = tmp_path / "home.bibulon", Keeper(tmp_path / "state")
    keeper.begin(rich)
    keeper.save(rich, home)
    tag = load(home).tag
    keeper.end()
    with sqlite3.connect(home) as db:
        db.execute(place + (" WHERE rowid = 1" if "part" in place else ""))
    before = home.read_bytes()
    with pytest.raises(container.ContainerError, match="is damaged"):
        container.revise(home, document_of(rich), tag)
    assert home.read_bytes() == before


@pytest.mark.parametrize("other", ["document", "rows"])
def test_a_save_over_what_another_program_wrote_keeps_it_aside(rich, tmp_path, monkeypatch, other):
    """Also where the disk's clock is too coarse to tell."""
    home, keeper = tmp_path / "home.bibulon", Keeper(tmp_path / "state")
    keeper.begin(rich)
    keeper.save(rich, home)
    tag = load(home).tag
    if other == "document":
        container.revise(home, document_of(rich.replaced(name="Theirs")), tag)
    else:
        container.add(home, tag, [Entry("r", 1.0, "note", {"text": "theirs"}, uid="t")])
    monkeypatch.setattr("bibulon.store.saving.signature", lambda path: keeper._seen)
    words = keeper.save(rich.replaced(name="Mine"))
    assert load(home).job.name == "Mine"
    if other == "document":
        assert "changed by another program" in words[0]
        (kept,) = (tmp_path / "state" / "replaced").iterdir()
        assert load(kept).job.name == "Theirs"
    else:
        assert [e.data["text"] for e in load(home).journal] == ["theirs"]
    keeper.end()


# -- what is at fault, and nothing else


def broken(job, change):
    raw = json.loads(written(job))
    change(raw)
    return raw


def opened(raw, tmp_path):
    path = tmp_path / "broken.json"
    path.write_text(json.dumps(raw))
    return load(path)


@pytest.mark.parametrize(
    ("change", "says", "left"),
    [
        (lambda d: d["lines"][1].update(bore=-1), "lines → 1 → bore", lambda j: [x.id for x in j.lines] == ["F1", "V1"]),
        (lambda d: d["lines"][1].update(manifold="nowhere"), "hangs on “nowhere”", lambda j: [x.id for x in j.lines] == ["F1", "V1"]),
        (lambda d: d["stack"][2].update(material="gone"), "is of “gone”", lambda j: len(j.stack) == 7),
        (lambda d: d["stack"][2].update(zones=["nozone"]), "lies in “nozone”", lambda j: len(j.stack) == 7),
        (lambda d: d["mesh"].update(material="gone"), "flow mesh is of “gone”", lambda j: j.mesh is None and len(j.lines) == 3),
        (lambda d: d["part"]["zones"][0].update(kind="odd"), "part → zones → 0", lambda j: len(j.part.zones) == 1),
        (lambda d: d["conditions"].update(vacuum=-5), "conditions → vacuum", lambda j: len(j.lines) == 3),
        (lambda d: d.update(surprise=1), "surprise", lambda j: len(j.lines) == 3),
        (lambda d: d["test"]["readings"]["time"].pop(), "test → readings", lambda j: len(j.lines) == 3 and len(j.stack) == 8),
    ],
)  # fmt: skip
def test_one_fault_costs_what_it_stands_in(demo, tmp_path, change, says, left):
    loaded = opened(broken(demo, change), tmp_path)
    assert any(says in p for p in loaded.problems), loaded.problems
    assert left(loaded.job)
    assert loaded.job.name == demo.name


def test_a_material_that_is_lost_takes_its_layers_and_tells_each(demo, tmp_path):
    first = demo.stack[0].material
    loaded = opened(broken(demo, lambda d: d["materials"][first].update(kind="odd")), tmp_path)
    assert [x for x in loaded.job.stack if x.material == first] == []
    assert len(loaded.job.stack) == len([x for x in demo.stack if x.material != first])
    assert sum(f"is of “{first}”" in p for p in loaded.problems) >= 1


@pytest.mark.parametrize(
    "change", [lambda d: d["part"].pop("outline"), lambda d: d["part"].update(outline=[])]
)
def test_without_an_outline_there_is_no_job(demo, tmp_path, change):
    with pytest.raises(JobFileError, match="outline"):
        opened(broken(demo, change), tmp_path)


NAMES = st.sampled_from(["F1", "F2", "V1", "rim", "nowhere", ""])
WHERE = st.sampled_from(
    ["lines", "stack", "buckets", "pots", "materials", "variants", "accepted", "bypasses"]
)


@given(field=WHERE, key=st.sampled_from(["id", "manifold", "pot", "material", "zones", "opens", "kind"]), value=st.one_of(NAMES, st.integers(), st.none(), st.lists(NAMES, max_size=2)))  # fmt: skip
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_nonsense_in_an_item_leaves_a_job_that_is_valid(tmp_path, field, key, value):
    raw = json.loads(written(demo_job()))
    items = list(raw[field].values()) if isinstance(raw[field], dict) else raw[field]
    if items:
        items[0][key] = value
    loaded = opened(raw, tmp_path)
    assert job_from(json.loads(written(loaded.job))) == loaded.job
    assert len(loaded.job.part.outline) == len(raw["part"]["outline"])


def test_a_text_without_its_parts_says_what_is_missing(rich):
    whole = json.loads(document_of(rich).text)
    back, problems = joined(whole, {})
    assert len(problems) == 4
    assert job_from(back).variants == ()
    assert Document("{}").parts == {}
