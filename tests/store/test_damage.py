"""Job documents broken in every part: each opens as a copy with a sentence that says where, or is refused in one."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import pytest
from tests.written import written

from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import JobFileError, load, save

# What is changed in the demo's document, by path, and the words that must stand in what is told.
WRONG = [
    (("conditions", "atmosphere"), "high", "conditions → atmosphere"),
    (("conditions", "vacuum"), 2e5, "conditions"),
    (("conditions", "resin_temperature"), -5, "resin_temperature"),
    (("conditions", "bucket_below"), 60, "bucket_below"),
    (("charge", "margin"), 12, "charge → margin"),
    (("charge", "heel"), -1, "charge → heel"),
    (("stack", 0, "material"), "nothing", "nothing"),
    (("stack", 0, "angle_deg"), 1e4, "angle_deg"),
    (("stack", 2, "zones"), ["nowhere"], "nowhere"),
    (("stack", 0, "id"), "", "stack → 0 → id"),
    (("lines", 0, "path"), [], "lines → 0 → path"),
    (("lines", 0, "role"), "drain", "lines → 0 → role"),
    (("lines", 1, "opens"), {"rule": "never"}, "lines → 1 → opens"),
    (("lines", 1, "opens"), {"rule": "front", "line": "F9"}, "F9"),
    (("lines", 1, "id"), "F1", "same id"),
    (("lines", 0, "bore"), -0.01, "bore"),
    (("lines", 0, "manifold"), "M", "manifold"),
    (("lines", 0, "turns"), [{"when": {"rule": "time", "time": -1}}], "turns"),
    (("buckets",), [{"id": "B", "batches": []}], "buckets"),
    (("buckets",), [{"id": "B", "feeds": ["V1"], "batches": [{"mass": 1}]}], "V1"),
    (("buckets",), [{"id": "B", "batches": [{"mass": -1}]}], "mass"),
    (("materials", "biax-600", "vf_ref"), 1.5, "vf_ref"),
    (("materials", "foam-15-grooved", "hole_diameter"), 0.5, "holes are wider"),
    (("materials", "net-green", "kind"), "carpet", "materials"),
    (("mesh", "material"), "nothing", "flow mesh"),
    (("cut", "path"), [[0, 0]], "cut → path"),
    (("test", "volume"), 0, "test → volume"),
    (("test", "readings"), [{"time": -1, "pressure": 5}], "readings"),
    (("resin", "density"), 0, "resin"),
    (
        ("resin", "viscosity"),
        {"law": "table", "times": [0, 1, 1], "values": [1, 2, 3]},
        "times of a viscosity table",
    ),
    (("process",), "guesswork", "process"),
    (("name",), "", "name"),
    (("rules",), {"no_such_rule": 1}, "rules"),
]


def put(document, where, value):
    *way, last = where
    for step in way:
        document = document[step]
    document[last] = value


@pytest.mark.parametrize(
    ("where", "value", "words"), WRONG, ids=lambda v: "-".join(map(str, v)) if isinstance(v, tuple) else None
)
def test_a_fault_is_told_with_its_place_and_the_part_survives(demo, tmp_path: Path, where, value, words):
    document = json.loads(written(demo))
    put(document, where, value)
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    text = path.read_bytes()
    loaded = load(path)
    assert words in " ".join(loaded.problems)
    assert loaded.job.part == demo.part
    assert path.read_bytes() == text


@pytest.mark.parametrize("value", [None, 7, "x", [], {}, {"outline": []}, {"outline": [{"x": 0, "y": 0}]}])
def test_without_a_part_there_is_no_job(demo, tmp_path: Path, value):
    document = json.loads(written(demo))
    document["part"] = value
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    with pytest.raises(JobFileError, match="part"):
        load(path)


def test_what_dangles_in_another_plan_costs_that_plan_alone(demo, tmp_path: Path):
    document = json.loads(written(demo))
    inner = json.loads(written(demo))
    inner["lines"][0]["opens"] = {"rule": "front", "line": "nowhere"}
    document["variants"] = [
        {"id": "a", "name": "whole", "job": json.loads(written(demo))},
        {"id": "b", "name": "torn", "job": inner},
    ]
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    loaded = load(path)
    assert [v.name for v in loaded.job.variants] == ["whole"]
    assert loaded.job.lines == demo.lines
    assert "variants → 1 → job → lines → 0" in " ".join(loaded.problems)


@pytest.mark.parametrize("field", ["x", "y", "bow"])
@pytest.mark.parametrize("value", ["wide", 1e9, None])
def test_a_corner_that_is_no_corner(demo, tmp_path: Path, field, value):
    document = json.loads(written(demo))
    document["part"]["outline"][1][field] = value
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    with pytest.raises(JobFileError, match=r"outline → 1"):
        load(path)


def test_only_the_part_that_refers_is_dropped(demo, tmp_path: Path):
    document = json.loads(written(demo))
    document["buckets"] = [{"id": "B", "feeds": ["V1"], "batches": [{"mass": 1}]}]
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    job = load(path).job
    assert job == demo


def test_what_the_file_knew_beyond_us_is_told(demo, tmp_path: Path):
    document = json.loads(written(demo))
    document["moon"] = "full"
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    loaded = load(path)
    assert loaded.job == demo
    assert "moon" in " ".join(loaded.problems)


def test_a_damaged_row_is_told_and_the_others_are_kept(demo, tmp_path: Path):
    path = tmp_path / "job.bibulon"
    save(demo, path, [Entry("a", float(k), "note", {"text": str(k)}) for k in range(4)])
    with sqlite3.connect(path) as db:
        db.execute("UPDATE journal SET data = '{' WHERE seq = 3")
    loaded = load(path)
    assert [e.data["text"] for e in loaded.journal] == ["0", "1", "3"]
    assert "at row 3: 3 of 4" in loaded.problems[0]
    assert loaded.job == demo


@pytest.mark.parametrize(
    ("act", "words"),
    [
        ("DELETE FROM journal WHERE seq = 4", "ends otherwise"),
        ("DELETE FROM journal WHERE seq = 2", "at row 2"),
        ("UPDATE journal SET clock = clock + 1 WHERE seq = 1", "at row 1"),
        ("UPDATE journal SET run = 'b' WHERE seq = 4", "at row 4"),
        ("UPDATE meta SET value = 'x' WHERE key = 'id'", "damaged"),
        ("UPDATE document SET json = replace(json, 'Petal', 'Metal')", "not what was saved"),
    ],
)
def test_what_was_changed_behind_our_back_is_told(demo, tmp_path: Path, act, words):
    path = tmp_path / "job.bibulon"
    save(demo.replaced(notes="Petal"), path, [Entry("a", float(k), "note", {}) for k in range(4)])
    with sqlite3.connect(path) as db:
        assert db.execute(act).rowcount == 1
    assert words in " ".join(load(path).problems)


def test_a_file_without_its_document(demo, tmp_path: Path):
    path = tmp_path / "job.bibulon"
    save(demo, path)
    with sqlite3.connect(path) as db:
        db.execute("DELETE FROM document")
    with pytest.raises(JobFileError, match="no job document"):
        load(path)


def test_a_file_whose_document_is_cut(demo, tmp_path: Path):
    path = tmp_path / "job.bibulon"
    save(demo, path)
    with sqlite3.connect(path) as db:
        db.execute("UPDATE document SET json = substr(json, 1, 500)")
    with pytest.raises(JobFileError, match="column"):
        load(path)


def test_a_file_that_is_not_there(tmp_path: Path):
    with pytest.raises(JobFileError, match="No such file"):
        load(tmp_path / "none.bibulon")


def test_a_saved_job_is_the_job_whatever_its_name(demo, tmp_path: Path):
    for name in ("a.bibulon", "with space.bibulon", "ümlaut.json", "dots.in.name.bibulon"):
        path = tmp_path / name
        save(demo, path)
        assert load(path).job == demo
        assert load(path).problems == ()
