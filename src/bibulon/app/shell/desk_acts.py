"""Acts about this desk: settings as a file, and a theme of strong contrast."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path
from typing import Protocol

from PySide6.QtWidgets import QWidget

import bibulon
from bibulon.app.kit import files
from bibulon.app.kit.acts import Act
from bibulon.app.session.crew import set_cluster
from bibulon.app.session.session import Session
from bibulon.app.session.settings_file import SettingsError, read_settings, write_settings
from bibulon.app.shell import rules_door
from bibulon.app.stations.shoot.chimes import mute, muted
from bibulon.app.work.errands import not_written
from bibulon.core.drawing.kit.tokens import DAY, STARK, Theme
from bibulon.core.units.words import tr
from bibulon.store.library import LibraryError

__all__ = ["desk_acts", "open_wall", "put_settings", "take_settings"]

FILES = "Settings (*.json)"


class Host(rules_door.Host, Protocol):
    """The window, for all that these acts know."""

    def set_theme(self, theme: Theme) -> None:
        """Choose a theme."""
        ...


def desk_acts(window: Host) -> list[Act]:
    """Return the acts."""

    def ask_put() -> None:
        path = files.to_write(_widget(window), tr("Save settings"), "bibulon-settings", FILES)
        if path is not None:
            put_settings(window.session, path)

    def ask_take() -> None:
        path = files.to_read(_widget(window), tr("Take settings"), FILES)
        if path is not None:
            take_settings(window.session, path)

    def turn_chimes() -> None:
        mute(window.session, not muted(window.session))
        told = tr("The board is mute.") if muted(window.session) else tr("The board sounds its chimes.")
        window.session.said.emit(told, False)

    def ask_cluster() -> None:
        from PySide6.QtWidgets import QInputDialog

        settings = window.session.settings
        now = str(settings.value("cluster", ""))
        address, taken = QInputDialog.getText(
            _widget(window),
            tr("Other machines for searches"),
            tr(
                "Address of a dask scheduler, such as tcp://bench:8786; empty: this machine alone.\n"
                "Whoever reaches a scheduler can run programs on its machines: only inside the shop's own network."
            ),
            text=now,
        )
        if taken:
            set_cluster(settings, address)
            told = (
                tr("Searches go to {}.", address.strip())
                if address.strip()
                else tr("Searches stay on this machine.")
            )
            window.session.said.emit(told, False)

    def ask_units() -> None:
        from bibulon.app.shell.units_panel import UnitsPanel

        owner = _widget(window)
        assert owner is not None
        (owner.findChild(UnitsPanel) or UnitsPanel(owner, window.session)).open()

    return [
        Act("View", "Units of each kind…", ask_units),
        Act(
            "View", "High contrast, or not", lambda: window.set_theme(DAY if window.theme is STARK else STARK)
        ),
        Act("View", "Wall display: the board in a second window, to read", lambda: open_wall(window.session)),
        Act("View", "Chimes of the board: on, or mute", turn_chimes),
        rules_door.RulesDoor(window).act(),
        Act("Job", "Other machines for searches…", ask_cluster),
        Act("Job", "Settings to a file…", ask_put),
        Act("Job", "Settings from a file…", ask_take),
    ]


def open_wall(session: Session) -> None:
    """Open the board of this job's file in a window of its own, which reads and follows."""
    if session.path is None:
        session.said.emit(tr("Save the job first: a wall display reads its file."), True)
        return
    home = str(
        Path(bibulon.__file__).parents[1]
    )  # also of a package whose folder Python does not look into by itself
    words = [sys.executable, "-m", "bibulon", "open", str(session.path), "--board"]
    paths = os.pathsep.join(p for p in (home, os.environ.get("PYTHONPATH", "")) if p)
    try:
        subprocess.Popen(words, env={**os.environ, "PYTHONPATH": paths}, start_new_session=True)
    except OSError as error:
        session.said.emit(tr("The second window could not be started: {}.", error.strerror or error), True)


def _widget(window: Host) -> QWidget | None:
    return window if isinstance(window, QWidget) else None


def put_settings(session: Session, path: Path) -> None:
    """Write this person's settings and the shop's sets of rules."""
    try:
        count, sets = write_settings(session.settings, session.rule_sets, path)
    except OSError as error:
        session.said.emit(not_written(path)(error), True)
        return
    told = tr("{0} settings and {1} sets of rules written to {2}.", count, sets, path.name)
    problem = session.rule_sets.problem
    session.said.emit(f"{told} {problem}".strip(), bool(problem))


def take_settings(session: Session, path: Path) -> None:
    """Take settings out of a file; they hold from the next start on."""
    try:
        count, names = read_settings(path, session.settings, session.rule_sets)
    except (SettingsError, LibraryError, OSError) as error:
        text = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        session.said.emit(tr("{0}{1}. Nothing was changed.", text[:1].upper(), text[1:].rstrip(".")), True)
        return
    told = tr(
        "{0} settings and {1} sets of rules taken from {2}; settings hold from the next start on.",
        count, len(names), path.name,
    )  # fmt: skip
    other = [
        tr("“{0}” is kept as “{1}”: another set has its name.", was, name)
        for was, name in names.items()
        if was != name
    ]
    session.said.emit(" ".join((told, *other, session.rule_sets.problem)).strip(), False)
