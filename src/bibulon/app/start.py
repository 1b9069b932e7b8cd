"""Start the application."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_config_path, user_state_path
from PySide6.QtCore import QEventLoop, QSettings, Qt, QTimer
from PySide6.QtGui import QGuiApplication, QIcon
from PySide6.QtWidgets import QApplication

from bibulon.app.kit import text_size
from bibulon.app.kit.assets import ASSETS
from bibulon.app.kit.theme import load_fonts
from bibulon.app.kit.turns import paint_waiting
from bibulon.app.session.own_units import apply_own
from bibulon.app.session.session import Session
from bibulon.app.shell.last_door import LastDoor, open_log
from bibulon.app.shell.page_loader import PageLoader
from bibulon.app.shell.window import Window
from bibulon.app.work.collector import give_back, one_heap, wake
from bibulon.core.drawing.kit.tokens import NIGHT
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.units.units import parse
from bibulon.core.units.words import tr

__all__ = ["application", "grab", "guard", "make_window", "settle", "start", "start_demo", "wait"]

# s after which a worker lets the interface thread on.  A drawing lets go of the interpreter at each of its thousand
# strokes, and with Python's own 5 ms would stand still until the worker is done; a worker alone loses nothing by it.
TURN = 1e-4


class NoDisplay(ValueError):
    """A window was asked for where there is nothing to show it on."""


def own_settings() -> QSettings:
    """Return this person's settings."""
    return QSettings(str(user_config_path("bibulon") / "settings.ini"), QSettings.Format.IniFormat)


def application() -> QApplication:
    """Return the application, made on first use."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        load_fonts()
        return existing
    one_heap()
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise NoDisplay(
            tr(
                "There is no display to open a window on. bin/demo makes a virtual one; all else works by commands."
            )
        )
    text_size.apply(own_settings(), sys.argv[:1])
    apply_own(own_settings())
    QGuiApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Bibulon")
    app.setDesktopFileName("bibulon")
    app.setWindowIcon(QIcon(str(ASSETS / "bibulon.svg")))
    load_fonts()
    return app


def make_window(settings: QSettings | None = None, state_folder: Path | None = None) -> Window:
    """Return a window with a blank job."""
    application()
    sys.setswitchinterval(TURN)
    session = Session(settings or own_settings(), state_folder or user_state_path("bibulon"))
    session.forecaster.idle.connect(give_back)
    return Window(session)


def start(job: str | None = None, *, board: bool = False) -> int:
    """Open the application, with a job when one is given; or its board alone, as a wall display."""
    app = application()
    window = make_window()
    guard(window)
    window.show()
    if job is None or not window.session.open(Path(job)):
        window.session.new()
        if window.session.recent():
            window.go_to("Logbook")
        else:
            window.first.turn(True)
            window.show_ways()
    if board:
        wall_display(window)
    else:
        window.offer_leftovers()
    PageLoader(window).done.connect(wake)
    return app.exec()


def wall_display(window: Window) -> None:
    """Show the board over the whole screen, with nothing round it; where another window has the file, it follows what happens."""
    window.go_to("Shoot")
    for part in (window.rail, window.topbar, window.clock_panel, window.first, window.practice):
        part.hide()
    window.clock_folded = True
    window.showFullScreen()


def guard(window: Window) -> LastDoor:
    """Log what happens, and keep the job through errors that nobody expected."""
    door = LastDoor(open_log(window.session.state_folder / "log"), window)
    door.caught.connect(lambda _: window.session.autosave())
    door.caught.connect(lambda text: window.say(text, True))
    return door


def settle(window: Window, limit_ms: int = 120_000) -> None:
    """Wait until the fine forecast is there."""
    if not window.session.forecaster.busy:
        return
    loop = QEventLoop()
    window.session.forecaster.idle.connect(loop.quit)
    QTimer.singleShot(limit_ms, loop.quit)
    loop.exec()


def wait(window: Window, there: Callable[[], bool], limit_ms: int = 20_000) -> None:
    """Wait until something is there that the moments' worker brings."""
    loop, ready = QEventLoop(), window.session.moments.ready
    ready.connect(lambda: loop.quit() if there() else None)
    QTimer.singleShot(limit_ms, loop.quit)
    if not there():
        loop.exec()


def grab(window: Window, path: Path) -> None:
    """Write what the window shows as PNG."""
    app = application()
    window.findings.hovered.emit(None)  # a virtual display's pointer rests somewhere
    for _ in range(4):
        app.processEvents()
    paint_waiting()
    if not window.grab().save(str(path)):
        raise OSError(tr("{} could not be written", path))


def start_demo(
    screenshot: str | None, station: str, at: str, *, night: bool = False, mould: bool = False
) -> int:
    """Open the demo job, or that of a closed mould; with ``screenshot``, write a picture of it and end."""
    app = application()
    window = make_window(*_scratch()) if screenshot else make_window()
    if night:
        window.set_theme(NIGHT)
    window.show()
    if screenshot is None:
        guard(window)
    window.session.examples = window.session.state_folder / "demo-series"  # written when the log first looks
    window.session.new(mould_demo_job() if mould else demo_job())
    names = [s.name for s in window.stations]
    if station not in names:
        raise ValueError(tr("there is no station “{0}”: use one of {1}", station, ", ".join(names)))
    window.go(names.index(station))
    moment = parse(at, "time")

    if screenshot is None:
        PageLoader(window).done.connect(wake)
        idle = window.session.forecaster.idle
        idle.connect(lambda: window.session.set_moment(moment), Qt.ConnectionType.SingleShotConnection)
        return app.exec()
    wake()
    settle(window)
    window.session.set_moment(moment)
    grab(window, Path(screenshot))
    window.close()
    return 0


def _scratch() -> tuple[QSettings, Path]:
    """Return settings and a state folder that leave the person's own alone."""
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix="bibulon-"))
    return QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat), folder
