"""All rows of the reckoner by name: a new one is a ``Row`` in a module's ``ROWS``."""

from __future__ import annotations

from bibulon.core.plans.reckon import after_rows, air_rows, mould_rows, resin_rows

__all__ = ["ROWS"]

ROWS = {row.name: row for module in (resin_rows, air_rows, mould_rows, after_rows) for row in module.ROWS}
