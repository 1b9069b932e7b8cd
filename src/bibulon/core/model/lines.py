"""The lines of a job from bucket to pump, and when each of them is turned."""

from collections.abc import Iterator, Sequence
from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from bibulon.core.model.base import Coordinate, Frozen, Id, NonNegative, Point, Positive, Share, said
from bibulon.core.model.invalid import Fault
from bibulon.core.units.words import tr

__all__ = [
    "AtTime",
    "Bucket",
    "ByHand",
    "Bypass",
    "CatchPot",
    "Clamp",
    "FlowLine",
    "Hose",
    "LineKind",
    "Manifold",
    "OnEmpty",
    "OnFront",
    "Opening",
    "PouredBatch",
    "Pump",
    "Tube",
    "ValveTurn",
    "check_buckets",
    "check_lines",
    "check_pots",
]


class AtTime(Frozen, tag_field="rule", tag="time"):
    """Open (or shut) at a time after resin starts [s]."""

    rule: ClassVar[Literal["time"]] = "time"
    time: NonNegative = 0.0


class OnFront(Frozen, tag_field="rule", tag="front"):
    """When the front has wetted the whole of a line, has gone ``beyond`` it [m], and ``delay`` seconds later."""

    rule: ClassVar[Literal["front"]] = "front"
    line: Id
    beyond: NonNegative = 0.0
    delay: NonNegative = 0.0


class OnEmpty(Frozen, tag_field="rule", tag="empty"):
    """When a bucket has come to its heel, and ``delay`` seconds later."""

    rule: ClassVar[Literal["empty"]] = "empty"
    bucket: Id
    delay: NonNegative = 0.0


class ByHand(Frozen, tag_field="rule", tag="hand"):
    """When somebody judges it right, reckoned to be at ``about`` [s]."""

    rule: ClassVar[Literal["hand"]] = "hand"
    about: NonNegative = 0.0


Opening = AtTime | OnFront | OnEmpty | ByHand

LineKind = Literal[
    "spiral tube", "shrouded spiral", "mesh strip", "cut channel", "strip feed", "braid", "rope ring", "membrane", "point",
]  # fmt: skip
Clamp = Literal["ball valve", "screw clamp", "lever clamp", "pliers", "none"]
Tube = Literal["soft", "hard"]


class Hose(Frozen):
    """What a hose is made of and how it is fitted: for judgements, and for the line diagram.

    tee_bore : of the tee or barb that it is pushed on [m], None where it has the hose's own.
    bend_radius : of its tightest bend [m], None where it lies straight.
    notch : height of the notch at its end in the bucket [m].
    """

    tube: Tube = "soft"
    clamp: Clamp = "screw clamp"
    sealed: bool = True
    tee_bore: NonNegative | None = None
    bend_radius: NonNegative | None = None
    notch: NonNegative = 0.005


class ValveTurn(Frozen):
    """A valve set to ``share`` of fully open, a vacuum line or feed to an absolute ``pressure`` [Pa], or both."""

    when: Opening
    share: Share | None = None
    pressure: NonNegative | None = None


class FlowLine(Frozen):
    """A feed or vacuum line along a path on the plan, with the hose that joins it to bucket or pot.

    A path that comes back to its first point is a ring, open all round.  A bore of zero means that
    the line and its hose take no pressure at all, which textbook cases want.
    """

    id: Id
    label: Annotated[str, Meta(min_length=1, max_length=24)]
    role: Literal["feed", "vacuum"]
    path: Annotated[tuple[Point, ...], Meta(min_length=1, max_length=2000)]
    bore: Annotated[NonNegative, said("m, inner bore of the spiral tube")] = 0.010
    hose_bore: Annotated[NonNegative, said("m")] = 0.010
    hose_length: Annotated[NonNegative, said("m")] = 1.5
    hose_at: Annotated[
        Share, said("share of the path's length at which the hose joins: 0 at its first point")
    ] = 0.0
    rate: Annotated[Positive | None, said("m3/s that a pump gives a feed, up to the pull's pressure")] = None
    membrane: Annotated[bool, said("a vacuum line that passes air and stops resin")] = False
    pull: Annotated[
        NonNegative | None,
        said("Pa absolute, the vacuum that this vacuum line is throttled to; the job's when None"),
    ] = None
    manifold: Annotated[
        Id | None, said("that a feed hangs on; a hose of its own to the bucket when None")
    ] = None
    kind: LineKind = "spiral tube"
    hose: Hose = Hose()
    pot: Annotated[Id | None, said("catch pot that a vacuum line's hose leads to")] = None
    opens: Opening = AtTime()
    shuts: Opening | None = None
    turns: Annotated[tuple[ValveTurn, ...], Meta(max_length=100)] = ()

    @property
    def is_ring(self) -> bool:
        """Whether it comes back to where it begins."""
        return len(self.path) > 3 and self.path[0] == self.path[-1]

    @property
    def moments(self) -> tuple[Opening, ...]:
        """All that its valve waits for."""
        return (self.opens, *((self.shuts,) if self.shuts else ()), *(turn.when for turn in self.turns))


class Manifold(Frozen):
    """A tee or manifold that several feeds hang on, with the hose that joins it to the bucket."""

    id: Id
    label: Annotated[str, Meta(min_length=1, max_length=24)]
    volume: Annotated[NonNegative, said("m3, of its own body")] = 2e-4
    hose_bore: Annotated[Positive, said("m")] = 0.012
    hose_length: Annotated[Positive, said("m")] = 1.5
    hose: Hose = Hose()


class CatchPot(Frozen):
    """A sealed pot between vacuum lines and pump; ``regulated`` is the absolute pressure that it is held at [Pa]."""

    id: Id
    label: Annotated[str, Meta(min_length=1, max_length=24)]
    volume: Annotated[Positive, said("m3")] = 0.010
    hose_bore: Annotated[Positive, said("m, of the hose to the pump")] = 0.010
    hose_length: Annotated[Positive, said("m")] = 2.0
    regulated: NonNegative | None = None


class Bypass(Frozen):
    """A clamped hose from a feed or manifold to a catch pot, for what is left in the lines at the end."""

    id: Id
    label: Annotated[str, Meta(min_length=1, max_length=24)]
    feed: Id
    pot: Id
    clamp: Clamp = "ball valve"
    tube: Tube = "soft"


class Pump(Frozen):
    """The vacuum pump: speed [m³/s], and the absolute pressure that it ends at [Pa]."""

    label: Annotated[str, Meta(min_length=1, max_length=24)] = "pump"
    speed: Annotated[Positive, said("m3/s")] = 0.0028
    ultimate: NonNegative = 500.0


class PouredBatch(Frozen):
    """A batch in a bucket: mass [kg], when it was mixed [s from opening the first feed], when it is poured.

    ``mixed`` None means that a mixing head mixes it as it enters.
    """

    mass: Positive
    mixed: Coordinate | None = 0.0
    poured: Opening = AtTime()


class Bucket(Frozen):
    """A bucket, the feeds and manifolds that stand in it (all when none is named) and its batches in order."""

    id: Id
    feeds: tuple[Id, ...] = ()
    heel: Annotated[NonNegative, said("kg at which its hoses draw air")] = 0.4
    width: Annotated[Positive, said("m across its floor")] = 0.25
    below: Annotated[
        Annotated[float, Meta(ge=-5, le=5)] | None, said("m below the part; the job's when None")
    ] = None
    batches: Annotated[tuple[PouredBatch, ...], Meta(min_length=1, max_length=100)]

    @property
    def by_head(self) -> bool:
        """Whether a mixing head mixes all that comes from it."""
        return all(batch.mixed is None for batch in self.batches)


def check_lines(lines: Sequence[FlowLine], manifolds: Sequence[Manifold]) -> Iterator[Fault]:
    """Yield lines and manifolds that share an id, and lines that hang on nothing."""
    named = {m.id for m in manifolds}
    taken: set[str] = set()
    for k, line in enumerate(lines):
        if line.id in taken:
            yield Fault(("lines", k), tr("two lines have the same id"))
        taken.add(line.id)
    for k, manifold in enumerate(manifolds):
        if manifold.id in taken:
            yield Fault(("manifolds", k), tr("two manifolds, or a manifold and a line, have the same id"))
        taken.add(manifold.id)
    for k, line in enumerate(lines):
        if line.manifold is not None and (line.manifold not in named or line.role != "feed"):
            yield Fault(
                ("lines", k), tr("{0} hangs on “{1}”, which is no manifold for it", line.label, line.manifold)
            )
        if line.manifold is not None and line.rate is not None:
            yield Fault(
                ("lines", k), tr("{} hangs on a manifold: a pump of its own has no place there", line.label)
            )


def check_buckets(
    buckets: Sequence[Bucket], lines: Sequence[FlowLine], manifolds: Sequence[Manifold]
) -> Iterator[Fault]:
    """Yield buckets that share an id or feed nothing, and whatever waits for a line or bucket that is not there."""
    known, pails = {line.id for line in lines}, {bucket.id for bucket in buckets}
    inlets = {x.id for x in lines if x.role == "feed" and x.manifold is None} | {m.id for m in manifolds}
    waits: list[tuple[tuple[str | int, ...], str, Opening]] = [
        (("lines", k), line.label, when) for k, line in enumerate(lines) for when in line.moments
    ]
    seen: set[str] = set()
    for k, bucket in enumerate(buckets):
        place: tuple[str | int, ...] = ("buckets", k)
        if bucket.id in seen:
            yield Fault(place, tr("two buckets have the same id"))
        seen.add(bucket.id)
        waits += [(place, tr("a batch of bucket {}", bucket.id), batch.poured) for batch in bucket.batches]
        if missing := set(bucket.feeds) - inlets:
            told = tr(
                "bucket {0} feeds “{1}”, which is no feed or manifold of its own", bucket.id, min(missing)
            )
            yield Fault(place, told)
    for place, name, when in waits:
        if isinstance(when, OnFront) and when.line not in known:
            yield Fault(place, tr("{0} waits for “{1}”, which is no line", name, when.line))
        if isinstance(when, OnEmpty) and when.bucket not in pails:
            yield Fault(place, tr("{0} waits for “{1}”, which is no bucket", name, when.bucket))


def check_pots(
    pots: Sequence[CatchPot],
    bypasses: Sequence[Bypass],
    lines: Sequence[FlowLine],
    manifolds: Sequence[Manifold],
) -> Iterator[Fault]:
    """Yield catch pots that share an id, and lines and bypasses that lead to none."""
    known: set[str] = set()
    for k, pot in enumerate(pots):
        if pot.id in known:
            yield Fault(("pots", k), tr("two catch pots have the same id"))
        known.add(pot.id)
    feeds = {line.id for line in lines} | {m.id for m in manifolds}
    for k, line in enumerate(lines):
        if line.pot is not None and (line.pot not in known or line.role != "vacuum"):
            yield Fault(
                ("lines", k), tr("{0} leads to “{1}”, which is no catch pot for it", line.label, line.pot)
            )
    for k, way in enumerate(bypasses):
        if way.pot not in known or way.feed not in feeds:
            yield Fault(("bypasses", k), tr("bypass {} leads from or to what is not there", way.label))
