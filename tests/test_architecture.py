"""Arrows point one way, file by file: from the window down to units, never up, never round, never between stations."""

import ast
import functools
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from bibulon.core.drawing.kit.tokens import DAY, NIGHT, contrast

SOURCE = Path(__file__).resolve().parents[1] / "src/bibulon"

# Lowest first.  A file that lies in none of these rooms has no place.
ORDER = [
    "core.units", "core.model", "core.geometry", "core.library", "core.stack", "core.resin", "core.edit", "core.flow.kernel", "core.flow.build",
    "core.flow.fill", "core.flow", "core.bag", "core.mould", "core.leak", "core.cure", "core.lines", "core.run",
    "core.series", "core.findings", "core.plans", "core.drawing.kit", "core.drawing.plan", "core.drawing.section",
    "core.drawing.graphs", "core.drawing.sheets", "core.outlook", "store", "store.imports", "store.exports", "devices",
    "app.work", "app.kit", "app.session", "app.plan", "app.stations.base", "app.stations.shared", "app.stations.*",
    "app.stations.registry", "app.shell", "app.start", "app.shots", "cli",
]  # fmt: skip
QT = ("PySide6", "shiboken6")


def files() -> dict[str, Path]:
    """Every file of the product by its dotted name, packages' own files left out."""
    found = {}
    for path in SOURCE.rglob("*.py"):
        if path.name not in {"__init__.py", "__main__.py"}:
            found[".".join(path.relative_to(SOURCE).with_suffix("").parts)] = path
    return found


FILES = files()


@functools.cache
def tree(path: Path) -> ast.Module:
    """What a file says."""
    return ast.parse(path.read_text(encoding="utf-8"))


def statements(top: ast.AST) -> Iterator[ast.AST]:
    """Every statement within another; expressions, of which there are ten times as many, hold none."""
    for field in ("body", "orelse", "finalbody", "handlers", "cases"):
        for inner in getattr(top, field, ()):
            yield inner
            yield from statements(inner)


@functools.cache
def imports(path: Path) -> set[str]:
    """What a file imports, inside functions too."""
    found = set()
    for node in statements(tree(path)):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{a.name}" for a in node.names)}
    return found


@functools.cache  # not when it is loaded: every worker loads every file of tests
def arrows() -> dict[str, set[str]]:
    """Which other files each file knows."""
    return {
        name: {m.removeprefix("bibulon.") for m in imports(path)} & set(FILES) - {name}
        for name, path in FILES.items()
    }


def room(name: str) -> str:
    """Return the room of a file: the longest of ORDER that it lies in."""
    fits = [r for r in ORDER if name == r or name.startswith(f"{r}.")]
    if name.startswith("app.stations.") and not fits:
        return "app.stations.*"
    return max(fits, key=len) if fits else ""


def test_every_file_has_a_room():
    assert len(FILES) > 200
    assert [name for name in FILES if not room(name)] == []


def test_no_arrow_runs_up():
    rank = {r: k for k, r in enumerate(ORDER)}
    up = [(a, b) for a, to in arrows().items() for b in to if rank[room(b)] > rank[room(a)]]
    assert up == []


def test_no_station_knows_another():
    def folder(name):
        return name.split(".")[2] if room(name) == "app.stations.*" else ""

    across = [
        (a, b) for a, to in arrows().items() for b in to if folder(a) and folder(b) and folder(a) != folder(b)
    ]
    assert across == []


def test_no_circle_between_files():
    done: set[str] = set()
    for start in FILES:
        line, on_line = [(start, iter(arrows()[start]))], {start}
        while line:
            name, rest = line[-1]
            follower = next((f for f in rest if f not in done), None)
            if follower is None:
                line.pop()
                on_line.discard(name)
                done.add(name)
            else:
                assert follower not in on_line, f"{follower} and {name} know each other"
                line.append((follower, iter(arrows()[follower])))
                on_line.add(follower)


def test_the_core_and_the_store_know_no_interface_and_the_core_no_files():
    for name, path in FILES.items():
        found = imports(path)
        if not name.startswith("app."):
            assert not [m for m in found if m.startswith(QT)], name
        if name.startswith("core."):
            assert not [m for m in found if m in {"sqlite3", "os", "subprocess"} or m.startswith("time.")], (
                name
            )


def test_no_file_is_too_long():
    long = {
        name: n for name, path in FILES.items() if (n := path.read_text(encoding="utf-8").count("\n")) > 400
    }
    assert long == {}


def test_a_frozen_value_is_only_changed_by_a_checked_copy():
    unchecked = ("model_" + "copy", "model_" + "construct", "object.__" + "setattr__")
    found = {
        name for name, path in FILES.items() for word in unchecked if word in path.read_text(encoding="utf-8")
    }
    assert found == set()


def test_the_interface_takes_colours_from_the_tokens_alone():
    for path in [*(SOURCE / "app").rglob("*.py"), *(SOURCE / "core/drawing").rglob("*.py")]:
        if path.name == "tokens.py":
            continue
        found = set(re.findall(r"#[0-9a-fA-F]{6}\b", path.read_text(encoding="utf-8")))
        assert not found, f"{path}: {found}"


@pytest.mark.parametrize("theme", [DAY, NIGHT], ids=lambda t: t.name)
def test_text_stands_out(theme):
    pairs = [("ink", "ground"), ("ink", "panel"), ("ink", "raised"), ("soft", "ground"), ("soft", "panel"), ("soft", "raised"),
             ("on_accent", "accent"), ("on_feed", "feed"), ("on_vacuum", "vacuum"), ("alarm", "ground"), ("alarm", "alarm_ground"),
             ("alarm", "panel"), ("on_resin", "resin_new"), ("accent", "ground")]  # fmt: skip
    for text, ground in pairs:
        assert contrast(getattr(theme, text), getattr(theme, ground)) >= 4.5, (text, ground)


def test_a_value_that_holds_arrays_is_itself_alone():
    """Arrays of two lengths cannot be compared: what compares their holders, an answer's key say, would fail."""
    wrong = []
    for name, path in FILES.items():
        for node in tree(path).body:
            if not isinstance(node, ast.ClassDef):
                continue
            made = [ast.unparse(d) for d in node.decorator_list if ast.unparse(d).startswith("dataclass")]
            fields = [ast.unparse(f.annotation) for f in node.body if isinstance(f, ast.AnnAssign)]
            holds = any(word in field for field in fields for word in ("Floats", "Ints", "Bools", "NDArray"))
            if made and "eq=False" not in made[0] and (holds or node.name == "Outlook"):
                wrong.append(f"{name}.{node.name}")
    assert wrong == []
