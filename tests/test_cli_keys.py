"""What scripts read: every figure's key ends in its unit, is the same in any system, and is finite or null."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

import pytest

from bibulon.cli.main import main
from bibulon.core.library.demo import demo_job
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.store.jobfile import save

UNITS = (
    "mm", "m", "m2", "kg", "kg_m2", "kg_per_min", "l", "s", "unix_s", "c", "kpa", "mbar", "kn", "share", "n", "pa",
    "l_per_s", "mbar_l_s", "deg", "m_per_s", "pa_s",
)  # fmt: skip
# Pure numbers by their nature: counts, shares of one, costs in the shop's own money, numbers of a series.
BARE = re.compile(
    r"(sheets|rolls|pleats|number|part|seed|tries|count|alpha_\w+|fibre_by_\w+|vf_\w+|chance_\w+|mass_balance|cost|cost_m2|"
    r"margin_least|waste_share|mean|upper|lower|sigma|faces|copies)$|_(sheets|rolls)$"
)
COMMANDS = {
    "forecast": ("bag", "--coarse"), "charge": ("bag",), "findings": ("bag", "--coarse"), "stack": ("bag",), "bag": ("bag",),
    "cut": ("bag", "--shelves"), "calls": ("bag", "--coarse"), "cure": ("bag", "--coarse"), "hold": ("bag", "--coarse"),
    "mould": ("mould", "--coarse"), "recipe": ("mould", "--coarse"), "record": ("bag",), "run": ("bag",), "rules": ("bag",),
}  # fmt: skip


def figures(told: object, unit: str | None = None, key: str = "") -> Iterator[tuple[str, str | None, float]]:
    """Yield (key, the unit that it or what it stands in names, value) of all figures."""
    if isinstance(told, dict):
        for name, inner in told.items():
            mine = next((u for u in sorted(UNITS, key=len, reverse=True) if name.endswith(f"_{u}")), None)
            yield from figures(inner, mine or ("bare" if BARE.search(name) else unit), name)
    elif isinstance(told, list):
        for inner in told:
            yield from figures(inner, unit, key)
    elif isinstance(told, int | float) and not isinstance(told, bool):
        yield key, unit, float(told)


@pytest.fixture(scope="module")
def jobs(tmp_path_factory):
    folder = tmp_path_factory.mktemp("jobs")
    for name, job in (("bag", demo_job()), ("mould", mould_demo_job())):
        save(job, folder / f"{name}.bibulon")
    return folder


_said: dict[tuple[str, ...], str] = {}  # by command: some take seconds


def told_by(jobs, capsys, command, *more):
    if (command, *more) not in _said:
        name, *options = COMMANDS[command]
        code = main([command, str(jobs / f"{name}.bibulon"), *options, *more, "--json"])
        out, err = capsys.readouterr()
        assert code in (0, 1), err
        _said[(command, *more)] = out
    return json.loads(
        _said[(command, *more)], parse_constant=lambda word: pytest.fail(f"{command} says {word}")
    )


@pytest.mark.parametrize("command", sorted(COMMANDS))
def test_every_figure_names_its_unit(jobs, capsys, command):
    told = told_by(jobs, capsys, command)
    assert {key for key, unit, _ in figures(told) if unit is None} == set()


@pytest.mark.parametrize("command", ["charge", "stack", "bag"])
def test_json_is_the_same_in_every_system_of_units(jobs, capsys, command):
    metric = told_by(jobs, capsys, command)
    us = told_by(jobs, capsys, command, "--units", "us")
    assert list(figures(metric)) == list(figures(us))


def test_figures_are_in_the_unit_that_they_name(jobs, capsys):
    """Against the job itself: lengths in mm, masses in kg, temperatures in °C."""
    job = demo_job()
    charge = told_by(jobs, capsys, "charge")
    assert charge["total_kg"] == pytest.approx(sum(s["mass_kg"] for s in charge["sinks"]))
    assert charge["volume_l"] == pytest.approx(1000 * charge["total_kg"] / job.resin.density, rel=0.01)
    assert charge["batches"][0]["peak_c"] > job.conditions.resin_temperature - 273.15 - 1
    forecast = told_by(jobs, capsys, "forecast")
    x = [c.x for c in job.part.outline]
    assert min(x) * 1000 - 1 <= forecast["last_wet"]["x_mm"] <= max(x) * 1000 + 1
    cut = told_by(jobs, capsys, "cut")
    widths = [value for key, _, value in figures(cut) if key == "roll_width_mm"]
    assert widths
    assert all(200 < wide < 4000 for wide in widths)
