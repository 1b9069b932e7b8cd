"""The command line as a user runs it: codes, JSON on standard output only, no Qt."""

import json
import math
import os
import re
import subprocess
import sys
from pathlib import Path

import jsonschema
import numpy as np
import pypdf
import pytest
from tests.written import written

from bibulon.cli.main import main
from bibulon.core.edit.edit import inset_mesh, open_on_front
from bibulon.store.jobfile import save


@pytest.fixture
def job(demo, tmp_path: Path) -> Path:
    path = tmp_path / "petal.bibulon"
    save(demo, path)
    return path


def run(capsys, *words):
    code = main([str(w) for w in words])
    out, err = capsys.readouterr()
    return code, out, err


def test_forecast_json(job, capsys):
    code, out, err = run(capsys, "forecast", job, "--coarse", "--at", "1000,750", "--at", "50,750", "--json")
    told = json.loads(out)
    assert (code, err) == (0, "")
    assert told["filled"] is True
    assert 600 < told["fill_time_s"] < 3600
    assert set(told["last_wet"]) == {"x_mm", "y_mm", "time_s"}
    assert set(told["probes"][0]["wet_at_s"]) == {"lower skin", "core", "upper skin", "mesh"}
    assert set(told["probes"][1]["wet_at_s"]) == {"lower skin", "upper skin", "mesh"}
    assert told["resin_in_part_kg"] > 5
    assert sum(told["resin_by_layer_kg"].values()) == pytest.approx(told["resin_in_part_kg"])
    assert told["mass_balance"] < 1e-8


def test_forecast_in_words(job, capsys):
    code, out, _ = run(capsys, "forecast", job, "--coarse")
    assert code == 0
    assert "wet through at" in out
    assert "closes last at" in out


def test_charge_json_adds_up(job, capsys):
    _, out, _ = run(capsys, "charge", job, "--json")
    told = json.loads(out)
    assert told["total_kg"] == pytest.approx(sum(s["mass_kg"] for s in told["sinks"]))
    assert told["part_a_kg"] + told["part_b_kg"] == pytest.approx(told["total_kg"])


def test_findings_end_with_1_only_when_one_blocks(demo, job, tmp_path, capsys):
    assert run(capsys, "findings", job, "--coarse", "--json")[0] == 0
    touching = inset_mesh(open_on_front(demo, "F2"), "net-green", 0.0)
    touching = touching.replaced(mesh=touching.mesh.replaced(outline=demo.part.outline))
    save(touching, tmp_path / "t.json")
    code, out, _ = run(capsys, "findings", tmp_path / "t.json", "--coarse", "--json")
    assert code == 1
    assert any(
        f["key"] == "mesh-vacuum:V1" and f["weight"] == "blocking" and f["places_mm"] for f in json.loads(out)
    )


@pytest.mark.parametrize(("rise", "length", "code"), [(0.2, 600, 0), (12.0, 600, 1), (0.2, 120, 3)])
def test_leak_ends_with_its_verdict(tmp_path, capsys, rise, length, code):
    log = tmp_path / "g.csv"
    log.write_text(
        "time_s,mbar absolute\n" + "".join(f"{t},{20 + rise * t / 100}\n" for t in range(0, length + 1, 5))
    )
    done, out, _ = run(capsys, "leak", log, "--volume-l", "10")
    assert done == code
    assert {0: "pass", 1: "fail", 3: "cannot tell"}[code] in out


def test_a_log_below_air_is_no_fall(tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text("".join(f"{t},{940 - 0.2 * t}\n" for t in range(0, 601, 5)))
    code, _, told = run(capsys, "leak", log, "--volume-l", "10")
    assert code == 2
    assert "--gauge absolute, or --gauge below" in told
    code, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--gauge", "below", "--air", "1000")
    assert code == 1
    assert "fail" in out


def test_leak(tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text(
        "time_s,pressure_mbar_absolute\n" + "\n".join(f"{t},{20 + t * 0.01}" for t in range(0, 601, 30))
    )
    code, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--json")
    told = json.loads(out)
    assert code == 0
    assert told["leak_mbar_l_per_s"] == pytest.approx(0.1, rel=1e-6)
    assert told["interval_90_leak"][0] <= 0.1 <= told["interval_90_leak"][1] + 1e-9
    assert told["verdict"] == "pass"


def test_card_is_a_pdf_with_its_figures(job, tmp_path, capsys):
    code, _, _ = run(capsys, "card", job, "-o", tmp_path / "card.pdf")
    assert code == 0
    text = "".join(page.extract_text() for page in pypdf.PdfReader(tmp_path / "card.pdf").pages)
    for words in (
        "Observatory dome petal 3",
        "Stitched triaxial 850",
        "Charge",
        "Leak test",
        "Wet through at",
        "Findings",
    ):
        assert words in text


def test_schema_is_a_schema(capsys):
    code, out, _ = run(capsys, "schema")
    assert code == 0
    jsonschema.Draft202012Validator.check_schema(json.loads(out))


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["forecast", "none.bibulon"], "cannot be read"),
        (["forecast", "{job}", "--coarse", "--at", "9999,1"], "outside the part"),
        (["forecast", "{job}", "--coarse", "--at", "9;1"], "X,Y in mm"),
        (["leak", "none.csv", "--volume-l", "4"], "cannot be read"),
        (["leak", "{log}", "--volume-l", "0", "--gauge", "absolute"], "must lie between 0.1 L and 10000 L"),
        (["leak", "{log}", "--volume-l", "4", "--school", "x"], "there is no school"),
        (["card", "{job}", "-o", "/no/such/place/card.pdf"], "No such file"),
    ],
)
def test_faults_are_one_plain_sentence_and_2(words, told, job, tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text("0,20\n60,21\n120,22\n")
    code, out, err = run(capsys, *[w.replace("{job}", str(job)).replace("{log}", str(log)) for w in words])
    assert code == 2
    assert out == ""
    assert told in err
    assert len(err.strip().splitlines()) == 1
    assert "Traceback" not in err


def test_an_unfinished_job_says_what_it_lacks(tmp_path, capsys):
    from bibulon.core.library.demo import blank_job

    save(blank_job(), tmp_path / "b.json")
    code, _, err = run(capsys, "forecast", tmp_path / "b.json")
    assert code == 2
    assert "resin" in err


NO_QT = """
import sys
from bibulon.cli.main import main
codes = [main(a.split()) for a in ("forecast {0} --coarse --json", "stack {0} --json", "card {0} -o {1}", "schema")]
loaded = [m for m in sys.modules if m.startswith(("PySide6", "shiboken6"))]
print(codes, loaded, file=sys.stderr)
"""


def test_the_command_line_never_loads_qt(job, tmp_path):
    code = NO_QT.replace("{0}", str(job)).replace("{1}", str(tmp_path / "c.pdf"))
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip().endswith("[0, 0, 0, 0] []")


METRIC = re.compile(r"\b\d[\d.,]*\s*(mm|cm²|m²|kg|g/m²|mbar|°C|L)\b|\b\d[\d.]* m\b")


@pytest.mark.parametrize(
    "words",
    [
        ["forecast", "{job}", "--coarse", "--at", "1000,750"],
        ["charge", "{job}"],
        ["findings", "{job}", "--coarse"],
        ["stack", "{job}"],
        ["calls", "{job}", "--coarse"],
        ["leak", "{log}", "--volume-l", "4", "--gauge", "absolute"],
    ],
)
def test_commands_tell_their_figures_in_us_units_and_as_json(words, job, tmp_path, capsys):
    log = tmp_path / "g.csv"
    log.write_text("".join(f"{60 * k},{20 + k}\n" for k in range(12)))
    words = [w.replace("{job}", str(job)).replace("{log}", str(log)) for w in words]
    plain = run(capsys, *words, "--units", "us")[1]
    assert plain
    told = [m[0] for m in METRIC.finditer(plain.replace("mbar·L/s", ""))]
    assert told == []
    json.loads(run(capsys, *words, "--json")[1])


def test_lists_are_written_in_us_units(job, tmp_path, capsys):
    for name in ("ply-book", "core-kit", "line-list", "material"):
        assert run(capsys, "list", job, name, "-o", tmp_path / f"{name}.csv", "--units", "us")[0] == 0
        head, first, *_ = (tmp_path / f"{name}.csv").read_text().splitlines()
        assert not re.search(r" (mm|m|m2|kg|L|g/m2)(,|$)", head), head
        assert not METRIC.search(first), first


@pytest.mark.parametrize(
    "words", [["card", "x.json", "-o", "c.doc"], ["list", "x.json", "material", "-o", "c.txt"]]
)
def test_an_ending_is_refused_before_the_work(words, capsys):
    with pytest.raises(SystemExit) as ended:
        main(words)
    assert ended.value.code == 2
    assert "does not end with" in capsys.readouterr().err


def test_a_damaged_job_is_told_by_every_command_and_its_code(demo, tmp_path, capsys):
    document = json.loads(written(demo))
    document["cut"] = {"path": "nonsense"}
    (tmp_path / "d.json").write_text(json.dumps(document))
    for words in (["forecast", "--coarse"], ["charge"], ["stack"], ["findings", "--coarse"]):
        code, out, err = run(capsys, words[0], tmp_path / "d.json", *words[1:])
        assert code == 4
        assert "Read without it" in err
        assert out


@pytest.mark.parametrize("words", [["open"], ["demo"]])
def test_without_a_display_a_window_is_refused_in_one_sentence(words):
    env = {k: v for k, v in os.environ.items() if k not in {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}}
    done = subprocess.run(
        [sys.executable, "-m", "bibulon", *words], capture_output=True, text=True, env=env, check=False
    )
    assert done.returncode == 2
    assert done.stderr.strip().startswith("bibulon: There is no display")
    assert len(done.stderr.strip().splitlines()) == 1


def test_leak_tells_all_that_follows(tmp_path, capsys):
    log, warm = tmp_path / "g.csv", tmp_path / "t.csv"
    rng = np.random.default_rng(5)
    log.write_text(
        "time_s,pressure_pa_absolute\n"
        + "\n".join(f"{t},{2000 + t + rng.normal(0, 2):.3f}" for t in range(0, 601, 5))
    )
    warm.write_text("time_s,temperature_c\n0,20\n600,20.6\n")
    code, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--json")
    told = json.loads(out)
    assert code in (0, 1, 3)
    assert told["rate_mbar_per_min"] == pytest.approx(0.6, rel=0.05)
    low, high = told["interval_90"]
    assert low < 0.6 < high
    assert told["leak_mbar_l_per_s"] == pytest.approx(0.1, rel=0.05)
    assert told["outgassing"] == pytest.approx(0.0, abs=1.0)
    assert told["pinhole_um"] == pytest.approx(math.sqrt(4 * 0.01 / (0.8 * 20.0e6) / math.pi) * 1e6, rel=0.06)
    hours = [row["hours"] for row in told["pressure_after"]]
    assert hours == [1.0, 4.0, 12.0, 24.0]
    assert told["pressure_after"][0]["mbar"] == pytest.approx(20 + 6 + 36, rel=0.05)
    _, out, _ = run(capsys, "leak", log, "--volume-l", "10", "--temperature", warm, "--json")
    assert json.loads(out)["rate_mbar_per_min"] < told["rate_mbar_per_min"]
    warm.write_text("time_s,temperature_c\n0,20\n0,21\n")
    code, _, problem = run(capsys, "leak", log, "--volume-l", "10", "--temperature", warm)
    assert code == 2
    assert "temperature 2 does not come after" in problem


def test_pump_down_tells_speed_floor_and_blame(tmp_path, capsys):
    log = tmp_path / "p.csv"
    log.write_text(
        "time_s,pressure_pa_absolute\n"
        + "\n".join(f"{t},{300 + 101000 * math.exp(-t * 2e-4 / 0.006):.4f}" for t in range(0, 241, 4))
    )
    code, out, _ = run(capsys, "pump-down", log, "--volume-l", "6", "--json")
    told = json.loads(out)
    assert code == 0
    assert told["speed_l_per_s"] == pytest.approx(0.2, rel=0.01)
    assert told["floor_mbar"] == pytest.approx(3.0, rel=0.03)
    assert told["blame"] == ""
    assert [r["mbar"] for r in told["reach"]] == [100.0, 50.0, 20.0, 10.0]
    code, out, _ = run(capsys, "pump-down", log, "--volume-l", "6", "--rated-l-per-s", "0.6")
    assert code == 1
    assert "blame    pump" in out
    code, _, problem = run(capsys, "pump-down", log, "--volume-l", "0")
    assert code == 2
    assert "--volume-l" in problem


def test_a_reader_that_has_had_enough_is_no_fault(job):
    words = f"{sys.executable} -m bibulon schema | head -n 1"
    done = subprocess.run(
        ["bash", "-o", "pipefail", "-c", words], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "{\n", "")
