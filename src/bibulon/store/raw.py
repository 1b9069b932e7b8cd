"""A job as a file has it, in plain objects: what gauge and thermometer said stands there by columns, a tenth of the text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from bibulon.core.model.base import Frozen, checked
from bibulon.core.model.drop_test import Reading, Warmth
from bibulon.core.model.invalid import Fault, Invalid
from bibulon.core.model.job import Job
from bibulon.core.units.words import tr

__all__ = ["SERIES", "columns_of", "job_from", "raw_of", "schema"]

SERIES: dict[str, type[Frozen]] = {"readings": Reading, "warmth": Warmth, "pump_down": Reading}


def raw_of(job: Job) -> dict[str, Any]:
    """Return a job in plain objects, as ``json`` writes them."""
    bare = job.replaced(variants=(), test=job.test.replaced(**dict.fromkeys(SERIES, ())))
    whole: dict[str, Any] = msgspec.to_builtins(bare)
    for name, kind in SERIES.items():
        whole["test"][name] = columns_of(getattr(job.test, name), kind)
    whole["variants"] = [{"id": v.id, "name": v.name, "job": raw_of(v.job)} for v in job.variants]
    return whole


def columns_of(rows: Sequence[Frozen], kind: type[Frozen]) -> dict[str, list[float]]:
    """Return rows as columns, each named for its field."""
    return {name: [getattr(row, name) for row in rows] for name in kind.__struct_fields__}


def job_from(raw: Any) -> Job:
    """Return the job in plain objects.

    Raises
    ------
    Invalid : when it cannot be one, with all that is wrong and where.
    """
    faults: list[Fault] = []
    rows = _by_rows(raw, (), faults)
    if faults:
        raise Invalid(tuple(faults))
    return checked(Job, rows)


def _by_rows(raw: Any, place: tuple[str | int, ...], faults: list[Fault]) -> Any:
    if not isinstance(raw, dict):
        return raw
    raw = {**raw}
    if isinstance(raw.get("test"), dict):
        raw["test"] = _test_by_rows(raw["test"], (*place, "test"), faults)
    if isinstance(raw.get("variants"), list):
        raw["variants"] = [
            {**v, "job": _by_rows(v["job"], (*place, "variants", k, "job"), faults)}
            if isinstance(v, dict) and "job" in v
            else v
            for k, v in enumerate(raw["variants"])
        ]
    return raw


def _test_by_rows(test: Any, place: tuple[str | int, ...], faults: list[Fault]) -> Any:
    if not isinstance(test, dict):
        return test
    test = {**test}
    for name in SERIES:
        cells = test.get(name)
        if not isinstance(cells, dict):
            continue
        if len({len(c) if isinstance(c, list) else -1 for c in cells.values()}) > 1:
            faults.append(Fault((*place, name), tr("its columns are not of one length")))
        else:
            test[name] = [dict(zip(cells, row, strict=True)) for row in zip(*cells.values(), strict=True)]
    return test


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a job in a file."""
    found = msgspec.json.schema(Job)
    kept = found["$defs"]["DropTest"]["properties"]
    for name, kind in SERIES.items():
        cells = {field: {"type": "array", "items": {"type": "number"}} for field in kind.__struct_fields__}
        by_rows = {k: v for k, v in kept[name].items() if k != "default"}
        by_columns = {
            "type": "object",
            "properties": cells,
            "required": list(cells),
            "additionalProperties": False,
        }
        kept[name] = {"anyOf": [by_columns, by_rows], "default": {field: [] for field in cells}}
    return found
