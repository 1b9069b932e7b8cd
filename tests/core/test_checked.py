"""Values of a document: checked when made, read and changed; what is refused is told whole, with its place, in words."""

from __future__ import annotations

import copy
import json
import math
import pickle
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.core.library.demo import demo_job
from bibulon.core.model.bag import PleatAt
from bibulon.core.model.base import Frozen, checked
from bibulon.core.model.faults import faults_of
from bibulon.core.model.invalid import Fault, Invalid
from bibulon.core.model.job import AtTime, Corner, FlowLine, Job, OnFront, Part
from bibulon.core.model.materials import Core, Fabric, Grooves, Material, TabulatedViscosity
from bibulon.core.model.rules import RuleSet

DEMO = json.loads(msgspec.json.encode(demo_job()))
SQUARE = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1, 0), (1, 1)))


def told(make: Any) -> list[tuple[tuple[str | int, ...], str]]:
    """Return the faults that making something ends in."""
    with pytest.raises(Invalid) as caught:
        make()
    return [(f.place, str(f)) for f in caught.value.faults]


def kinds(of: type = Frozen) -> Iterator[type[Frozen]]:
    """Yield every class of the document."""
    for kind in of.__subclasses__():
        yield kind
        yield from kinds(kind)


@pytest.mark.parametrize(
    ("fields", "place", "words"),
    [
        ({"bore": -1}, ("bore",), "must be 0 or more, not -1"),
        ({"bore": "thin"}, ("bore",), "must be a number, not “thin”"),
        ({"bore": None}, ("bore",), "must be a number, not null"),
        ({"bore": True}, ("bore",), "must be a number, not yes or no"),
        ({"bore": math.inf}, ("bore",), "must be a finite number, not inf"),
        ({"bore": math.nan}, ("bore",), "must be a finite number, not nan"),
        ({"rate": 0.0}, ("rate",), "must be more than 0, not 0"),
        ({"hose_at": 2}, ("hose_at",), "must be 1 or less, not 2"),
        ({"membrane": 1}, ("membrane",), "must be true or false, not 1"),
        ({"label": ""}, ("label",), "is empty"),
        ({"label": "x" * 30}, ("label",), "has 30 letters, and may have 24"),
        ({"id": "a b"}, ("id",), "“a b” does not read as it must"),
        ({"id": 7}, ("id",), "must be a text, not 7"),
        ({"role": "drain"}, ("role",), "must be one of feed, vacuum, not “drain”"),
        ({"path": ()}, ("path",), "has 0 entries, and needs 1 or more"),
        ({"path": "line"}, ("path",), "must be a list, not “line”"),
        ({"path": [(0, 0), (0, 2e4)]}, ("path", 1, 1), "must be 10000 or less, not 20000"),
        ({"path": [(0, 0, 0)]}, ("path", 0), "has 3 entries, and must have 2"),
        ({"turns": [AtTime()] * 101}, ("turns",), "has 101 entries, and may have 100"),
        ({"colour": "red"}, ("colour",), "is no field of it"),
        ({"opens": {"rule": "mood"}}, ("opens", "rule"), "must be one of time, front, empty, hand, not “mood”"),
        ({"opens": {"time": 3}}, ("opens", "rule"), "is missing"),
        ({"opens": {"rule": "front"}}, ("opens", "line"), "is missing"),
        ({"opens": "now"}, ("opens",), "must be a table of names and values, not “now”"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_line_is_told_with_its_place(fields, place, words):
    line = {"id": "F1", "label": "F1", "role": "feed", "path": [(0, 0), (1, 0)]}
    assert told(lambda: FlowLine(**{**line, **fields})) == [(place, words)]
    assert told(lambda: FlowLine(**line).replaced(**fields)) == [(place, words)]
    assert told(lambda: checked(FlowLine, {**line, **fields})) == [(place, words)]


def test_all_that_is_wrong_is_told_at_once_and_names_the_keys():
    bad = copy.deepcopy(DEMO)
    first, second = sorted(bad["materials"])[:2]
    bad["materials"][first]["name"] = ""
    bad["materials"][second]["kind"] = "wood"
    bad["lines"][1]["bore"] = -1
    bad["conditions"]["vacuum"] = "deep"
    places = {place for place, _ in told(lambda: checked(Job, bad))}
    assert places == {
        ("materials", first, "name"), ("materials", second, "kind"), ("lines", 1, "bore"), ("conditions", "vacuum"),
    }  # fmt: skip


def test_what_a_class_finds_between_its_fields_is_told_where_it_stands():
    grooves = Grooves(width=0.002, depth=0.02, pitch=0.03)
    core = {"name": "c", "thickness": 0.01, "density": 80.0, "grooves": grooves}
    assert told(lambda: Core(**core)) == [((), "the grooves are deeper than the core")]
    shelf = {"x": {"kind": "core", **core, "grooves": msgspec.to_builtins(grooves)}}
    assert told(lambda: checked(dict[str, Material], shelf)) == [
        (("x",), "the grooves are deeper than the core")
    ]
    assert told(lambda: TabulatedViscosity(times=(0, 1), values=(1,))) == [
        (("values",), "has 1 entries, and needs 2 or more")
    ]
    dangling = copy.deepcopy(DEMO)
    dangling["lines"][0]["opens"] = {"rule": "front", "line": "nowhere"}
    ((place, words),) = told(lambda: checked(Job, dangling))
    assert place == ("lines", 0)
    assert "which is no line" in words
    inside = {**DEMO, "variants": [{"id": "v", "name": "v", "job": dangling}]}
    assert [p for p, _ in told(lambda: checked(Job, inside))] == [("variants", 0, "job", "lines", 0)]


def test_parts_that_are_made_already_are_kept_and_figures_become_what_they_are():
    line = FlowLine(id="F1", label="F1", role="feed", path=[[0, 0], (1, 0)], opens=OnFront(line="F2"), bore=1)
    assert line.path == ((0.0, 0.0), (1.0, 0.0))
    assert isinstance(line.bore, float)
    moved = line.replaced(bore=np.float64(0.008), path=((np.int64(0), np.float32(0.5)),))
    assert moved.opens is line.opens
    assert (moved.bore, moved.path) == (0.008, ((0.0, 0.5),))
    assert {type(x) for x in (moved.bore, *moved.path[0])} == {float}


def test_a_value_never_changes_and_is_the_same_after_a_copy():
    job = demo_job()
    for change in (lambda: setattr(job, "name", "x"), lambda: setattr(job.part, "flange", 1.0)):
        with pytest.raises(AttributeError):
            change()
    for twin in (copy.copy(job), copy.deepcopy(job), pickle.loads(pickle.dumps(job))):
        assert twin == job
        assert type(twin.lines[0].opens) is type(job.lines[0].opens)
    assert hash(job.part) == hash(job.part.replaced(flange=job.part.flange))


def test_no_figure_begins_as_a_whole_number():
    """What is not given is not checked: a default is to be what a checked figure becomes."""
    every = set(kinds())
    assert {Job, Part, RuleSet, Fabric, PleatAt} <= every
    figures = 0
    for kind in msgspec.inspect.multi_type_info(sorted(every, key=str)):
        assert isinstance(kind, msgspec.inspect.StructType)
        for field in kind.fields:
            of = field.type.type if isinstance(field.type, msgspec.inspect.Metadata) else field.type
            if isinstance(of, msgspec.inspect.FloatType) and field.default is not msgspec.NODEFAULT:
                assert isinstance(field.default, float), (kind.cls, field.name)
                figures += 1
    assert figures > 150


def test_of_two_classes_of_one_name_neither_is_taken_for_the_other():
    assert AtTime(time=3.0) != OnFront(line="F1")
    assert told(lambda: checked(Fabric, {"kind": "core", "name": "x"}))[0] == (
        ("kind",), "must be “fabric”, not “core”",
    )  # fmt: skip


# What may stand anywhere in a file that was written by hand, or damaged.
JUNK = st.one_of(
    st.none(), st.booleans(), st.integers(-5, 10**6), st.floats(), st.text(max_size=4), st.just([]), st.just({}),
    st.sampled_from(["feed", "front", "fabric", "rim", "bag", [1.0], {"rule": "time"}, {"kind": []}, {"shape": None}]),
)  # fmt: skip


def places(value: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Return where a document has something."""
    cells = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    return [at, *(p for key, inner in cells for p in places(inner, (*at, key)))]


PLACES = [p for p in places(DEMO) if p]


@settings(max_examples=200, deadline=None)
@given(st.sampled_from(PLACES), JUNK, st.booleans())
def test_faults_are_told_where_the_check_refuses_and_nowhere_else(place, junk, added):
    raw = copy.deepcopy(DEMO)
    holder = raw
    for key in place[:-1]:
        holder = holder[key]
    if added and isinstance(holder, dict):
        holder["odd"] = junk
    else:
        holder[place[-1]] = junk
    try:
        msgspec.convert(raw, Job)
        refused = False
    except msgspec.ValidationError:
        refused = True
    found = list(faults_of(Job, raw))
    assert bool(found) == refused
    assert all(isinstance(f, Fault) and str(f) for f in found)
    for fault in found:  # near what was changed, or between parts, which the whole job tells
        assert (
            fault.place[: len(place) - 1] == place[: len(fault.place)][: len(place) - 1]
            or len(fault.place) <= 2
        )
