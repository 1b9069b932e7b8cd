"""What the list of acts finds besides the acts of the window: the buttons of the page that is open, and words that stations make acts of."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QAbstractButton, QToolButton, QWidget

from bibulon.app.kit.acts import Act
from bibulon.app.stations.base import Station
from bibulon.core.units.words import tr

__all__ = ["asked_acts", "here_acts"]


def here_acts(station: Station, side: QWidget) -> list[Act]:
    """Return an act for each button that can be pressed now on a station's bench and at its side."""
    found: dict[str, Act] = {}
    for part in (station.bench, side):
        for button in part.findChildren(QAbstractButton):
            words = _words(button)
            if words and button.isVisible() and button.isEnabled() and words not in found:
                found[words] = Act(station.name, words, partial(_press, button))
    return list(found.values())


def _words(button: QAbstractButton) -> str:
    """Return what a button is called, in full where its own words are short; a tab says that it is one."""
    own = " ".join(button.text().replace("&", "").split())  # a board's keys have two lines
    if button.objectName() == "tab":
        return tr("Page {}", own)
    return button.accessibleName() or own


def _press(button: QAbstractButton) -> None:
    button.setFocus()
    if isinstance(button, QToolButton) and button.menu() is not None:
        button.showMenu()
    else:
        button.click()


def asked_acts(stations: Sequence[Station], text: str, go: Callable[[int], None]) -> list[Act]:
    """Return acts that stations make of words that are no act's name; doing one goes to its station."""

    def there(k: int, act: Act) -> Act:
        def run() -> None:
            go(k)
            act.run()

        return replace(act, run=run)

    return [there(k, act) for k, station in enumerate(stations) for act in station.asked(text)]
