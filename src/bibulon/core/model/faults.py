"""What is wrong with a value that cannot be, in words: all of it, each fault with its place.

The check itself stops at the first fault and does not name keys; this walks on, where something was refused.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import msgspec
from msgspec import inspect

from bibulon.core.model.invalid import Fault
from bibulon.core.units.words import tr

__all__ = ["faults_of", "plain_numbers"]

Place = tuple[str | int, ...]


def plain_numbers(value: Any) -> Any:
    """Return a value with the numbers of arrays as Python's own, which alone are taken for numbers."""
    if isinstance(value, dict):
        return {key: plain_numbers(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [plain_numbers(inner) for inner in value]
    return value.item() if hasattr(value, "item") and getattr(value, "ndim", None) == 0 else value


def faults_of(kind: Any, value: Any) -> Iterator[Fault]:
    """Yield all that is wrong with a value as one of a kind."""
    yield from _walk(_parts(kind), value, ())


@lru_cache(maxsize=64)
def _parts(kind: Any) -> inspect.Type:
    """Return what a kind is made of: a tenth of a second for a whole job."""
    return inspect.type_info(kind)


def _walk(kind: inspect.Type, value: Any, place: Place) -> Iterator[Fault]:
    match kind:
        case inspect.Metadata():
            yield from _walk(kind.type, value, place)
        case inspect.StructType():
            yield from _struct(kind, value, place)
        case inspect.UnionType():
            yield from _union(kind, value, place)
        case inspect.VarTupleType() | inspect.TupleType():
            yield from _row(kind, value, place)
        case inspect.DictType():
            if not isinstance(value, dict):
                yield Fault(place, tr("must be a table of names and values, not {}", _shown(value)))
                return
            for key, inner in value.items():
                yield from _walk(kind.key_type, key, (*place, key))
                yield from _walk(kind.value_type, inner, (*place, key))
        case _:
            if told := _leaf(kind, value):
                yield Fault(place, *told)


def _struct(kind: inspect.StructType, value: Any, place: Place) -> Iterator[Fault]:
    if type(value) is kind.cls:
        return
    if not isinstance(value, dict):
        yield Fault(place, tr("must be a table of names and values, not {}", _shown(value)))
        return
    inner: list[Fault] = []
    known = {field.encode_name: field for field in kind.fields}
    for name, cell in value.items():
        if name in known:
            inner += _walk(known[name].type, cell, (*place, name))
        elif name == kind.tag_field:
            if cell != kind.tag:
                inner.append(Fault((*place, name), _one_of([kind.tag], cell)))
        else:
            inner.append(Fault((*place, str(name)), tr("is no field of it")))
    inner += [
        Fault((*place, name), tr("is missing"))
        for name, field in known.items()
        if field.required and name not in value
    ]
    yield from inner
    if not inner:
        yield from _together(kind.cls, value, place)


def _together(cls: type, value: Any, place: Place) -> Iterator[Fault]:
    """Yield what a class finds wrong between fields that each pass."""
    try:
        msgspec.convert(value, cls)
    except msgspec.ValidationError as error:
        cause = error.__cause__
        yield Fault((*place, *cause.place) if isinstance(cause, Fault) else place, str(cause or error))


def _union(kind: inspect.UnionType, value: Any, place: Place) -> Iterator[Fault]:
    if value is None and kind.includes_none:
        return
    of = [_bare(t) for t in kind.types if not isinstance(t, inspect.NoneType)]
    tagged = {t.tag: t for t in of if isinstance(t, inspect.StructType) and t.tag_field}
    if len(of) == 1:
        yield from _walk(of[0], value, place)
    elif any(isinstance(t, inspect.StructType) and type(value) is t.cls for t in of):
        return
    elif not isinstance(value, dict):
        yield Fault(place, tr("must be a table of names and values, not {}", _shown(value)))
    else:
        field = str(next(iter(tagged.values())).tag_field)
        if field not in value:
            yield Fault((*place, field), tr("is missing"))
        elif (found := next((t for tag, t in tagged.items() if tag == value[field]), None)) is None:
            yield Fault((*place, field), _one_of(list(tagged), value[field]))
        else:
            yield from _walk(found, value, place)


def _bare(kind: inspect.Type) -> inspect.Type:
    return kind.type if isinstance(kind, inspect.Metadata) else kind


def _row(kind: inspect.VarTupleType | inspect.TupleType, value: Any, place: Place) -> Iterator[Fault]:
    if not isinstance(value, list | tuple):
        yield Fault(place, tr("must be a list, not {}", _shown(value)))
        return
    if isinstance(kind, inspect.TupleType):
        if len(value) != len(kind.item_types):
            yield Fault(place, tr("has {0} entries, and must have {1}", len(value), len(kind.item_types)))
            return
        for k, (of, inner) in enumerate(zip(kind.item_types, value, strict=True)):
            yield from _walk(of, inner, (*place, k))
        return
    if kind.min_length is not None and len(value) < kind.min_length:
        yield Fault(place, tr("has {0} entries, and needs {1} or more", len(value), kind.min_length))
    if kind.max_length is not None and len(value) > kind.max_length:
        yield Fault(place, tr("has {0} entries, and may have {1}", len(value), kind.max_length))
        return
    for k, inner in enumerate(value):
        yield from _walk(kind.item_type, inner, (*place, k))


def _leaf(kind: inspect.Type, value: Any) -> tuple[Any, ...]:
    """Return what is wrong with a value that has no parts, and the figures in it; empty where nothing is."""
    match kind:
        case inspect.FloatType() | inspect.IntType():
            return _number(kind, value)
        case inspect.StrType():
            told = _text(kind, value)
        case inspect.BoolType():
            told = "" if isinstance(value, bool) else tr("must be true or false, not {}", _shown(value))
        case inspect.LiteralType():
            same = any(value == v and type(value) is type(v) for v in kind.values)
            told = "" if same else _one_of(list(kind.values), value)
        case _:
            raise TypeError(f"no words for {kind}")
    return (told,) if told else ()


def _number(kind: inspect.FloatType | inspect.IntType, value: Any) -> tuple[Any, ...]:
    whole = isinstance(kind, inspect.IntType)
    if isinstance(value, bool) or not isinstance(value, int if whole else int | float):
        told = tr("must be a whole number, not {}") if whole else tr("must be a number, not {}")
        return (told.format(_shown(value)),)
    if value != value or value in (float("inf"), float("-inf")):
        return (tr("must be a finite number, not {}", value),)
    for limit, holds, told in (
        (kind.gt, lambda a: value > a, tr("must be more than {0}, not {1}")),
        (kind.ge, lambda a: value >= a, tr("must be {0} or more, not {1}")),
        (kind.lt, lambda a: value < a, tr("must be less than {0}, not {1}")),
        (kind.le, lambda a: value <= a, tr("must be {0} or less, not {1}")),
    ):
        if limit is not None and not holds(limit):
            return told, limit, value
    return ()


def _text(kind: inspect.StrType, value: Any) -> str:
    if not isinstance(value, str):
        return tr("must be a text, not {}", _shown(value))
    if kind.min_length and len(value) < kind.min_length:
        return tr("is empty")
    if kind.max_length is not None and len(value) > kind.max_length:
        return tr("has {0} letters, and may have {1}", len(value), kind.max_length)
    if kind.pattern and not re.search(kind.pattern, value):
        return tr("“{}” does not read as it must", _cut(value))
    return ""


def _one_of(values: list[Any], value: Any) -> str:
    if len(values) == 1:
        return tr("must be “{0}”, not {1}", values[0], _shown(value))
    return tr("must be one of {0}, not {1}", ", ".join(str(v) for v in values), _shown(value))


def _shown(value: Any) -> str:
    match value:
        case None:
            return "null"
        case bool():
            return tr("yes or no")
        case dict():
            return tr("a table of names and values")
        case list() | tuple():
            return tr("a list")
        case str():
            return f"“{_cut(value)}”"
    return _cut(str(value))


def _cut(text: str) -> str:
    return text if len(text) <= 40 else f"{text[:38]}…"
