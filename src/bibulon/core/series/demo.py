"""A demo series: twenty-four invented lids made one after another in the same mould, whose outer seal wears."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import DropTest, Job
from bibulon.core.run.journal import Entry
from bibulon.core.units.words import tr

__all__ = ["COUNT", "series_demo"]

COUNT = 24
WEARS_FROM = 15  # the part from which on the seal leaks more each time
FIRST = 1_788_249_600.0  # Unix time of the first shot, a Tuesday morning
DAY = 86_400.0
VOLUME = 0.021  # m³ of flange, lines and pot that are shut off
HELD = 300.0  # s of a leak test


def series_demo() -> list[tuple[Job, tuple[Entry, ...]]]:
    """Return the jobs with their journals, in the order in which they were shot."""
    rng, hands = np.random.default_rng(34), np.random.default_rng(35)
    base = mould_demo_job()
    out = []
    for k in range(COUNT):
        began = FIRST + DAY * (k // 2 + 2 * (k // 10)) + (k % 2) * 4.5 * 3600
        worn = max(k + 1 - WEARS_FROM, 0)
        leak = 0.9 + 0.12 * rng.normal() + 0.16 * worn  # Pa/s
        fill = 392 + 11 * rng.normal() + 5.0 * worn  # s: air in the cavity holds the front back
        shot = 3.12 + 0.03 * rng.normal() + 0.02 * worn
        caught = 0.31 + 0.02 * rng.normal() + 0.018 * worn
        part = 4.90 + 0.025 * rng.normal()
        demould = 3600 * (1.6 + 0.06 * rng.normal())
        start = 900.0 + 60 * rng.normal()
        test = _test(start, leak, rng)
        job = base.replaced(name=tr("Dust collector lid {:02d}", k + 1), mould="DC-1", test=test)
        run = f"lid{k + 1:02d}"
        laying = 3600 * float(np.exp(hands.normal(-0.35, 0.12)))
        rows = [
            Entry(
                "loading", 0.0, "loaded", {"step": "wiped", "by": "Ana"}, began - 1500 - laying, f"{run}-a"
            ),
            Entry("loading", 0.0, "loaded", {"step": "dowels", "by": "Ana"}, began - 1500, f"{run}-b"),
            Entry(run, 0.0, "start", {"began": began}, began, f"{run}-0"),
            Entry(run, 0.0, "open", {"line": "F1"}, began, f"{run}-1"),
            Entry(run, fill, "wet", {}, began + fill, f"{run}-2"),
            Entry(run, fill + 40, "shut", {"line": "F1"}, began + fill + 40, f"{run}-3"),
            Entry(run, fill + 60, "stop", {}, began + fill + 60, f"{run}-4"),
        ]
        after = began + demould + 1200
        masses = {
            "part": part,
            "caught": caught,
            "mixed": shot,
            "left": 0.0,
            "demould": demould,
            "scale": 0.01,
        }
        told = {name: round(value, 3) for name, value in masses.items()}
        rows.append(Entry("record", 0.0, "weighed", {**told, "by": "Ana"}, after, f"{run}-5"))
        rows += _found(k + 1, run, after)
        out.append((job, tuple(rows)))
    return out


def _test(start: float, leak: float, rng: np.random.Generator) -> DropTest:
    """Return the test of flange and cavity before a shot: from a pressure [Pa] on, with a leak [Pa/s]."""
    readings = tuple(
        Reading(time=float(t), pressure=round(start + leak * t + 2 * rng.normal(), 0)) for t in np.arange(0, HELD + 1, 10)
    )  # fmt: skip
    return DropTest(name="Flange and cavity, before the shot", volume=VOLUME, readings=readings)


def _found(number: int, run: str, after: float) -> Iterator[Entry]:
    """Yield the rows of what was found on a part, and of what was learned of it."""
    if number in (20, 23):
        pin = {
            "id": f"{run}-d", "defect": "pinholes", "x": 0.82, "y": 0.74, "size": 0.04, "cause": "air past the outer seal", "by": "Ana",
            "text": "pinholes: air past the outer seal",
        }  # fmt: skip
        yield Entry("record", 0.0, "defect", pin, after + 60, f"{run}-6")
    if number == 23:
        words = tr(
            "Pinholes come beside latch 3, where the outer seal is flat. Change it before the leak is over 1.5 mbar in five minutes."
        )
        yield Entry("record", 0.0, "lesson", {"text": words, "x": 0.82, "y": 0.74}, after + 120, f"{run}-7")
