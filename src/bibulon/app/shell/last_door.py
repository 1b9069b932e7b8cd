"""The last door before the person: a log that turns over, and what is done with an error that nobody expected."""

from __future__ import annotations

import logging
import sys
import threading
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QMessageLogContext, QObject, QtMsgType, Signal, qInstallMessageHandler

from bibulon.core.units.words import tr

__all__ = ["LastDoor", "open_log"]

log = logging.getLogger("bibulon")
LARGEST = 1_000_000  # bytes of one log
KEPT = 4


def open_log(folder: Path) -> Path | None:
    """Write the program's log to a file in a folder; None when that cannot be written, then to nowhere."""
    place = folder / "bibulon.log"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            place, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8", delay=False
        )
    except OSError:
        logging.getLogger().addHandler(logging.NullHandler())
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.raiseExceptions = False  # a log that cannot be written must not fill standard error
    root = logging.getLogger()
    root.addHandler(handler)
    root.setLevel(logging.INFO)
    return place


class LastDoor(QObject):
    """Catches what nobody caught: it is logged, ``caught`` tells it in one sentence, and the program goes on."""

    caught = Signal(str)

    def __init__(self, place: Path | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.place = place
        sys.excepthook = self.take
        threading.excepthook = lambda told: self.take(told.exc_type, told.exc_value, told.exc_traceback)
        qInstallMessageHandler(_from_qt)

    def take(
        self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Log an error and tell it."""
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error or kind(), trace)
            return
        log.error("unexpected", exc_info=(kind, error or kind(), trace))
        where = tr(" The log is {}.", self.place) if self.place else ""
        self.caught.emit(
            tr(
                "Something went wrong inside the program. Your job is kept: nothing that was stored "
                "is touched.{}",
                where,
            )
        )


def _from_qt(kind: QtMsgType, _context: QMessageLogContext, text: str) -> None:
    level = logging.INFO if kind in (QtMsgType.QtDebugMsg, QtMsgType.QtInfoMsg) else logging.WARNING
    log.log(level, "Qt: %s", text)
