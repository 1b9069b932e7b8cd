"""Shop rules: every limit that a judgement uses, as editable figures with their reasons."""

from __future__ import annotations

from pydantic import Field

from bibulon.core.job.base import Frozen, NonNegative, Positive, Share

__all__ = ["RuleSet", "School"]


class School(Frozen):
    """One school of passing a bag: what may drop, in what time, from what start."""

    id: str
    name: str
    reason: str
    minutes: Positive
    allowed_drop: NonNegative = Field(description="Pa over those minutes")
    start_below: NonNegative = Field(0.0, description="Pa absolute at the start; 0 when not asked")
    leak_limit: NonNegative = Field(0.0, description="Pa m3/s; 0 when not asked")


SCHOOLS = (
    School(
        id="small-drop",
        name="No more than 30 mbar in 5 min",
        reason="What a large part is commonly allowed.",
        minutes=5,
        allowed_drop=3000,
    ),
    School(
        id="no-drop",
        name="No visible drop in 10 min",
        reason="Small parts: a needle that moves at all says there is a hole. 2 mbar is what a needle shows.",
        minutes=10,
        allowed_drop=200,
    ),
    School(
        id="deep-start",
        name="Under 50 mbar to start, 10 mbar in 5 min",
        reason="A bag that never got deep hides its leak, since less is drawn in.",
        minutes=5,
        allowed_drop=1000,
        start_below=5000,
    ),
    School(
        id="by-volume",
        name="Leak rate under 0.02 mbar·L/s",
        reason="A big catch pot hides a leak; the rate times the volume does not.",
        minutes=5,
        allowed_drop=1e9,
        leak_limit=2e-3,
    ),
)


class RuleSet(Frozen):
    """A named set of shop rules; lengths in m, pressures in Pa, times in s."""

    name: str = "House rules"
    break_shortest: Positive = 0.050
    break_longest: Positive = 0.075
    gel_margin: Share = Field(0.15, description="share of the gel time that must be left when all is wet")
    smallest_pocket: Positive = Field(2e-4, description="m2; smaller ones are not called")
    smallest_dry: NonNegative = Field(
        1e-3, description="m2; less cloth than this left dry does not count as dry"
    )
    feed_gap: NonNegative = Field(0.0, description="s a feed may open before the front has passed it")
    line_loss: Share = Field(0.2, description="share of the pull a hose may take")
    schools: tuple[School, ...] = SCHOOLS
