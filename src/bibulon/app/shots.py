"""Write the pictures of docs/screenshots from the demo job."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer

from bibulon.app.shell.window import Window
from bibulon.app.start import _scratch, application, grab, make_window, settle
from bibulon.app.stations.bag.station import BagStation
from bibulon.app.stations.charge.station import ChargeStation
from bibulon.app.stations.cure.station import CureStation
from bibulon.app.stations.lines.station import LinesStation
from bibulon.app.stations.logbook.station import LogbookStation
from bibulon.app.stations.mould.station import MouldStation
from bibulon.app.stations.prove.station import ProveStation
from bibulon.app.stations.record.station import RecordStation
from bibulon.app.stations.shoot.station import ShootStation
from bibulon.app.stations.stack.station import StackStation
from bibulon.app.work.ask import Ask
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.job import Job
from bibulon.core.run.clock import Instant
from bibulon.core.run.drawdown import draw_entry
from bibulon.core.run.journal import Entry
from bibulon.core.series.record import pin_entry
from bibulon.core.units.figures import worded
from bibulon.store.jobfile import save
from bibulon.store.logbook import write_series

__all__ = ["main"]


def wait_for(later: Ask) -> None:
    """Wait until a panel's worker has answered."""
    if later.busy:
        loop = QEventLoop()
        later.ready.connect(loop.quit)
        QTimer.singleShot(120_000, loop.quit)
        loop.exec()


def _go(window: Window, name: str) -> None:
    window.go([s.name for s in window.stations].index(name))


def _charge(window: Window, page: str) -> None:
    _go(window, "Charge")
    charge = window.station("Charge")
    assert isinstance(charge, ChargeStation)
    charge.tabs.go(page)
    charge.schedule()
    wait_for(charge.scheduling)
    wait_for(charge.page.aging)
    wait_for(charge.heat.ask)


def _bag_page(page: str) -> Callable[[Window], None]:
    def prepare(window: Window) -> None:
        _go(window, "Bag")
        bag = window.station("Bag")
        assert isinstance(bag, BagStation)
        wait_for(bag.laid.ask)
        bag.tabs.go(page)
        bag.laid.choose("P10")
        wait_for(bag.cut.quick)
        wait_for(bag.kit.ask)
        if page == "Cut plan":
            bag.cut.nest()
            _until(lambda: not bag.cut.bar.busy)
        elif page == "Draw down":
            for step in bag.draw.steps[:9]:
                words = worded(step.words, "metric")
                window.session.stamp(draw_entry(step, words, "Ada", window.session.run_clock.wall()))
            bag.draw.pin(0.2, 0.35)

    return prepare


def _lines(window: Window, seconds: float) -> None:
    window.go(2)
    window.session.set_moment(seconds)


def _choose_first(window: Window) -> None:
    _lines(window, 840)
    if window.findings.findings:
        window.findings.choose(window.findings.findings[0].key)


class _HandClock:
    """A clock that is moved by hand, so that a test of ten minutes takes none."""

    def __init__(self, now: Instant) -> None:
        self.at = now

    def now(self) -> Instant:
        return self.at

    def on(self, seconds: float) -> None:
        """Let time pass [s]."""
        self.at = Instant(self.at.wall + seconds, self.at.up + seconds, self.at.boot)


def _prove(window: Window) -> None:
    """Record a leak test on the simulated bag, ten minutes of it."""
    _go(window, "Prove")
    prove = window.station("Prove")
    assert isinstance(prove, ProveStation)
    session, page = window.session, prove.test
    clock = _HandClock(session.run_clock.clock.now())
    session.run_clock.clock = clock
    session.instruments.run_by(clock)
    prove.panel.sum_volume()
    settle(window)
    page.pump_down()
    wait_for(page.laying)
    for _ in range(60):
        clock.on(2.0)
        page.tick()
    page.begin()
    for k in range(460):
        clock.on(1.0)
        page.tick()
        if k % 20 == 19:
            wait_for(page.fits)
    wait_for(page.fits)


def _shoot(window: Window) -> None:
    now = window.session.run_clock.clock.now()
    began = now.wall - 632
    run = "demo"
    stamp = window.session.stamp
    stamp(Entry(run, 0.0, "start", {"began": began, "up": now.up - 632, "boot": now.boot}, began))
    stamp(Entry(run, 0.0, "open", {"line": "F1"}, began))
    for clock, x, y in (
        (95, 0.38, 1.05),
        (102, 0.4, 0.42),
        (250, 0.66, 0.98),
        (262, 0.68, 0.5),
        (415, 0.9, 0.8),
    ):
        stamp(Entry(run, clock, "front", {"x": x, "y": y}, began + clock))
    stamp(Entry(run, 424.0, "open", {"line": "F2"}, began + 424))
    stamp(Entry(run, 415.0, "batch", {}, began + 415))
    stamp(Entry(run, 500.0, "dry", {"x": 1.4, "y": 0.75}, began + 500))
    stamp(Entry(run, 560.0, "gauge", {"pressure": 2200.0, "text": "22 mbar"}, began + 560))
    _go(window, "Shoot")
    shoot = window.station("Shoot")
    assert isinstance(shoot, ShootStation)
    if os.environ.get("BIBULON_SHOTS") == "quick":  # a check that it ends needs no ensemble
        return
    shoot.board.refitting.want()
    wait_for(shoot.board.refitting.ask)
    shoot.board.refresh()


def _cure(window: Window) -> None:
    _go(window, "Cure")
    station = window.station("Cure")
    assert isinstance(station, CureStation)
    wait_for(station.ask)


def _record(window: Window) -> None:
    """Pin what was found on the run that _shoot made up."""
    record = window.station("Record")
    assert isinstance(record, RecordStation)
    outlook = window.session.outlook
    assert outlook is not None
    assert outlook.forecast is not None
    x, y, _ = outlook.forecast.last_wet
    now = window.session.run_clock.wall()
    for entry in (
        Entry("demo", 1590.0, "wet", {}, now), Entry("demo", 1700.0, "stop", {}, now),
        pin_entry("1", "dry", x, y, 0.05, "wet last: resin thick, or shut early", "Ana", now),
        pin_entry("2", "bridged", 0.13, 0.9, 0.12, "cloth or film not down in the corner", "Ana", now),
        Entry("record", 0.0, "lesson", {"text": "Open F2 when the front is past it, not by the clock."}, now),
    ):  # fmt: skip
        window.session.stamp(entry)
    _go(window, "Record")
    record.pins.point(x, y)


def _logbook(page: str) -> Callable[[Window], None]:
    def prepare(window: Window) -> None:
        if window.session.examples is None:
            examples = Path(tempfile.mkdtemp(prefix="bibulon-")) / "lids"
            write_series(examples)
            save(demo_job(), examples / "petal-3.bibulon")
            save(mould_demo_job(), examples / "lid-plan.bibulon")
            window.session.examples = examples
        book = window.station("Logbook")
        assert isinstance(book, LogbookStation)
        _go(window, "Logbook")
        wait_for(book.log.ask)
        book.tabs.go(page)
        if page == "Series":
            book.series.point(19)
        else:
            book.cards.setCurrentIndex(book.cards.model().index(1, 0))

    return prepare


def _stack_page(page: str) -> Callable[[Window], None]:
    def prepare(window: Window) -> None:
        window.go(1)
        stack = window.station("Stack")
        assert isinstance(stack, StackStation)
        stack.table.choose(2)
        stack.tabs.go(page)
        stack.library.choose("shop", "biax-600")
        stack.library.strip.show_readings(STRIP if page == "Library" else [])
        wait_for(stack.mapping)
        wait_for(stack.lists.later)

    return prepare


def _lines_page(page: str) -> Callable[[Window], None]:
    def prepare(window: Window) -> None:
        _lines(window, 840)
        lines = window.station("Lines")
        assert isinstance(lines, LinesStation)
        window.session.select(None)
        lines.tabs.go(page)
        if page == "Suggest":
            lines.suggest.begin()
            _until(lambda: not lines.suggest.bar.busy)
        if page == "After full":
            wait_for(lines.hold.ask)
        wait_for(lines.calls.later)

    return prepare


def _until(there: Callable[[], bool]) -> None:
    """Wait until something that workers bring is there."""
    loop, timer = QEventLoop(), QTimer()
    timer.timeout.connect(lambda: loop.quit() if there() else None)
    timer.start(50)
    loop.exec()


def _plan_page(window: Window) -> None:
    lines = window.station("Lines")
    assert isinstance(lines, LinesStation)
    lines.tabs.go("Plan and cut")


# An invented bench strip: seconds, metres.
STRIP = [
    (30.0, 0.062),
    (60.0, 0.072),
    (120.0, 0.113),
    (200.0, 0.143),
    (300.0, 0.176),
    (420.0, 0.209),
    (600.0, 0.244),
]


def _mould_page(page: str) -> Callable[[Window], None]:
    """A page of Mould, on the job of a closed mould; the demo job comes back with the next picture."""

    def prepare(window: Window) -> None:
        demo = window.session.job
        window.session.new(mould_demo_job())
        settle(window)
        _go(window, "Mould")
        mould = window.station("Mould")
        assert isinstance(mould, MouldStation)
        mould.tabs.go(page)
        window.session.set_moment(300.0)
        wait_for(mould.closing.plan.ask)
        if page == "Machine":
            mould.machine.shot.faster = 60.0
            mould.machine.inject()
            _until(lambda: not mould.machine.shot.going)
        AFTER.append(demo)

    return prepare


AFTER: list[Job] = []  # jobs to go back to once a picture is taken

SHOTS: dict[str, Callable[[Window], None]] = {
    "part": lambda w: w.go(0),
    "stack": _stack_page("Stack"),
    "stack-plan": _stack_page("On the plan"),
    "lines": _choose_first,
    "lines-suggest": _lines_page("Suggest"),
    "lines-hold": _lines_page("After full"),
    "bag": _bag_page("Bag plan"),
    "bag-cut": _bag_page("Cut plan"),
    "bag-draw": _bag_page("Draw down"),
    "mould": _mould_page("Closing"),
    "mould-machine": _mould_page("Machine"),
    "charge": lambda w: _charge(w, "Draw and bucket"),
    "charge-heat": lambda w: _charge(w, "Bucket heat"),
    "prove": _prove,
    "shoot": _shoot,
    "cure": _cure,
    "record": _record,
    "logbook": _logbook("Jobs"),
    "series": _logbook("Series"),
}


def main(folder: Path, names: list[str]) -> int:
    """Write all pictures, or those named."""
    application()
    folder.mkdir(parents=True, exist_ok=True)
    window = make_window(*_scratch())
    window.show()
    window.session.new(demo_job())
    settle(window)
    for name, prepare in SHOTS.items():
        if not names or name in names:
            _plan_page(window)
            prepare(window)
            grab(window, folder / f"{name}.png")
            while AFTER:
                window.session.new(AFTER.pop())
                settle(window)
    window.session.close()  # the window itself would ask whether to leave the made-up run unsaved
    window.hide()
    return 0


if __name__ == "__main__":
    raise SystemExit(main(Path(sys.argv[1]), sys.argv[2:]))
