"""Every figure of a job that somebody may have to say is in reach of a hand: a field on some page changes it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import msgspec
from PySide6.QtWidgets import QApplication

from bibulon.app.kit.fields import UnitEdit
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.units.units import QUANTITIES

SECTIONS = ("conditions", "charge", "cure", "closed", "bag", "rates", "test")
# Figures that are said in another way than by a field, or not at all.
OTHERWISE = {
    "closed.upper.poisson": "by what it is made of",
    "closed.machine.hose_length": "a feed's own hose counts",
    "closed.machine.hose_bore": "a feed's own hose counts",
    "closed.inner": "profiles are picked from a drawing",
    "closed.outer": "profiles are picked from a drawing",
    "charge.count": "Schedule the batches",
    "charge.people": "a box of numbers",
    "charge.leftovers": "weighed on Store",
    "charge.starts": "batches are dragged",
    "charge.order": "a list that is dragged on Mix",
    "cure.read_at": "a place of the plan",
    "bag.pleats": "pleats are dragged",
    "bag.start": "the walk-round's own handle",
    "rates.resin": "the job's resin has a price of its own",
    "rates.faces": "a box of two",
    "test.recorded_at": "told by the clock",
}


def figures(job) -> set[str]:
    """Paths of all numbers in those sections, lists left out."""
    found: set[str] = set()

    def walk(value, path):
        if isinstance(value, dict):
            for key, inner in value.items():
                walk(inner, f"{path}.{key}")
        elif value is None or (isinstance(value, int | float) and not isinstance(value, bool)):
            found.add(path)

    for section in SECTIONS:
        walk(msgspec.to_builtins(getattr(job, section)), section)
    return found


def flat(job) -> dict[str, object]:
    there = msgspec.to_builtins(job)

    def at(path):
        value = there
        for name in path.split("."):
            value = value[name]
        return value

    return {path: at(path) for path in figures(job)}


def others(field: UnitEdit) -> Iterator[str]:
    """Yield other texts that a field may take."""
    value, now = field.value(), field.text()
    low = -1e9 if field.low is None else field.low
    high = 1e9 if field.high is None else field.high
    inside = (low + 0.01 * (high - low), (low + high) / 2) if high < 1e8 else (300.0,)
    for tried in (value * 1.3, value + 1, value * 0.7, *inside, high, low):
        if not (math.isfinite(tried) and low <= tried <= high):
            continue
        before, field._value = field._value, tried
        text, field._value = field._written(), before
        if text != now:
            yield text


def typed_over(window, page: str, reached: dict[str, set[str]]) -> None:
    """Type another value into every field that is seen and has not changed anything yet, note what it changed, and take it back."""
    stack = window.session.undo_stack
    for field in window.findChildren(UnitEdit):
        if not field.isVisible() or not field.isEnabled() or field.quantity not in QUANTITIES:
            continue
        name = f"{page}/{field.accessibleName()}"
        if name in reached:
            continue
        for text in others(field):
            before, step = flat(window.session.job), stack.index()
            field.setText(text)
            field.setModified(True)
            field._commit()
            after = flat(window.session.job)
            changed = {p for p in set(before) | set(after) if before.get(p) != after.get(p)}
            while stack.index() > step:
                stack.undo()
            if changed:
                reached.setdefault(name, set()).update(changed)
                break
            field.setModified(False)


def test_every_figure_is_in_reach(window, qtbot, demo):
    by_field: dict[str, set[str]] = {}
    every: set[str] = set()
    for job in (demo, mould_demo_job()):
        with qtbot.waitSignal(window.session.forecaster.idle, timeout=60_000):
            window.session.new(job)
        every |= figures(job)
        for station in window.stations:
            if not station.stands(job) or station.name == "Shoot":
                continue
            window.go_to(station.name)
            for page in getattr(station.bench, "names", [None]):
                if page is not None:
                    station.bench.go(page)
                QApplication.processEvents()
                typed_over(window, f"{station.name}/{page}", by_field)
    reached = set().union(*by_field.values())
    missed = {
        path
        for path in every - reached
        if not any(path == known or path.startswith(f"{known}.") for known in OTHERWISE)
    }
    assert missed == set()
    assert not {path for path in OTHERWISE if path in reached}  # no excuse that is none
