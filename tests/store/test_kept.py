"""The keeper of an open job: every row that it acknowledged stands on disk, whatever is done to its file."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from msgspec.structs import replace
from tests.written import written

from bibulon.core.library.demo import blank_job
from bibulon.core.run.journal import Entry
from bibulon.store import container, durable
from bibulon.store.ahead import read_ahead
from bibulon.store.container_read import read
from bibulon.store.content import Tag
from bibulon.store.document import Document, document_of
from bibulon.store.jobfile import JobFileError, load, save
from bibulon.store.keeper import Keeper
from bibulon.store.library import change_library, read_library
from bibulon.store.lock import Held, lock_place, take

ENDINGS = pytest.mark.parametrize("ending", [".bibulon", ".json"])


def row(k: int) -> Entry:
    return Entry("r", float(k), "note", {"text": str(k)})


def texts(rows) -> list[str]:
    return [e.data["text"] for e in rows]


@pytest.fixture
def state(tmp_path: Path) -> Path:
    return tmp_path / "state"


@pytest.fixture
def kept(demo, tmp_path: Path, state: Path, request):
    """A keeper with a saved job of two rows; its file is ``home``."""
    ending = getattr(request, "param", ".bibulon")
    keeper = Keeper(state)
    keeper.begin(demo)
    keeper.save(demo, tmp_path / f"a{ending}")
    keeper.stamp(row(0))
    keeper.stamp(row(1))
    yield keeper
    keeper.end()


def renamed(job, name):
    return job.replaced(name=name)


# -- kills and full disks: the short form of bin/bench faults


@pytest.mark.parametrize(
    "play", [("kills", "2"), ("full-disk", "2"), ("refusals", "15"), ("flips", "30"), ("nonsense", "100")]
)
def test_faults_lose_nothing(play):
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.faults", *play], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-2000:]
    assert done.stdout.count("\n") >= 2


def test_a_write_is_synced_before_the_rename_and_its_folder_after(tmp_path: Path, monkeypatch):
    path, order = tmp_path / "a.txt", []
    path.write_text("old")
    names: dict[int, str] = {}
    real_fsync, real_replace = os.fsync, os.replace

    def fsync(handle):
        names[handle] = os.readlink(f"/proc/self/fd/{handle}")
        order.append(("sync", Path(names[handle]).name))
        real_fsync(handle)

    def replace(a, b):
        assert path.read_text() == "old"
        order.append(("rename", Path(b).name))
        real_replace(a, b)

    monkeypatch.setattr(durable.os, "fsync", fsync)
    monkeypatch.setattr(durable.os, "replace", replace)
    durable.write_text(path, "new")
    assert [what for what, _ in order] == ["sync", "rename", "sync"]
    assert order[0][1].endswith(".part")
    assert order[2][1] == tmp_path.name
    assert path.read_text() == "new"


def test_a_link_is_followed_and_rights_are_kept(tmp_path: Path):
    real, link = tmp_path / "real.txt", tmp_path / "link.txt"
    real.write_text("old")
    real.chmod(0o640)
    link.symlink_to(real)
    durable.write_text(link, "new")
    assert link.is_symlink()
    assert real.read_text() == "new"
    assert real.stat().st_mode & 0o777 == 0o640


def test_what_a_killed_write_has_left_is_swept_and_a_living_one_is_not(tmp_path: Path):
    gone = subprocess.run(["true"], check=True)
    assert gone.returncode == 0
    dead = tmp_path / f"{durable._PREFIX}{durable._HOST}-999999999-00.part"
    mine = tmp_path / f"{durable._PREFIX}{durable._HOST}-{os.getpid()}-00.part"
    dead.write_text("x")
    mine.write_text("x")
    durable.sweep(tmp_path)
    assert not dead.exists()
    assert mine.exists()


# -- new jobs and JSON


@ENDINGS
def test_rows_of_a_new_job_go_into_the_file_that_it_is_saved_as(demo, tmp_path, state, ending):
    keeper = Keeper(state)
    keeper.begin(demo)
    for k in range(5):
        assert keeper.stamp(row(k)) == ""
    assert keeper.unkept == 5
    keeper.save(demo, tmp_path / f"a{ending}")
    assert keeper.unkept == 0
    keeper.stamp(row(5))
    assert texts(load(tmp_path / f"a{ending}").journal) == ["0", "1", "2", "3", "4", "5"]
    keeper.end()


def test_rows_go_along_from_one_form_to_the_other_and_back(demo, tmp_path, kept):
    kept.save(demo, tmp_path / "b.json")
    kept.stamp(row(2))
    kept.save(demo, tmp_path / "c.bibulon")
    kept.stamp(row(3))
    assert texts(load(tmp_path / "a.bibulon").journal) == ["0", "1"]
    assert texts(load(tmp_path / "b.json").journal) == ["0", "1", "2"]
    assert texts(load(tmp_path / "c.bibulon").journal) == ["0", "1", "2", "3"]


def test_plain_json_takes_rows_and_keeps_its_document(demo, tmp_path, state):
    path = tmp_path / "plain.json"
    path.write_text(written(demo))
    keeper = Keeper(state)
    keeper.open(path)
    assert keeper.stamp(row(0)) == ""
    assert keeper.stamp(row(1)) == ""
    keeper.end()
    loaded = load(path)
    assert texts(loaded.journal) == ["0", "1"]
    assert loaded.job == demo
    assert loaded.note == ""


def test_a_file_of_the_first_form_takes_rows(tmp_path, state):
    path = tmp_path / "old.bibulon"
    path.write_bytes((Path(__file__).parent / "frozen" / "first-form.bibulon").read_bytes())
    keeper = Keeper(state)
    keeper.open(path)
    assert keeper.stamp(row(9)) == ""
    keeper.end()
    loaded = load(path)
    assert [e.kind for e in loaded.journal] == ["start", "open", "front", "note"]
    assert loaded.problems == ()
    assert loaded.tag.id


def test_a_new_job_saved_over_another_has_its_own_rows_and_the_others_are_kept(demo, tmp_path, state, kept):
    new = Keeper(state)
    new.begin(demo)
    new.stamp(row(7))
    with pytest.raises(JobFileError, match=r"a\.bibulon is open"):
        new.save(demo, tmp_path / "a.bibulon")
    kept.end()
    words = new.save(renamed(demo, "Other"), tmp_path / "a.bibulon")
    assert texts(load(tmp_path / "a.bibulon").journal) == ["7"]
    aside = next((state / "replaced").iterdir())
    assert str(aside) in words[0]
    assert texts(load(aside).journal) == ["0", "1"]
    new.end()


def test_other_endings_are_no_jobs(demo, kept, tmp_path):
    with pytest.raises(JobFileError, match=r"not as “job\.pdf”"):
        kept.save(demo, tmp_path / "job.pdf")
    assert not (tmp_path / "job.pdf").exists()


def test_a_name_that_is_no_text_is_taken(demo, tmp_path, state):
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/caf\xe9.bibulon"))
    keeper = Keeper(state)
    keeper.begin(demo)
    keeper.save(demo, path)
    assert keeper.stamp(row(0)) == ""
    keeper.autosave(renamed(demo, "Later"))
    keeper._forget()
    left = keeper.leftovers()[0]
    assert left.home == "caf�.bibulon"
    keeper.recover(left.path)
    assert keeper.home == path
    assert texts(keeper.rows) == ["0"]
    keeper.end()
    with pytest.raises(JobFileError, match="cannot be read") as told:
        load(path.with_name(path.name + "x"))
    str(told.value).encode("utf-8")


@pytest.mark.parametrize("what", ["gone", "broken"])
def test_a_row_goes_to_the_second_place_where_a_file_from_elsewhere_cannot_be_read_any_more(
    demo, tmp_path, state, what
):
    path = tmp_path / "plain.json"
    path.write_text(written(demo))
    keeper = Keeper(state)
    keeper.open(path)
    assert not keeper._tag.id
    path.unlink() if what == "gone" else path.write_text("{")
    assert "second place" in keeper.stamp(row(1))
    assert texts(load(keeper.working).journal) == ["1"]
    assert keeper.unkept == 1
    keeper.end()


# -- two windows


@pytest.mark.parametrize("kept", [".bibulon", ".json"], indirect=True)
def test_a_second_window_reads_follows_and_never_takes_over(demo, state, kept):
    second = Keeper(state)
    opened = second.open(kept.home)
    assert second.reading
    assert "open" in opened.words[0]
    assert texts(second.rows) == ["0", "1"]
    assert not second.outdated
    kept.stamp(row(2))
    kept.save(renamed(demo, "Changed"))
    assert second.outdated
    followed = second.follow(read_ahead(second.home))
    assert not second.outdated
    assert followed.job.name == "Changed"
    assert texts(second.rows) == ["0", "1", "2"]
    with pytest.raises(JobFileError, match="only reads"):
        second.stamp(row(3))
    with pytest.raises(JobFileError, match="opened to read"):
        second.save(demo)
    second.end()
    kept.stamp(row(4))
    assert texts(load(kept.home).journal) == ["0", "1", "2", "4"]


def test_a_row_that_comes_while_a_reader_reads_is_seen_at_its_next_look(state, kept):
    second = Keeper(state)
    second.open(kept.home)
    kept.stamp(row(2))
    ahead = read_ahead(second.home)
    kept.stamp(row(3))
    second.follow(ahead)
    assert texts(second.rows) == ["0", "1", "2"]
    assert second.outdated
    second.follow(read_ahead(second.home))
    assert texts(second.rows) == ["0", "1", "2", "3"]
    second.end()


def test_what_was_read_of_another_file_or_a_damaged_one_is_not_followed(demo, tmp_path, state, kept):
    second = Keeper(state)
    second.open(kept.home)
    other = tmp_path / "other.bibulon"
    save(renamed(demo, "Other"), other)
    assert second.follow(read_ahead(other)) is None
    assert second.follow(replace(read_ahead(second.home), path=other)) is None
    ahead = read_ahead(second.home)
    assert second.follow(replace(ahead, loaded=replace(ahead.loaded, problems=("a row",)))) is None
    assert texts(second.rows) == ["0", "1"]
    second.end()


def test_a_reader_makes_a_copy_of_its_own(demo, tmp_path, state, kept):
    second = Keeper(state)
    second.open(kept.home)
    second.save(demo, tmp_path / "copy.bibulon")
    assert not second.reading
    second.stamp(row(8))
    kept.stamp(row(2))
    assert texts(load(tmp_path / "copy.bibulon").journal) == ["0", "1", "8"]
    assert texts(load(kept.home).journal) == ["0", "1", "2"]
    assert load(kept.home).tag.id != load(tmp_path / "copy.bibulon").tag.id
    second.end()


def test_a_lock_ends_with_its_process_and_tells_who(tmp_path):
    path = tmp_path / "a.bibulon"
    act = (
        "import sys, time; from pathlib import Path; from bibulon.store.lock import take; "
        "lock = take(Path(sys.argv[1])); print('held', flush=True); time.sleep(60)"
    )
    other = subprocess.Popen([sys.executable, "-c", act, str(path)], stdout=subprocess.PIPE, text=True)
    assert other.stdout.readline() == "held\n"
    with pytest.raises(Held) as held:
        take(path)
    assert held.value.holder.pid == other.pid
    assert "since" in str(held.value)
    other.kill()
    other.wait()
    other.stdout.close()
    lock = take(path)
    assert json.loads(lock_place(path).read_text())["pid"] == os.getpid()
    lock.release()
    assert not lock_place(path).exists()


def test_a_lock_of_another_machine_is_respected_and_says_how_to_lift_it(tmp_path):
    path = tmp_path / "a.bibulon"
    place = lock_place(path)
    place.write_text(json.dumps({"user": "Mira", "host": "bench-two", "pid": 1, "since": 1.0}))
    with pytest.raises(Held, match=r"Mira on bench-two.*remove \.a\.bibulon\.lock"):
        take(path)
    place.unlink()
    take(path).release()


@pytest.mark.parametrize("text", ["", "{", "[]", '{"user": 1}', "x" * 9000])
def test_a_lock_file_that_nobody_wrote_holds_nothing(tmp_path, text):
    path = tmp_path / "a.bibulon"
    lock_place(path).write_text(text)
    take(path).release()


def test_two_windows_change_the_library_and_both_changes_stay(demo, tmp_path):
    path = tmp_path / "library.json"
    first, second = list(demo.materials.items())[:2]
    change_library(path, dict([first]), ())
    there, aside = change_library(path, dict([second]), ())
    assert set(there) == {first[0], second[0]}
    assert aside is None
    there, _ = change_library(path, {}, [first[0]])
    assert set(there) == {second[0]}
    assert read_library(path) == there


def test_a_damaged_library_is_kept_aside_before_it_is_written(demo, tmp_path):
    path = tmp_path / "library.json"
    path.write_text("{ damaged")
    there, aside = change_library(path, dict(demo.materials), ())
    assert aside.read_text() == "{ damaged"
    assert read_library(path) == there == dict(demo.materials)


# -- files that vanish, are replaced, damaged or held


@pytest.mark.parametrize("kept", [".bibulon", ".json"], indirect=True)
def test_a_file_that_is_gone_is_told_and_saving_brings_every_row_back(demo, state, kept):
    kept.home.unlink()
    assert "is gone" in kept.stamp(row(2))
    assert kept.unkept == 1
    assert texts(load(kept.working).journal) == ["0", "1", "2"]  # all, not only the newest
    words = kept.save(demo)
    assert "was gone" in words[0]
    assert texts(load(kept.home).journal) == ["0", "1", "2"]
    assert kept.unkept == 0
    assert not list((state / "autosave").glob("*"))


@pytest.mark.parametrize("kept", [".bibulon", ".json"], indirect=True)
def test_a_file_that_is_another_job_now_gets_nothing_of_this_one(demo, state, tmp_path, kept):
    other = Keeper(state)
    other.begin(renamed(demo, "Other"))
    other.save(renamed(demo, "Other"), tmp_path / f"other{kept.home.suffix}")
    other.stamp(row(90))
    other.end()
    os.replace(tmp_path / f"other{kept.home.suffix}", kept.home)
    assert "another job" in kept.stamp(row(2))
    with pytest.raises(JobFileError, match="another job"):
        kept.save(demo)
    assert load(kept.home).job.name == "Other"
    assert texts(load(kept.home).journal) == ["90"]
    kept.save(demo, tmp_path / "mine.bibulon")
    assert texts(load(tmp_path / "mine.bibulon").journal) == ["0", "1", "2"]


def test_an_older_copy_put_in_its_place_gets_the_rows_that_it_lacks(kept):
    older = kept.home.read_bytes()
    kept.stamp(row(2))
    kept.home.write_bytes(older)
    assert kept.stamp(row(3)) == ""
    assert texts(load(kept.home).journal) == ["0", "1", "2", "3"]
    assert load(kept.home).problems == ()


def test_a_plan_that_another_program_has_changed_is_kept_before_it_is_written_over(demo, state, kept):
    content = read(kept.home)
    theirs = document_of(renamed(demo, "Theirs"))
    container.write(kept.home, theirs, content.rows, content.tag)
    words = kept.save(renamed(demo, "Mine"))
    assert "changed by another program" in words[0]
    assert load(kept.home).job.name == "Mine"
    assert load(next((state / "replaced").iterdir())).job.name == "Theirs"


def test_a_file_that_is_held_for_long_does_not_stop_the_hand(kept):
    import sqlite3

    with sqlite3.connect(kept.home, isolation_level=None) as db:
        db.execute("BEGIN EXCLUSIVE")
        assert "another program holds it" in kept.stamp(row(2))
        assert kept.stamp(row(3))
        assert not kept.go_home()
        db.execute("ROLLBACK")
    assert kept.go_home()
    assert kept.unkept == 0
    kept.stamp(row(4))
    assert texts(load(kept.home).journal) == ["0", "1", "2", "3", "4"]


@ENDINGS
def test_a_damaged_file_opens_as_a_copy_with_its_rows_and_is_not_touched(demo, tmp_path, state, ending):
    path = tmp_path / f"a{ending}"
    document = json.loads(written(demo))
    document["conditions"]["vacuum"] = -5
    container.write(path, Document(json.dumps(document)), [row(k) for k in range(1)], Tag("x"))
    content = read(path)
    container.write(
        path, content.document, [*content.rows, Entry("r", 1, "note", {"text": "1"}, 1.0, "u1")], content.tag
    )
    before = path.read_bytes()
    keeper = Keeper(state)
    opened = keeper.open(path)
    assert "is untouched" in opened.words[0]
    assert opened.modified
    assert keeper.home is None
    assert keeper.unkept == 2
    assert texts(load(keeper.working).journal) == ["0", "1"]  # durable before anything is done
    keeper.save(opened.job, tmp_path / f"elsewhere{ending}")
    assert texts(load(tmp_path / f"elsewhere{ending}").journal) == ["0", "1"]
    assert path.read_bytes() == before
    keeper.end()
    again = Keeper(state)
    again.save(again.open(path).job, path)  # over the damaged file itself
    assert texts(load(path).journal) == ["0", "1"]
    assert next((state / "replaced").iterdir()).read_bytes() == before
    again.end()


# -- what sessions leave


def test_every_autosave_is_offered_with_part_time_and_rows(demo, state):
    for k in range(3):
        keeper = Keeper(state)
        keeper.begin(renamed(demo, f"Job {k}"))
        for j in range(k):
            keeper.stamp(row(j))
        keeper.autosave(renamed(demo, f"Job {k}"))
        keeper._forget()  # a crash
    living = Keeper(state)
    living.begin(demo)
    living.autosave(demo)
    left = Keeper(state).leftovers()
    assert sorted((x.name, x.rows) for x in left) == [("Job 0", 0), ("Job 1", 1), ("Job 2", 2)]
    assert all(x.when > 1.6e9 and x.size[0] > 1 for x in left)
    (state / "autosave" / "broken.bibulon").write_bytes(b"SQLite format 3\x00" + b"?" * 300)
    assert [x.problem[:6] for x in Keeper(state).leftovers() if x.problem] == ["broken"]
    living.end()
    assert len(Keeper(state).leftovers()) == 4


@pytest.mark.parametrize("kept", [".bibulon", ".json"], indirect=True)
def test_what_is_recovered_keeps_its_path_and_every_row(demo, state, kept):
    home = kept.home
    kept.autosave(renamed(demo, "Half done"))
    home.rename(home.with_name("away"))
    kept.stamp(row(2))
    home.with_name("away").rename(home)
    kept._forget()  # a crash
    again = Keeper(state)
    left = again.leftovers()
    assert [x.home for x in left] == [home.name]
    opened = again.recover(left[0].path)
    assert again.home == home
    assert opened.modified
    assert texts(again.rows) == ["0", "1", "2"]
    assert texts(load(home).journal) == ["0", "1", "2"]  # at home again before anything is pressed
    again.save(opened.job)
    assert load(home).job.name == "Half done"
    assert texts(load(home).journal) == ["0", "1", "2"]
    assert again.leftovers() == []
    again.end()


def test_what_is_recovered_while_another_window_has_its_file_goes_on_without_it(demo, state, kept, tmp_path):
    home = kept.home
    kept.autosave(renamed(demo, "Half done"))
    kept._forget()
    other = Keeper(state)
    other.open(home)
    again = Keeper(state)
    opened = again.recover(again.leftovers()[0].path)
    assert again.home is None
    assert "is open" in " ".join(opened.words)
    again.save(opened.job, tmp_path / "b.bibulon")
    again.end()
    other.end()


def test_a_discarded_run_can_still_be_taken_up(demo, state):
    keeper = Keeper(state)
    keeper.begin(demo)
    keeper.stamp(row(0))
    keeper.begin(blank_job())  # “discard”
    left = keeper.leftovers()
    assert [(x.rows, x.asked) for x in left] == [(1, True)]
    keeper.recover(left[0].path)
    assert texts(keeper.rows) == ["0"]
    keeper.end()
    keeper.leftovers()[0].discard()
    assert keeper.leftovers() == []


def test_a_discarded_plan_without_rows_leaves_nothing(demo, state):
    keeper = Keeper(state)
    keeper.begin(demo)
    keeper.autosave(demo)
    keeper.end()
    assert keeper.leftovers() == []


# -- places that cannot be written


@pytest.mark.parametrize("broken", ["file", "gone"])
def test_a_state_folder_that_is_none_is_told_in_one_sentence(demo, tmp_path, broken, monkeypatch):
    state = tmp_path / "state"
    if broken == "file":
        state.write_text("no folder")
    else:
        monkeypatch.setattr(
            Path, "mkdir", lambda *a, **k: (_ for _ in ()).throw(PermissionError(13, "Permission denied"))
        )
    keeper = Keeper(state)
    keeper.begin(demo)
    if broken == "file":  # all goes to the system's folder for such things
        keeper.autosave(demo)
        assert keeper.stamp(row(0)) == ""
        assert keeper.working.exists()
        assert state not in keeper.working.parents
        keeper.save(demo, tmp_path / "a.bibulon")
        assert texts(load(tmp_path / "a.bibulon").journal) == ["0"]
    else:
        with pytest.raises(JobFileError, match="Autosave failed"):
            keeper.autosave(demo)
        with pytest.raises(JobFileError, match="could not be stored"):
            keeper.stamp(row(0))
        assert keeper.rows == ()
    keeper.end()


def test_a_row_whose_time_is_no_number_is_refused(kept):
    with pytest.raises(JobFileError, match="no number"):
        kept.stamp(Entry("r", float("nan"), "note"))
    assert texts(load(kept.home).journal) == ["0", "1"]
