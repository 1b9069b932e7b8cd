"""Shop rules: every limit that a judgement uses, as editable figures with their reasons."""

from typing import Annotated, Literal

from msgspec import Meta

from bibulon.core.model.base import Frozen, NonNegative, Positive, Share, said

__all__ = ["RuleSet", "School"]


class School(Frozen):
    """One school of passing a bag: what may drop, in what time, from what start."""

    id: str
    name: str
    reason: str
    minutes: Positive
    allowed_drop: Annotated[NonNegative, said("Pa over those minutes")]
    start_below: Annotated[NonNegative, said("Pa absolute at the start; 0 when not asked")] = 0.0
    leak_limit: Annotated[NonNegative, said("Pa m3/s; 0 when not asked")] = 0.0
    as_long_as: Annotated[
        Literal["minutes", "gel"],
        said("how long: its minutes, or the time that the job's resin takes to gel"),
    ] = "minutes"

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
    gel_margin: Annotated[Share, said("share of the gel time that must be left when all is wet")] = 0.15
    smallest_pocket: Annotated[Positive, said("m2; smaller ones are not called")] = 2e-4
    smallest_dry: Annotated[NonNegative, said("m2; less cloth than this left dry does not count as dry")] = (
        1e-3
    )
    uneven: Annotated[
        float,
        Meta(ge=0, le=0.5),
        said("share by which permeability varies from decimetre to decimetre; 0 looks for nothing"),
    ] = 0.10
    feed_gap: Annotated[NonNegative, said("s a feed may open before the front has passed it")] = 0.0
    overlap_shortest: NonNegative = 0.010
    overlap_longest: NonNegative = 0.025
    stagger: Annotated[NonNegative, said("m between the seams of plies that follow each other")] = 0.050
    bevel_steepest_deg: Annotated[Positive, said("of a core's edge")] = 45.0
    step_most: Annotated[Positive, said("m that the thickness may jump at a border")] = 0.005
    step_slope: Annotated[Positive, said("of a bevel or drop-off over which a step counts as eased")] = 0.5
    radius_for_bulk: Annotated[Positive, said("inside radius over the loose thickness of the plies")] = 1.5
    wrinkle_share: Annotated[Positive, said("of its length that a ply may have too much over a corner")] = (
        0.02
    )
    hand_pressure: Annotated[Positive, said("Pa at which dry plies count as loose")] = 1000.0
    slow_through: Annotated[
        Positive, said("how much slower than the rest of the stack a layer may be, for its thickness")
    ] = 3.0
    cavity_vf_least: Positive = 0.15
    cavity_vf_most: Positive = 0.55
    waste: Annotated[Share, said("of cloth and core cut away")] = 0.12
    line_loss: Annotated[Share, said("share of the pull a hose may take")] = 0.2
    draw_down: Annotated[Positive, said("s in which a vacuum hose must draw most of the bag's air")] = 120.0
    accepted_moves: Annotated[Positive, said("m a thing accepted may move before it is asked again")] = 0.05
    accepted_grows: Annotated[Share, said("share it may grow before it is asked again")] = 0.25
    film_allowance: Annotated[Share, said("by which a film's length exceeds the girth")] = 0.25
    film_edge: Annotated[NonNegative, said("m of film beyond the tape, to handle it by")] = 0.060
    film_lap: Annotated[Positive, said("m by which strips of film overlap where they are joined")] = 0.025
    pleat_largest: Annotated[Positive, said("m that one pleat stands up")] = 0.150
    pleat_wanted: Annotated[Positive, said("m of a pleat, where there is room for more of them")] = 0.100
    pleat_pitch: Annotated[Positive, said("m from pleat to pleat")] = 0.100
    pleat_share: Annotated[Positive, said("film in pleats over what the mould asks: as tall as the draw")] = (
        2.0
    )
    pleat_closing: Annotated[Positive, said("m of the pleat that is laid last")] = 0.050
    pleat_foot: Annotated[NonNegative, said("m of tape at the foot of a pleat")] = 0.025
    tube_wrap: Annotated[NonNegative, said("m by which the wrap of a tube overlaps")] = 0.020
    tube_apart: Annotated[Positive, said("m between tubes, each in its own wrap")] = 0.040
    tape_corner: Annotated[NonNegative, said("m of tape overlapped at a corner")] = 0.025
    tape_waste: Share = 0.05
    roll_other: Annotated[Positive, said("m, width of rolls of mesh, peel ply and release film")] = 1.5
    cut_apart: Annotated[NonNegative, said("m between pieces on a roll")] = 0.005
    air_share: Annotated[
        float, Meta(gt=0, le=0.5), said("of the pores: what a leak may let in from wet through until gel")
    ] = 0.02
    test_lasts: Annotated[Positive, said("s for which a leak test holds good")] = 4 * 3600.0
    half_vacuum: Annotated[Positive, said("Pa below the air, at which the bag is set by hand")] = 50000.0
    closing_factor: Annotated[
        float, Meta(gt=1, le=10), said("what holds a mould shut over what opens it")
    ] = 1.3
    bow_most: Annotated[Positive, said("m that the upper mould may lift")] = 0.00025
    flange_least: Annotated[Positive, said("Pa below the air that a flange must reach")] = 80_000.0
    channel_ahead: Annotated[
        float, Meta(gt=0, le=1), said("share of the filling time in which a channel must be full round")
    ] = 0.15
    channel_waste: Annotated[float, Meta(gt=0, le=1), said("share of the shot that may stay in channels")] = (
        0.12
    )
    inflated_over: Annotated[
        NonNegative, said("Pa that an inflated seal or a bladder has over the resin")
    ] = 50_000.0
    parting_loss: Annotated[
        float, Meta(gt=0, le=1), said("share of the shot that a parting line may let out")
    ] = 0.02
    inlet_speed: Annotated[
        Positive, said("m/s in the pores beside an inlet, from which fibres are washed")
    ] = 0.02
    viscosity_least: Annotated[Positive, said("Pa s of the fresh mix below which it races and drains")] = 0.04
    viscosity_most: Annotated[
        Positive, said("Pa s of the fresh mix above which it hardly goes through cloth")
    ] = 0.6
    vessel_deepest: Annotated[Positive, said("m that resin may stand in its vessel")] = 0.200
    schools: tuple[School, ...] = SCHOOLS
