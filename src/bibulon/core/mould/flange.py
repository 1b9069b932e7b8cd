"""The flange of a closed mould on the plan: cavity, inner seal, vacuum chamber, outer seal, one ring round the other."""

from __future__ import annotations

from msgspec import Struct
from shapely.geometry import Polygon

from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import Job
from bibulon.core.units.remember import by_identity

__all__ = ["Flange", "compression", "flange_of"]


class Flange(Struct, frozen=True):
    """Regions of the plan, each with the one inside it cut out but for the cavity [m].

    cavity : the part; pressed : all that the cavity's pressure acts on, up to the inner seal; chamber : between the seals;
    whole : up to the outer edge.
    """

    cavity: Polygon
    pressed: Polygon
    inner_seal: Polygon
    chamber: Polygon
    outer_seal: Polygon
    whole: Polygon

    @property
    def chamber_area(self) -> float:
        """On which the flange's vacuum pulls: the chamber and half of each seal [m²]."""
        return float(self.chamber.area + (self.inner_seal.area + self.outer_seal.area) / 2)

    @property
    def pressed_area(self) -> float:
        """On which the cavity's pressure acts [m²]."""
        return float(self.pressed.area + self.inner_seal.area / 2)

    def around(self, count: int, start: float = 0.0) -> list[tuple[float, float]]:
        """Return places evenly round the outer edge [m], the first so far along it as a share of one step."""
        ring = self.whole.exterior
        places = (ring.interpolate((k + start) / count, normalized=True) for k in range(count))
        return [(p.x, p.y) for p in places]


@by_identity(1, 16)
def flange_of(job: Job) -> Flange:
    """Return the flange round a part, as far out as its seals are wide.

    Raises
    ------
    OutlineError : when the outline is crossed or empty.
    """
    plan, closed = regions(job.part), job.closed
    cavity = Polygon(plan.whole.exterior)

    def out(by: float) -> Polygon:
        return cavity.buffer(by, quad_segs=12) if by > 0 else cavity

    a = closed.land
    b = a + closed.inner.width
    c = b + closed.chamber
    d = c + closed.outer.width
    rings = [out(x) for x in (a, b, c, d)]
    return Flange(
        cavity, rings[0], rings[1].difference(rings[0]), rings[2].difference(rings[1]),
        rings[3].difference(rings[2]), rings[3],
    )  # fmt: skip


def compression(job: Job) -> float:
    """Return the share by which the inner seal is pressed together; negative where it does not reach."""
    seal = job.closed.inner
    return 1 - job.closed.seal_gap / seal.height
