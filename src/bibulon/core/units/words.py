"""The one door that every word passes on its way to a reader, so that the program can speak another language.

``tr("{} of {}", n, all)`` gives a sentence with its figures put in; the sentence without them is what a translator
sees.  A language is set once, before other modules are loaded, since some hold words in their tables.
"""

from __future__ import annotations

from typing import Protocol

__all__ = ["Catalogue", "speak", "tr"]


class Catalogue(Protocol):
    """What gives the words of a language: as ``gettext`` of the standard library has it."""

    def gettext(self, message: str, /) -> str:
        """Return a sentence in the language, or the sentence itself where it has none."""


_spoken: Catalogue | None = None  # of this process; None is English, as it stands in the source


def speak(catalogue: Catalogue | None) -> None:
    """Set the language from here on; None is English."""
    global _spoken
    _spoken = catalogue


def tr(text: str, *holes: object) -> str:
    """Return a sentence in the language spoken, with what belongs in its holes (as ``str.format`` numbers them).

    A hole that is a word of its own, such as the name of a line's kind, is translated too; what people typed is in no
    catalogue and stays.

    >>> tr("{1} of {0}", 8, 3)
    '3 of 8'
    """
    if _spoken is None:
        return text.format(*holes) if holes else text
    sentence = _spoken.gettext(text) if text else text  # gettext tells its own header for an empty one
    if not holes:
        return sentence
    return sentence.format(*(tr(hole) if isinstance(hole, str) else hole for hole in holes))
