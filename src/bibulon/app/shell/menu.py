"""The job's menu, made from the window's acts."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from bibulon.core.units.words import tr

__all__ = ["job_menu"]


def job_menu(
    parent: QWidget, actions: Mapping[str, QAction], drawings: Sequence[str], fill_recent: Callable[[], None]
) -> tuple[QMenu, QMenu]:
    """Return the menu, and in it that of recent jobs, which is filled when it opens; ``drawings`` are titles of acts."""
    menu = QMenu(parent)
    for title in ("New", "Begin…", "Open…", "Save", "Save as…"):
        menu.addAction(actions[title])
    recent = menu.addMenu(tr("Recent"))
    recent.aboutToShow.connect(fill_recent)
    for group in (
        ("Left without saving…", "Shop rules…"),
        drawings,
        ("Find an act", "Guide", "What can go wrong here?", "Keys", "Close"),
    ):
        menu.addSeparator()
        for title in group:
            menu.addAction(actions[title])
    return menu, recent
