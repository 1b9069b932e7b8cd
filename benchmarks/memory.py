"""What a long day's use leaves in memory: the same acts again and again, two hours of them at a person's pace.

A person does something every five seconds; the acts are the same, only without the waits between.  Stated is the memory that the
process holds [MB] after five minutes and after two hours, and what each hour's quarter added.
"""

from __future__ import annotations

import gc
import os
import sys
import tempfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEventLoop

from bibulon.app import start
from bibulon.app.kit.tabs import Tabs
from bibulon.app.session import forecaster
from bibulon.app.shell.window import Window
from bibulon.app.work.ask import Ask
from bibulon.core.drawing.kit.tokens import DAY, NIGHT
from bibulon.core.edit.edit import change
from bibulon.core.flow.forecast import Resolution
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.run.journal import Entry

__all__ = ["BAR", "held", "main"]

BAR = 1.2  # times what is held after five minutes
PACE = 12  # acts a minute
FIVE, TWO_HOURS = 5 * PACE, 120 * PACE
QUARTER = 15 * PACE
SEARCHED = 5  # rounds between two long searches


def held() -> float:
    """Return the memory that this process holds [MB], once what nobody uses is collected."""
    gc.collect()
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def rest(window: Window) -> None:
    """Wait for all that works."""
    start.settle(window)
    app = start.application()
    asks = [*window.findChildren(Ask), *window.session.findChildren(Ask)]
    while any(ask.busy for ask in asks):
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    app.processEvents()


def acts(window: Window, folder: Path) -> Iterator[Callable[[], Any]]:
    """Yield what a person does, one after another, without an end."""
    session = window.session
    number = 0
    while True:
        session.new(mould_demo_job() if number % 6 == 5 else demo_job())
        for k, station in enumerate(window.stations):
            if not station.stands(session.job):
                continue
            yield partial(window.go, k)
            if isinstance(station.bench, Tabs):
                for page in station.bench.names[1:]:
                    yield partial(station.bench.go, page)
        window.go_to("Lines")
        for _ in range(8):
            yield partial(session.edit, "Move a line", _shorter)
        yield session.undo_stack.undo
        yield session.undo_stack.redo
        for share in (0.2, 0.5, 0.9):
            yield partial(session.set_moment, share * 1200.0)
        yield partial(window.set_theme, NIGHT if window.theme is DAY else DAY)
        yield window.turn_units
        if not number % SEARCHED:
            yield from _searched(window)
        path = folder / f"{number % 3}.bibulon"
        yield partial(session.save, path)
        for n in range(10):
            yield partial(session.stamp, Entry("r", 10.0 * n, "front", {"x": 0.1 * n, "y": 0.5}))
        yield partial(session.open, path)
        number += 1


def _searched(window: Window) -> Iterator[Callable[[], Any]]:
    """Search for plans, a few tries of them, and ask how sure this one is."""
    from bibulon.app.stations.lines.suggest_view import SuggestView
    from bibulon.app.stations.lines.whatif_view import WhatIfView

    for search in window.findChildren(SuggestView):
        search.most.setValue(6)
        yield search.begin
    for sure in window.findChildren(WhatIfView):
        yield sure.bar.start.click


def _shorter(job: Any) -> Any:
    line = job.lines[1]
    moved = line.replaced(path=tuple((x - 0.002, y) for x, y in line.path))
    return change(job, lines=(job.lines[0], moved, *job.lines[2:]))


def main(*, quick: bool = False) -> None:
    """Do two hours of acts; print what is held, and end with 1 when it grew past the bar."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    if quick:
        forecaster.FINE_ON_SCREEN = Resolution(400, 1, 8)
    start.application()
    window = start.make_window(*start._scratch())
    window._may_leave = lambda: True  # type: ignore[method-assign]
    window.show()
    window.session.examples = window.session.state_folder / "none"
    after_five = 0.0
    with tempfile.TemporaryDirectory() as folder:
        for number, act in enumerate(acts(window, Path(folder)), 1):
            act()
            rest(window)
            if number == (2 if quick else FIVE):
                after_five = held()
                print(f"after five minutes {after_five:6.0f} MB", flush=True)
            elif not number % QUARTER:
                print(f"{number / PACE:6.0f} min        {held():6.0f} MB", flush=True)
            if number == (4 if quick else TWO_HOURS):
                break
        now = held()
        print(f"after two hours    {now:6.0f} MB   {now / after_five:4.2f} times; {BAR} asked", flush=True)
        window.close()


if __name__ == "__main__":
    main(quick="--quick" in sys.argv)
