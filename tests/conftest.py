"""What all tests share: the demo job, and a window whose settings and state are its own."""

from __future__ import annotations

import gc
import os
import threading
from pathlib import Path

import pytest
from hypothesis import settings
from tests.remembered import Remembered, remembered  # before all else, which then asks through it
from tests.written import written

from bibulon.core.findings import judge
from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job

# The same examples every time, and no clock: the machines are shared.  HYPOTHESIS_PROFILE=default explores.
settings.register_profile("repeatable", deadline=None, derandomize=True)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "repeatable"))

# Programs that tests start find the source tree as the tests themselves do.
os.environ["PYTHONPATH"] = str(Path(__file__).resolve().parents[1] / "src")


@pytest.fixture(scope="session", autouse=True)
def _own_cache(tmp_path_factory: pytest.TempPathFactory):
    """What is kept between starts stays within the tests."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CACHE_HOME", str(tmp_path_factory.mktemp("cache")))
        yield


@pytest.fixture(autouse=True)
def _rules_that_fail_fail(monkeypatch: pytest.MonkeyPatch) -> None:
    """A rule that fails is told to people as a finding, and to tests as what it is."""

    def raised(_rule: object, error: Exception) -> None:
        raise error

    monkeypatch.setattr(judge, "fault_of", raised)


@pytest.fixture(scope="session")
def demo() -> Job:
    return demo_job()


def pytest_collection_finish() -> None:
    """What is loaded by now stays: the collector need not look through it at every full pass."""
    gc.collect()
    gc.freeze()


FIRST = (
    "test_layouts.py", "test_benchmarks.py", "test_rehearsal.py", "test_cli.py", "test_plan.py", "test_line_limits.py",
    "test_walk.py", "test_refit.py", "test_run_cases.py",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Long files begin first: one that begins last would keep a single worker busy while the other waits."""
    items.sort(key=lambda item: FIRST.index(item.path.name) if item.path.name in FIRST else len(FIRST))


AGAIN = (
    "test_cli", "test_one_door", "test_rehearsal", "test_line_plans", "test_line_limits", "test_resin_side", "test_mould_", "test_finding_limits",
    "test_charge", "test_looks", "test_after", "test_postcure", "test_run_cases",
)  # fmt: skip


@pytest.fixture(autouse=True)
def _answers_again(request: pytest.FixtureRequest):
    """Remember what the engine answered where it is not the engine that is tested."""
    remembered.on = request.path.parent.name == "app" or request.path.name.startswith(AGAIN)
    yield
    remembered.on = False


_looks = Remembered()
_looks.on = True


def _of_look(job, resolution, *, fine, **_):
    # Pages ask whether what was worked out is of this very test and these very rules: an equal job will not do.
    return written(job), id(job.test), id(job.rules), resolution, fine


@pytest.fixture
def window(qtbot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    from PySide6.QtCore import QSettings, QTimer
    from shiboken6 import isValid

    from bibulon.app.session import forecaster
    from bibulon.app.start import make_window
    from bibulon.app.work.ask import Ask, end_all
    from bibulon.core.flow.forecast import Resolution

    # The window's ways are tested, not the mesh's fineness.
    monkeypatch.setattr(forecaster, "FINE_ON_SCREEN", Resolution(250, 1, 5))
    monkeypatch.setattr(forecaster, "PREVIEW", Resolution(150, 1, 5, air=False))

    # Each job is looked at once a test process: most tests begin with the same one.
    again = _looks.of(forecaster.look_ahead, _of_look, lambda told, *_: told)
    monkeypatch.setattr(forecaster, "look_ahead", again)
    asks: list[Ask] = []
    begin = Ask.start
    monkeypatch.setattr(Ask, "start", lambda ask, work: (asks.append(ask), begin(ask, work))[1])
    made = make_window(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat), tmp_path / "state")
    made._may_leave = lambda: True  # no question when the test ends
    qtbot.addWidget(made)
    made.show()
    threads = set(threading.enumerate())
    yield made
    made.session.close()
    end_all(made, made.session)
    lost = [type(a.parent()).__name__ for a in asks if isValid(a) and not a._closed]
    assert lost == [], f"work that nobody ends when the window is closed, of: {', '.join(lost)}"
    left = [
        f"{type(t.parent()).__name__}"
        for t in made.findChildren(QTimer) + made.session.findChildren(QTimer)
        if t.isActive()
    ]
    assert left == [], f"timers that still run once the window is closed, of: {', '.join(left)}"
    alive = [t.name for t in threading.enumerate() if t not in threads and t.is_alive() and not t.daemon]
    assert alive == [], f"threads that outlive the window: {', '.join(alive)}"
