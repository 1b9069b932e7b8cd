"""Gather the words of the program for translators, and make a translation ready to be spoken.

Usage: python packaging/words.py gather            writes src/bibulon/assets/words/bibulon.pot
       python packaging/words.py speak de.po de    makes src/bibulon/assets/words/de/LC_MESSAGES/bibulon.mo

Words are what ``tr`` is asked for, what is handed to a door that asks it, and what stands in tables named in capitals.
"""

from __future__ import annotations

import ast
import inspect
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

__all__ = ["DOORS", "gathered"]

TOP = Path(__file__).resolve().parents[1]
SOURCE = TOP / "src/bibulon"
OUT = SOURCE / "assets/words"

# What hands its text to ``tr`` by itself: fixed words given to these need no mark of their own.
DOORS = frozenset(
    {
        "heading", "note", "add", "set", "UnitEdit", "VacuumEdit", "Figure", "FigureGrid", "Table", "Column", "Cell", "add_act",
        "Tabs", "paged", "titled", "offer", "RunBar", "push", "CheckList", "DrawingView", "PageView",
        "PlacePlan", "Act", "edit", "replaced", "Label", "Finding", "Remedy", "RailRow", "Card", "Lane",
        "Chart", "line", "table", "row", "cell", "emit", "say", "Kind", "Property", "Starter", "Fact",
        "Practice", "_tool", "_button", "_pick", "_tick", "_unit", "_vacuum", "_set", "_edit", "_change",
        "_plan", "__init__", "Pages", "Sink", "Call", "Pleat", "Target", "Field", "Cut", "InstrumentPick", "Route", "append",
    }
)  # fmt: skip
_NO_WORDS = re.compile(r"[#/\\<>_=]|^[^A-Za-z]*$|^.$|^(Ctrl|Alt|Shift)\+")
_SKIPPED = frozenset({"key", "description", "default"})  # of keywords: what people do not read

_ASKING = (ast.FunctionDef, ast.Call, ast.Assign, ast.AnnAssign, ast.For, ast.comprehension, ast.Subscript)


def _texts(node: ast.AST) -> Iterator[ast.Constant]:
    """Yield the texts that a value may come to, not those of calls inside it."""
    match node:
        case ast.Constant(value=str()):
            yield node
        case ast.IfExp(body=body, orelse=other):
            yield from _texts(body)
            yield from _texts(other)
        case ast.BoolOp(values=values):
            for value in values:
                yield from _texts(value)
        case ast.Tuple(elts=elements) | ast.List(elts=elements) | ast.Set(elts=elements):
            for element in elements:
                yield from _texts(element)
        case ast.Dict(keys=keys, values=values):
            for part in (*keys, *values):
                if part is not None:
                    yield from _texts(part)
        case ast.Call(func=ast.Attribute(value=ast.Dict() as table, attr="get"), args=args):
            yield from _texts(table)
            for other in args[1:]:
                yield from _texts(other)
        case ast.Starred(value=value) | ast.Subscript(value=value):
            yield from _texts(value)


def _asked(node: ast.AST, rules: bool) -> Iterator[ast.Constant]:
    """Yield what one piece of the source asks to be told."""
    match node:
        case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name)) if name == "tr" or name in DOORS:
            args = node.args[1:] if name == "Finding" else node.args  # the first names it to the program
            for part in (*args, *(k.value for k in node.keywords if k.arg not in _SKIPPED)):
                yield from _texts(part)
        case (
            ast.Assign(targets=[ast.Name(id=name)], value=value)
            | ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value)
        ) if name.isupper():
            yield from _texts(value)
        case ast.Assign(targets=[ast.Tuple(elts=[ast.Name(id=name), *_])], value=value) if name.isupper():
            yield from _texts(value)
        case ast.Assign(
            targets=[ast.Name(id="name")], value=ast.Constant(value=str()) as value
        ):  # of a station
            yield value
        case ast.For(iter=looped) | ast.comprehension(iter=looped):  # rows of buttons and fields
            inside = looped.args[:1] if isinstance(looped, ast.Call) else [looped]
            for part in inside:
                yield from _texts(part)
        case ast.FunctionDef(body=[ast.Expr(value=ast.Constant(value=str() as told) as text), *_]) if rules:
            yield ast.Constant(
                inspect.cleandoc(told).split("\n")[0], lineno=text.lineno
            )  # its card in the catalogue
        case ast.Subscript(value=ast.Name(id="Literal"), slice=inside):  # kinds, shown by their own names
            yield from _texts(inside)


def gathered(source: Path = SOURCE) -> dict[str, list[tuple[str, int]]]:
    """Return all words with where they stand: file and line."""
    found: dict[str, list[tuple[str, int]]] = {}
    for file in sorted(source.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            for text in _asked(node, file.parent.name == "findings") if isinstance(node, _ASKING) else ():
                if text.value.startswith("(?"):  # a pattern, which no one reads
                    continue
                if not _NO_WORDS.search(text.value) or " " in text.value:
                    found.setdefault(text.value, []).append((str(file.relative_to(source)), text.lineno))
    return found


def main(arguments: list[str]) -> None:
    """Gather, or make a translation ready."""
    if arguments[:1] == ["speak"] and len(arguments) == 3:
        po, language = arguments[1:]
        with open(po, "rb") as file:
            catalogue = read_po(file, locale=language)
        target = OUT / language / "LC_MESSAGES/bibulon.mo"
        target.parent.mkdir(parents=True, exist_ok=True)
        with open(target, "wb") as file:
            write_mo(file, catalogue)
        print(f"{target} is ready")
        return
    if arguments != ["gather"]:
        raise SystemExit(__doc__)
    catalogue = Catalog(project="Bibulon", charset="utf-8")
    for text, places in gathered().items():
        catalogue.add(text, locations=places, flags=["python-brace-format"] if "{" in text else [])
    OUT.mkdir(parents=True, exist_ok=True)
    with open(OUT / "bibulon.pot", "wb") as file:
        write_po(file, catalogue, width=110, sort_by_file=True)
    print(f"{len(catalogue)} sentences and words in {OUT / 'bibulon.pot'}")


if __name__ == "__main__":
    main(sys.argv[1:])
