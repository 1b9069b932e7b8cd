"""The shop's rules: each has its card, none can be set to what cannot be, and what is set is what is judged by."""

from __future__ import annotations

import ast
import inspect
import json
import textwrap

import pytest
from tests.validation.layouts import job

from bibulon.cli.main import main
from bibulon.core.drawing.graphs.mishaps import MISHAPS
from bibulon.core.edit.limits import LIMITS, LimitError, changed_in, limits_of, named_as, with_limit
from bibulon.core.findings.catalogue import practices
from bibulon.core.findings.judge import RULES, evidence_of, find
from bibulon.core.flow.forecast import COARSE, forecast
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.units import QUANTITIES, parse, show
from bibulon.store.jobfile import save
from bibulon.store.library import LibraryError
from bibulon.store.rulesets import drop_set, keep_set, read_sets


def test_every_figure_of_the_rules_has_a_card_and_every_card_a_figure():
    assert set(LIMITS) == set(RuleSet.__struct_fields__) - {"name", "schools"}
    rules, stations = {r.__name__ for r in RULES}, {p.station for p in practices()}
    for limit in LIMITS.values():
        assert limit.drawing in MISHAPS
        assert limit.quantity in QUANTITIES
        assert limit.station in stations
        assert set(limit.rules) <= rules
    titles = [x.title for x in LIMITS.values()]
    assert len(set(titles)) == len(titles)


@pytest.mark.parametrize("rule", RULES, ids=lambda r: r.__name__)
def test_a_finding_leads_to_the_limits_that_its_rule_reads(rule):
    read = {
        n.attr
        for n in ast.walk(ast.parse(textwrap.dedent(inspect.getsource(rule))))
        if isinstance(n, ast.Attribute)
        and (getattr(n.value, "attr", "") == "rules" or getattr(n.value, "id", "") == "rules")
    } & set(LIMITS)
    assert read <= {x.field for x in limits_of(rule.__name__)}


@pytest.mark.parametrize("system", ["metric", "us"])
@pytest.mark.parametrize("limit", LIMITS.values(), ids=lambda x: x.field)
def test_what_is_shown_of_a_limit_is_read_back_as_it(limit, system):
    """None is rounded to nothing, and who leaves a field as it stands changes little."""
    value = getattr(RuleSet(), limit.field)
    told = show(value, limit.quantity, system)
    assert parse(told, limit.quantity, system) == pytest.approx(value, rel=0.06, abs=1e-12)


@pytest.mark.parametrize(("field", "value", "told"), [
    ("gel_margin", 0.125, "12.5 %"), ("gel_margin", 0.15, "15 %"), ("parting_loss", 0.015, "1.5 %"), ("cut_apart", 0.0025, "2.50 mm"),
    ("bow_most", 0.0003, "0.30 mm"), ("tape_waste", 0.05, "5 %"),
])  # fmt: skip
def test_a_limit_is_shown_as_finely_as_it_was_typed(field, value, told):
    made = with_limit(job(), field, value)
    assert show(getattr(made.rules, field), LIMITS[field].quantity) == told


@pytest.mark.parametrize("field", LIMITS)
def test_nonsense_is_refused_in_words_and_changes_nothing(field):
    made = job()
    for value in (-1.0, float("nan"), float("inf")):
        with pytest.raises(LimitError) as error:
            with_limit(made, field, value)
        assert str(error.value).startswith(LIMITS[field].title)
    assert made.rules == RuleSet()


def test_what_goes_against_its_fellow_is_refused_with_that_one_s_figure():
    with pytest.raises(LimitError, match=r"Break between mesh and vacuum, at the most.*75 mm"):
        with_limit(job(), "break_shortest", 0.080)
    with pytest.raises(LimitError, match=r"at the least”, which is 1\.97 in"):
        with_limit(job(), "break_longest", 0.040, "us")
    assert with_limit(job(), "break_shortest", 0.075).rules.break_shortest == 0.075


@pytest.mark.parametrize(("field", "value", "told"), [
    ("break_shortest", 0.070, "mesh-vacuum"),  # its break is 60 mm
    ("gel_margin", 0.95, "gel"),
    ("viscosity_least", 0.5, "too-thin"),
    ("vessel_deepest", 0.01, "vessel-deep"),
    ("film_edge", 0.060, ""),
])  # fmt: skip
def test_what_is_set_is_what_is_judged_by(field, value, told):
    def kinds(made):
        return {f.kind for f in find(evidence_of(made, forecast(made, COARSE)))}

    plain, changed = job(), with_limit(job(), field, value)
    if not told:
        assert kinds(changed) == kinds(plain)
        assert changed_in(changed.rules) == ()
        return
    assert told not in kinds(plain)
    assert told in kinds(changed)
    assert [x.field for x in changed_in(changed.rules)] == [field]


@pytest.mark.parametrize("name", ["", "   ", "x" * 61])
def test_a_set_needs_a_name(name):
    with pytest.raises(LimitError, match="1 to 60"):
        named_as(RuleSet(), name)


def test_sets_are_kept_by_name_and_taken_out_again(tmp_path):
    path = tmp_path / "shop" / "rules.json"
    assert read_sets(path) == {}
    deck, hull = (RuleSet().replaced(name=n, gel_margin=g) for n, g in (("Decks", 0.2), ("Hulls", 0.3)))
    keep_set(path, deck)
    keep_set(path, hull)
    keep_set(path, deck.replaced(gel_margin=0.25))
    assert {k: r.gel_margin for k, r in read_sets(path).items()} == {"Decks": 0.25, "Hulls": 0.3}
    after, aside = drop_set(path, "Hulls")
    assert set(after) == set(read_sets(path)) == {"Decks"}
    assert aside is None


@pytest.mark.parametrize(
    "text", ["", "{}", "[1]", '[{"name": "A", "gel_margin": 7}]', '[{"name": "A", "unheard": 1}]', "[" * 999]
)
def test_a_damaged_file_of_sets_is_told_and_put_aside_by_the_next_that_is_kept(tmp_path, text):
    path = tmp_path / "rules.json"
    path.write_text(text)
    with pytest.raises(LibraryError):
        read_sets(path)
    assert path.read_text() == text
    after, aside = keep_set(path, RuleSet().replaced(name="Decks"))
    assert set(after) == set(read_sets(path)) == {"Decks"}
    assert aside is not None
    assert aside.read_text() == text


def test_a_disk_that_is_full_leaves_the_sets_as_they_were(tmp_path, monkeypatch):
    """Killed while it writes, or out of room: the file is written whole beside and put in its place."""
    path = tmp_path / "rules.json"
    keep_set(path, RuleSet().replaced(name="Decks"))
    before = path.read_bytes()

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("bibulon.store.rulesets.write_text", full)
    with pytest.raises(OSError, match="No space"):
        keep_set(path, RuleSet().replaced(name="Hulls"))
    assert path.read_bytes() == before
    monkeypatch.undo()
    keep_set(path, RuleSet().replaced(name="Hulls"))  # the lock was let go
    assert set(read_sets(path)) == {"Decks", "Hulls"}


def test_the_command_tells_limits_and_what_they_are_shipped_as(tmp_path, capsys):
    path = tmp_path / "job.bibulon"
    save(with_limit(job(), "break_longest", 0.090), path)
    assert main(["rules", str(path), "--changed"]) == 0
    told = capsys.readouterr().out
    assert "House rules: 1 of 53 limits not as shipped" in told
    assert "90 mm  (shipped as 75 mm)" in told
    assert "Pleat" not in told
    assert main(["rules", str(path), "--json"]) == 0
    limits = {x["rule"]: x for x in json.loads(capsys.readouterr().out)["limits"]}
    assert limits["break_longest"]["value_m"] == 0.090
    assert limits["break_longest"]["changed"] is True
    assert limits["inlet_speed"]["value_m_per_s"] == limits["inlet_speed"]["shipped_m_per_s"] == 0.02
