"""Judgements on flow mesh: where it ends, what lies under it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

import shapely
from shapely.ops import nearest_points

from bibulon.core.edit.edit import cut_mesh_back
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule, mm
from bibulon.core.flow.lead import lead_at_mesh_end
from bibulon.core.geometry.outline import check
from bibulon.core.geometry.paths import middle_of, shape_of
from bibulon.core.geometry.zones import regions
from bibulon.core.lines.reach import reach_of, window_of
from bibulon.core.stack.laid import layer_region
from bibulon.core.stack.laminate import STAYS
from bibulon.core.stack.mesh_cover import all_mesh, mesh_cover
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

BARE = 0.01  # m that mesh may lie past the peel ply
NEAR = 0.03  # m from a line at which loose mesh outside the part reads as lying on it


def mesh_into_vacuum(evidence: Evidence) -> Iterator[Finding]:
    """Mesh must stop short of the vacuum line by the shop rule's break."""
    job = evidence.job
    cover = all_mesh(job)
    if cover is None or cover.is_empty:
        return
    shortest, longest = job.rules.break_shortest, job.rules.break_longest
    for line in job.lines:
        if line.role != "vacuum" or line.membrane:
            continue  # a membrane lets no resin out
        gap = float(cover.distance(shape_of(line.path)))
        if gap >= shortest - 1e-6:
            continue
        place = nearest_points(shape_of(line.path), cover)[0]
        touching = gap == 0
        yield Finding(
            f"mesh-vacuum:{line.id}",
            "blocking" if touching else "warning",
            tr("Mesh runs into {}", line.label) if touching else tr("Mesh ends too near {}", line.label),
            tr("break {}", figure(gap, "length", 0)),
            tr("{0} to {1}", figure(shortest, "length", 0), figure(longest, "length", 0)),
            "Resin escapes over the top to the vacuum and leaves dry cloth and bubbles below.",
            tr("Cut the mesh back to {0} from {1}.", figure(longest, "length", 0), line.label),
            "Lines",
            ((float(place.x), float(place.y)),),
            remedy=Remedy(
                tr("Cut mesh {} short", figure(longest, "length", 0)), partial(cut_mesh_back, line_id=line.id)
            )
            if job.mesh
            else None,
        )


def break_too_long(evidence: Evidence) -> Iterator[Finding]:
    """Resin crosses the break through the plies alone before it gels."""
    job = evidence.job
    if job.resin is None:
        return
    window = window_of(job)
    reach = reach_of(job, window)
    cover = all_mesh(job)
    if reach is None or cover is None or not math.isfinite(window):
        return
    for line in job.lines:
        if line.role != "vacuum":
            continue
        gap = float(cover.distance(shape_of(line.path)))
        # The break is crossed in what the rest of the fill leaves of the window: a third is taken.
        limit = reach.bare * math.sqrt(1 / 3)
        if gap > limit:
            yield Finding(
                f"break:{line.id}", "warning", tr("The break before {} is too long for the gel time", line.label), mm(gap), mm(limit),
                "Resin goes through the plies there, slowly: it gels before it is across.",
                "Bring the mesh nearer, or take a slower resin.", "Lines", (middle_of(line.path),),
            )  # fmt: skip


def too_fast_to_soak(evidence: Evidence) -> Iterator[Finding]:
    """The mesh side may run ahead of the tool side by no more than the break makes good."""
    job, forecast = evidence.job, evidence.forecast
    if forecast is None:
        return
    vacuum = [x for x in job.lines if x.role == "vacuum"]
    cover = all_mesh(job)
    if not vacuum or cover is None:
        return
    breaks = min(float(cover.distance(shape_of(x.path))) for x in vacuum)
    lead, place = lead_at_mesh_end(forecast)
    error = max(0.1 * lead, forecast.model.mesh.size)  # as sections solved apart showed
    if lead > max(breaks, job.rules.break_shortest):
        yield Finding(
            "soak", "warning" if lead - error > breaks else "note", "Too fast to soak: the tool side is left behind", tr("lead {0}, give or take {1}, where the mesh ends", mm(lead), mm(error)), tr("break {}", mm(breaks)),
            "Resin reaches the vacuum line on top while it is dry below, and the pull on that place ends.",
            "Throttle the feed, take a mesh that leads less, or lengthen the break.", "Lines", (place,),
        )  # fmt: skip


def loose_mesh_shorts(evidence: Evidence) -> Iterator[Finding]:
    """Mesh or breather beyond the part must not lead from a feed to a vacuum line."""
    job = evidence.job
    loose = []
    if (cover := all_mesh(job)) is not None:
        loose.append(cover)
    if job.breather is not None:
        loose.append(check(job.breather))
    if not loose:
        return
    outside = shapely.union_all(loose).difference(regions(job.part).whole.buffer(1e-4))
    for piece in shapely.get_parts(outside):
        if piece.area < 1e-5:
            continue
        on = {
            role: [x.label for x in job.lines if x.role == role and shape_of(x.path).distance(piece) < NEAR]
            for role in ("feed", "vacuum")
        }
        if on["feed"] and on["vacuum"]:
            point = piece.representative_point()
            yield Finding(
                f"short:{on['feed'][0]}:{on['vacuum'][0]}", "blocking", tr("Loose mesh leads from {0} to {1} outside the part", on["feed"][0], on["vacuum"][0]),
                figure(piece.area, "small area", 0), "none", "Resin takes the short way round, and the part stays dry.",
                "Cut it back to the part, or seal the inlet side off.", "Lines", ((float(point.x), float(point.y)),),
            )  # fmt: skip


def mesh_sticks(evidence: Evidence) -> Iterator[Finding]:
    """Between flow mesh and the part lies what lets it be pulled off: peel ply, or release film."""
    job = evidence.job
    cover = mesh_cover(job)
    if cover is None or job.process != "infusion":
        return
    under = cover.intersection(regions(job.part).whole)
    tops = [k for k, x in enumerate(job.stack) if job.materials[x.material].kind in STAYS]
    over = job.stack[tops[-1] + 1 :] if tops else ()
    released = [layer_region(job, x) for x in over if job.materials[x.material].kind == "peel"]
    bare = under.difference(shapely.union_all(released).buffer(BARE)) if released else under
    if tops and bare.area > job.rules.smallest_dry:
        point = bare.representative_point()
        yield Finding(
            "sticks", "blocking", "Nothing lies between the mesh and the part", tr("{} without peel ply or film", figure(bare.area, "area", 2)),
            "none", "The mesh is glued to the part and tears its surface when it is pulled, if it comes off at all.",
            "Lay peel ply or perforated film over the stack, under the mesh.", "Stack", ((float(point.x), float(point.y)),),
        )  # fmt: skip


RULES: tuple[Rule, ...] = (
    mesh_sticks,
    mesh_into_vacuum,
    break_too_long,
    too_fast_to_soak,
    loose_mesh_shorts,
)
