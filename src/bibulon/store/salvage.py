"""What can be kept of a job document that does not pass its checks, and what was wrong with it in words."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from bibulon.core.model.job import Job
from bibulon.core.units.figures import told_by
from bibulon.core.units.words import tr

__all__ = ["JobFileError", "explain", "plainly", "salvage"]


class JobFileError(Exception):
    """A job file that cannot be read or written; the text says what and why, for people."""


def salvage(document: dict[str, Any], name: str, error: ValidationError) -> tuple[Job, tuple[str, ...]]:
    """Drop the parts of a document that do not validate, as few as will do."""
    problems = [f"{name}: {line}" for line in explain(error)]
    kept = dict(document)
    for _ in range(len(document)):
        bad = {str(e["loc"][0]) for e in error.errors() if e["loc"]} - {"part", "format"}
        if not bad and not any(e["loc"] for e in error.errors()):
            bad = _dangling(kept)
        if not bad & set(kept):
            break
        for name in bad & set(kept):
            del kept[name]
        try:
            return Job.model_validate(kept), tuple(problems)
        except ValidationError as again:
            error = again
    raise JobFileError(tr("{0} cannot be opened. {1}", name, " ".join(explain(error)[:3]))) from error


def _dangling(document: dict[str, Any]) -> set[str]:
    """Return the one part whose absence lets the others refer to what exists, or all that refer to one another."""
    referring = [name for name in ("buckets", "mesh", "lines", "stack", "manifolds") if name in document]
    for name in referring:
        try:
            Job.model_validate({k: v for k, v in document.items() if k != name})
        except ValidationError:
            continue
        return {name}
    return set(referring)


def explain(error: ValidationError) -> list[str]:
    """Return a validation error as plain sentences, one a fault, saying where."""
    out = []
    for fault in error.errors():
        where = " → ".join(str(p)[:40] for p in fault["loc"])
        what = fault["msg"].removeprefix("Value error, ")
        out.append(f"{where}: {what}." if where else f"{what[:1].upper()}{what[1:]}.")
    return out


def plainly(error: Exception) -> str:
    """Return an error as one sentence for people, whatever library found it."""
    return explain(error)[0] if isinstance(error, ValidationError) else told_by(error)
