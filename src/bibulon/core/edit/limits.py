"""The shop's rules as people read and set them: each limit with its words, its unit, and the drawing of what it keeps from going wrong."""

from __future__ import annotations

from msgspec import Struct

from bibulon.core.edit.edit import change
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.job import Job
from bibulon.core.model.rules import RuleSet
from bibulon.core.units.units import System, show
from bibulon.core.units.words import tr

__all__ = [
    "LIMITS",
    "Limit",
    "LimitError",
    "changed_in",
    "limits_of",
    "named_as",
    "with_limit",
]


class LimitError(ValueError):
    """A limit that cannot be so; the text says why."""


class Limit(Struct, frozen=True):
    """A limit: the field of the rule set, where it counts, its title and reason, what it is measured in, its drawing and the rules that ask it."""

    field: str
    station: str
    title: str
    why: str
    quantity: str
    drawing: str
    rules: tuple[str, ...] = ()


def _l(field: str, station: str, quantity: str, drawing: str, title: str, why: str, *rules: str) -> Limit:
    return Limit(field, station, title, why, quantity, drawing, rules)


LIMITS: dict[str, Limit] = {
    limit.field: limit
    for limit in (
        _l("wrinkle_share", "Part", "small share", "wrinkle", tr("Ply too long over an outside corner"),
           tr("A thick dry stack is longer outside than in; what is over lies down as a wrinkle."), "corner_wrinkles"),
        _l("radius_for_bulk", "Part", "number", "bridge", tr("Inside radius over the loose thickness"),
           tr("A tighter corner is bridged: a bag does not push cloth in."), "corner_bridges"),
        _l("hand_pressure", "Part", "pressure", "bridge", tr("Pressure at which plies count as loose"),
           tr("How thick a dry stack lies in corners before the bag presses it."), "corner_bridges", "corner_wrinkles"),
        _l("overlap_shortest", "Stack", "length", "splice", tr("Overlap, at the least"),
           tr("A shorter lap carries no load across."), "overlap_out_of_rule"),
        _l("overlap_longest", "Stack", "length", "splice", tr("Overlap, at the most"),
           tr("A longer one is thick and stiff, and resin runs along its edge."), "overlap_out_of_rule", "ply_stops_at_core"),
        _l("stagger", "Stack", "length", "splice", tr("Seams of plies that follow each other apart by"),
           tr("Twice the same place is a weak line, and a way for resin to run ahead."), "seams_stacked"),
        _l("bevel_steepest_deg", "Stack", "angle", "core", tr("Edge of a core, at the steepest"),
           tr("Plies bridge a square edge; the corner fills with resin, heats and cracks."), "core_without_bevel", "step_too_high"),
        _l("step_most", "Stack", "thickness", "step", tr("Jump of the thickness at a border"),
           tr("A higher step is bridged, prints through and peels."), "step_too_high"),
        _l("step_slope", "Stack", "number", "step", tr("Slope over which a step counts as eased"),
           tr("Rise over run of a bevel, or of plies that drop off."), "step_too_high"),
        _l("slow_through", "Stack", "number", "layers", tr("How much slower than the stack a layer may be"),
           tr("Resin soaks through the slowest layer last."), "slow_layer"),
        _l("cavity_vf_least", "Stack", "small share", "gap", tr("Fibre share in a closed cavity, at the least"),
           tr("Loose cloth moves with the resin, and resin races beside it."), "cavity_fits", "laps_close"),
        _l("cavity_vf_most", "Stack", "small share", "gap", tr("Fibre share in a closed cavity, at the most"),
           tr("More keeps the halves from closing."), "cavity_fits", "laps_close"),
        _l("waste", "Stack", "small share", "roll", tr("Cloth and core cut away"), tr("What is ordered beyond what lies in the part.")),
        _l("break_shortest", "Lines", "length", "break", tr("Break between mesh and vacuum, at the least"),
           tr("Resin in the mesh that reaches the vacuum leaves dry cloth below."), "mesh_into_vacuum", "too_fast_to_soak"),
        _l("break_longest", "Lines", "length", "break", tr("Break between mesh and vacuum, at the most"),
           tr("Through plies alone resin is slow; mesh is cut back to this."), "mesh_into_vacuum", "closes_away_from_vacuum"),
        _l("gel_margin", "Lines", "small share", "gel", tr("Gel time that must be left when all is wet"),
           tr("A cold hour, a late batch or a tight cloth takes it up."), "gels_before_full"),
        _l("smallest_pocket", "Lines", "small area", "pocket", tr("Smallest pocket that is told"),
           tr("Less air than this leaves no patch that anybody repairs."), "shut_pockets"),
        _l("smallest_dry", "Lines", "small area", "pocket", tr("Dry cloth that does not count"),
           tr("Last corners of a part, behind a vacuum line."), "stays_dry", "corner_left", "mesh_sticks"),
        _l("uneven", "Lines", "small share", "early", tr("How much cloth varies from decimetre to decimetre"),
           tr("Fronts that meet head-on shut air in wherever one spot is sooner; 0 % takes all cloth as even."), "fronts_meet"),
        _l("feed_gap", "Lines", "time", "early", tr("How early a feed may open"),
           tr("Before the front has passed it, its own front shuts air in."), "feed_before_front"),
        _l("line_loss", "Lines", "small share", "hose", tr("Pull that a hose or line may take"),
           tr("What is lost on the way is missing at the front."), "hose_takes_the_pull", "pull_lost_along_feed"),
        _l("draw_down", "Lines", "time", "hose", tr("Time in which a vacuum hose draws the bag's air"),
           tr("A thinner hose keeps the pump from the bag."), "vacuum_hose_thin"),
        _l("accepted_moves", "Lines", "length", "pocket", tr("How far what was accepted may move"),
           tr("Further, and it is asked again."), "shut_pockets"),
        _l("accepted_grows", "Lines", "small share", "pocket", tr("How much what was accepted may grow"),
           tr("More, and it is asked again."), "shut_pockets"),
        _l("film_allowance", "Bag", "small share", "film", tr("Film beyond the girth"),
           tr("A stretched bag bridges, and springs back when resin comes."), "film_is_short"),
        _l("film_edge", "Bag", "length", "film", tr("Film beyond the tape"), tr("To handle it by."), "film_is_short"),
        _l("film_lap", "Bag", "length", "film", tr("Lap of joined film"), tr("Taped on both sides.")),
        _l("pleat_largest", "Bag", "length", "pleat", tr("Pleat, at the tallest"),
           tr("A taller one is hard to tape at its root: several take its place."), "pleat_is_large"),
        _l("pleat_wanted", "Bag", "length", "pleat", tr("Pleat where there is room for more"), tr("A few more rather than too large.")),
        _l("pleat_pitch", "Bag", "length", "pleat", tr("From pleat to pleat"), tr("Nearer, and their roots meet.")),
        _l("pleat_share", "Bag", "number", "pleat", tr("Film in pleats over what the mould asks"),
           tr("2 stands as tall as the draw."), "corner_has_no_pleat", "side_has_too_little_in_pleats"),
        _l("pleat_closing", "Bag", "length", "pleat", tr("The pleat that is laid last, at the least"),
           tr("Laid the other way round, it takes up the slack.")),
        _l("pleat_foot", "Bag", "length", "pleat", tr("Tape at a pleat's foot"), tr("Pressed on over its root.")),
        _l("tube_wrap", "Bag", "length", "tube", tr("Overlap of a tube's wrap"), tr("One wrap: between two a channel stays open.")),
        _l("tube_apart", "Bag", "length", "tube", tr("From tube to tube"),
           tr("In one wrap a channel stays open between them."), "tube_without_pleat_or_wrap"),
        _l("tape_corner", "Bag", "length", "film", tr("Tape overlapped at a corner"), tr("Butted ends leak.")),
        _l("tape_waste", "Bag", "small share", "roll", tr("Tape wasted"), tr("Bought beyond what is laid.")),
        _l("roll_other", "Bag", "length", "roll", tr("Rolls of mesh, peel ply and film are wide"),
           tr("Where the material itself does not say.")),
        _l("cut_apart", "Bag", "thickness", "roll", tr("Between pieces on a roll"), tr("Room for the knife.")),
        _l("half_vacuum", "Bag", "pressure", "rise", tr("Vacuum at which the bag is set by hand"),
           tr("Below the air: enough to hold cloth, little enough to move film.")),
        _l("closing_factor", "Mould", "number", "flange", tr("What holds a mould shut over what opens it"),
           tr("Cloth pushes, resin pushes; a mould that opens floods."), "stays_shut"),
        _l("flange_least", "Mould", "pressure", "flange", tr("Vacuum of the flange, at the least"),
           tr("Below the air: it is the clamp."), "flange_pulls", "holds_until_gel"),
        _l("bow_most", "Mould", "thickness", "bow", tr("Lift of the upper half"), tr("Where it lifts the part is thick and rich."), "upper_is_stiff", "upper_holds_its_gap"),
        _l("channel_ahead", "Mould", "small share", "channel", tr("Filling time in which a channel is full round"),
           tr("A slower one feeds the near side first."), "channel_right"),
        _l("channel_waste", "Mould", "small share", "channel", tr("Shot that may stay in channels"), tr("It is trimmed off and thrown away."), "channel_right"),
        _l("inflated_over", "Mould", "pressure", "gauge", tr("Inflated seal over the resin"), tr("Less, and resin lifts it."), "inflated_enough"),
        _l("parting_loss", "Mould", "small share", "short", tr("Shot that a parting line may let out"), tr("More, and the part behind it stays dry."), "parting_tight"),
        _l("inlet_speed", "Mould", "speed", "channel", tr("Speed beside an inlet, at the most"), tr("Faster resin washes fibres along."), "inlet_gentle"),
        _l("viscosity_least", "Charge", "viscosity", "mix", tr("Mix, at the thinnest"), tr("Thinner, it races and drains."), "flows_as_infusion_needs"),
        _l("viscosity_most", "Charge", "viscosity", "mix", tr("Mix, at the thickest"), tr("Thicker, it hardly goes through cloth."), "flows_as_infusion_needs"),
        _l("vessel_deepest", "Charge", "length", "heat", tr("Resin in its vessel, at the deepest"), tr("A deep bucket heats itself."), "shallow_enough"),
        _l("air_share", "Prove", "small share", "rise", tr("Pores that a leak may fill until gel"), tr("Its air stays in the part as bubbles."), "bag_leaks"),
        _l("test_lasts", "Prove", "time", "rise", tr("A leak test holds good for"), tr("Later, somebody has leaned on the tape.")),
    )
}  # fmt: skip

# What must not be over what.
_PAIRS = (
    ("break_shortest", "break_longest"), ("overlap_shortest", "overlap_longest"), ("cavity_vf_least", "cavity_vf_most"),
    ("viscosity_least", "viscosity_most"), ("pleat_wanted", "pleat_largest"),
)  # fmt: skip


def changed_in(rules: RuleSet) -> tuple[Limit, ...]:
    """Return the limits that are not as they are shipped."""
    plain = RuleSet()
    return tuple(x for x in LIMITS.values() if getattr(rules, x.field) != getattr(plain, x.field))


def limits_of(rule: str) -> tuple[Limit, ...]:
    """Return the limits that a rule of the findings asks."""
    return tuple(x for x in LIMITS.values() if rule in x.rules)


def with_limit(job: Job, field: str, value: float, system: System = "metric") -> Job:
    """Return the job with one limit set [SI].

    Raises
    ------
    LimitError : when it cannot be so; its figures are those of a unit system.
    """
    limit = LIMITS[field]
    try:
        rules = job.rules.replaced(**{field: value})
    except Invalid as error:
        why = error.faults[0].told(lambda v: show(v, limit.quantity, system))
        raise LimitError(tr("{0}: {1}.", limit.title, why)) from error
    for low, high in _PAIRS:
        if field in (low, high) and getattr(rules, low) > getattr(rules, high):
            other = LIMITS[high if field == low else low]
            raise LimitError(
                tr(
                    "{0} goes against “{1}”, which is {2}.",
                    limit.title,
                    other.title,
                    show(getattr(rules, other.field), other.quantity, system),
                )
            )
    return change(job, rules=rules)


def named_as(rules: RuleSet, name: str) -> RuleSet:
    """Return a set under another name.

    Raises
    ------
    LimitError : when it is none.
    """
    plain = " ".join(name.split())
    if not plain or len(plain) > 60:
        raise LimitError(tr("A set of rules needs a name of 1 to 60 characters."))
    return rules.replaced(name=plain)
