"""A search on other machines: two workers on the loopback, one of them killed on the way."""

from __future__ import annotations

import contextlib
import json
import os
import select
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from bibulon.cli.main import main
from bibulon.core.library.demo import demo_job
from bibulon.core.plans.sure import how_sure
from bibulon.core.plans.work import each
from bibulon.devices import cluster
from bibulon.devices.cluster import Cluster, ClusterError
from bibulon.store.jobfile import save

ROOT = Path(__file__).resolve().parents[1]


@pytest.fixture(scope="module")
def shop(tmp_path_factory):
    """Start a scheduler and two workers as processes of their own; give its address and them."""
    folder = tmp_path_factory.mktemp("cluster")
    told = folder / "scheduler.json"
    env = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "OMP_NUM_THREADS": "1"}
    common = ["--scheduler-file", str(told), "--no-dashboard"]
    dask = [sys.executable, "-m", "dask"]
    with contextlib.ExitStack() as stack:

        def begin(*words):
            log = stack.enter_context(open(folder / f"{words[0]}-{time.monotonic_ns()}.log", "w"))
            process = subprocess.Popen([*dask, *words, *common], env=env, cwd=folder, stdout=log, stderr=log)
            stack.callback(process.wait)
            stack.callback(process.kill)
            return process

        begin("scheduler", "--host", "127.0.0.1", "--port", "0")
        workers = [begin("worker", "--no-nanny", "--nthreads", "1") for _ in range(2)]
        until = time.monotonic() + 60
        while not told.exists() and time.monotonic() < until:
            time.sleep(0.1)  # processes of another program: nothing tells when they are there
        address = json.loads(told.read_text())["address"]
        from distributed import Client

        with Client(address, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=60)
        yield address, workers


def test_a_cluster_gives_the_answers_of_this_machine_though_a_worker_is_killed(shop):
    address, workers = shop
    job = demo_job()
    alone = how_sure(job, runs=6, seed=3, workers=0)
    done = []

    def kill_one(count, of):
        done.append(count)
        if count == 1:
            workers[0].send_signal(signal.SIGKILL)

    together = how_sure(job, runs=6, seed=3, workers=Cluster(address), progress=kill_one)
    assert done == [1, 2, 3, 4, 5, 6]
    assert [r.what for r in together.runs] == [r.what for r in alone.runs]
    assert together.fill_range == pytest.approx(alone.fill_range, rel=1e-9)
    assert workers[0].wait(10) == -signal.SIGKILL
    assert workers[1].poll() is None


def test_work_on_a_cluster_ends_at_once_when_it_is_cancelled(shop):
    address, _ = shop
    answers = []
    for seconds, _ in each(time.sleep, [0.01, 2.0, 2.0], Cluster(address), lambda: bool(answers)):
        answers.append(seconds)
    assert answers == [0.01]


def test_the_command_line_works_on_a_cluster(shop, tmp_path, capsys):
    address, _ = shop
    path = tmp_path / "petal.bibulon"
    save(demo_job(), path)
    assert main(["sure", str(path), "--runs", "2", "--cluster", address, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["runs"] == 2


def test_nobody_at_the_address_is_told_in_a_sentence(tmp_path, capsys, monkeypatch):
    monkeypatch.setattr(cluster, "PATIENCE", 0.5)
    path = tmp_path / "petal.bibulon"
    save(demo_job(), path)
    assert main(["sure", str(path), "--cluster", "tcp://127.0.0.1:9"]) == 2
    assert capsys.readouterr().err == "bibulon: No scheduler answers at tcp://127.0.0.1:9.\n"
    with pytest.raises(ClusterError, match="No scheduler answers at nonsense"):
        Cluster("nonsense://x").begin()


def test_a_worker_of_another_version_is_refused(shop, monkeypatch):
    address, _ = shop
    monkeypatch.setattr(cluster, "__version__", "99.0")
    with pytest.raises(ClusterError, match=r"The worker .* has Bibulon .*; this is 99\.0"):
        Cluster(address).begin()


def test_a_missing_package_says_what_to_install(monkeypatch):
    monkeypatch.setitem(sys.modules, "distributed", None)
    with pytest.raises(ClusterError, match=r"pip install bibulon\[cluster\]"):
        Cluster("tcp://127.0.0.1:9").begin()


ORPHANING = """

from bibulon.core.plans.work import each
def main():
    for _, pid in each(lives, [0.0, 0.0, 600.0, 600.0], 2):
        print(pid, flush=True)
from tests.test_cluster import lives
if __name__ == "__main__":
    main()
"""


def lives(seconds):
    """Return the process that this ran in, after a while."""
    time.sleep(seconds)
    return os.getpid()


def test_workers_end_when_their_program_is_killed(tmp_path):
    """They would wait for more work for ever, each with all that it has loaded."""
    script = tmp_path / "killed.py"
    script.write_text(ORPHANING)
    env = {**os.environ, "PYTHONPATH": os.pathsep.join([str(ROOT / "src"), str(ROOT)])}
    with subprocess.Popen(
        [sys.executable, str(script)], stdout=subprocess.PIPE, text=True, env=env
    ) as program:
        assert program.stdout is not None
        workers = {int(program.stdout.readline()) for _ in range(2)}
        ends = [os.pidfd_open(pid) for pid in workers]
        program.kill()
    for end in ends:
        assert select.select([end], [], [], 30.0)[0], "a worker lives on"
        os.close(end)
