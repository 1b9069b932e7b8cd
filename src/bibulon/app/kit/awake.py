"""Keep the desk's screen from going dark, by the service that desktops have for it (org.freedesktop.ScreenSaver)."""

from __future__ import annotations

from typing import Any

from PySide6.QtDBus import QDBusConnection, QDBusInterface

__all__ = ["Awake"]

SERVICE, PLACE = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver"


def _desk() -> Any:
    """Return the desk's service; None where there is none."""
    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return None
    found = QDBusInterface(SERVICE, PLACE, SERVICE, bus)
    return found if found.isValid() else None


class Awake:
    """Holds the screen awake while ``hold`` is on; a desk without the service keeps its own ways."""

    def __init__(self, desk: Any = None) -> None:
        self._given = desk
        self._cookie: int | None = None
        self._asked = False

    def hold(self, on: bool, why: str = "a shot is running") -> None:
        """Keep the screen awake, or let it sleep again; asked once for each change."""
        if on == self._asked:
            return
        self._asked = on
        desk = self._given if self._given is not None else _desk()
        if desk is None:
            return
        if on:
            told = desk.call("Inhibit", "Bibulon", why).arguments()
            self._cookie = int(told[0]) if told and isinstance(told[0], int) else None
        elif self._cookie is not None:
            desk.call("UnInhibit", self._cookie)
            self._cookie = None
