"""Judgements on part and stack, before cloth is cut."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator

import shapely
from shapely.geometry import LineString
from shapely.ops import nearest_points

from bibulon.core.findings.base import Evidence, Finding, Rule, inside_of, mm
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, Layer
from bibulon.core.model.materials import Core, Fabric, TackSpray
from bibulon.core.stack.derived import imbalance, rosette, unmatched
from bibulon.core.stack.laid import layer_region, place_name, places
from bibulon.core.stack.laminate import STAYS, layer_state, zone_stack
from bibulon.core.stack.steps import steps
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

NEXT = 2  # plies apart up to which seams in one place count
ALONG = 0.2  # share of a core's border that a ply must end on to count as stopping there
THIN_CORE = 0.003  # m below which a core's edge needs no bevel
UNBALANCED = 0.02  # share of fibre


def _number(job: Job, layer: Layer) -> str:
    return tr("layer {}", [x.id for x in job.stack].index(layer.id) + 1)


def seams_stacked(evidence: Evidence) -> Iterator[Finding]:
    """Splices and darts of plies that follow each other lie apart."""
    job = evidence.job
    seamed = [(x, s) for x in job.stack for s in x.seams]
    order = [x.id for x in job.stack if isinstance(job.materials[x.material], Fabric)]
    for (a, one), (b, two) in itertools.combinations(seamed, 2):
        if a.id == b.id or a.id not in order or b.id not in order:
            continue
        if abs(order.index(a.id) - order.index(b.id)) > NEXT:
            continue
        first, second = LineString(one.path), LineString(two.path)
        gap = first.distance(second)
        if gap < job.rules.stagger - 1e-6:
            place = nearest_points(first, second)[0]
            yield Finding(
                f"seams:{a.id}:{b.id}:{one.path[0]}:{two.path[0]}", "warning",
                tr("Seams of {0} and {1} lie in the same place", _number(job, a), _number(job, b)),
                tr("{} apart", mm(gap, 0)), tr("{} or more", mm(job.rules.stagger, 0)),
                "The same place twice is a weak line, and a way along which resin runs ahead.",
                "Move one of the seams.", "Stack", ((float(place.x), float(place.y)),),
            )  # fmt: skip


def overlap_out_of_rule(evidence: Evidence) -> Iterator[Finding]:
    """Overlaps keep to the shop rule."""
    job = evidence.job
    low, high = job.rules.overlap_shortest, job.rules.overlap_longest
    for layer in job.stack:
        splices = [s for s in layer.seams if s.kind == "splice"]
        if layer.overlap is None or not splices or low - 1e-9 <= layer.overlap <= high + 1e-9:
            continue
        short = layer.overlap < low
        yield Finding(
            f"overlap:{layer.id}", "warning",
            tr("Splices of {0} overlap too {1}", _number(job, layer), "little" if short else "much"),
            mm(layer.overlap, 0), tr("{0} to {1}", mm(low, 0), mm(high, 0)),
            tr("The splice carries no load across.") if short else tr("A doubled ply is stiff, heavy and prints through."),
            tr("Lay it with {}.", mm(high, 0)), "Stack", (splices[0].path[0],),
        )  # fmt: skip


def ply_stops_at_core(evidence: Evidence) -> Iterator[Finding]:
    """A ply over a core runs up on it from beside, or on over its edge; it never stops there."""
    job = evidence.job
    whole = regions(job.part).whole
    cores = [(k, x) for k, x in enumerate(job.stack) if isinstance(job.materials[x.material], Core)]
    for k, core in cores:
        edge = layer_region(job, core).boundary.difference(whole.boundary.buffer(1e-4))
        if edge.length < 1e-3:
            continue
        for layer in job.stack[k + 1 :]:
            if not isinstance(job.materials[layer.material], Fabric):
                continue
            border = layer_region(job, layer).boundary
            shared = border.intersection(edge.buffer(1e-3))
            if shared.length > ALONG * edge.length:
                yield Finding(
                    f"stops:{core.id}:{layer.id}", "warning",
                    tr("{} stops at the core's edge", _number(job, layer).capitalize()),
                    tr("on {:.0f} % of it", shared.length / edge.length * 100), "runs on over it",
                    "A ply that ends on the edge leaves a corner that fills with resin and cracks.",
                    tr("Let it run on by {} or more.", mm(job.rules.overlap_longest, 0)),
                    "Stack", (_on_line(shared),),
                )  # fmt: skip


def _on_line(shape: shapely.Geometry) -> tuple[float, float]:
    longest = max(shapely.get_parts(shape), key=lambda p: p.length)
    point = (
        shapely.line_interpolate_point(longest, 0.5, normalized=True) if longest.length else longest.centroid
    )
    return float(point.x), float(point.y)


def core_without_bevel(evidence: Evidence) -> Iterator[Finding]:
    """A core that ends inside the part has a bevelled edge."""
    job = evidence.job
    whole = regions(job.part).whole
    for layer in job.stack:
        core = job.materials[layer.material]
        if not isinstance(core, Core) or core.thickness < THIN_CORE:
            continue
        edge = layer_region(job, layer).boundary.difference(whole.boundary.buffer(1e-4))
        slope = math.degrees(math.atan2(core.thickness, layer.bevel))
        if edge.length > 1e-3 and slope > job.rules.bevel_steepest_deg + 1e-6:
            wanted = core.thickness / math.tan(math.radians(job.rules.bevel_steepest_deg))
            yield Finding(
                f"bevel:{layer.id}", "warning",
                tr("The core's edge has no bevel") if layer.bevel == 0 else tr("The core's edge is too steep"),
                f"{slope:.0f}°", tr("{:.0f}° or less", job.rules.bevel_steepest_deg),
                "The bag does not push cloth into a square step: it bridges, and the corner fills with resin.",
                tr("Bevel it over {}.", mm(wanted, 0)), "Stack", (_on_line(edge),),
            )  # fmt: skip


def stack_warps(evidence: Evidence) -> Iterator[Finding]:
    """A stack that is not balanced, or not the same from both sides, bends as it cures."""
    job = evidence.job
    odd: list[tuple[str, str, tuple[float, float]]] = []
    lopsided: list[tuple[str, str, tuple[float, float]]] = []
    for zone, region in regions(job.part).zones.items():
        stack = zone_stack(job, zone)
        if region.is_empty or not any(s.kind == "fabric" for s in stack.layers):
            continue
        off = imbalance(rosette(stack, job))
        if off > UNBALANCED:
            odd.append(
                (
                    place_name(job, zone),
                    tr("{:.0f} % of its fibre has no mate at −θ", off * 100),
                    inside_of(region),
                )
            )
        if (pair := unmatched(stack, job)) is not None:
            low, high = (_number(job, stack.layers[k].layer) for k in pair)
            lopsided.append((place_name(job, zone), tr("{0} and {1} differ", low, high), inside_of(region)))
    if odd:
        yield Finding(
            "balance", "note", tr("The stack of {} is not balanced", _listed(odd)), odd[0][1], "none",
            "It shears and twists as it cures and under load.", "Lay as much fibre at −θ as at +θ.",
            "Stack", tuple(place for *_, place in odd),
        )  # fmt: skip
    if lopsided:
        yield Finding(
            "symmetry", "note", tr("The stack of {} is not the same from both sides", _listed(lopsided)), lopsided[0][1],
            "mirrored about the middle", "It bows as it cools from cure.",
            "Mirror plies and angles about the middle.", "Stack", tuple(place for *_, place in lopsided),
        )  # fmt: skip


def _listed(found: list[tuple[str, str, tuple[float, float]]]) -> str:
    """Return the first zone's name, and how many more there are."""
    more = len(found) - 1
    return found[0][0] + (tr(" and {0} more zone{1}", more, "s" if more > 1 else "") if more else "")


def slow_layer(evidence: Evidence) -> Iterator[Finding]:
    """A mat, or a ply that passes resin far worse than the others, sets the pace of an infusion."""
    job = evidence.job
    if job.process != "infusion":
        return
    plies = [x for x in job.stack if isinstance(job.materials[x.material], Fabric)]
    for layer in {x.material: x for x in reversed(plies)}.values():
        fabric = job.materials[layer.material]
        assert isinstance(fabric, Fabric)
        # Against other cloth: a mat is told for itself, and cloth is not slow for lying beside one.
        others = [
            m for x in plies if x.material != layer.material and isinstance(m := job.materials[x.material], Fabric)
            and (m.form != "mat" or fabric.form == "mat")
        ]  # fmt: skip
        thirds = [m.k3 for m in others if isinstance(m, Fabric)]
        mean = math.exp(sum(map(math.log, thirds)) / len(thirds)) if thirds else fabric.k3
        slower = mean / fabric.k3
        if fabric.form != "mat" and slower <= job.rules.slow_through:
            continue
        mat = fabric.form == "mat"
        yield Finding(
            f"slow:{layer.material}", "note" if mat else "warning",
            tr("{} slows the infusion", fabric.name),
            tr("K3 {0:.1e} m², the other plies {1:.1e} m²", fabric.k3, mean) if thirds else f"K3 {fabric.k3:.1e} m²",
            tr("a stitched ply") if mat else tr("no more than {:g} times slower", job.rules.slow_through),
            tr("Resin soaks through the slowest layer last; a mat also closes up when it is pressed.")
            if mat else tr("Resin soaks through the slowest layer last."),
            "Lay it next to the mesh, or take a stitched fabric or a combination with a flow layer.",
            "Stack", (inside_of(layer_region(job, layer)),),
        )  # fmt: skip


def lower_skin_cut_off(evidence: Evidence) -> Iterator[Finding]:
    """A core without holes shuts resin off from the plies below it."""
    job = evidence.job
    if job.process != "infusion":
        return
    for k, layer in enumerate(job.stack):
        core = job.materials[layer.material]
        if not isinstance(core, Core) or layer_state(layer, job).k_through > 0:
            continue
        region = layer_region(job, layer)
        below = [x for x in job.stack[:k] if isinstance(job.materials[x.material], Fabric)]
        if any(layer_region(job, x).intersects(region) for x in below):
            yield Finding(
                f"lower:{layer.id}", "warning", tr("{} leaves resin no way to the skin below it", core.name),
                "no holes", "holes through the core",
                "The lower skin fills from the core's edge only, long after the upper, and locks off air.",
                "Take a perforated core, or drill it.", "Stack", (inside_of(region),),
            )  # fmt: skip


def cavity_fits(evidence: Evidence) -> Iterator[Finding]:
    """What is laid in a closed mould fills its gap, neither more nor less."""
    job = evidence.job
    if job.process == "infusion" or not job.part.cavity:
        return
    for place, region in places(job).zones.items():
        stack = zone_stack(job, place)
        plies = [s for s in stack.layers if s.kind == "fabric"]
        if region.is_empty or not plies:
            continue
        room = job.part.cavity - sum(s.thickness for s in stack.layers if s.kind in STAYS - {"fabric"})
        solid = sum(s.fibre_volume for s in plies)
        share = solid / room if room > 0 else math.inf
        low, high = job.rules.cavity_vf_least, job.rules.cavity_vf_most
        if low <= share <= high:
            continue
        full = share > high
        yield Finding(
            f"cavity:{place}", "blocking" if full else "warning",
            tr("The cavity is too {0} in {1}", "full" if full else "empty", place_name(job, place)),
            tr("fibre {:.0f} % by volume", share * 100) if math.isfinite(share) else tr("no room for plies"),
            tr("{0:.0f} to {1:.0f} %", low * 100, high * 100),
            tr("The mould does not close, or crushes the cloth shut to resin.") if full
            else tr("Loose cloth is washed away, and resin races where it is."),
            tr("Take a ply out.") if full else tr("Lay more cloth: both faces must touch it."),
            "Stack", (inside_of(region),),
        )  # fmt: skip


def too_much_tack(evidence: Evidence) -> Iterator[Finding]:
    """Spray between two plies is no more than the resin takes up."""
    job = evidence.job
    for k, layer in enumerate(job.stack):
        spray = job.materials[layer.material]
        if not isinstance(spray, TackSpray) or (k and job.stack[k - 1].material == layer.material):
            continue
        same = [x.material == layer.material for x in job.stack[k:]]
        passes = same.index(False) if False in same else len(same)
        if passes * spray.areal_mass > spray.most:
            yield Finding(
                f"tack:{layer.id}", "warning", "More tack spray than holds the cloth",
                figure(passes * spray.areal_mass, "areal mass", 0), figure(spray.most, "areal mass", 0),
                "Spray that the resin does not take up parts the plies and slows resin.",
                "Spray less: only as much as holds.", "Stack", (inside_of(layer_region(job, layer)),),
            )  # fmt: skip


def step_too_high(evidence: Evidence) -> Iterator[Finding]:
    """Thickness does not jump at a border by more than the rule."""
    job = evidence.job
    for step in steps(job):
        eased = step.bevel > 0 and step.height / step.bevel <= math.tan(
            math.radians(job.rules.bevel_steepest_deg)
        ) * (1 + 1e-9)
        if step.height > job.rules.step_most and not eased:
            low, high = (place_name(job, p) for p in step.places)
            yield Finding(
                f"step:{step.places[0]}:{step.places[1]}", "warning",
                tr("The thickness steps from {0} to {1}", low, high),
                tr("{0}, from {1} to {2}", mm(step.height, 1), mm(step.low, 1), mm(step.high, 1)),
                tr("{} without a bevel", mm(job.rules.step_most, 1)),
                "The bag bridges a step, resin races along it, and load peaks there.",
                "Bevel the core, or let the plies drop off one after another.", "Stack", (step.middle,),
            )  # fmt: skip
            return  # the highest stands for all: they are one mistake to the hand that lays them


RULES: tuple[Rule, ...] = (
    seams_stacked,
    overlap_out_of_rule,
    ply_stops_at_core,
    core_without_bevel,
    stack_warps,
    slow_layer,
    lower_skin_cut_off,
    cavity_fits,
    too_much_tack,
    step_too_high,
)
