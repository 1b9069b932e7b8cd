"""Arrows point one way: app -> store, devices -> core; the core knows no interface and no files."""

import ast
from pathlib import Path

import pytest

from bibulon.core.drawing.tokens import DAY, NIGHT, contrast

SOURCE = Path(__file__).resolve().parents[1] / "src/bibulon"
BARRED = {
    "core": ("PySide6", "shiboken6", "bibulon.store", "bibulon.app", "bibulon.cli", "sqlite3"),
    "store": ("PySide6", "shiboken6", "bibulon.app", "bibulon.cli"),
}


def imports(path: Path):
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (a.name for a in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


@pytest.mark.parametrize("layer", list(BARRED))
def test_layers_import_only_downward(layer):
    files = list((SOURCE / layer).rglob("*.py"))
    assert files
    wrong = [(str(f), m) for f in files for m in imports(f) if m.startswith(BARRED[layer])]
    assert not wrong


def test_the_interface_takes_colours_from_the_tokens_alone():
    import re

    for path in [*(SOURCE / "app").rglob("*.py"), *(SOURCE / "core/drawing").glob("*.py")]:
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
