"""A person's settings as a file, to keep or to take to another machine."""

from __future__ import annotations

import json
from pathlib import Path

from PySide6.QtCore import QSettings

from bibulon.core.units.units import KINDS
from bibulon.core.units.words import tr
from bibulon.store.durable import write_text

__all__ = ["KEPT", "SettingsError", "read_settings", "write_settings"]

FORMAT = "bibulon-settings"
# What belongs to the person and the shop; sizes of panels and the list of recent jobs belong to the machine.
KEPT = (
    "theme", "units", "text_size", "person", "view/shown", "view/snaps", "view/probes", "view/cut_pressure", "view/clock_folded",
    "view/side_folded", "view/first-job", "log/folders", "shop/leak-factors", "shop/hours", "sound/muted", "cluster",
    "rules/first", *(f"own_units/{kind}" for kind in KINDS),
)  # fmt: skip
LONGEST = 4000  # letters of one value


class SettingsError(ValueError):
    """A file that holds no settings; the text says what is wrong, and where."""


def write_settings(settings: QSettings, path: Path) -> int:
    """Write what is set; return how many settings that is.

    Raises
    ------
    OSError : when the file cannot be written.
    """
    kept = {}
    for key in KEPT:
        value = settings.value(key)
        if isinstance(value, int):  # as it is until the next start
            value = str(value)
        if isinstance(value, str) or (isinstance(value, list) and all(isinstance(v, str) for v in value)):
            kept[key] = value
    write_text(
        path,
        json.dumps({"format": FORMAT, "version": 1, "settings": kept}, indent=1, ensure_ascii=False) + "\n",
    )
    return len(kept)


def read_settings(path: Path, settings: QSettings) -> int:
    """Take settings out of a file, all or none; return how many were taken.  What is unknown here is passed over.

    Raises
    ------
    SettingsError : when it holds no settings, or a value that none has.
    OSError : when it cannot be read.
    """
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        where = tr(", line {}", error.lineno) if isinstance(error, json.JSONDecodeError) else ""
        raise SettingsError(tr("{0}{1}: this is no file of settings", path.name, where)) from error
    found = told.get("settings") if isinstance(told, dict) and told.get("format") == FORMAT else None
    if not isinstance(found, dict):
        raise SettingsError(tr("{}: this is no file of settings", path.name))
    taken = {key: value for key, value in found.items() if key in KEPT}
    for key, value in taken.items():
        texts = value if isinstance(value, list) else [value]
        if not all(isinstance(v, str) and len(v) <= LONGEST for v in texts):
            raise SettingsError(tr("{0}: “{1}” has a value that no such setting has", path.name, key))
    for key, value in taken.items():
        settings.setValue(key, value)
    return len(taken)
