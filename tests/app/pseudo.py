"""A walk through the window in a made-up language: run as a program, since words in tables are read when loaded.

Every word of the program becomes one with strange vowels and a quarter longer, so that a plain vowel shows what no
translator would ever be asked for, and what is cut off shows where a longer language has no room.
"""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QLabel,
    QLineEdit,
    QTableView,
    QWidget,
)

from bibulon.core.units.words import speak
from bibulon.store.raw import raw_of

STRANGE = str.maketrans("aeiouAEIOU", "áéíóúÁÉÍÓÚ")
DOUBLED = re.compile("([aiou])")  # makes words a quarter longer, as German ones are
HOLE = re.compile(r"(\{[^}]*\})")
PLAIN = re.compile(r"[A-Za-zÀ-ÿ]*[aeiou][A-Za-zÀ-ÿ]*")


class Strange:
    """A language of strange vowels, in which only what translators are asked for can be said."""

    def __init__(self, known: frozenset[str]) -> None:
        self.known = known

    def gettext(self, message: str) -> str:
        if message not in self.known:
            return message
        return "".join(
            p if HOLE.fullmatch(p) else DOUBLED.sub(r"\1\1", p).translate(STRANGE)
            for p in HOLE.split(message)
        )


def plain_words(text: str, data: frozenset[str]) -> list[str]:
    """Return the words of a text that were never translated, but for those of the job itself."""
    text = re.sub(r"\b(Ctrl|Alt|Shift)\+\S+", " ", re.sub(r"<[^>]+>|&\w+;", " ", text))
    return [
        w
        for w in PLAIN.findall(text)
        if len(w) > 2 and not re.search("[áéíóúÁÉÍÓÚ]", w) and w.lower() not in data
    ]


def known_data() -> frozenset[str]:
    """Return the words of jobs, materials and units, and the keys of the command line: none of them is translated."""
    from bibulon.core.library.catalogue import library
    from bibulon.core.library.demo import demo_job
    from bibulon.core.library.mould_demo import mould_demo_job
    from bibulon.core.model.job import Job
    from bibulon.core.plans.reckon.row import reckon
    from bibulon.core.plans.reckon.rows import ROWS
    from bibulon.core.units.units import QUANTITIES

    keys = [
        *(key for row in ROWS.values() for key in row.inputs),
        *ROWS,
        *reckon(ROWS["mix"], ROWS["mix"].example),
    ]
    texts = [
        *(json.dumps(raw_of(job), ensure_ascii=False) for job in (demo_job(), mould_demo_job())),
        *(m.name for m in library().values()),
        *(key.replace("_", " ") for key in keys),
        *map(str, QUANTITIES.values()),
        Job(part=demo_job().part).name,
    ]
    return frozenset(w.lower() for w in re.findall(r"[A-Za-zÀ-ÿ]+", " ".join(texts)))


def told_by(widget: QWidget) -> Iterator[str]:
    """Yield all that a widget says, to who sees it and to who does not."""
    yield from (widget.accessibleName(), widget.accessibleDescription(), widget.toolTip())
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    elif isinstance(widget, QComboBox):
        yield from (widget.itemText(k) for k in range(widget.count()))
    elif isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    elif isinstance(widget, QTableView):
        model = widget.model()
        for column in range(model.columnCount()):
            yield str(model.headerData(column, Qt.Orientation.Horizontal) or "")


def nothing(*_: object, **__: object) -> None:
    """Work nothing out."""
    from bibulon.core.flow.fill.filling import Cancelled

    raise Cancelled


class Seen:
    """What was wrong on which page."""

    def __init__(self, window: QWidget, data: frozenset[str]) -> None:
        self.window, self.data = window, data
        self.cut: dict[str, list[str]] = {}
        self.plain: dict[str, list[str]] = {}

    def look(self, name: str) -> None:
        """Look at what is shown now."""
        from tests.app.walk import cut_off

        found = [c for c in cut_off(self.window) if c.startswith("a panel") or re.search("[áéíóúÁÉÍÓÚ]", c)]
        if found:  # names of materials and schools are data, and end where they must
            self.cut[name] = found
        for widget in self.window.findChildren(QWidget):
            if widget.isVisible() and not widget.visibleRegion().isEmpty():
                for text in told_by(widget):
                    if words := plain_words(text, self.data):
                        told = f"{type(widget).__name__} “{text}”: {', '.join(words)}"
                        self.plain.setdefault(name, []).append(told)


def over(window: Any, seen: Seen) -> None:
    """Look at what opens over the pages, at a first job, and at the board while its clock runs."""
    window.go_to("Lines")
    for panel in (window.palette_panel, window.sheet, window.mishaps):
        panel.open()
        seen.look(type(panel).__name__)
        panel.put_away()
    window.go_to("Shoot")
    board = next(s for s in window.stations if s.name == "Shoot").board
    for key in ("start", "front", "bubbles", "wet"):
        if key in board.buttons:
            board.buttons[key].click()
            seen.look(f"board after {key}")
    window.session.new()
    window.first.turn(True)
    window.show_ways()
    seen.look("an empty program")


def main(width: int, height: int, words: Path) -> None:
    """Walk both demo jobs; print what is cut off and what is told in plain English, by page.

    words : a file of what translators are asked for, as a list in JSON.
    """
    speak(
        Strange(frozenset(json.loads(words.read_text(encoding="utf-8"))))
    )  # before anything is loaded that holds words
    from tests.app import walk
    from tests.app.walk import pages

    from bibulon.app import start
    from bibulon.app.session import forecaster
    from bibulon.app.stations.shoot import refitting
    from bibulon.core.flow.forecast import Resolution
    from bibulon.core.library.demo import demo_job
    from bibulon.core.library.mould_demo import mould_demo_job
    from bibulon.core.plans import variants

    start.application()
    # Words are looked at, not what is worked out.
    forecaster.FINE_ON_SCREEN = Resolution(400, 1, 8)
    forecaster.PREVIEW = Resolution(250, 1, 8, air=False)
    refitting.prior_of = nothing
    variants.FINE = Resolution(200, 1, 4, air=False)
    walk.PATIENT = False
    window = start.make_window(*start._scratch())
    window._may_leave = lambda: True
    window.resize(width, height)
    window.show()
    seen = Seen(window, known_data())
    for job, only in ((demo_job(), frozenset()), (mould_demo_job(), frozenset({"Mould", "Record"}))):
        window.session.new(job)
        start.settle(window)
        for name in pages(window, only):
            seen.look(name)
    over(window, seen)
    print(json.dumps({"cut": seen.cut, "plain": seen.plain}, ensure_ascii=False))
    window.close()


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]), Path(sys.argv[3]))
