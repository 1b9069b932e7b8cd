"""Seal profiles for the flange of a closed mould, invented: how high each stands free, and between which gaps it seals."""

from __future__ import annotations

from bibulon.core.model.mould import Seal

__all__ = ["PROFILES"]

PROFILES = (
    Seal(name="wing 14", kind="wing", height=0.010, width=0.014, gap_least=0.003, gap_most=0.008),
    Seal(name="wing 20", kind="wing", height=0.014, width=0.020, gap_least=0.004, gap_most=0.012),
    Seal(name="wing 28", kind="wing", height=0.020, width=0.028, gap_least=0.006, gap_most=0.017),
    Seal(name="hollow 8", kind="hollow", height=0.008, width=0.008, gap_least=0.004, gap_most=0.0065),
    Seal(name="hollow 12", kind="hollow", height=0.012, width=0.012, gap_least=0.006, gap_most=0.010),
    Seal(name="hollow 18", kind="hollow", height=0.018, width=0.018, gap_least=0.009, gap_most=0.015),
    Seal(name="inflatable 15", kind="inflatable", height=0.015, width=0.015, gap_least=0.005, gap_most=0.013),
    Seal(name="inflatable 24", kind="inflatable", height=0.024, width=0.024, gap_least=0.008, gap_most=0.022),
)
