"""Judgements on the bag: film, pleats, tubes and tape, each against its shop rule."""

from __future__ import annotations

from collections.abc import Iterator

import shapely
from shapely.geometry import LineString, Point, Polygon

from bibulon.core.bag.bag import Bag
from bibulon.core.bag.pleats import AT_CORNER, CORNER_ASKS, SideSlack, asked_at
from bibulon.core.findings.base import Evidence, Finding, Remedy, Rule, inside_of, mm
from bibulon.core.geometry.outline import check
from bibulon.core.model.job import Job, Layer
from bibulon.core.stack.laid import layer_region
from bibulon.core.stack.mesh_cover import mesh_cover
from bibulon.core.units.figures import figure
from bibulon.core.units.words import tr

__all__ = ["RULES"]

AT_TUBE = 0.05  # m from a tube
LEAST = 0.010  # m of film that a side must ask for to count
OVER = 0.002  # m that cloth must come over the tape to be told
STATION = "Bag"


def _place(bag: Bag, at: float) -> tuple[tuple[float, float], ...]:
    return (bag.walk.place(at),)


def film_is_short(evidence: Evidence) -> Iterator[Finding]:
    """On each side the film has at least what the mould and the tubes ask of it, and what its pleats hold."""
    job, bag = evidence.job, evidence.bag
    if bag is None or job.bag.school == "membrane":
        return
    for slack in bag.sides:
        if slack.short <= 0.0005:
            continue
        stretched = slack.needed > slack.there + 0.0005
        limit = job.bag.film.elongation
        why = (
            tr(
                "Laid all the same it is stretched by {0}, of the {1} that this film bears: it "
                "stands off the corners, and springs back into a hump when resin comes.",
                figure(slack.strain, "share"),
                figure(limit, "share"),
            )
            if stretched
            else tr("Its pleats take more than the film has over: the last of them cannot be laid.")
        )
        yield Finding(
            f"film-short:{slack.side.name}", "blocking", tr("The film is short on the {}", slack.side.name),
            tr("{} over", mm(slack.there)) if stretched else tr("{} in pleats", mm(slack.held)),
            tr("{} asked", mm(slack.needed)) if stretched else tr("{} over", mm(slack.there)),
            why, "Cut the film larger, or make pleats smaller where more is held than asked.", STATION,
            _place(bag, (slack.side.start + slack.side.end) / 2), remedy=_larger(job, bag, slack),
        )  # fmt: skip


def _larger(job: Job, bag: Bag, slack: SideSlack) -> Remedy | None:
    """Return the remedy that raises the allowance to what the side needs."""
    edge, side = job.rules.film_edge, slack.side
    share = (max(slack.needed, slack.held) + 2 * edge + side.span) / (side.girth + 2 * edge) - 1
    share = (int(share * 100) + 1) / 100
    if not bag.allowance < share <= 1:
        return None
    return Remedy(
        tr("Cut it {:.0f} % larger than the girth", share * 100),
        lambda j: j.replaced(bag=j.bag.replaced(allowance=share)),
    )


def pleat_is_large(evidence: Evidence) -> Iterator[Finding]:
    """No pleat is taller than the rule: a few more are better."""
    job, bag = evidence.job, evidence.bag
    if bag is None:
        return
    limit = job.rules.pleat_largest
    for pleat in bag.pleats:
        if pleat.size > limit + 1e-6 and not pleat.closing:
            yield Finding(
                f"pleat-large:{pleat.id}", "warning", tr("The pleat at {} is large", figure(pleat.at, "distance")),
                mm(pleat.size), tr("{} at most", mm(limit)),
                "A tall pleat folds over and leaves a channel that leaks at its root.", "Split it in two.",
                STATION, _place(bag, pleat.at),
            )  # fmt: skip


def corner_has_no_pleat(evidence: Evidence) -> Iterator[Finding]:
    """Where the tape turns and the mould asks for film, a pleat stands on either side."""
    bag = evidence.bag
    if bag is None or evidence.job.bag.school == "membrane":
        return
    for corner in bag.walk.corners:
        if asked_at(bag.walk, float(corner)) < CORNER_ASKS:
            continue
        near = [p for p in bag.pleats if bag.walk.apart(p.at, float(corner)) <= AT_CORNER]
        if not near:
            yield Finding(
                f"corner-pleat:{corner:.2f}", "warning", "The tape turns where no pleat stands",
                tr("none within {}", mm(AT_CORNER)), "a pleat", "The film bridges the corner, or is stretched over it.",
                "Put a pleat there.", STATION, _place(bag, float(corner)),
            )  # fmt: skip


def side_has_too_little_in_pleats(evidence: Evidence) -> Iterator[Finding]:
    """Pleats hold at least what the side asks."""
    bag = evidence.bag
    if bag is None or evidence.job.bag.school == "membrane":
        return
    for slack in bag.sides:
        closing = sum(2 * p.size for p in bag.pleats if p.closing and bag.walk.side_at(p.at) is slack.side)
        if slack.needed > LEAST and slack.held + closing < slack.needed - 0.001:
            yield Finding(
                f"few-pleats:{slack.side.name}", "warning", tr("Too little film is in pleats on the {}", slack.side.name),
                tr("{} in pleats", mm(slack.held + closing)), tr("{} asked", mm(slack.needed)),
                "Film that is not gathered there is stretched into the corners.",
                "Add a pleat, or work the pleats out anew.", STATION,
                _place(bag, (slack.side.start + slack.side.end) / 2),
            )  # fmt: skip


def tube_without_pleat_or_wrap(evidence: Evidence) -> Iterator[Finding]:
    """Each tube has a pleat of its own and one wrap of tape."""
    job, bag = evidence.job, evidence.bag
    if bag is None:
        return
    for tube in bag.tubes:
        if job.bag.school != "membrane" and not any(
            bag.walk.apart(p.at, tube.at) <= AT_TUBE for p in bag.pleats
        ):
            yield Finding(
                f"tube-pleat:{tube.line}", "warning", tr("{} comes through without a pleat", tube.label),
                tr("none within {}", mm(AT_TUBE)), "a pleat at each tube",
                "The film is pulled tight over the tube, and leaks beside it first of all places.",
                tr("Put a pleat at {}.", figure(tube.at, "distance")), STATION, _place(bag, tube.at),
            )  # fmt: skip
    tubes = bag.tubes
    for k, a in enumerate(tubes):
        for b in tubes[k + 1 :]:
            apart = bag.walk.apart(a.at, b.at)
            if apart < job.rules.tube_apart:
                yield Finding(
                    f"tubes-close:{a.line}:{b.line}", "warning", tr("{0} and {1} come through in one wrap", a.label, b.label),
                    tr("{} apart", mm(apart)), tr("{} or more", mm(job.rules.tube_apart)),
                    "Between two tubes in one wrap a channel stays open.",
                    "Lead one of them out further along.", STATION, _place(bag, a.at),
                )  # fmt: skip


def vacuum_line_can_lock_off(evidence: Evidence) -> Iterator[Finding]:
    """Something that air gets through lies under every vacuum line of a bag."""
    job = evidence.job
    if job.process != "infusion":
        return  # a rigid half does not lie down on its vent
    open_under = [
        r
        for x in job.stack
        if job.materials[x.material].kind in ("peel", "mesh")
        for r in [layer_region(job, x)]
    ]
    cover = mesh_cover(job)
    open_under += [cover] if cover is not None else []
    open_under += [check(job.breather)] if job.breather is not None else []
    under = shapely.union_all(open_under) if open_under else Polygon()
    for line in job.lines:
        if line.role != "vacuum" or line.kind in ("braid", "mesh strip") or line.membrane:
            continue
        path = LineString(line.path) if len(line.path) > 1 else Point(line.path[0])
        bare = path.difference(under.buffer(0.01))
        share = bare.length / path.length if path.length > 0 else float(not bare.is_empty)
        if share > 0.5:
            yield Finding(
                f"lock-off:{line.id}", "warning", tr("{} can shut itself off", line.label),
                tr("{} of it on bare cloth", figure(share, "share")), "mesh, braid, breather or peel ply under it",
                "The film is sucked down between its turns, and what lies beyond gets no vacuum.",
                "Lay a strip of mesh, braid or breather under it.", STATION, (line.path[0],),
            )  # fmt: skip


def cloth_over_tape(evidence: Evidence) -> Iterator[Finding]:
    """No layer comes as far as the tape."""
    job, bag = evidence.job, evidence.bag
    if bag is None:
        return
    inside = Polygon(bag.walk.ring).buffer(-job.bag.tape.width / 2)
    for layer in job.stack:
        over = _as_drawn(job, layer).difference(inside)
        if not over.is_empty and over.area > OVER * OVER:
            yield Finding(
                f"over-tape:{layer.id}", "warning", tr("{} comes over the tape", job.materials[layer.material].name),
                figure(over.area, "small area"), "none of it", "Fibres under the tape let air in along them.",
                "Cut it back, or lay the tape further out.", STATION, (inside_of(over),),
            )  # fmt: skip


def _as_drawn(job: Job, layer: Layer) -> shapely.Geometry:
    """Return where a layer is cut to, beyond the part too."""
    if layer.outline is None:
        return layer_region(job, layer)
    return check(layer.outline).buffer(layer.runs_on, join_style="mitre", mitre_limit=2)


def shelf_is_short(evidence: Evidence) -> Iterator[Finding]:
    """What is left of film and tape is enough."""
    job, bag = evidence.job, evidence.bag
    if bag is None:
        return
    for word, left, wanted in (
        ("tape", job.bag.tape_left, bag.tape.total),
        ("film", job.bag.film_left, bag.film.pulled),
    ):
        if left is not None and wanted > left + 1e-6:
            yield Finding(
                f"{word}-left", "warning", tr("There is too little {}", word), tr("{} left", figure(left, "distance")),
                tr("{} needed", figure(wanted, "distance")), "A bag that is pieced together on the day leaks.",
                tr("Have another roll of {} at hand.", word), STATION,
            )  # fmt: skip


def film_at_its_temperature(evidence: Evidence) -> Iterator[Finding]:
    """The film is neither too cold to be laid into corners nor too warm to hold."""
    job = evidence.job
    film, c = job.bag.film, job.conditions
    laid = job.bag.temperature if job.bag.temperature is not None else c.resin_temperature
    if laid < film.stiff_below:
        yield Finding(
            "film-cold", "note", "The film is cold and stiff", figure(laid, "temperature"),
            tr("{} or more", figure(film.stiff_below, "temperature")), "A stiff film stands off corners and cracks at folds.",
            "Warm it for an hour beside the mould.", STATION,
        )  # fmt: skip
    warmest = max(c.resin_temperature, c.mould_temperature or 0.0)
    if warmest > film.hottest:
        yield Finding(
            "film-hot", "blocking", "The film does not bear this temperature", figure(warmest, "temperature"),
            tr("{} at most", figure(film.hottest, "temperature")), "It softens and lets go while the resin is hot.",
            "Take a film for this temperature.", STATION,
        )  # fmt: skip


def breather_in_resin(evidence: Evidence) -> Iterator[Finding]:
    """Breather does not lie where resin comes: it drinks it, and stays on the part."""
    job = evidence.job
    if job.breather is None or job.process != "infusion":
        return
    over = check(job.breather).intersection(check(job.part.outline).buffer(-0.02))
    if over.area > 1e-3:
        yield Finding(
            "breather-resin", "warning", "Breather lies where resin comes", figure(over.area, "area"), "outside the part",
            "It drinks resin, gels, and lets no more air through.",
            "Cut it back to the flange, or use two films with the breather between them.", STATION, (inside_of(over),),
        )  # fmt: skip


RULES: list[Rule] = [
    film_is_short, pleat_is_large, corner_has_no_pleat, side_has_too_little_in_pleats, tube_without_pleat_or_wrap,
    vacuum_line_can_lock_off, cloth_over_tape, shelf_is_short, film_at_its_temperature, breather_in_resin,
]  # fmt: skip
