"""Every benchmark runs at its smallest size, and so do the pictures of the guide: what is not run crashes unseen."""

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
    ("name", "words"), [("flow", "LU"), ("drawing", "clock dragged"), ("validation", "%")]
)
def test_a_benchmark_runs(name, words):
    assert words in run("benchmarks", name, "--quick")


def test_a_benchmark_that_is_none_is_told():
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", "nothing"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 2
    assert "there is no benchmark nothing" in done.stderr
