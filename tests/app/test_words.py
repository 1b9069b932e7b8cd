"""Another language: every word goes through one door, and a longer language is not cut off."""

from __future__ import annotations

import ast
import functools
import json
import locale
import os
import runpy
import subprocess
import sys
from pathlib import Path

import pytest
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo

from bibulon.cli.main import main
from bibulon.cli.tongue import take_language
from bibulon.core.drawing.kit.scene import Label
from bibulon.core.units.words import speak, tr

TOP = Path(__file__).resolve().parents[2]


@pytest.fixture(autouse=True)
def _system_forgets_other_languages(monkeypatch):
    """The C library keeps what it looked up for LANGUAGE, until another locale is set: its messages are other tests' too."""
    yield
    monkeypatch.undo()
    now = locale.setlocale(locale.LC_MESSAGES)
    for name in ("C", now):  # the same again would change nothing
        locale.setlocale(locale.LC_MESSAGES, name)


class Anything:
    """What goes into any hole."""

    def __format__(self, spec: str) -> str:
        return "x"


@pytest.fixture
def other(tmp_path, monkeypatch):
    """Make translations at hand, of what is given, as the language that the system is set to."""

    def translated(words: dict[str, str]) -> Path:
        catalogue = Catalog(locale="eo")
        for text, told in words.items():
            catalogue.add(text, told)
        file = tmp_path / "eo/LC_MESSAGES/bibulon.mo"
        file.parent.mkdir(parents=True)
        with open(file, "wb") as out:
            write_mo(out, catalogue)
        monkeypatch.setenv("LANGUAGE", "xx:eo")
        return tmp_path

    yield translated
    speak(None)


def test_sentences_are_told_with_their_figures_in_the_languages_own_order(other):
    assert tr("{0} of {1}", 3, 8) == "3 of 8"
    assert take_language(other({"{0} of {1}": "el {1}, {0}", "feed": "enfluo", "{:.1f} bar": "{:.1f} baroj"}))
    assert tr("{0} of {1}", 3, 8) == "el 8, 3"
    assert (
        tr("{0} of {1}", "feed", "Rim 7") == "el Rim 7, enfluo"
    )  # a word of the program, and one typed by somebody
    assert tr("{:.1f} bar", 0.96) == "1.0 baroj"
    assert tr("") == ""  # and not what gettext tells of itself
    assert Label(0, 0, "feed", "#000").said == "enfluo"  # as drawn, so that its room is measured right


def test_a_language_that_is_not_at_hand_leaves_english(other, monkeypatch):
    folder = other({"feed": "enfluo"})
    monkeypatch.setenv("LANGUAGE", "xx")
    assert take_language(folder) == ""
    assert tr("feed") == "feed"


def test_a_broken_translation_says_which_file(other):
    folder = other({"feed": "enfluo"})
    file = folder / "eo/LC_MESSAGES/bibulon.mo"
    file.write_bytes(b"no catalogue")
    with pytest.raises(OSError, match=r"bibulon\.mo"):
        take_language(folder)


@functools.cache
def gathered():
    """What translators are asked for: seconds of reading."""
    return runpy.run_path(str(TOP / "packaging/words.py"))["gathered"]()


def test_translators_are_asked_for_words_and_not_for_names_of_the_programs_own(tmp_path):
    asked = gathered()
    assert {"Find an act", "feed", "Charge", "{0} of {1}", "light RTM"} <= set(asked)
    assert not {
        text for text in asked if text.startswith(("app.", "core.")) or "_" in text.replace("_ ", "")
    } - {text for text in asked if " " in text}
    for text in asked:  # each can be filled in as it stands
        if "{" in text:
            text.format(*[Anything()] * 12)


# Told in one place, and known by the same letters in another that has nothing to do with it.
ELSEWHERE = frozenset(
    ["Align", "Cut plan", "From ply", "fail", "pass", "metric", "needed", "none", "not yet", "pressure", "rise", "the plan “{}”", "the whole part", "to settle", "unrolled", "weighed"]
)  # fmt: skip


def told_and_known(source):
    """Yield (text told, None) and (None, text by which something is looked up or compared) of a module."""
    nodes = list(ast.walk(ast.parse(source)))
    asked = [n for n in nodes if type(n) is ast.Call and getattr(n.func, "id", "") == "tr" and n.args]
    inside = {id(c) for call in asked for c in ast.walk(call.args[0])}
    for call in asked:
        yield from ((c.value, None) for c in ast.walk(call.args[0]) if type(c) is ast.Constant)
    for node in nodes:
        for part in looked_up(node):
            yield from (
                (None, c.value) for c in ast.walk(part) if type(c) is ast.Constant and id(c) not in inside
            )


def looked_up(node):
    """Return the parts of a node by which something is looked up or compared."""
    kind = type(node)  # most are of none of these: no pattern is tried on them
    if kind is ast.Compare:
        return [node.left, *node.comparators]
    if kind is ast.Subscript:
        return [node.slice]
    if kind is ast.Dict:
        return [k for k in node.keys if k is not None]
    looking = ("startswith", "endswith", "removeprefix", "get", "index")
    if kind is ast.Call and type(node.func) is ast.Attribute and node.func.attr in looking:
        return node.args[:1]
    return []


def test_no_word_that_the_program_knows_something_by_is_told_in_another_language():
    told, known = set(), set()
    for file in (TOP / "src/bibulon").rglob("*.py"):
        for word, key in told_and_known(file.read_text(encoding="utf-8")):
            if isinstance(word, str):
                told.add(word)
            if isinstance(key, str) and len(key) > 3:
                known.add(key)
    assert (told & known) - ELSEWHERE == set()


@pytest.mark.parametrize("wrong", [[], ["speak", "de.po"], ["gather", "more"]])
def test_the_translators_tool_says_how_it_is_used(wrong):
    with pytest.raises(SystemExit, match="gather"):
        runpy.run_path(str(TOP / "packaging/words.py"))["main"](wrong)


def test_the_command_line_speaks_the_language_of_the_system(other, monkeypatch, capsys):
    from bibulon.cli import tongue

    folder = other({"there is no “{0}” to reckon: {1}.": "mi ne kalkulas “{0}”."})
    monkeypatch.setattr(tongue.take_language, "__defaults__", (folder,))
    assert main(["reckon", "moon", "a=1"]) == 2
    assert capsys.readouterr().err == "bibulon: mi ne kalkulas “moon”.\n"


@pytest.mark.slow
def test_nothing_is_left_in_english_or_cut_off_in_a_longer_language_at_200_per_cent(tmp_path):
    words = tmp_path / "words.json"
    words.write_text(json.dumps(list(gathered())), encoding="utf-8")
    environment = {
        **os.environ, "PYTHONPATH": f"{TOP / 'src'}:{TOP}", "QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": "2",
    }  # fmt: skip
    run = subprocess.run(
        [sys.executable, "-m", "tests.app.pseudo", "1440", "900", str(words)],
        cwd=TOP, env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert run.returncode == 0, run.stderr
    assert json.loads(run.stdout.splitlines()[-1]) == {"cut": {}, "plain": {}}
