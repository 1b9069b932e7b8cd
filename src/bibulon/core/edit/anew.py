"""A new job out of an old one: as it was, mirrored, or to another scale; what happened to the old one stays there."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from bibulon.core.edit.arrange import mapped_outline, mapped_surface
from bibulon.core.edit.edit import change
from bibulon.core.model.bag import BagPlan
from bibulon.core.model.job import DropTest, Job
from bibulon.core.model.part import Drawn, Inset, Layer, Outline, Zone
from bibulon.core.units.words import tr

__all__ = ["SCALES", "anew"]

Place = tuple[float, float]
SCALES = (0.1, 10.0)


def anew(
    job: Job, name: str, *, mirrored: bool = False, scale: float = 1.0, lessons: Sequence[str] = ()
) -> Job:
    """Return a job with the same plan and nothing that was recorded; mirrored left to right, or scaled on the plan, a surface in all directions.

    Plies keep their material, a mirrored one turns to the other hand; what was accepted, the leak test, the hand-laid pleats and
    the variants stay with the old job.  Lessons of the old one stand in the notes.

    Raises
    ------
    ValueError : when the scale is out of range.
    """
    if not SCALES[0] <= scale <= SCALES[1]:
        raise ValueError(tr("a part is scaled by {0:g} to {1:g}, not by {2:g}", SCALES[0], SCALES[1], scale))
    xs = [c.x for c in job.part.outline]
    middle = (min(xs) + max(xs)) / 2

    def to(p: Place) -> Place:
        x = 2 * middle - p[0] if mirrored else p[0]
        return x * scale, p[1] * scale

    notes = "\n".join([tr("After “{}”.", job.name), *(tr("Lesson: {}", words) for words in lessons)])
    fresh = change(
        job, name=name, accepted=(), variants=(), test=DropTest(volume=job.test.volume, school=job.test.school), notes=notes
    )  # fmt: skip
    return _placed(fresh, to, mirrored, scale) if mirrored or scale != 1.0 else fresh


def _placed(job: Job, to: Callable[[Place], Place], flips: bool, scale: float) -> Job:
    def outline(ring: Outline) -> Outline:
        turned = mapped_outline(ring, to, flips)
        return tuple(c.replaced(bow=c.bow * scale) for c in turned)

    def path(points: Sequence[Place]) -> tuple[Place, ...]:
        return tuple((round(q[0], 6), round(q[1], 6)) for q in map(to, points))

    def zone(z: Zone) -> Zone:
        if isinstance(z.area, Inset):
            return z.replaced(area=z.area.replaced(distance=z.area.distance * scale))
        area: Drawn = z.area
        return z.replaced(
            area=area.replaced(outline=outline(area.outline), holes=tuple(outline(h) for h in area.holes))
        )

    def layer(ply: Layer) -> Layer:
        return ply.replaced(
            angle_deg=-ply.angle_deg if flips else ply.angle_deg,
            outline=outline(ply.outline) if ply.outline else None,
            seams=tuple(s.replaced(path=path(s.path)) for s in ply.seams),
        )

    part = job.part.replaced(
        surface=mapped_surface(job.part.surface, to, flips, scale) if job.part.surface is not None else None,
        outline=outline(job.part.outline), holes=tuple(outline(h) for h in job.part.holes),
        zones=tuple(zone(z) for z in job.part.zones),
        corners=tuple(c.replaced(path=path(c.path)) for c in job.part.corners),
        heights=tuple(h.replaced(x=to((h.x, h.y))[0], y=to((h.x, h.y))[1]) for h in job.part.heights),
        target_mass=job.part.target_mass * scale**2 if job.part.target_mass else None,
    )  # fmt: skip
    upper = job.closed.upper
    return change(
        job, part=part, stack=tuple(layer(x) for x in job.stack),
        mesh=job.mesh.mapped(outline) if job.mesh else None,
        lines=tuple(x.replaced(path=path(x.path)) for x in job.lines),
        breather=outline(job.breather) if job.breather else None,
        cut=job.cut.replaced(path=path(job.cut.path)) if job.cut else None,
        bag=BagPlan(school=job.bag.school, film=job.bag.film, tape=job.bag.tape, allowance=job.bag.allowance),
        closed=job.closed.replaced(
            upper=upper.replaced(ribs=tuple(r.replaced(path=path(r.path)) for r in upper.ribs)),
            partings=tuple(p.replaced(path=path(p.path)) for p in job.closed.partings),
        ),
    )  # fmt: skip
