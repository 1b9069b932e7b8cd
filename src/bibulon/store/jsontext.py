"""JSON out of files that anybody may have written: a value, or one sentence that says what and where."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

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
            raise JsonError(f"{named(path)} is larger than {LARGEST // 1_000_000} MB.")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise JsonError(f"{named(path)} cannot be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise JsonError(f"{named(path)} is neither a job file nor JSON: it is no text.") from error
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
            f"{name} is damaged: {error.msg} at line {error.lineno}, column {error.colno}."
        ) from error
    except RecursionError as error:
        raise JsonError(f"{name} is nested too deeply to be read.") from error
    except ValueError as error:  # an integer of thousands of digits, NaN
        raise JsonError(f"{name} holds a number that is none, or is too long.") from error
    if "\\u" in text and (match := _LONE.search(json.dumps(value, ensure_ascii=False))):
        raise JsonError(f"{name} holds half a character (\\u{ord(match[0]):04x}), which is no text.")
    return value


def _refuse(word: str) -> Any:
    raise ValueError(word)
