"""Shop rules: every limit that a judgement uses, as editable figures with their reasons."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from bibulon.core.model.base import Frozen, NonNegative, Positive, Share

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
    as_long_as: Literal["minutes", "gel"] = Field(
        "minutes", description="how long: its minutes, or the time that the job's resin takes to gel"
    )

    @property
    def lasts(self) -> str:
        """How long it holds, in words."""
        return f"{self.minutes:.3g} min" if self.minutes < 120 else f"{self.minutes / 60:.3g} h"


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
    School(
        id="overnight",
        name="No more than 50 mbar overnight",
        reason="A joint that dries, a pleat that creeps and a valve that lets by show only over hours.",
        minutes=600,
        allowed_drop=5000,
    ),
    School(
        id="day",
        name="No more than 100 mbar in 24 h",
        reason="For slow resins and large hulls: the bag bears a day of weather, and the pump may be called away.",
        minutes=1440,
        allowed_drop=10_000,
    ),
    School(
        id="as-long-as-gel",
        name="No more than 30 mbar, as long as the resin takes to gel",
        reason="What the bag loses until gel it loses in the part; what it loses later harms nothing.",
        minutes=60,
        allowed_drop=3000,
        as_long_as="gel",
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
    overlap_shortest: NonNegative = 0.010
    overlap_longest: NonNegative = 0.025
    stagger: NonNegative = Field(0.050, description="m between the seams of plies that follow each other")
    bevel_steepest_deg: Positive = Field(45.0, description="of a core's edge")
    step_most: Positive = Field(0.005, description="m that the thickness may jump at a border")
    step_slope: Positive = Field(0.5, description="of a bevel or drop-off over which a step counts as eased")
    radius_for_bulk: Positive = Field(1.5, description="inside radius over the loose thickness of the plies")
    wrinkle_share: Positive = Field(
        0.02, description="of its length that a ply may have too much over a corner"
    )
    hand_pressure: Positive = Field(1000.0, description="Pa at which dry plies count as loose")
    slow_through: Positive = Field(
        3.0, description="how much slower than the rest of the stack a layer may be, for its thickness"
    )
    cavity_vf_least: Positive = 0.15
    cavity_vf_most: Positive = 0.55
    waste: Share = Field(0.12, description="of cloth and core cut away")
    line_loss: Share = Field(0.2, description="share of the pull a hose may take")
    draw_down: Positive = Field(120.0, description="s in which a vacuum hose must draw most of the bag's air")
    accepted_moves: Positive = Field(0.05, description="m a thing accepted may move before it is asked again")
    accepted_grows: Share = Field(0.25, description="share it may grow before it is asked again")
    film_allowance: Share = Field(0.25, description="by which a film's length exceeds the girth")
    film_edge: NonNegative = Field(0.060, description="m of film beyond the tape, to handle it by")
    film_lap: Positive = Field(0.025, description="m by which strips of film overlap where they are joined")
    pleat_largest: Positive = Field(0.150, description="m that one pleat stands up")
    pleat_wanted: Positive = Field(0.100, description="m of a pleat, where there is room for more of them")
    pleat_pitch: Positive = Field(0.100, description="m from pleat to pleat")
    pleat_share: Positive = Field(
        2.0, description="film in pleats over what the mould asks: as tall as the draw"
    )
    pleat_closing: Positive = Field(0.050, description="m of the pleat that is laid last")
    pleat_foot: NonNegative = Field(0.025, description="m of tape at the foot of a pleat")
    tube_wrap: NonNegative = Field(0.020, description="m by which the wrap of a tube overlaps")
    tube_apart: Positive = Field(0.040, description="m between tubes, each in its own wrap")
    tape_corner: NonNegative = Field(0.025, description="m of tape overlapped at a corner")
    tape_waste: Share = 0.05
    roll_other: Positive = Field(1.5, description="m, width of rolls of mesh, peel ply and release film")
    cut_apart: NonNegative = Field(0.005, description="m between pieces on a roll")
    air_share: Annotated[float, Field(gt=0, le=0.5)] = Field(
        0.02, description="of the pores: what a leak may let in from wet through until gel"
    )
    test_lasts: Positive = Field(4 * 3600.0, description="s for which a leak test holds good")
    half_vacuum: Positive = Field(50000.0, description="Pa below the air, at which the bag is set by hand")
    closing_factor: Annotated[float, Field(gt=1, le=10)] = Field(
        1.3, description="what holds a mould shut over what opens it"
    )
    bow_most: Positive = Field(0.00025, description="m that the upper mould may lift")
    flange_least: Positive = Field(80_000.0, description="Pa below the air that a flange must reach")
    channel_ahead: Annotated[float, Field(gt=0, le=1)] = Field(
        0.15, description="share of the filling time in which a channel must be full round"
    )
    channel_waste: Annotated[float, Field(gt=0, le=1)] = Field(
        0.12, description="share of the shot that may stay in channels"
    )
    inflated_over: NonNegative = Field(
        50_000.0, description="Pa that an inflated seal or a bladder has over the resin"
    )
    parting_loss: Annotated[float, Field(gt=0, le=1)] = Field(
        0.02, description="share of the shot that a parting line may let out"
    )
    inlet_speed: Positive = Field(
        0.02, description="m/s in the pores beside an inlet, from which fibres are washed"
    )
    viscosity_least: Positive = Field(
        0.04, description="Pa s of the fresh mix below which it races and drains"
    )
    viscosity_most: Positive = Field(
        0.6, description="Pa s of the fresh mix above which it hardly goes through cloth"
    )
    vessel_deepest: Positive = Field(0.200, description="m that resin may stand in its vessel")
    schools: tuple[School, ...] = SCHOOLS
