"""``bibulon record``, ``log`` and ``series``, and the reckoner's rows on what comes after the shot."""

from __future__ import annotations

import json
import shutil

import numpy as np
import pytest
from tests.validation.layouts import job as panel

from bibulon.cli.main import main
from bibulon.core.run.journal import Entry
from bibulon.core.series.record import outcome_of, pin_entry, weighed_entry
from bibulon.core.stack.totals import part_totals
from bibulon.store.jobfile import save
from bibulon.store.logbook import Logbook


def told(capsys, *words):
    code = main([str(w) for w in words])
    out = capsys.readouterr()
    return code, out.out, out.err


def shot(name, mass, when, fill=900.0, *more):
    job = panel().replaced(name=name)
    run = f"r{when:.0f}"
    rows = [
        Entry(run, 0.0, "start", {"began": when}, when), Entry(run, fill, "wet", {}, when + fill), Entry(run, fill + 1, "stop", {}, when + fill),
        weighed_entry(when + 9000, "Ada", part=mass, caught=0.05, left=0.10, mixed=1.0), *more,
    ]  # fmt: skip
    return job, rows


@pytest.fixture
def plan():
    return part_totals(panel())


def test_record_tells_fibre_share_and_balance(tmp_path, capsys, plan):
    path = tmp_path / "panel.bibulon"
    job, rows = shot("Panel", plan.mass, 1e9)
    save(job, path, [*rows, pin_entry("d1", "dry", 0.5, 0.2, 0.03, "wet late", "Ada", 2e9)])
    code, out, _ = told(capsys, "record", path, "--json")
    assert code == 0
    answer = json.loads(out)
    vf = answer["vf_actual"]
    assert vf["low"] < vf["mid"] < vf["high"]
    assert vf["mid"] == pytest.approx(answer["vf_planned"], abs=0.01)  # it weighs what the plan says
    assert {"mixed_kg", "gap_kg", "closes"} <= set(answer["mass_balance"])
    assert answer["defects"][0]["kind"] == "dry"
    heavier = outcome_of(job, [*rows, weighed_entry(3e9, "Ada", part=1.2 * plan.mass)])
    assert heavier.share.vf.middle < vf["low"]
    assert "wet late" in told(capsys, "record", path)[1]


def test_record_without_a_weighing_says_so_and_impossible_masses_are_named(tmp_path, capsys, plan):
    path = tmp_path / "new.bibulon"
    save(panel(), path)
    assert "not weighed" in told(capsys, "record", path)[1]
    job, rows = shot("Light", 0.5 * plan.fibre, 1e9)
    save(job, path, rows)
    assert "scale and dry mass" in told(capsys, "record", path)[1]


# -- the log


@pytest.fixture
def folder(tmp_path, plan):
    for k in range(6):
        job, rows = shot(f"Hatch {k}", plan.mass * (1 + 0.001 * k), 1e9 + 86_400 * k)
        if k == 3:
            rows.append(pin_entry("d", "bridged", 0.1, 0.1, 0.02, "", "Ada", 2e9))
            rows.append(Entry("record", 0.0, "lesson", {"text": "press the north corner"}, 2e9))
        save(
            job,
            tmp_path / "jobs" / f"hatch{k}.bibulon" if (tmp_path / "jobs").is_dir() else _in(tmp_path, k),
            rows,
        )
    return tmp_path / "jobs"


def _in(tmp_path, k):
    (tmp_path / "jobs").mkdir()
    return tmp_path / "jobs" / f"hatch{k}.bibulon"


def test_the_log_finds_by_part_defect_lesson_and_beginning(folder, tmp_path, capsys):
    index = tmp_path / "i.sqlite"

    def found(words):
        return [
            j["name"]
            for j in json.loads(
                told(capsys, "log", folder, "--index", index, "--search", words, "--json")[1]
            )["jobs"]
        ]

    assert len(found("")) == 6
    assert found("")[0] == "Hatch 5"  # the latest first
    assert found("bridged") == ["Hatch 3"]
    assert found("north corn") == ["Hatch 3"]
    assert found("hatch 4") == ["Hatch 4"]
    assert found("submarine") == []
    assert found('") OR 1') == [] or isinstance(found('") OR 1'), list)


def test_the_log_follows_the_disk_and_its_index_may_be_lost(folder, tmp_path):
    index = tmp_path / "i.sqlite"
    book = Logbook(index)
    assert book.refresh([folder]) == 6
    assert book.refresh([folder]) == 0
    job, rows = shot("Hatch renamed", 3.0, 1e9)
    (folder / "hatch0.bibulon").unlink()
    save(job, folder / "hatch0.bibulon", rows)
    (folder / "hatch1.bibulon").unlink()
    shutil.copy(folder / "hatch2.bibulon", folder / "copy.bibulon")
    (folder / "broken.json").write_text("{", encoding="utf-8")
    assert book.refresh([folder]) == 3
    rows = book.search()
    assert "Hatch renamed" in {r.name for r in rows}
    assert next(r for r in rows if r.path.name == "broken.json").verdict == "cannot be read"
    assert len(rows) == 7
    book.close()
    index.write_bytes(b"no database at all" * 100)
    again = Logbook(index)
    assert again.refresh([folder]) == 7
    assert len(again.search("hatch")) == 6
    again.close()


def test_reading_that_is_stopped_keeps_what_it_has_read(folder, tmp_path, monkeypatch):
    monkeypatch.setattr("bibulon.store.logbook.BATCH", 2)
    book, told = Logbook(tmp_path / "i.sqlite"), []
    assert book.refresh([folder], lambda *n: told.append(n), lambda: len(told) >= 2) == 4
    assert told == [(2, 6), (4, 6)]
    assert len(book.search()) == 4
    assert book.refresh([folder]) == 2
    assert len(book.search()) == 6
    assert len(book.paths("hatch")) == 6
    book.close()


def test_a_folder_that_is_not_there_is_told(tmp_path, capsys):
    assert "there is no folder" in told(capsys, "log", tmp_path / "none")[2]
    assert "there is no folder" in told(capsys, "series", tmp_path / "none")[2]
    assert "was shot or weighed yet" in told(capsys, "series", tmp_path)[2]


# -- series


def test_a_series_names_what_drifts(tmp_path, capsys, plan):
    rng = np.random.default_rng(2)
    for k in range(24):
        slow = 900 + rng.normal(0, 8) + max(k - 15, 0) * 12.0
        job, rows = shot(f"P{k:02d}", plan.mass * (1 + 0.002 * rng.normal()), 1e9 + 86_400 * k, slow)
        save(job, tmp_path / f"p{k:02d}.bibulon", rows)
    code, out, _ = told(capsys, "series", tmp_path, "--baseline", "15", "--json")
    assert code == 0
    answer = json.loads(out)
    assert len(answer["parts"]) == 24
    assert answer["limits"]["fill"]["lower"] < 900 < answer["limits"]["fill"]["upper"]
    alarms = [a for a in answer["alarms"] if a["figure"] == "fill"]
    assert alarms
    assert all(a["side"] == "high" for a in alarms if a["part"] > 17)
    assert any("filling takes longer" in w for w in answer["may_be"])
    assert "it may be" in told(capsys, "series", tmp_path, "--baseline", "15")[1]
    assert "three parts" in told(capsys, "series", tmp_path, "--baseline", "2")[2]


# -- reckoner


@pytest.mark.parametrize(
    ("row", "words", "keys"),
    [
        ("cure", ["resin=epoxy-slow", "thickness=12mm"], {"peak_c", "peak_s", "gel_mid_s", "gel_face_s"}),
        ("fibre-share", ["fibre=6kg", "part=10kg"], {"vf", "vf_low", "vf_high", "fibre_mass_share"}),
        (
            "chart",
            ["values=10,11,10,12,11,10,11,12,11,10"],
            {"mean", "lower", "upper", "sigma", "signals", "ewma"},
        ),
        ("glass", ["alpha=1"], {"glass_c"}),
    ],
)
def test_rows_after_the_shot(capsys, row, words, keys):
    code, out, _ = told(capsys, "reckon", row, *words, "--json")
    assert code == 0
    assert keys <= set(json.loads(out))


@pytest.mark.parametrize(
    ("row", "words", "fault"),
    [
        ("fibre-share", ["fibre=6kg", "part=5kg"], "no resin is left"),
        ("chart", ["values=1,two"], "values"),
        ("cure", ["resin=epoxy-slow", "thickness=0"], "thickness"),
        ("glass", ["alpha=2"], "alpha"),
    ],
)
def test_rows_refuse_in_one_sentence(capsys, row, words, fault):
    code, _, err = told(capsys, "reckon", row, *words)
    assert code == 2
    assert fault in err


def test_a_record_is_written_as_a_bundle(tmp_path, capsys, folder):
    path = sorted(folder.glob("hatch*.bibulon"))[0]
    code, out, _ = told(capsys, "record", path, "--bundle", tmp_path / "all")
    assert code == 0
    assert "card.pdf" in out
    assert (tmp_path / "all" / "card.pdf").read_bytes().startswith(b"%PDF")
    assert (tmp_path / "all" / "journal.csv").read_text().startswith("time,what,where")
