"""What can go wrong: each rule as the practice that it asks for, with the station where it is told and the drawing that shows it."""

from __future__ import annotations

import inspect

from msgspec import Struct

from bibulon.core.findings.judge import RULES
from bibulon.core.units.words import tr

__all__ = ["PICTURED", "Practice", "practices"]

# Rule: station and drawing.  What blocks or warns under several stations stands where most of it is mended.
PICTURED = {
    "outline_bounds_nothing": ("Part", "outline"), "part_is_a_needle": ("Part", "outline"), "plan_is_shorter_than_mould": ("Part", "outline"), "corner_bridges": ("Part", "bridge"),
    "corner_wrinkles": ("Part", "wrinkle"), "gap_is_set": ("Part", "gap"),
    "mass_over_target": ("Stack", "layers"), "seams_stacked": ("Stack", "splice"), "overlap_out_of_rule": ("Stack", "splice"),
    "ply_stops_at_core": ("Stack", "core"), "core_without_bevel": ("Stack", "core"), "stack_warps": ("Stack", "warp"),
    "slow_layer": ("Stack", "layers"), "lower_skin_cut_off": ("Stack", "core"), "cavity_fits": ("Stack", "gap"),
    "too_much_tack": ("Stack", "layers"), "step_too_high": ("Stack", "step"), "mesh_sticks": ("Stack", "layers"),
    "line_in_keep_out": ("Lines", "keepout"), "no_vacuum": ("Lines", "lines"), "no_feed": ("Lines", "nofeed"), "line_leaves_part": ("Lines", "outside"),
    "runs_into_widening": ("Lines", "widening"), "thick_zone_without_vacuum": ("Lines", "thick"), "names_cannot_be_called": ("Lines", "valve"),
    "mesh_into_vacuum": ("Lines", "break"), "break_too_long": ("Lines", "break"), "too_fast_to_soak": ("Lines", "lead"),
    "loose_mesh_shorts": ("Lines", "short"), "feed_before_front": ("Lines", "early"), "feed_long_after_front": ("Lines", "early"),
    "hose_takes_the_pull": ("Lines", "hose"), "pull_lost_along_feed": ("Lines", "hose"), "bucket_above_part": ("Lines", "above"),
    "bucket_draws_air": ("Charge", "heel"), "gels_before_full": ("Lines", "gel"), "shut_pockets": ("Lines", "pocket"),
    "closes_away_from_vacuum": ("Lines", "pocket"), "fronts_meet": ("Lines", "early"), "stays_dry": ("Lines", "pocket"), "corner_left": ("Lines", "pocket"),
    "cloth_too_directional": ("Lines", "lead"), "air_not_followed": ("Lines", "pocket"), "pull_longer_than_reach": ("Lines", "gel"), "packs_before_gel": ("Lines", "thick"), "resin_runs_to_pot": ("Lines", "pot"),
    "tee_does_not_fit": ("Lines", "fitting"), "tube_cannot_be_pinched": ("Lines", "fitting"), "feed_joint_unsealed": ("Lines", "fitting"),
    "hose_kinks": ("Lines", "hose"), "vacuum_hose_thin": ("Lines", "hose"), "bypass_without_clamp": ("Lines", "valve"),
    "pot_too_small": ("Lines", "pot"), "notch_leaves_heel": ("Lines", "heel"),
    "film_is_short": ("Bag", "film"), "pleat_is_large": ("Bag", "pleat"), "corner_has_no_pleat": ("Bag", "pleat"),
    "side_has_too_little_in_pleats": ("Bag", "pleat"), "tube_without_pleat_or_wrap": ("Bag", "tube"), "vacuum_line_can_lock_off": ("Bag", "tube"),
    "cloth_over_tape": ("Bag", "film"), "shelf_is_short": ("Bag", "roll"), "film_at_its_temperature": ("Bag", "film"), "breather_in_resin": ("Bag", "short"),
    "stays_shut": ("Mould", "flange"), "flange_pulls": ("Mould", "flange"), "seals_fit": ("Mould", "flange"), "inflated_enough": ("Mould", "gauge"), "laps_close": ("Mould", "splice"), "parting_tight": ("Mould", "short"),
    "upper_is_stiff": ("Mould", "bow"),
    "upper_holds_its_gap": ("Mould", "bow"), "channel_right": ("Mould", "channel"), "vent_comes_last": ("Mould", "channel"),
    "inlet_gentle": ("Mould", "channel"), "rated": ("Mould", "gauge"), "holds_until_gel": ("Mould", "gel"), "edges_full": ("Mould", "gap"),
    "batches_in_time": ("Charge", "heel"), "likely_short": ("Charge", "heel"), "scale_too_coarse": ("Charge", "mix"), "batch_past_life": ("Charge", "heat"),
    "dose_in_band": ("Charge", "mix"), "sound_order": ("Charge", "mix"), "not_too_warm": ("Charge", "heat"), "flows_as_infusion_needs": ("Charge", "mix"),
    "shallow_enough": ("Charge", "heat"), "store_holds_it": ("Charge", "roll"), "filler_as_planned": ("Charge", "mix"),
    "last_in_still_flows": ("Charge", "gel"), "ratio_of_sheet": ("Charge", "mix"), "charge_short_of_forecast": ("Charge", "heel"),
    "short_record": ("Prove", "rise"), "volume_unknown": ("Prove", "pot"), "coarse_gauge": ("Prove", "gauge"), "gauge_flatters": ("Prove", "gauge"),
    "reading_impossible": ("Prove", "gauge"), "warm_as_large": ("Prove", "rise"), "pump_at_fault": ("Prove", "rise"), "pump_reaches": ("Prove", "gauge"), "resin_boils": ("Prove", "boil"),
    "bag_leaks": ("Prove", "rise"),
    "too_hot": ("Cure", "heat"), "core_too_hot": ("Cure", "heat"), "gels_late": ("Cure", "gel"), "prints_through": ("Cure", "step"),
    "too_cold": ("Cure", "heat"), "taken_out_early": ("Cure", "gel"), "oven_ahead": ("Cure", "oven"),
}  # fmt: skip


class Practice(Struct, frozen=True):
    """What good work keeps to: the rule's name, its sentence, the station, and the drawing."""

    rule: str
    words: str
    station: str
    drawing: str


def practices(station: str = "") -> tuple[Practice, ...]:
    """Return the practices of a station, or all of them, in the order of the rules."""
    out = []
    for rule in RULES:
        where, drawing = PICTURED.get(
            rule.__name__, ("", "")
        )  # a rule that somebody adds stands there without a drawing
        if station in ("", where):
            words = tr((inspect.getdoc(rule) or rule.__name__).split("\n")[0])
            out.append(Practice(rule.__name__, words, where, drawing))
    return tuple(out)
