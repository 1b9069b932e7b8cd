"""A job document as it is written: a short text, and parts beside it, each known by its sum.

What is large and seldom changes (another plan of the job, what a gauge said, a mould's surface) is a part: a save or an
autosave writes the text, and a part only when no part of that sum is there yet.  In a JSON file all stands in one.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

import msgspec
from msgspec import Struct, field

from bibulon.core.model.job import Job
from bibulon.core.units.remember import by_identity
from bibulon.core.units.words import tr
from bibulon.store.raw import SERIES, columns_of, raw_of

__all__ = ["REF", "Document", "document_of", "joined", "sum_of"]

REF = "@part"  # stands in the text for a part, with its sum
LONG = 32  # readings from which on a series is a part


class Document(Struct, frozen=True):
    """The text of a document, and its parts by their sums."""

    text: str
    parts: Mapping[str, str] = field(default_factory=dict)


def sum_of(text: str) -> str:
    """Return the sum that a part is known by."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]


def document_of(job: Job) -> Document:
    """Return a job as it is written."""
    parts: dict[str, str] = {}

    def beside(piece: Document) -> dict[str, str]:
        parts.update(piece.parts)
        known = sum_of(piece.text)
        parts[known] = piece.text
        return {REF: known}

    long = [name for name in SERIES if len(getattr(job.test, name)) >= LONG]
    test, surface = job.test.replaced(**dict.fromkeys(long, ())), job.part.surface
    whole = raw_of(job.replaced(variants=(), test=test, part=job.part.replaced(surface=None)))
    whole["variants"] = [{"id": v.id, "name": v.name, "job": beside(_plan(v.job))} for v in job.variants]
    for name in sorted(long):
        whole["test"][name] = beside(_series(job.test, name))
    if surface is not None:
        whole["part"]["surface"] = beside(_surface(surface))
    return Document(json.dumps(whole, ensure_ascii=False), parts)


@by_identity(1, 32)
def _plan(job: Job) -> Document:
    return document_of(job)


@by_identity(1, 8)
def _series(test: Any, name: str) -> Document:
    return Document(json.dumps(columns_of(getattr(test, name), SERIES[name])))


@by_identity(1, 4)
def _surface(surface: Any) -> Document:
    return Document(msgspec.json.encode(surface).decode())


def joined(document: dict[str, Any], parts: Mapping[str, str]) -> tuple[dict[str, Any], list[str]]:
    """Return a document with its parts in place, and what was missing or damaged: that is left out."""
    problems: list[str] = []

    def part(cell: Any, what: str) -> Any:
        if not (isinstance(cell, dict) and set(cell) == {REF}):
            return cell
        text = parts.get(cell[REF])
        if text is None or sum_of(text) != cell[REF]:
            problems.append(tr("{} is damaged and was left out", what))
            return None
        return json.loads(text)

    test = document.get("test")
    if isinstance(test, dict):
        kept = {
            name: part(cell, tr("the record of the leak test")) if name in SERIES else cell
            for name, cell in test.items()
        }
        document = {**document, "test": {k: v for k, v in kept.items() if v is not None or k not in SERIES}}
    if isinstance(document.get("part"), dict):
        face = part(document["part"].get("surface"), tr("the mould's surface"))
        document = {**document, "part": {**document["part"], "surface": face}}
    variants = document.get("variants")
    if isinstance(variants, list):
        found = []
        for variant in variants:
            if (
                isinstance(variant, dict)
                and (job := part(variant.get("job"), tr("the plan “{}”", variant.get("name")))) is not None
            ):
                if isinstance(job, dict):
                    job, inner = joined(job, parts)
                    problems += inner
                found.append({**variant, "job": job})
        document = {**document, "variants": found}
    return document, problems
