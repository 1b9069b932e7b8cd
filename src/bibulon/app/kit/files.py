"""Which file: the one door for all that is read and written, with names that a disk takes and the folder of last time."""

from __future__ import annotations

import re
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QWidget

from bibulon.core.units.words import tr

__all__ = ["PICTURES", "folder", "keep_in", "name_of", "to_read", "to_write", "used"]

LONGEST = 180  # bytes of a name: disks take 255, and an ending and a mark of our own come to it
PICTURES = (".jpg", ".jpeg", ".png", ".webp", ".tif", ".tiff", ".bmp")  # that the program reads
KEY = "files/folder"
# What some disk that a file may be carried to refuses.
_UNFIT = r"(?:[\x00-\x1f\x7f/\\:*?\"<>|])+"
_settings: list[QSettings] = []


def keep_in(settings: QSettings) -> None:
    """Keep the folder of last time in these settings from now on."""
    _settings[:] = [settings]


def used(path: Path) -> None:
    """Begin beside this file when the next one is asked for."""
    if _settings:
        _settings[0].setValue(KEY, str(path.absolute().parent))


def name_of(words: str) -> str:
    """Return words as the name of a file: without what a disk refuses, not hidden, not too long."""
    fit = re.sub(_UNFIT, "-", words).strip(" .-").encode("utf-8", "replace")[:LONGEST]
    return fit.decode("utf-8", "ignore").rstrip(" .-") or tr("unnamed")


def to_read(parent: QWidget | None, title: str, kinds: str) -> Path | None:
    """Ask which file to read; None when the person goes back."""
    from PySide6.QtWidgets import QFileDialog

    told, _ = QFileDialog.getOpenFileName(parent, title, str(_begin()), kinds)
    return _kept(told)


def to_write(parent: QWidget | None, title: str, name: str, kinds: str) -> Path | None:
    """Ask where to write; ``name`` is what is offered, without an ending, and ``kinds`` are a dialog's filters.

    A name without one of their endings gets that of the kind that was chosen: “deck 2.5” is a name
    too.  The dialog has then asked about another file than is written, so the question comes here.
    """
    from PySide6.QtWidgets import QFileDialog, QMessageBox

    offered = _begin() / f"{name_of(name)}{_endings(kinds)[0]}"
    told, chosen = QFileDialog.getSaveFileName(parent, title, str(offered), kinds)
    if not told:
        return None
    path = Path(told)
    if path.suffix.lower() not in _endings(kinds):
        path = path.with_name(f"{path.name}{_endings(chosen or kinds)[0]}")
        if path.exists():
            question = tr("{} is there already. Replace it?", path.name)
            if QMessageBox.question(parent, tr("Replace"), question) != QMessageBox.StandardButton.Yes:
                return None
    return _kept(str(path))


def folder(parent: QWidget | None, title: str) -> Path | None:
    """Ask for a folder; None when the person goes back."""
    from PySide6.QtWidgets import QFileDialog

    told = QFileDialog.getExistingDirectory(parent, title, str(_begin()))
    if told and _settings:
        _settings[0].setValue(KEY, told)
    return Path(told) if told else None


def _kept(told: str) -> Path | None:
    if not told:
        return None
    used(Path(told))
    return Path(told)


def _endings(kinds: str) -> list[str]:
    return re.findall(r"\*(\.\w+)", kinds.lower())


def _begin() -> Path:
    """Return where a dialog begins: the folder of last time, else that of documents, else home."""
    from PySide6.QtCore import QStandardPaths

    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    last = str(_settings[0].value(KEY, "")) if _settings else ""
    return next((Path(p) for p in (last, documents) if p and Path(p).is_dir()), Path.home())
