"""A person's settings and the shop's sets of rules as a file, to keep or to take to another machine."""

from __future__ import annotations

import json
from pathlib import Path

from PySide6.QtCore import QSettings

from bibulon.app.session.rule_sets import FIRST, RuleSets
from bibulon.core.units.units import KINDS
from bibulon.core.units.words import tr
from bibulon.store.durable import write_text
from bibulon.store.rulesets import as_plain, sets_of

__all__ = ["KEPT", "SettingsError", "read_settings", "write_settings"]

FORMAT = "bibulon-settings"
# What belongs to the person and the shop; sizes of panels and the list of recent jobs belong to the machine.
KEPT = (
    "theme", "units", "text_size", "person", "view/shown", "view/snaps", "view/probes", "view/cut_pressure", "view/clock_folded",
    "view/side_folded", "view/first-job", "log/folders", "shop/leak-factors", "shop/hours", "shop/air", "sound/muted", "cluster",
    FIRST, *(f"own_units/{kind}" for kind in KINDS),
)  # fmt: skip
LONGEST = 4000  # letters of one value


class SettingsError(ValueError):
    """A file that holds no settings; the text says what is wrong, and where."""


def write_settings(settings: QSettings, rules: RuleSets, path: Path) -> tuple[int, int]:
    """Write what is set and which sets of rules there are; return how many of each.

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
    sets = rules.all()
    told = {"format": FORMAT, "version": 1, "settings": kept, "rules": as_plain(sets.values())}
    write_text(path, json.dumps(told, indent=1, ensure_ascii=False) + "\n")
    return len(kept), len(sets)


def read_settings(path: Path, settings: QSettings, rules: RuleSets) -> tuple[int, dict[str, str]]:
    """Take settings and sets of rules out of a file, all or none; return how many settings, and the name of each set here.

    What is unknown here is passed over.

    Raises
    ------
    SettingsError : when it holds no settings, or a value that none has.
    LibraryError : when a set of rules is none, or cannot be kept; the text says which and why.
    OSError : when it cannot be read, or the sets cannot be written.
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
    names = rules.take(sets_of(told.get("rules", []), path))
    if isinstance(first := taken.get(FIRST), str):
        taken[FIRST] = names.get(first, first)
    for key, value in taken.items():
        settings.setValue(key, value)
    return len(taken), names
