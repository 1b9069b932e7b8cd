"""What is found on layouts that the trade knows: nothing false, nothing missing, at either resolution."""

from __future__ import annotations

from functools import lru_cache

import pytest
from tests.validation.layouts import LAYOUTS, job

from bibulon.core.outlook.outlook import QUICK, look_ahead


@lru_cache(maxsize=2)
def plain_panel(resolution):
    """The outlook of the plain panel: layouts that differ in what resin does not feel share its forecast."""
    return look_ahead(job(), resolution, fine=True, drawn=False)


def judged(row, resolution):
    """Return (missing, false) of one layout."""
    before = plain_panel(resolution)
    found = look_ahead(row.make(), resolution, fine=True, drawn=False, before=before).findings
    names = {name for f in found for name in (f.kind, f.key)}
    missing = row.must - names
    false = {f.key for f in found if f.weight != "note" and not {f.kind, f.key} & (row.must | row.may)}
    return missing, false | (names & row.never)


@pytest.mark.parametrize("row", LAYOUTS, ids=lambda r: r.name)
def test_nothing_false_and_nothing_missing(row):
    missing, false = judged(row, QUICK)
    assert not missing, f"not found: {sorted(missing)}; {row.why}"
    assert not false, f"false alarm: {sorted(false)}; {row.why}"


def test_the_table_is_long_enough():
    assert len(LAYOUTS) >= 80
    assert len({r.name for r in LAYOUTS}) == len(LAYOUTS)
