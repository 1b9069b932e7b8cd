import json
import sqlite3
from pathlib import Path

import jsonschema
import pytest
from tests.written import written

from bibulon.core.run.journal import Entry, run_state, runs_of, valve_spans
from bibulon.store.jobfile import JobFileError, load, save
from bibulon.store.raw import schema


@pytest.mark.parametrize("name", ["a.bibulon", "a.json"])
def test_a_job_comes_back_as_it_was_with_its_rows(demo, tmp_path: Path, name):
    rows = [Entry("r1", 0.0, "start", {"began": 5.0}), Entry("r1", 12.5, "front", {"x": 0.4, "y": 0.1})]
    save(demo, tmp_path / name, rows)
    loaded = load(tmp_path / name)
    assert loaded.job == demo
    assert loaded.problems == ()
    assert [(e.run, e.clock, e.kind, e.data) for e in loaded.journal] == [
        (e.run, e.clock, e.kind, e.data) for e in rows
    ]
    assert len({e.uid for e in loaded.journal}) == 2


def test_the_document_matches_its_schema(demo):
    jsonschema.validate(json.loads(written(demo)), schema())


def test_a_file_that_holds_a_record_is_not_written_over_by_a_command(demo, tmp_path: Path):
    path = tmp_path / "a.bibulon"
    save(demo, path, [Entry("r", 0.0, "note", {"text": "x"})])
    with pytest.raises(JobFileError, match="record of a run"):
        save(demo, path)
    assert len(load(path).journal) == 1
    path.write_bytes(path.read_bytes()[:3000])
    with pytest.raises(JobFileError, match="may hold a record"):
        save(demo, path)


def test_run_state_follows_the_last_run():
    rows = [Entry("a", 0, "start", {"began": 0}), Entry("a", 9, "stop"), Entry("b", 0, "start", {"began": 100.0}),
            Entry("b", 0, "open", {"line": "F1"}), Entry("b", 5, "open", {"line": "F2"}), Entry("b", 8, "shut", {"line": "F1"})]  # fmt: skip
    state = run_state(rows)
    assert state.running
    assert state.open == {"F2"}
    assert state.began == 100.0
    assert runs_of(rows) == ["a", "b"]
    assert run_state([*rows, Entry("b", 50, "stop")]).stopped_at == 50


def test_rows_that_lack_what_their_kind_needs_are_passed_over():
    rows = [Entry("a", 0, "start"), Entry("a", 1, "open"), Entry("a", 2, "front", {"x": "far"}),
            Entry("a", 3, "front", {"x": 1.0, "y": 2}), Entry("a", 4, "shut"), Entry("a", 5, "open", {"line": "F1"})]  # fmt: skip
    state = run_state(rows)
    assert [(m.x, m.y) for m in state.marks] == [(1.0, 2.0)]
    assert state.open == {"F1"}
    assert ("F1", 5, 9.0) in valve_spans(rows, 9.0)


def test_a_later_version_is_refused_and_untouched(demo, tmp_path: Path):
    path = tmp_path / "new.bibulon"
    save(demo, path)
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA user_version=99")
    db.close()
    before = path.read_bytes()
    with pytest.raises(JobFileError, match="later version"):
        load(path)
    assert path.read_bytes() == before
    late = tmp_path / "new.json"
    late.write_text(written(demo).replace('"version": 2', '"version": 7', 1))
    with pytest.raises(JobFileError, match="format 7"):
        load(late)


def test_a_file_of_the_first_form_opens_with_its_rows():
    """``first-form.bibulon`` was written by version 0.1.0, which had neither sums nor an identity."""
    loaded = load(Path(__file__).parent / "frozen" / "first-form.bibulon")
    assert loaded.problems == ()
    assert loaded.job.name == "Observatory dome petal 3"
    assert [e.kind for e in loaded.journal] == ["start", "open", "front"]
    assert loaded.journal[2].data == {"x": 0.4, "y": 0.1}


def test_a_damaged_part_is_told_and_the_rest_opens(demo, tmp_path: Path):
    document = json.loads(written(demo))
    document["conditions"]["vacuum"] = -5
    path = tmp_path / "a.json"
    path.write_text(json.dumps(document))
    loaded = load(path)
    assert "conditions → vacuum" in loaded.problems[0]
    assert loaded.job.part == demo.part


def test_a_dangling_reference_drops_only_what_refers(demo, tmp_path: Path):
    document = json.loads(written(demo))
    del document["materials"]["triax-850"]
    path = tmp_path / "a.json"
    path.write_text(json.dumps(document))
    loaded = load(path)
    assert "triax-850" in loaded.problems[0]
    assert loaded.job.part == demo.part


DEEP = '{"format": "bibulon-job", "version": 1, "part": ' + '{"a":' * 5000 + "1" + "}" * 5001


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "damaged"), (b"{", "line 1"), (b"[1, 2]", "not a Bibulon job"), (b"\xff\xfe\x00", "neither"),
        (b"SQLite format 3\x00" + b"x" * 900, "damaged"), (b'{"format": "bibulon-job", "version": 1}', "part"),
        (DEEP.encode(), "too deeply"), (b'{"format": ' + b"9" * 5000 + b"}", "too long"),
        (b'{"format": "bibulon-job", "name": "\\ud800"}', "half a character"),
        (b'{"format": "bibulon-job", "name": NaN}', "no|none"),
    ],
    ids=["empty", "cut", "list", "bytes", "header", "bare", "deep", "digits", "half", "nan"],
)  # fmt: skip
def test_files_that_are_no_jobs(tmp_path: Path, content, words):
    path = tmp_path / "x.bibulon"
    path.write_bytes(content)
    with pytest.raises(JobFileError, match=words):
        load(path)
    assert path.read_bytes() == content


def test_a_cut_short_file_is_told(demo, tmp_path: Path):
    path = tmp_path / "a.bibulon"
    save(demo, path)
    whole = path.read_bytes()
    for share in (0.2, 0.5, 0.8):
        path.write_bytes(whole[: int(len(whole) * share)])
        with pytest.raises(JobFileError):
            load(path)


def test_json_that_a_person_has_edited_opens_and_says_so(demo, tmp_path: Path):
    path = tmp_path / "a.json"
    save(demo, path, [Entry("r", 0.0, "note", {"text": "x"})])
    path.write_text(path.read_text().replace(f'"name": "{demo.name}"', '"name": "By hand"', 1))
    loaded = load(path)
    assert loaded.job.name == "By hand"
    assert loaded.problems == ()
    assert "changed by another program" in loaded.note
    assert len(loaded.journal) == 1


def test_a_place_that_cannot_be_written(demo, tmp_path: Path):
    with pytest.raises(JobFileError, match="could not be saved"):
        save(demo, tmp_path / "no" / "such" / "a.bibulon")
    with pytest.raises(JobFileError, match="not as “a.pdf”"):
        save(demo, tmp_path / "a.pdf")
