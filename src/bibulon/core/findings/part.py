"""Judgements on the part's shape, and on what lies where it should not."""

from __future__ import annotations

from collections.abc import Iterator

import shapely
from shapely.geometry import LineString, Point
from shapely.ops import nearest_points

from bibulon.core.findings.base import Evidence, Finding, Rule, inside_of, mm
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.surface import lift_of
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job, MouldCorner
from bibulon.core.stack.derived import loose_thickness
from bibulon.core.stack.laid import layers_at, places
from bibulon.core.stack.laminate import zone_stack
from bibulon.core.stack.totals import part_totals
from bibulon.core.units.figures import figure, told_by
from bibulon.core.units.words import tr

NEXT = 2  # plies apart up to which seams in one place count
ALONG = 0.2  # share of a core's border that a ply must end on to count as stopping there
THIN_CORE = 0.003  # m below which a core's edge needs no bevel
UNBALANCED = 0.02  # share of fibre
NARROWEST = 0.001  # m
SHORTENED = 0.05  # by which lengths on a plan seen from above may be short: on slopes of 18°


def outline_bounds_nothing(evidence: Evidence) -> Iterator[Finding]:
    """Outlines of part, zones and plies bound an area, and do not cross."""
    job = evidence.job
    try:
        places(job)
    except OutlineError as error:
        corner = job.part.outline[0]
        yield Finding(
            "outline", "blocking", "An outline cannot be used", "crossed or empty", "one closed ring",
            told_by(error), "Drag its corners apart, or undo the last act.", "Part",
            (error.place or (corner.x, corner.y),),
        )  # fmt: skip


def plan_is_shorter_than_mould(evidence: Evidence) -> Iterator[Finding]:
    """A plan that shows a mould from above is nearly as long as the mould."""
    part = evidence.job.part
    lift = lift_of(part)
    if lift is None or part.surface is None or part.surface.laid != "above":
        return
    short = -lift.off_length[0]
    if short < SHORTENED:
        return
    at = lift.flat.centroids[int(lift.growth.argmax())]
    yield Finding(
        "plan-short", "warning", "The plan is shorter than the mould",
        tr("lengths up to {:.0f} % short", 100 * short), tr("{:.0f} % at most", 100 * SHORTENED),
        "Plies are cut by the plan, and mesh, breaks and distances are measured on it; a forecast is coarse on walls.",
        "Import the surface again, unrolled; in pieces where it cannot be.", "Part",
        ((float(at[0]), float(at[1])),),
    )  # fmt: skip


def _at_corner(job: Job, corner: MouldCorner) -> tuple[str, tuple[float, float]] | None:
    """Return the place of the thickest loose stack along a corner, and where."""
    path = LineString(corner.path)
    here = [(k, r) for k, r in places(job).zones.items() if r.intersects(path) and layers_at(job, k)]
    if not here:
        return None
    key, region = max(here, key=lambda p: loose_thickness(zone_stack(job, p[0]), job))
    middle = shapely.line_interpolate_point(path, 0.5, normalized=True)
    point = nearest_points(region.intersection(path), middle)[0]
    return key, (float(point.x), float(point.y))


def part_is_a_needle(evidence: Evidence) -> Iterator[Finding]:
    """A part has a width that cloth can be cut to."""
    job = evidence.job
    whole = regions(job.part).whole
    width = 2 * whole.area / whole.length if whole.length else 0.0
    if width < NARROWEST:
        yield Finding(
            "outline", "blocking", "The part is hardly wider than a line", tr("{} wide on average", figure(width, "length", 2)),
            tr("{} or more", figure(NARROWEST, "length", 0)), "No cloth is cut so narrow, and nothing can be worked out for it.",
            "Look whether the outline was typed or drawn in the wrong unit.", "Part", (inside_of(whole),),
        )  # fmt: skip


def corner_bridges(evidence: Evidence) -> Iterator[Finding]:
    """Cloth that is thicker than an inside corner is round spans it, and resin fills the gap."""
    job = evidence.job
    for corner in job.part.corners:
        if corner.kind != "inside" or (found := _at_corner(job, corner)) is None:
            continue
        loose = loose_thickness(zone_stack(job, found[0]), job)
        limit = job.rules.radius_for_bulk * loose
        if corner.radius < limit:
            yield Finding(
                f"bridges:{corner.id}", "warning", "The stack is likely to bridge an inside corner",
                tr("radius {0}, loose stack {1}", mm(corner.radius, 1), mm(loose, 1)),
                tr("radius {} or more", mm(limit, 1)),
                "Cloth spans the corner, it fills with resin, heats, prints through and cracks.",
                "Push each ply in by hand, debulk, cut darts, or make the radius larger.",
                "Part", (found[1],),
            )  # fmt: skip


def corner_wrinkles(evidence: Evidence) -> Iterator[Finding]:
    """Over an outside corner, what is laid loose has too much length once it is pressed."""
    job = evidence.job
    for corner in job.part.corners:
        if corner.kind != "outside" or (found := _at_corner(job, corner)) is None:
            continue
        stack = zone_stack(job, found[0])
        # Arc of the outermost ply, laid loose and then pressed: θ (R + h_loose) against θ (R + h).
        spare = (loose_thickness(stack, job) - stack.thickness) / max(corner.radius + stack.thickness, 1e-6)
        limit = job.rules.wrinkle_share
        if spare > limit:
            yield Finding(
                f"wrinkles:{corner.id}", "warning", "The stack is likely to wrinkle over an outside corner",
                tr("{0:.0f} % too long over {1} radius", spare * 100, mm(corner.radius, 1)), f"{limit * 100:.0f} %",
                "What the stack loses in thickness it has too much in length: it folds, and the fold stays.",
                "Debulk every few plies, stagger where plies end, or make the radius larger.",
                "Part", (found[1],),
            )  # fmt: skip


def mass_over_target(evidence: Evidence) -> Iterator[Finding]:
    """The part weighs no more than was promised."""
    job = evidence.job
    if job.part.target_mass is None:
        return
    mass = part_totals(job).mass
    if mass > job.part.target_mass:
        yield Finding(
            "mass", "warning", "The part is heavier than its target", figure(mass, "mass", 2),
            figure(job.part.target_mass, "mass", 2), "It was promised, or the structure was reckoned with it.",
            "Take lighter core or fewer plies, or grooves that hold less resin.", "Stack",
            (inside_of(regions(job.part).whole),),
        )  # fmt: skip


def line_in_keep_out(evidence: Evidence) -> Iterator[Finding]:
    """No line lies in a keep-out zone."""
    job = evidence.job
    over = regions(job.part).over
    for zone in job.part.zones:
        if zone.kind != "keep-out":
            continue
        for line in job.lines:
            shape = LineString(line.path) if len(line.path) > 1 else Point(line.path[0])
            inside = shape.intersection(over[zone.id])
            if not inside.is_empty:
                yield Finding(
                    f"keep-out:{zone.id}:{line.id}", "warning", tr("{0} runs through {1}", line.label, zone.name),
                    tr("{} inside", mm(inside.length, 0)), "kept out", "The zone is to stay free of marks and fittings.",
                    tr("Lead {} round it.", line.label), "Lines", (inside_of(inside),),
                )  # fmt: skip


RULES: tuple[Rule, ...] = (
    outline_bounds_nothing,
    part_is_a_needle,
    plan_is_shorter_than_mould,
    corner_bridges,
    corner_wrinkles,
    mass_over_target,
    line_in_keep_out,
)
