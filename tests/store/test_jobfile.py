import json
import os
import signal
import sqlite3
import subprocess
import sys
from pathlib import Path

import jsonschema
import pytest

from bibulon.core.job.model import Job
from bibulon.core.run.journal import Entry, run_state
from bibulon.store.jobfile import JobFileError, append, load, read_journal, save


@pytest.mark.parametrize("name", ["a.bibulon", "a.json"])
def test_a_job_comes_back_as_it_was(demo, tmp_path: Path, name):
    save(demo, tmp_path / name)
    assert load(tmp_path / name).job == demo


def test_the_document_matches_its_schema(demo):
    jsonschema.validate(json.loads(demo.model_dump_json()), Job.model_json_schema())


def test_journal_survives_saving_and_goes_along_with_save_as(demo, tmp_path: Path):
    first, second = tmp_path / "a.bibulon", tmp_path / "b.bibulon"
    save(demo, first)
    append(first, Entry("r1", 0.0, "start", {"began": 5.0}))
    append(first, Entry("r1", 12.5, "front", {"x": 0.4, "y": 0.1}))
    save(demo, first)
    save(demo, second, journal_from=first)
    for path in (first, second):
        rows = read_journal(path)
        assert [r.kind for r in rows] == ["start", "front"]
        assert run_state(rows).marks[0].x == 0.4


def test_run_state_follows_the_last_run():
    rows = [Entry("a", 0, "start", {"began": 0}), Entry("a", 9, "stop"), Entry("b", 0, "start", {"began": 100.0}),
            Entry("b", 0, "open", {"line": "F1"}), Entry("b", 5, "open", {"line": "F2"}), Entry("b", 8, "shut", {"line": "F1"})]  # fmt: skip
    state = run_state(rows)
    assert state.running
    assert state.open == {"F2"}
    assert state.elapsed(160.0) == 60.0
    assert run_state([*rows, Entry("b", 50, "stop")]).elapsed(1e9) == 50


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
    late.write_text(demo.model_dump_json().replace('"version":1', '"version":7', 1))
    with pytest.raises(JobFileError, match="format 7"):
        load(late)


def test_a_damaged_part_is_told_and_the_rest_opens(demo, tmp_path: Path):
    document = json.loads(demo.model_dump_json())
    document["conditions"]["vacuum"] = -5
    path = tmp_path / "a.json"
    path.write_text(json.dumps(document))
    loaded = load(path)
    assert "conditions → vacuum" in loaded.problems[0]
    assert loaded.job.part == demo.part


def test_a_dangling_reference_drops_only_what_refers(demo, tmp_path: Path):
    document = json.loads(demo.model_dump_json())
    del document["materials"]["triax-850"]
    path = tmp_path / "a.json"
    path.write_text(json.dumps(document))
    loaded = load(path)
    assert "triax-850" in loaded.problems[0]
    assert loaded.job.part == demo.part


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "damaged"), (b"{", "line 1"), (b"[1, 2]", "not a Bibulon job"), (b"\xff\xfe\x00", "neither"),
        (b"SQLite format 3\x00" + b"x" * 900, "damaged"), (b'{"format": "bibulon-job", "version": 1}', "part"),
    ],
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


def test_a_place_that_cannot_be_written(demo, tmp_path: Path):
    with pytest.raises(JobFileError, match="could not be saved"):
        save(demo, tmp_path / "no" / "such" / "a.bibulon")


WRITER = """
import sys
from pathlib import Path
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import append
path = Path(sys.argv[1])
for k in range(100000):
    append(path, Entry("r", float(k), "front", {"x": k, "y": 0}))
    print(k, flush=True)
"""


def test_a_kill_at_any_moment_loses_no_stamp_told_as_stored(demo, tmp_path: Path):
    path = tmp_path / "a.bibulon"
    save(demo, path)
    for after in (1, 7, 23):
        before = len(read_journal(path))
        writer = subprocess.Popen(
            [sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True, env=dict(os.environ)
        )
        told = -1
        while told < after:
            told = int(writer.stdout.readline())
        writer.send_signal(signal.SIGKILL)
        rest, _ = writer.communicate()
        told = max([told, *(int(line) for line in rest.split() if line.isdigit())])
        assert len(read_journal(path)) - before >= told + 1
        assert load(path).job == demo
