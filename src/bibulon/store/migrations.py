"""Documents of earlier versions brought to today's: a step from each version to the next, on raw JSON, never on the model."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from bibulon.core.model.job import VERSION

__all__ = ["STEPS", "migrated"]

Raw = dict[str, Any]


def _series_as_columns(document: Raw) -> Raw:
    """1 to 2: what a gauge or thermometer said is kept by columns; a variant is a document of its own."""
    test = document.get("test")
    if isinstance(test, dict):
        test = dict(test)
        for name in ("readings", "warmth", "pump_down"):
            rows = test.get(name)
            if isinstance(rows, list) and rows and all(isinstance(r, dict) for r in rows):
                test[name] = {key: [r.get(key) for r in rows] for key in rows[0]}
        document = {**document, "test": test}
    variants = document.get("variants")
    if isinstance(variants, list):
        document = {**document, "variants": [_inner(v) for v in variants]}
    return document


def _inner(variant: Any) -> Any:
    if isinstance(variant, dict) and isinstance(variant.get("job"), dict):
        return {**variant, "job": migrated(variant["job"])}
    return variant


STEPS: dict[int, Callable[[Raw], Raw]] = {1: _series_as_columns}


def migrated(document: Raw) -> Raw:
    """Return a document in today's version; one of a version that no step begins from stays as it is.

    A document that names no version was written by hand for today's.
    """
    version = document.get("version", VERSION)
    while isinstance(version, int) and version in STEPS:
        document = {**STEPS[version](document), "version": version + 1}
        version += 1
    return document
