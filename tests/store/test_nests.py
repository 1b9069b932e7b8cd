"""Nests are found once: whoever asks again is told the same, and a kept one that cannot be used costs only the search."""

from __future__ import annotations

import json

import pytest
from shapely.geometry import Polygon, box

from bibulon.cli.main import main
from bibulon.core.bag import nesting
from bibulon.core.bag.bag import bag_of
from bibulon.core.bag.cutplan import cut_plan
from bibulon.core.bag.nesting import Piece, on_shelves
from bibulon.store import nests
from bibulon.store.jobfile import save
from bibulon.store.nests import KeptNests

WEDGES = [Piece(f"w{k}", str(k), "m", Polygon([(0, 0), (0.8, 0), (0, 0.5)]), (0.0, 180.0)) for k in range(4)]


@pytest.fixture
def searches(monkeypatch):
    """Stand in for the search, which takes two seconds: boxes without a gap; tell how often it was asked."""
    done = []

    def searched(pieces, width, apart, seed=1):
        done.append(pieces)
        _, placed = on_shelves(pieces, width, 0.0)
        corners = [(p.piece, p.shape.bounds, p.piece.shape.bounds) for p in placed]
        return tuple((piece.key, 0.0, at[0] - was[0], at[1] - was[1]) for piece, at, was in corners)

    monkeypatch.setattr(nesting, "_searched", searched)
    return done


def nest(kept, pieces=WEDGES, width=1.0, search=True):
    return nesting.nest_of(pieces, width, 0.0, kept, search)


def test_the_same_pieces_are_searched_for_once(tmp_path, searches):
    first, again = nest(KeptNests(tmp_path)), nest(KeptNests(tmp_path))
    assert len(searches) == 1
    assert again[0] == pytest.approx(first[0], abs=1e-12)
    assert all(a.shape.equals_exact(b.shape, 1e-12) for a, b in zip(first[1], again[1], strict=True))


@pytest.mark.parametrize(
    "other",
    [
        ([Piece(p.key, p.label, p.material, box(0, 0, 0.3, 0.2)) for p in WEDGES], 1.0),
        (WEDGES[:3], 1.0),
        (WEDGES, 1.2),
        ([Piece(p.key, p.label, p.material, p.shape, (0.0,)) for p in WEDGES], 1.0),
    ],
    ids=["shapes", "fewer", "roll", "ways to lie"],
)
def test_what_differs_is_searched_for_anew(tmp_path, searches, other):
    kept = KeptNests(tmp_path)
    nest(kept)
    nest(kept, *other)
    assert len(searches) == 2


def test_what_was_really_searched_for_lies_where_it_was_found(tmp_path):
    kept = KeptNests(tmp_path)
    found, again = nest(kept, width=1.1), nest(kept, width=1.1, search=False)
    assert found[0] == pytest.approx(again[0], abs=1e-12)
    assert found[0] < 1.2  # two wedges make a box of 0.8 m, and two boxes lie beside each other
    assert sum(p.shape.area for p in again[1]) == pytest.approx(4 * 0.8 * 0.5 / 2)


def test_without_a_search_only_what_is_kept_is_told(tmp_path, searches):
    assert nest(KeptNests(tmp_path), search=False) is None
    found = nest(KeptNests(tmp_path))
    assert nest(KeptNests(tmp_path), search=False)[0] == pytest.approx(found[0])


@pytest.mark.parametrize(
    "damage",
    [
        lambda text: text[: len(text) // 2],
        lambda text: "",
        lambda text: "[1, 2]",
        lambda text: text.replace("w1", "w9"),
        lambda text: json.dumps([[key, turn, 0.0, 0.0] for key, turn, _, _ in json.loads(text)]),
    ],
    ids=["cut off", "empty", "no nest", "of other pieces", "all in one place"],
)
def test_a_damaged_one_is_searched_for_again(tmp_path, searches, damage):
    kept = KeptNests(tmp_path)
    first = nest(kept)
    (file,) = tmp_path.glob("*.json")
    file.write_text(damage(file.read_text()))
    assert nest(kept)[0] == pytest.approx(first[0], rel=0.2)
    assert len(searches) == 2
    nest(kept)
    assert len(searches) == 2  # and is whole again


@pytest.mark.parametrize(("later", "told"), [(1.4, 1.4), (1.9, 1.6)], ids=["shorter", "longer"])
def test_asked_again_the_shorter_of_both_is_told_and_kept(tmp_path, monkeypatch, later, told):
    """Two boxes of 0.8 m one behind the other; another search lays them nearer or further."""
    pieces, seeds = [Piece(k, k, "m", box(0, 0, 0.7, 0.9)) for k in ("a", "b")], []

    def searched(pieces, width, apart, seed=1):
        seeds.append(seed)
        end = 1.6 if len(seeds) == 1 else later
        return (("a", 0.0, 0.0, 0.0), ("b", 0.0, end - 0.7, 0.0))

    monkeypatch.setattr(nesting, "_searched", searched)
    kept = KeptNests(tmp_path)
    assert nest(kept, pieces)[0] == pytest.approx(1.6)
    assert nesting.nest_of(pieces, 1.0, 0.0, kept, True, again=True)[0] == pytest.approx(told)
    assert seeds[0] == 1 != seeds[1]
    assert nest(kept, pieces)[0] == pytest.approx(told)
    assert len(seeds) == 2


@pytest.mark.parametrize("poses", [(("a", 0.0, 0.0, 0.0),), (("a", 0.0, 0.0, 0.0), ("b", 0.0, 0.1, 0.0))])
def test_another_search_that_ends_badly_costs_nothing_of_what_is_kept(tmp_path, monkeypatch, poses):
    pieces = [Piece(k, k, "m", box(0, 0, 0.7, 0.9)) for k in ("a", "b")]
    found = (("a", 0.0, 0.0, 0.0), ("b", 0.0, 0.8, 0.0))
    monkeypatch.setattr(nesting, "_searched", lambda *a: found)
    kept = KeptNests(tmp_path)
    first = nest(kept, pieces)[0]
    monkeypatch.setattr(nesting, "_searched", lambda *a: poses)
    assert nesting.nest_of(pieces, 1.0, 0.0, kept, True, again=True)[0] == first
    assert nest(kept, pieces, search=False)[0] == first


def test_the_command_searches_again_when_it_is_told_to(tmp_path, searches, demo, capsys, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    save(demo, tmp_path / "p.bibulon")
    counts = []
    for more in ([], [], ["--again"]):
        assert main(["cut", str(tmp_path / "p.bibulon"), *more]) == 0
        counts.append(len(searches))
    assert counts[0] == counts[1] < counts[2] == 2 * counts[0]


def test_a_place_that_cannot_be_written_costs_the_search_alone(tmp_path, searches):
    blocked = tmp_path / "file"
    blocked.write_text("no folder")
    kept = KeptNests(blocked)
    assert nest(kept) is not None
    assert nest(kept) is not None
    assert len(searches) == 2


def test_the_oldest_go(tmp_path, monkeypatch):
    monkeypatch.setattr(nests, "MOST", 3)
    kept = KeptNests(tmp_path)
    for k in range(5):
        kept.keep(f"n{k}", [("a", 0.0, float(k), 0.0)])
    left = [k for k in range(5) if kept.known(f"n{k}")]
    assert len(left) == 3
    assert 4 in left


def test_command_and_window_tell_the_same_lengths(tmp_path, searches, demo, capsys, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    file = tmp_path / "p.bibulon"
    save(demo, file)
    assert main(["cut", str(file), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    count = len(searches)
    assert count > 2
    shown = cut_plan(demo, bag_of(demo), nest=False, nests=KeptNests())  # as its page does when it is opened
    assert {r.material: r.length * 1e3 for r in shown.rolls} == pytest.approx(
        {name: row["length_mm"] for name, row in told.items()}, abs=1e-9
    )
    assert len(searches) == count
    shelves = cut_plan(demo, bag_of(demo), nest=False)
    assert sum(r.length for r in shown.rolls) < sum(r.length for r in shelves.rolls)
