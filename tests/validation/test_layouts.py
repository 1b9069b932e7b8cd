"""What is found on layouts that the trade knows: nothing false, nothing missing, at either resolution."""

from __future__ import annotations

import pytest
from tests.validation.layouts import LAYOUTS
from tests.validation.moulds import MOULDS
from tests.validation.parts import PARTS

from bibulon.core.flow.forecast import COARSE, flow_key
from bibulon.core.outlook.outlook import look_ahead

ALL = (*LAYOUTS, *PARTS, *MOULDS)
_known = {}


def outlook_of(made, resolution):
    """The outlook of a job: layouts that differ in what resin does not feel share a forecast."""
    known = _known.setdefault(resolution, [])
    key = flow_key(made)
    before = next((o for o in known if flow_key(o.job) == key), None)
    found = look_ahead(made, resolution, fine=True, drawn=False, before=before)
    if before is None and found.forecast is not None:
        known.append(found)
    return found


def judged(row, resolution):
    """Return (missing, false) of one layout."""
    found = outlook_of(row.make(), resolution).findings
    names = {name for f in found for name in (f.kind, f.key)}
    missing = row.must - names
    false = {f.key for f in found if f.weight != "note" and not {f.kind, f.key} & (row.must | row.may)}
    return missing, false | (names & row.never)


@pytest.mark.parametrize("row", ALL, ids=lambda r: r.name)
def test_nothing_false_and_nothing_missing(row):
    missing, false = judged(row, COARSE)
    assert not missing, f"not found: {sorted(missing)}; {row.why}"
    assert not false, f"false alarm: {sorted(false)}; {row.why}"


def test_the_table_is_long_enough():
    assert len(ALL) >= 170
    assert len({r.name for r in ALL}) == len(ALL)
