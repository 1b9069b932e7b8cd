"""Benchmarks run at their smallest size, and so do the pictures of the guide: what is not run crashes unseen."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest


def run(*words):
    done = subprocess.run(
        [sys.executable, "-m", *words], capture_output=True, text=True, check=False, env={**os.environ}
    )
    assert done.returncode == 0, done.stdout[-1500:] + done.stderr[-1500:]
    return done.stdout


@pytest.mark.parametrize(
    ("names", "words"),
    [
        (("flow", "validation", "layouts", "rehearsal"), ("LU", "%", "0 judged wrong", "each by nothing")),
        pytest.param(("stalls",), ("the worst, processor time",), marks=pytest.mark.slow),
        pytest.param(("drawing",), ("clock dragged",), marks=pytest.mark.slow),
        pytest.param(("hands",), ("passed",), marks=pytest.mark.slow),
        pytest.param(("start",), ("times a bare window",), marks=pytest.mark.slow),
        pytest.param(("memory",), ("after two hours",), marks=pytest.mark.slow),
    ],
    ids=lambda words: words[0],
)
def test_benchmarks_run(names, words):
    told = run("benchmarks", *names, "--quick")
    assert [w for w in words if w not in told] == []


def test_a_benchmark_that_is_none_is_told():
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", "nothing"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 2
    assert "there is no benchmark nothing" in done.stderr


def test_pictures_are_made_and_the_program_ends(tmp_path):
    """One picture of the run that is made up for them: nothing asks whether to leave it unsaved."""
    words = [sys.executable, "-m", "bibulon.app.shots", str(tmp_path), "shoot"]
    env = os.environ | {"QT_QPA_PLATFORM": "offscreen", "BIBULON_SHOTS": "quick"}
    subprocess.run(words, check=True, timeout=240, env=env)
    assert (tmp_path / "shoot.png").read_bytes().startswith(b"\x89PNG")
