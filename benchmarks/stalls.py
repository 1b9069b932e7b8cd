"""How long the window does not answer: a driven walk through stations, pages, themes, edits and a running shoot with many rows.

Measured is the processor time of the interface thread in each act and in each turn of its loop, painting and answers of
workers with it: as long as that a key waits.  Which function of ours it spent it in says a watcher that looks every few
milliseconds.  A shared machine may run at half its pace for some seconds: beside each long act stands how much slower
than at its best a fixed piece of work went right after it.
"""

from __future__ import annotations

import gc
import os
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QApplication

from bibulon.app.kit.tabs import Tabs
from bibulon.app.session import forecaster
from bibulon.app.shell.page_loader import PageLoader
from bibulon.app.shell.rules_panel import RulesPanel
from bibulon.app.shell.window import Window
from bibulon.app.start import _scratch, make_window
from bibulon.app.stations.shoot import refitting
from bibulon.app.work.collector import wake
from bibulon.core.drawing.kit.tokens import DAY, NIGHT
from bibulon.core.edit.edit import change
from bibulon.core.flow.fill.filling import Cancelled
from bibulon.core.flow.forecast import Resolution
from bibulon.core.library.demo import demo_job
from bibulon.core.run.journal import Entry

LIMIT = 0.050  # s
ROWS = 10_000
QUICK = ("Lines", "Record")  # stations that are looked at in a hurry, besides the board
WATCH = 0.004  # s between two looks


def _pace() -> float:
    """Return the processor time of a fixed piece of work [s]: a short one, since it is asked for between two acts."""
    began = time.thread_time()
    sum(k * k for k in range(20_000))
    return time.thread_time() - began


class _Watch:
    """What the interface thread spends between two chances to take a key, and which of our functions was met most often in it.

    The program's own events pass it by: an application that looks at each of them in Python makes a window that shows a
    hundred controls half as slow again.
    """

    def __init__(self) -> None:
        self.step = "start"
        self.busy = False
        self.seen: Counter[str] = Counter()
        # What an act took, and the pace right after it [s].
        self.worst: dict[tuple[str, str], tuple[float, float]] = {}
        self.best = min(_pace() for _ in range(20))  # s of the fixed work when nothing else runs
        self._main = threading.main_thread().ident
        self._over = threading.Event()
        self._watcher = threading.Thread(target=self._look, daemon=True)
        self._watcher.start()

    def time(self, act: Callable[[], object]) -> None:
        """Do something, and keep it when it took long."""
        self.seen, self.busy, began = Counter(), True, time.thread_time()
        act()
        took, self.busy = time.thread_time() - began, False
        if took > LIMIT / 2:
            key = (self.step, self.seen.most_common(1)[0][0] if self.seen else "Qt")
            pace = _pace()
            self.best = min(self.best, pace)
            self.worst[key] = max(self.worst.get(key, (0.0, 0.0)), (took, pace))

    def _look(self) -> None:
        while not self._over.wait(WATCH):
            if not self.busy:
                continue
            frame: Any = sys._current_frames().get(self._main or 0)
            while frame is not None:
                name = frame.f_code.co_filename
                if "/bibulon/" in name:
                    self.seen[f"{name.rsplit('/bibulon/', 1)[1]}:{frame.f_code.co_name}"] += 1
                    break
                frame = frame.f_back
            frame = None  # what it holds belongs to the interface thread

    def stop(self) -> None:
        """End the watcher."""
        self._over.set()
        self._watcher.join()


def _let(watch: _Watch, window: Window, seconds: float = 0.4) -> None:
    """Let the window live on: workers answer, timers fire."""
    until = time.monotonic() + seconds
    while time.monotonic() < until or window.session.forecaster.busy:
        watch.time(QApplication.processEvents)
        time.sleep(0.005)


def _follow(watch: _Watch, wall: Window, window: Window) -> None:
    """Let both windows live on until one shows what the other wrote."""
    until = time.monotonic() + 20.0
    while wall.session.journal != window.session.journal:
        if time.monotonic() > until:
            raise RuntimeError("the second window does not follow the first")
        _let(watch, wall, 0.1)
    _let(watch, wall)


def _none(*_: Any, **__: Any) -> Any:
    raise Cancelled


def main(*, quick: bool = False) -> None:
    """Print the events that took longest, each with its step and function."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    if quick:
        forecaster.FINE_ON_SCREEN = Resolution(500, 1, 10)
        refitting.prior_of = _none  # seconds of both processors
    gc.disable()
    _app, watch = QApplication(sys.argv[:1]), _Watch()
    window = make_window(*_scratch())
    window._may_leave = lambda: True  # type: ignore[method-assign]
    window.show()
    window.session.new(demo_job())
    QApplication.processEvents()  # the first picture belongs to the start, which has a bar of its own
    loaded: list[int] = [1] if quick else []
    loader = PageLoader(window)  # with the collector at rest until it is done, as the application does
    loader.done.connect(wake)
    loader.done.connect(lambda: loaded.append(1))
    while not loaded:
        _let(watch, window, 0.2)

    def step(name: str, act: Any, seconds: float = 0.3) -> None:
        watch.step = name
        watch.time(act)
        _let(watch, window, 0.05 if quick else seconds)

    for again in (1, 2):
        for k, station in enumerate(window.stations):
            if not station.stands(window.session.job) or (quick and station.name not in QUICK):
                continue
            step(f"{station.name}, shown {'first' if again == 1 else 'again'}", lambda k=k: window.go(k))
            if isinstance(station.bench, Tabs) and not quick:
                for page in station.bench.names[1:]:
                    tabs = station.bench
                    step(
                        f"{station.name}, {page}{'' if again == 1 else ', again'}",
                        lambda p=page, t=tabs: t.go(p),
                        0.6,
                    )
        if quick:
            break
    step("night", lambda: window.set_theme(NIGHT))
    step("day", lambda: window.set_theme(DAY))
    window.go_to("Lines")
    session = window.session

    def shorter() -> None:
        line = session.job.lines[1]
        moved = line.replaced(path=tuple((x - 0.02, y) for x, y in line.path))
        session.edit("Move a line", lambda job: change(job, lines=(job.lines[0], moved, *job.lines[2:])))

    step("a line moved", shorter, 2.0)
    step("undone", session.undo_stack.undo, 2.0)
    step("a moment of the clock", lambda: session.set_moment(700.0))
    step("shop rules", window.actions_by_title["Shop rules…"].trigger)
    rules: Any = window.findChild(RulesPanel)
    step("shop rules of the bag", lambda: rules.station.setCurrentText("Bag"))
    step("shop rules searched", lambda: rules.search.setText("a"))
    step("a rule set", lambda: rules.cards[0]._put_back(), 1.0)
    rules.put_away()
    settings, folder = _scratch()
    step("saved first", lambda: session.save(folder / "run.bibulon"))
    now = session.run_clock.clock.now()
    session.stamp(
        Entry("r", 0.0, "start", {"began": now.wall - 600, "up": now.up - 600, "boot": now.boot}, now.wall)
    )
    rows = 200 if quick else ROWS
    for k in range(rows):
        session.log_readings(Entry("r", 600.0 * k / rows, "note", {"text": f"row {k}"}, now.wall))
    step(f"Shoot, {rows} rows", lambda: window.go_to("Shoot"), 1.0)
    board: Any = window.station("Shoot")
    board = board.board
    step("a stamp", lambda: board._stamp("bubbles"), 1.0)
    step("a tick of the board", board.refresh)
    step(f"Record, {rows} rows", lambda: window.go_to("Record"), 1.0)
    session.edit("Rename", lambda job: change(job, name="Petal again"))
    step("saved", session.save)
    for ending in ("png", "pdf", "dxf", "svg"):
        for name in ("plan", "diagram"):
            path = folder / f"{name}.{ending}"
            step(f"{name} as {ending}", lambda n=name, p=path: window.plan_acts.save(n, p))
    record: Any = window.station("Record")
    step("card as PDF", lambda: record.write(folder / "card.pdf"))
    wall = make_window(settings, folder)
    wall.show()
    wall.go_to("Shoot")
    _let(watch, wall, 0.2)
    step("a second window reads it", lambda: wall.open(folder / "run.bibulon"))
    _follow(watch, wall, window)
    step("a stamp that it follows", lambda: board._stamp("bubbles"))
    _follow(watch, wall, window)
    watch.stop()
    found = sorted(watch.worst.items(), key=lambda kv: -kv[1][0])
    over = [took for _, (took, _) in found if took > LIMIT]
    at_best = [took for _, (took, pace) in found if took * watch.best / pace > LIMIT]
    print(
        f"{len(over)} stalls over {LIMIT * 1e3:.0f} ms, {len(at_best)} had the machine been at its best; the worst, processor time"
        " of the interface thread, and how much slower than at its best the machine was then:"
    )
    for (name, where), (took, pace) in found[:25]:
        print(f"{took * 1e3:7.0f} ms {pace / watch.best:5.1f} times  {name:34} {where}")
    wall.close()
    wall.session.close()
    window.close()
    session.close()
