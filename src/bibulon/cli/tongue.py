"""The language that the person's system is set to, where a translation of the program is at hand."""

from __future__ import annotations

import gettext
from pathlib import Path

from bibulon.core.units.words import speak

__all__ = ["WORDS", "take_language"]

WORDS = Path(__file__).resolve().parents[1] / "assets/words"


def take_language(words: Path = WORDS) -> str:
    """Speak the first language of LANGUAGE, LC_ALL, LC_MESSAGES or LANG that is at hand; return its file, or nothing.

    Called before anything is loaded that holds words in its tables.
    """
    found = gettext.find("bibulon", str(words))
    if not found:
        speak(None)
        return ""
    with open(found, "rb") as file:
        speak(gettext.GNUTranslations(file))
    return found
