"""JSON out of files that anybody may have written: a value, or one sentence that says what and where."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from bibulon.core.units.words import tr
from bibulon.store.durable import named

__all__ = ["JsonError", "parse_json", "read_json"]

LARGEST = 200_000_000  # bytes
_LONE = re.compile("[\ud800-\udfff]")


class JsonError(ValueError):
    """A text that is no JSON that can be taken; says what is wrong and where."""


def read_json(path: Path) -> Any:
    """Read a JSON file.

    Raises
    ------
    JsonError : when it cannot be read, is too large, too deep, or no JSON.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise JsonError(tr("{0} is larger than {1} MB.", named(path), LARGEST // 1000000))
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise JsonError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except UnicodeDecodeError as error:
        raise JsonError(tr("{} is neither a job file nor JSON: it is no text.", named(path))) from error
    return parse_json(text, named(path))


def parse_json(text: str, name: str) -> Any:
    """Read a JSON text; ``name`` is what people know it by.

    Raises
    ------
    JsonError : when it is no JSON, or holds what no file of ours does.
    """
    try:
        value = json.loads(text, parse_constant=_refuse)
    except json.JSONDecodeError as error:
        raise JsonError(
            tr("{0} is damaged: {1} at line {2}, column {3}.", name, error.msg, error.lineno, error.colno)
        ) from error
    except RecursionError as error:
        raise JsonError(tr("{} is nested too deeply to be read.", name)) from error
    except ValueError as error:  # an integer of thousands of digits, NaN
        raise JsonError(tr("{} holds a number that is none, or is too long.", name)) from error
    if "\\u" in text and (match := _LONE.search(json.dumps(value, ensure_ascii=False))):
        raise JsonError(tr("{0} holds half a character (\\u{1:04x}), which is no text.", name, ord(match[0])))
    return value


def _refuse(word: str) -> Any:
    raise ValueError(word)
