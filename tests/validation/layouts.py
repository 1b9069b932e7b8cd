"""Layouts that the trade knows to be good or bad, by hand from practice, each with what must and must not be found.

Each row says why the trade calls it so.  ``must`` are kinds of finding that have to be there; any other warning or
blocking finding is a false alarm, unless ``may`` names it.  Notes are judged where ``never`` names them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from bibulon.core.leak.volume import bag_volume
from bibulon.core.library.catalogue import library
from bibulon.core.library.mould_demo import mould_demo_job
from bibulon.core.library.seals import PROFILES
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import (
    AtTime,
    Bucket,
    ByHand,
    Bypass,
    CatchPot,
    ChargePlan,
    Conditions,
    Corner,
    Drawn,
    DropTest,
    Drum,
    FlowLine,
    Hose,
    Job,
    Layer,
    Manifold,
    MeshExtent,
    MouldCorner,
    OnFront,
    Part,
    PouredBatch,
    Seam,
    Spot,
    Zone,
)
from bibulon.core.model.lines import Pump
from bibulon.core.model.materials import Core, Grooves, Scores
from bibulon.core.model.mould import PartingLine, UpperMould

SHELF = library()
SEALS = {s.name: s for s in PROFILES}
LONG, WIDE = 1.0, 0.5  # m, of the plain panel


def ring(*points):
    return tuple(Corner(x=x, y=y) for x, y in points)


def box(x0, y0, x1, y1):
    return ring((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def round_(x, y, r, n=24):
    return ring(
        *((x + r * math.cos(2 * math.pi * k / n), y + r * math.sin(2 * math.pi * k / n)) for k in range(n))
    )


def stack(*names):
    return tuple(Layer(id=f"L{k + 1}", material=m) for k, m in enumerate(names))


def mixed(name, **fields):
    """The plain panel with a resin of the library, mixed so."""
    made = job()
    return made.replaced(resin=SHELF[name], charge=made.charge.replaced(room=293.15).replaced(**fields))


def warmed(name, temperature):
    """The plain panel with resin and mould at a temperature."""
    made = mixed(name)
    return made.replaced(conditions=made.conditions.replaced(resin_temperature=temperature))


def lid(conditions=None, **closed):
    """The shipped lid of a closed mould, with other vacuums, seals or halves."""
    made = mould_demo_job()
    made = made.replaced(closed=made.closed.replaced(**closed))
    return made.replaced(conditions=made.conditions.replaced(**conditions)) if conditions else made


def lid_with(*plies):
    """The lid with other plies in its gap."""
    made = lid()
    return made.replaced(stack=stack(*plies), materials={k: SHELF[k] for k in plies})


def lid_spliced(ply, lap, *plies):
    """The lid with a splice across one ply, lapped so far [m]."""
    made = lid_with(*plies) if plies else lid()
    layers = tuple(
        x.replaced(overlap=lap, seams=(Seam(path=((0.02, 0.45), (0.96, 0.45))),)) if k == ply else x
        for k, x in enumerate(made.stack)
    )
    return made.replaced(stack=layers)


def lid_parted(path, gape, **closed):
    """The lid whose upper half is in two pieces."""
    return lid(partings=(PartingLine(id="PL1", path=path, gape=gape),), **closed)


def lid_lines(bore=None, vent=None):
    """The lid with another channel, or its vent elsewhere."""
    made = lid()
    channel, middle = made.lines
    channel = channel.replaced(bore=bore) if bore else channel
    return made.replaced(lines=(channel, middle.replaced(path=(vent,)) if vent else middle))


def feed(name="F1", path=((0.02, 0.02), (0.02, WIDE - 0.02)), **more):
    return FlowLine(id=name, label=name, role="feed", path=path, **more)


def vacuum(name="V1", path=((LONG, 0.0), (LONG, WIDE)), **more):
    return FlowLine(id=name, label=name, role="vacuum", path=path, hose_length=1.5, **more)


PLIES = ("biax-600", "biax-600", "biax-600", "biax-600")
OVER = ("peel-85", "film-perforated")


def job(**changes) -> Job:
    """The plain panel: a metre long, fed over its whole width, mesh 60 mm short of a vacuum line at the far edge."""
    fields = {
        "part": Part(outline=box(0, 0, LONG, WIDE)),
        "stack": stack(*PLIES, *OVER),
        "mesh": MeshExtent(material="net-green", outline=box(0, 0, LONG - 0.06, WIDE)),
        "lines": (feed(), vacuum()),
        "resin": SHELF["epoxy-slow"],
        "conditions": Conditions(vacuum=2000, bucket_below=0.4),
    } | changes
    used = {x.material for x in fields["stack"]} | ({fields["mesh"].material} if fields["mesh"] else set())
    fields["materials"] = {k: SHELF[k] for k in used if k in SHELF} | fields.get("materials", {})
    return Job(**fields)


def resin(**changes):
    return SHELF["epoxy-slow"].replaced(**changes)


def with_core(core: Core, **changes) -> Job:
    """A core under most of the mesh, that stops well before feed and vacuum."""
    zone = Zone(id="core", name="Core", kind="cored", area=Drawn(outline=box(0.12, 0.04, 0.80, WIDE - 0.04)))
    layers = list(stack("biax-600", "biax-600", "core", "biax-600", "biax-600", *OVER))
    layers[2] = layers[2].replaced(zones=("core",), bevel=core.thickness * 1.1)
    part = Part(outline=box(0, 0, LONG, WIDE), zones=(zone,))
    return job(part=part, stack=tuple(layers), materials={"core": core}, **changes)


def foam(**cuts) -> Core:
    return Core(name="Foam", thickness=0.010, density=80, **cuts)


GROOVES = Grooves(width=0.002, depth=0.002, pitch=0.02)
THROUGH = Scores(ways=2, width=0.001, depth=0.010, pitch=0.03)


def zoned(kind="thick", area=None, **layers) -> Job:
    zone = Zone(id="z", name="Pad", kind=kind, area=Drawn(outline=area or box(0.30, 0.15, 0.55, 0.35)))
    extra = tuple(
        Layer(id=f"X{k}", material="quad-1200", zones=("z",)) for k in range(layers.get("plies", 0))
    )
    plies = tuple(Layer(id=f"L{k + 1}", material=m) for k, m in enumerate(PLIES))
    over = tuple(Layer(id=f"P{k + 1}", material=m) for k, m in enumerate(OVER))
    return job(part=Part(outline=box(0, 0, LONG, WIDE), zones=(zone,)), stack=(*plies, *extra, *over))


def wedge(*, from_wide: bool, **changes) -> Job:
    """A panel that narrows from 0.6 to 0.25 m."""
    part = Part(outline=ring((0, 0), (LONG, 0.175), (LONG, 0.425), (0, 0.6)))
    wide, narrow = ((0.0, 0.0), (0.0, 0.6)), ((LONG, 0.175), (LONG, 0.425))
    near = 0.06
    if from_wide:
        slope = 0.175 * (LONG - near) / LONG
        mesh = ring((0, 0), (LONG - near, slope), (LONG - near, 0.6 - slope), (0, 0.6))
        lines = (feed(path=wide), vacuum(path=narrow))
    else:
        slope = 0.175 * near / LONG
        mesh = ring((near, slope), (LONG, 0.175), (LONG, 0.425), (near, 0.6 - slope))
        lines = (feed(path=narrow), vacuum(path=wide))
    return job(part=part, mesh=MeshExtent(material="net-green", outline=mesh), lines=lines, **changes)


def centre_out(gap=0.06) -> Job:
    """Fed in the middle, vacuum at both ends: the trade's usual way for a panel twice as long as the pull."""
    lines = (
        feed(path=((0.5, 0.02), (0.5, WIDE - 0.02))),
        vacuum("V1", ((LONG, 0.0), (LONG, WIDE))),
        vacuum("V2", ((0.0, 0.0), (0.0, WIDE))),
    )
    return job(mesh=MeshExtent(material="net-green", outline=box(gap, 0, LONG - gap, WIDE)), lines=lines)


def stepped(opens, bore=0.010, **changes) -> Job:
    lines = (feed(bore=bore), feed("F2", ((0.5, 0.02), (0.5, WIDE - 0.02)), opens=opens), vacuum())
    return job(lines=lines, **changes)


def sideways(bore: float, **hose: float) -> Job:
    """A strip of two metres fed from one long side and drawn from the other."""
    long, wide = 2.0, 0.4
    lines = (
        feed(path=((0.02, 0.02), (long - 0.02, 0.02)), bore=bore, **hose),
        vacuum(path=((0.0, wide), (long, wide))),
    )
    mesh = MeshExtent(material="net-green", outline=box(0, 0, long, wide - 0.06))
    return job(part=Part(outline=box(0, 0, long, wide)), mesh=mesh, lines=lines)


def perimeter_in(*, vent: bool) -> Job:
    """A round panel fed at its rim; with a vacuum point in the middle it is a good plan, without one it never fills."""
    zone = Zone(id="bare", name="Vent patch", kind="no-mesh", area=Drawn(outline=round_(0, 0, 0.07)))
    edge = tuple((c.x, c.y) for c in round_(0, 0, 0.3, 36))
    lines = (feed(path=(*edge, edge[0])),)
    if vent:
        lines += (
            FlowLine(id="V1", label="V1", role="vacuum", path=((0.0, 0.0),), hose_length=1.5, bore=0.01),
        )
    part = Part(outline=round_(0, 0, 0.3, 36), zones=(zone,))
    return job(part=part, mesh=MeshExtent(material="net-green", outline=round_(0, 0, 0.299, 36)), lines=lines)


def hung(pipe_bore: float, hose_bore: float = 0.012) -> Job:
    """Two feeds on a manifold."""
    lines = (
        feed("F1", ((0.02, 0.02), (0.02, 0.24)), manifold="M1", hose_bore=hose_bore, hose_length=0.5),
        feed("F2", ((0.02, 0.26), (0.02, 0.48)), manifold="M1", hose_bore=hose_bore, hose_length=0.5),
        vacuum(),
    )
    return job(lines=lines, manifolds=(Manifold(id="M1", label="M1", hose_bore=pipe_bore, hose_length=2.0),))


def upright(bucket_below: float) -> Job:
    """A panel that stands a metre high, fed at the bottom; heights count from the middle."""
    part = Part(
        outline=box(0, 0, LONG, WIDE), heights=(Spot(x=0, y=0.25, z=-0.5), Spot(x=LONG, y=0.25, z=0.5))
    )
    return job(part=part, conditions=Conditions(vacuum=2000, bucket_below=bucket_below))


def cornered(kind: str, radius: float) -> Job:
    corner = MouldCorner(id="C1", kind=kind, radius=radius, angle_deg=90, path=((0.4, 0.02), (0.4, 0.48)))
    return job(part=Part(outline=box(0, 0, LONG, WIDE), corners=(corner,)))


def seamed(first: float, second: float, overlap=0.020) -> Job:
    plies = list(stack(*PLIES, *OVER))
    for k, x in ((0, first), (1, second)):
        plies[k] = plies[k].replaced(seams=(Seam(path=((x, 0.0), (x, WIDE))),), overlap=overlap)
    return job(stack=tuple(plies))


def cored(bevel: float, over: float = 0.02) -> Job:
    """A core panel inside the part, with its upper plies run on over its edge."""
    zone = Zone(id="core", name="Core", kind="cored", area=Drawn(outline=box(0.2, 0.1, 0.8, 0.4)))
    core = SHELF["foam-20-holes"]
    layers = (
        Layer(id="L1", material="biax-600"), Layer(id="L2", material="biax-600"),
        Layer(id="C", material="core", zones=("core",), bevel=bevel),
        Layer(id="L3", material="biax-600", zones=() if over else ("core",)), Layer(id="L4", material="biax-600"),
        *(Layer(id=f"P{k}", material=m) for k, m in enumerate(OVER)),
    )  # fmt: skip
    return job(
        part=Part(outline=box(0, 0, LONG, WIDE), zones=(zone,)), stack=layers, materials={"core": core}
    )


def drop(slope: float, minutes: float, school="small-drop") -> Job:
    """A gauge read every 15 s, at a slope [Pa/s], with a needle's scatter that repeats."""
    times = [15.0 * k for k in range(int(minutes * 4) + 1)]
    scatter = (3.0, -4.0, 1.0, 5.0, -2.0, -5.0, 4.0, -1.0, 0.0, -3.0)
    readings = tuple(
        Reading(time=t, pressure=2000 + slope * t + scatter[k % 10]) for k, t in enumerate(times)
    )
    made = job()
    return made.replaced(
        test=DropTest(readings=readings, volume=sum(bag_volume(made).values()), school=school)
    )


def tested(**how) -> Job:
    """The tight bag of ``drop``, tested in another way."""
    made = drop(0.02, 10)
    return made.replaced(test=made.test.replaced(**how))


def deep(resin: str, vacuum: float) -> Job:
    """The plain panel with a resin at 25 °C under a vacuum."""
    made = mixed(resin)
    return made.replaced(conditions=made.conditions.replaced(vacuum=vacuum, resin_temperature=298.15))


def bagged(depth=0.0, pleats=(), **bag):
    """The plain panel in a mould so deep, with pleats as somebody laid them."""
    made = job()
    return made.replaced(part=made.part.replaced(depth=depth), bag=made.bag.replaced(pleats=pleats, **bag))


@dataclass(frozen=True)
class Row:
    """One layout: what it is, why the trade judges it so, what must be found, may be, and never."""

    name: str
    why: str
    make: Callable[[], Job]
    must: frozenset[str] = frozenset()
    may: frozenset[str] = frozenset()
    never: frozenset[str] = frozenset()


def row(name, why, make, must=(), may=(), never=()):
    return Row(name, why, make, frozenset(must), frozenset(may), frozenset(never))


FALSE = ("pocket", "widens", "closes-away", "corner", "early-feed")  # what a good plan never gets, notes too

LAYOUTS = (
    # -- good plans: no warning, nothing that blocks
    row("edge to edge", "fed over the whole width, vacuum at the far edge, break 60 mm", job, never=FALSE),
    row("edge to edge, other way round", "the same plan mirrored is the same plan",
        lambda: job(mesh=MeshExtent(material="net-green", outline=box(0.06, 0, LONG, WIDE)),
                    lines=(feed(path=((0.98, 0.02), (0.98, 0.48))), vacuum(path=((0, 0), (0, WIDE))))), never=FALSE),
    row("across instead of along", "the same plan turned by 90 degrees",
        lambda: job(part=Part(outline=box(0, 0, WIDE, LONG)), mesh=MeshExtent(material="net-green", outline=box(0, 0, WIDE, 0.94)),
                    lines=(feed(path=((0.02, 0.02), (0.48, 0.02))), vacuum(path=((0, LONG), (WIDE, LONG))))), never=FALSE),
    row("centre out", "fed in the middle, vacuum at both ends, breaks at both", centre_out, never=FALSE),
    row("perimeter in", "fed round the rim, vacuum in the middle with a bare patch round it", lambda: perimeter_in(vent=True),
        may=("along",), never=("pocket", "widens", "closes-away")),
    row("stepped on the front", "the second feed opens when the front has passed it", lambda: stepped(OnFront(line="F2")), never=FALSE),
    row("stepped a minute after the front", "a little late does no harm", lambda: stepped(OnFront(line="F2", delay=20)), never=FALSE),
    row("from the wide end", "runs into a shrinking width", lambda: wedge(from_wide=True), never=FALSE),
    row("bare plies, short pull", "no mesh needed over 120 mm",
        lambda: job(part=Part(outline=box(0, 0, 0.12, 0.2)), mesh=None, lines=(feed(path=((0, 0), (0, 0.2))), vacuum(path=((0.12, 0), (0.12, 0.2))))),
        never=FALSE),
    row("membrane line", "a line that stops resin under the same break", lambda: job(lines=(feed(), vacuum(membrane=True, kind="membrane"))), never=FALSE),
    row("core with holes", "perforations carry resin to the lower skin", lambda: with_core(foam(hole_diameter=0.002, hole_pitch=0.02)), never=FALSE),
    row("core with grooves and holes", "the usual infusion core", lambda: with_core(SHELF["foam-15-grooved"]), never=FALSE),
    row("core scored right through", "cuts open both faces, so that resin comes below", lambda: with_core(foam(scores=THROUGH)), never=("dry", "lower", "pocket")),
    row("two feeds on a wide manifold", "a 16 mm pipe behind two 12 mm hoses", lambda: hung(0.016), never=FALSE),
    row("upright, bucket below its foot", "the bucket stands 0.2 m under the low end", lambda: upright(0.7), never=("above", "dry")),
    row("a no-mesh zone keeps the break", "the mesh is drawn to the end, a no-mesh zone of 60 mm bars it there",
        lambda: job(part=Part(outline=box(0, 0, LONG, WIDE), zones=(Zone(id="n", name="Break", kind="no-mesh", area=Drawn(outline=box(LONG - 0.06, 0, LONG, WIDE))),)),
                    mesh=MeshExtent(material="net-green", outline=box(0, 0, LONG, WIDE))), never=FALSE),
    row("a mat on the tool side", "a chopped mat is told as a mat; the cloth beside it is as good as ever",
        lambda: job(stack=stack("mat-450", *PLIES, *OVER)), must=(), never=("slow:biax-600",)),
    row("small thick pad near the vacuum", "150 mm from the outlet", lambda: zoned(area=box(0.65, 0.15, 0.85, 0.35), plies=2), may=("step",), never=("thick",)),
    row("beveled core, plies run over", "45 degrees and plies run on over the edge", lambda: cored(0.021), may=("step",), never=("bevel", "stops")),
    row("roomy inside corner", "radius 15 mm under 3 mm of cloth", lambda: cornered("inside", 0.015), never=("bridges",)),
    row("soft outside corner", "radius 50 mm", lambda: cornered("outside", 0.050), never=("wrinkles",)),
    row("seams staggered", "100 mm apart, 20 mm overlap", lambda: seamed(0.4, 0.5), never=("seams", "overlap")),
    row("a tight bag", "0.5 mbar in ten minutes", lambda: drop(0.08, 10), never=("leak",)),
    row("a hose of ordinary bore", "10 mm over 1.5 m of thin resin", job, never=("hose", "along", "thin-vacuum")),
    row("bucket on the floor", "0.8 m below the part", lambda: job(conditions=Conditions(vacuum=2000, bucket_below=0.8)), never=("above", "dry")),
    row("break just long enough", "52 mm", lambda: job(mesh=MeshExtent(material="net-green", outline=box(0, 0, LONG - 0.052, WIDE))), never=("mesh-vacuum",)),
    row("mesh wholly over the part", "nothing of it hangs over", job, never=("short",)),
    row("a good clamp on a hard tube", "a ball valve", lambda: job(lines=(feed(hose=Hose(tube="hard", clamp="ball valve")), vacuum())), never=("pinch",)),
    row("two part batches, each fresh", "mixed when the first nears its heel",
        lambda: job(resin=resin(largest_batch=1.5, pot_life=2700)), never=("past-life",)),
    row("a feed at a point", "a port in the middle of a small round part, vacuum ring round it",
        lambda: job(part=Part(outline=round_(0, 0, 0.25, 36)), mesh=MeshExtent(material="net-green", outline=round_(0, 0, 0.18, 36)),
                    lines=(FlowLine(id="F1", label="F1", role="feed", path=((0.0, 0.0),), bore=0.01),
                           vacuum(path=(*((c.x, c.y) for c in round_(0, 0, 0.249, 36)), (0.249, 0.0))))),
        never=("widens", "pocket", "closes-away")),
    # -- mesh
    row("mesh runs into the vacuum line", "resin escapes over the top", lambda: job(mesh=MeshExtent(material="net-green", outline=box(0, 0, LONG, WIDE))),
        must=("mesh-vacuum",), may=("soak", "pot", "short", "pocket")),
    row("break of 30 mm", "too short for the tool side to catch up", lambda: job(mesh=MeshExtent(material="net-green", outline=box(0, 0, LONG - 0.03, WIDE))),
        must=("mesh-vacuum",), may=("soak",)),
    row("mesh laid as a layer, into the vacuum", "a net in the stack leads just as one on top of it",
        lambda: job(mesh=None, stack=stack(*PLIES, *OVER, "net-green")), must=("mesh-vacuum",), may=("soak", "pot", "short", "pocket")),
    row("no peel ply under the mesh", "the net is glued to the part", lambda: job(stack=stack(*PLIES)), must=("sticks",), may=("lock-off",)),
    row("peel ply too small", "it ends half way under the mesh",
        lambda: job(stack=(*stack(*PLIES), Layer(id="P", material="peel-85", outline=box(0, 0, 0.5, WIDE)))), must=("sticks",), may=("lock-off",)),
    row("coarse net over a thick stack", "the top runs far ahead of the tool side",
        lambda: job(stack=stack(*(["quad-1200"] * 12), *OVER), mesh=MeshExtent(material="net-coarse", outline=box(0, 0, LONG - 0.06, WIDE))),
        must=("soak",), may=("gel", "reach", "pocket", "pot", "past-life", "hose", "along", "short", "break")),
    row("mesh hangs over past feed and vacuum", "loose mesh outside leads round the part",
        lambda: job(mesh=MeshExtent(material="net-green", outline=box(-0.05, -0.08, LONG + 0.02, WIDE + 0.08))),
        must=("short", "mesh-vacuum"), may=("soak", "pot", "pocket")),
    row("breather joins feed and vacuum outside", "breather is a flow path too", lambda: job(breather=box(-0.02, -0.05, LONG + 0.02, 0.0)),
        must=("short",)),
    row("a break of half a metre before gel", "through the plies alone it takes hours",
        lambda: job(mesh=MeshExtent(material="net-green", outline=box(0, 0, 0.4, WIDE)), resin=SHELF["polyester-fast"]),
        must=("break",), may=("gel", "dry", "reach", "past-life", "pocket")),
    # -- lines
    row("no vacuum line", "air has no way out", lambda: job(lines=(feed(),)), must=("no-vacuum",), may=("dry", "gel", "pocket")),
    row("no feed", "nothing comes in", lambda: job(lines=(vacuum(),)), must=("no-feed",)),
    row("vacuum line beside the part", "50 mm off the cloth it draws nothing", lambda: job(lines=(feed(), vacuum(path=((LONG + 0.05, 0), (LONG + 0.05, WIDE))))),
        must=("outside",), may=("dry", "gel", "pocket", "lock-off")),
    row("feed runs on past the edge", "100 mm of it hang over", lambda: job(lines=(feed(path=((0.02, 0.02), (0.02, 0.6))), vacuum())), must=("outside",)),
    row("a feed ring with no vent", "the front closes on its own air", lambda: perimeter_in(vent=False), must=("no-vacuum", "dry"), may=("along", "gel")),
    row("from the narrow end", "the front slows as it widens", lambda: wedge(from_wide=False), must=("widens",), may=("soak",)),
    row("widens towards one of two vacuum lines", "fed in the waist between a narrow and a wide end",
        lambda: job(part=Part(outline=ring((0, 0.2), (0.5, 0.2), (LONG, 0.0), (LONG, 0.5), (0.5, 0.3), (0, 0.3))),
                    mesh=MeshExtent(material="net-green", outline=ring((0.06, 0.2), (0.5, 0.2), (0.94, 0.024), (0.94, 0.476), (0.5, 0.3), (0.06, 0.3))),
                    lines=(feed(path=((0.5, 0.2), (0.5, 0.3))), vacuum("V1", ((LONG, 0), (LONG, 0.5))), vacuum("V2", ((0, 0.2), (0, 0.3))))),
        must=("widens:V1",), may=("soak", "pocket"), never=("widens:V2",)),
    row("two vacuum lines far from the last place", "both at the feed's side: the far edge closes last, away from them",
        lambda: job(lines=(feed(path=((0.5, 0.02), (0.5, 0.48))), vacuum("V1", ((0.0, 0.0), (0.0, WIDE)))),
                    mesh=MeshExtent(material="net-green", outline=box(0.06, 0, LONG, WIDE))),
        must=("pocket",), may=("soak",)),
    row("second feed opened at once", "both run from the start: their fronts shut air in between", lambda: stepped(AtTime(time=1)), must=("early-feed", "pocket"), may=("soak",)),
    row("second feed by hand, far too early", "ten seconds in", lambda: stepped(ByHand(about=10)), must=("early-feed", "pocket"), may=("soak",)),
    row("second feed on another line's front", "opened as soon as the front has passed the first feed",
        lambda: job(lines=(feed(), feed("F3", ((0.15, 0.02), (0.15, 0.48)), opens=OnFront(line="F3")),
                           feed("F2", ((0.6, 0.02), (0.6, WIDE - 0.02)), opens=OnFront(line="F3")), vacuum())),
        must=("early-feed:F2", "pocket"), may=("soak",), never=("early-feed:F3",)),
    row("second feed very late", "long after the front passed: the pull is needlessly long", lambda: stepped(AtTime(time=430)), must=("late-feed",), may=("soak",)),
    row("a 3 mm hose to the feed", "takes nearly all of the pull", lambda: job(lines=(feed(hose_bore=0.003, hose_length=3.0), vacuum())),
        must=("hose",), may=("gel", "past-life", "reach", "dry")),
    row("a thin pipe behind the manifold", "4 mm over 2 m chokes both feeds; the hoses are not to blame", lambda: hung(0.004),
        must=("hose",), may=("gel", "past-life", "dry")),
    row("a feed line of 3 mm", "loses the pull along half a metre", lambda: job(lines=(feed(bore=0.003), vacuum())), must=("along",), may=("gel", "past-life", "pocket", "soak")),
    row("two metres fed by a 6 mm line from its end", "its far half comes late", lambda: sideways(0.006), must=("along",), may=("hose", "soak", "pocket")),
    row("the same with the hose in its middle", "a quarter of the loss", lambda: sideways(0.006, hose_at=0.5), never=("along",), may=("hose", "soak")),
    row("a 3 mm first feed that a second takes over from", "it loses the pull while it works, whatever comes later",
        lambda: stepped(AtTime(time=150), bore=0.003), must=("along",), may=("early-feed", "late-feed", "pocket", "soak")),
    row("a ring of feed, its ends joined", "resin runs round both ways", lambda: perimeter_in(vent=True), never=("along", "dry")),
    row("a second vacuum line in the middle of the way", "resin is there at once and runs out: nothing goes on to the far end",
        lambda: job(lines=(feed(), vacuum(), vacuum("V2", ((0.4, 0.0), (0.4, WIDE))))), must=("runs:V2", "mesh-vacuum"), may=("gel", "soak", "pot", "short", "likely-short", "closes-away")),
    row("the same line as a membrane", "it passes air and stops resin",
        lambda: job(lines=(feed(), vacuum(), vacuum("V2", ((0.4, 0.0), (0.4, WIDE)), membrane=True, kind="membrane"))), never=("runs", "mesh-vacuum"), may=("soak",)),
    row("a vacuum hose of 2 mm", "draws the bag down in many minutes", lambda: job(lines=(feed(), vacuum(hose_bore=0.002))), must=("thin-vacuum",)),
    row("pull far too long", "four metres from the nearest feed before gel",
        lambda: job(part=Part(outline=box(0, 0, 4.0, WIDE)), mesh=MeshExtent(material="net-green", outline=box(0, 0, 3.94, WIDE)),
                    lines=(feed(), vacuum(path=((4.0, 0), (4.0, WIDE)))), resin=SHELF["polyester-fast"]),
        must=("gel", "reach"), may=("past-life", "pot", "hose", "along")),
    row("two lines of one name", "called wrong is turned wrong", lambda: job(lines=(feed(), vacuum(path=((LONG, 0), (LONG, 0.24))), vacuum("V2", ((LONG, 0.26), (LONG, WIDE))).replaced(label="V1"))), must=("name",)),
    row("a thick pad far from any vacuum", "fills last and holds its air", lambda: zoned(plies=4), must=("thick",), may=("step", "soak", "pocket", "gel")),
    row("a line through a keep-out zone", "the zone is to stay free of marks", lambda: zoned("keep-out", box(0.0, 0.1, 0.1, 0.3)), must=("keep-out",)),
    # -- heights and drive
    row("bucket on a shelf above the part", "it floods the part by itself", lambda: job(conditions=Conditions(vacuum=2000, bucket_below=-0.3)), must=("above",), may=("soak",)),
    row("upright, bucket above its foot", "0.3 m above the low end although below the middle", lambda: upright(0.2), must=("above",), may=("soak",)),
    row("upright, weak vacuum", "300 mbar under the air do not lift resin over its height",
        lambda: upright(0.7).replaced(conditions=Conditions(vacuum=92000, bucket_below=0.7)), must=("gel",), may=("dry", "pocket", "reach", "past-life", "short", "break")),
    # -- stack
    row("plain core", "no holes: resin has no way to the skin below", lambda: with_core(foam()), must=("lower",), may=("dry", "pocket", "gel", "soak", "past-life")),
    row("grooves on top and no holes", "the upper skin is fed, the lower is cut off", lambda: with_core(foam(grooves=GROOVES)), must=("lower",),
        may=("dry", "pocket", "gel", "soak", "past-life")),
    row("a chopped mat in an infusion", "it slows the fill and closes up", lambda: job(stack=stack("mat-450", *PLIES, *OVER)), must=("slow:mat-450",)),
    row("square core edge", "the bag does not push cloth into a step", lambda: cored(0.0), must=("bevel",), may=("step",)),
    row("a ply that stops at the core", "leaves a corner of resin that cracks", lambda: cored(0.021, over=0.0), must=("stops",), may=("step",)),
    row("sharp inside corner", "radius 1 mm under the stack: it bridges", lambda: cornered("inside", 0.001), must=("bridges",)),
    row("sharp outside corner, thick stack", "what it loses in thickness it has too much in length",
        lambda: cornered("outside", 0.001).replaced(stack=stack(*(["quad-1200"] * 6), *OVER), materials={k: SHELF[k] for k in ("quad-1200", *OVER, "net-green")}),
        must=("wrinkles",), may=("soak",)),
    row("two seams in one place", "a weak line and a way for resin", lambda: seamed(0.4, 0.41), must=("seams",)),
    row("overlap of 5 mm", "carries no load", lambda: seamed(0.4, 0.5, 0.005), must=("overlap",)),
    row("heavier than promised", "target of 1 kg", lambda: job(part=Part(outline=box(0, 0, LONG, WIDE), target_mass=1.0)), must=("mass",)),
    row("not balanced", "all plies at 30 degrees of one-way cloth",
        lambda: job(stack=(*(Layer(id=f"L{k}", material="uni-500", angle_deg=30) for k in range(4)), *(Layer(id=f"P{k}", material=m) for k, m in enumerate(OVER)))),
        must=("balance",), may=("pocket", "soak")),
    # -- outline
    row("crossed outline", "a bow tie bounds nothing", lambda: job(part=Part(outline=ring((0, 0), (1, 0.5), (1, 0), (0, 0.5)))), must=("outline",), may=("outside",)),
    row("a needle of a part", "a metre long and a micrometre wide", lambda: job(part=Part(outline=box(0, 0, 1.2, 1e-6)), mesh=None, lines=(feed(path=((0, 0),)), vacuum(path=((1.2, 0),)))),
        must=("outline",), may=("outside", "sticks")),
    # -- hoses and fittings
    row("tee of another family", "12 on 10 mm", lambda: job(lines=(feed(hose=Hose(tee_bore=0.012)), vacuum())), must=("tee",)),
    row("pliers on a hard tube", "it leaks all day", lambda: job(lines=(feed(hose=Hose(tube="hard", clamp="pliers")), vacuum())), must=("pinch",)),
    row("feed joint not sealed", "air goes straight into the part", lambda: job(lines=(feed(hose=Hose(sealed=False)), vacuum())), must=("seal",)),
    row("a kink in the feed", "bent to 20 mm", lambda: job(lines=(feed(hose=Hose(bend_radius=0.020)), vacuum())), must=("kink",)),
    row("a deep notch in a wide bucket", "leaves 2 kg", lambda: job(lines=(feed(hose=Hose(notch=0.03)), vacuum())), must=("notch",)),
    row("bypass with pliers", "seeps all through the shot",
        lambda: job(pots=(CatchPot(id="P1", label="pot"),), bypasses=(Bypass(id="B1", label="B1", feed="F1", pot="P1", clamp="pliers"),)), must=("bypass",)),
    row("a jam jar for a catch pot", "holds less than the allowance", lambda: job(lines=(feed(), vacuum(pot="P1")), pots=(CatchPot(id="P1", label="pot", volume=3e-4),)), must=("pot",)),
    # -- charge and bucket
    row("gels before it is full", "a fast resin warm on a thick bare stack",
        lambda: job(mesh=None, resin=SHELF["polyester-fast"]), must=("gel", "reach"), may=("past-life", "pocket", "closes-away", "break")),
    row("one batch held past its life", "five minutes of pot life", lambda: job(resin=resin(pot_life=120.0)), must=("past-life",)),
    row("the bucket runs dry", "1.2 kg mixed for a part that takes over two",
        lambda: job(buckets=(Bucket(id="B1", heel=0.3, batches=(PouredBatch(mass=1.2),)),)), must=("air", "likely-short"), may=("short", "dry", "pocket", "soak")),
    row("a second batch poured in time", "mixed while the first is drawn, in the bucket before its heel",
        lambda: job(buckets=(Bucket(id="B1", heel=0.3, batches=(PouredBatch(mass=1.6), PouredBatch(mass=1.6, mixed=0.0, poured=AtTime(time=60.0)))),)),
        never=("air", "short", "likely-short", "past-life")),
    row("a batch poured before it is mixed", "in the bucket at 40 s, mixed at 60",
        lambda: job(buckets=(Bucket(id="B1", heel=0.3, batches=(PouredBatch(mass=1.6), PouredBatch(mass=1.6, mixed=60.0, poured=AtTime(time=40.0)))),)),
        must=("batch-early",)),
    row("a mixing head", "resin is mixed as it enters: nothing ages in a bucket, and no notch leaves a heel",
        lambda: job(lines=(feed(hose=Hose(notch=0.03)), vacuum()), buckets=(Bucket(id="H", heel=0.0, batches=(PouredBatch(mass=60.0, mixed=None),)),)),
        never=("air", "short", "likely-short", "past-life", "notch", "wasteful")),
    row("charge without a catch-pot allowance, mesh into the vacuum", "resin runs to the pot over the net",
        lambda: job(mesh=MeshExtent(material="net-coarse", outline=box(0, 0, LONG, WIDE)), stack=stack(*(["quad-1200"] * 4), *OVER),
                    charge=ChargePlan(heel=0.3, catch_pot=0.0, margin=0.0)), must=("short", "mesh-vacuum"), may=("runs", "soak", "pot", "gel", "past-life", "hose", "along", "pocket", "likely-short")),
    # -- the bag
    row("a bag that leaks", "12 mbar a minute", lambda: drop(20.0, 10), must=("leak",)),
    row("a flat panel", "film lies on it as it is, with a fold at each hose", job,
        never=("film-short", "few-pleats", "corner-pleat", "tube-pleat", "tubes-close", "over-tape", "lock-off")),
    row("a deep tray bagged with pleats", "as tall as the draw, on both sides of each corner", lambda: job(part=job().part.replaced(depth=0.12)),
        never=("film-short", "few-pleats", "corner-pleat", "pleat-large", "tube-pleat")),
    row("a deep tray bagged flat", "no pleat in the corners: the film is stretched into them", lambda: bagged(depth=0.12), must=("few-pleats", "corner-pleat", "tube-pleat")),
    row("two feed hoses through one hole", "between them a channel stays open",
        lambda: job(lines=(feed(), feed("F2", path=((0.04, 0.02), (0.04, 0.48))), vacuum())), must=("tubes-close",),
        may=("early-feed", "close", "along", "feeds", "pocket", "apart")),
    row("a cold shop", "film straight off the shelf at 10 °C", lambda: bagged(pleats=None, temperature=283.15), must=("film-cold",)),
    # -- resin and mixing
    row("vinyl ester at 20 °C, dosed by its sheet", "promoter stirred in first, peroxide by the table", lambda: mixed("vinylester-accelerated"),
        never=("dose", "order", "too-warm", "too-thick", "too-thin", "vessel-deep", "density-off", "dose-unusual"), may=("gel", "past-life")),
    row("a slow epoxy weighed to 2 g", "as every shop does it", lambda: mixed("epoxy-extra-slow"), never=("dose", "order", "scale-coarse", "too-thick", "too-warm"), may=("soak",)),
    row("peroxide on a hot day", "38 °C in the shop: the sheet tells no dose for it", lambda: mixed("vinylester", room=311.15), must=("dose",), may=("gel", "past-life")),
    row("more peroxide against the cold", "three parts and a half, because it is cold", lambda: mixed("polyester-iso", room=288.15, dose=3.5), must=("dose",), may=("gel", "past-life")),
    row("half a part of peroxide for a long gel", "under the band it never cures through", lambda: mixed("polyester-iso", dose=0.5), must=("dose",), may=("gel", "past-life")),
    row("accelerator and peroxide into one cup", "they meet unmixed: that burns", lambda: mixed("vinylester-accelerated", order=("resin", "accelerator", "peroxide", "stir")),
        must=("order",), may=("gel", "past-life")),
    row("polyester warmed on the stove", "45 °C is over what styrene bears", lambda: warmed("polyester-ortho", 318.15), must=("too-warm",), may=("boils", "gel", "past-life", "reach", "soak")),
    row("a filled resin meant for a closed mould", "cold from the store and infused", lambda: warmed("polyester-filled", 286.15),
        must=("too-thick",), may=("gel", "past-life", "reach", "dry", "pocket")),
    row("all of it in a jug", "10 cm wide: it stands deep and keeps its heat", lambda: mixed("epoxy-medium", width=0.10), must=("vessel-deep",), may=("gel", "past-life", "soak")),
    row("a batch for one ply on a 50 g scale", "half a step is a tenth of the hardener", lambda: mixed("epoxy-medium", scale_step=0.05), must=("scale-coarse",), may=("gel", "past-life", "soak")),
    row("half a drum left", "one litre for a part that takes more than two", lambda: mixed("epoxy-extra-slow", drums=(Drum(part="A", mass=1.0),)), must=("store-short",), may=("soak",)),
    row("drums enough, in date", "nothing to say", lambda: mixed("epoxy-extra-slow", day="2027-02-01", drums=(Drum(part="A", mass=25, use_by="2027-06-30"), Drum(part="B", mass=8, use_by="2027-06-30"))),
        never=("store-short", "out-of-date"), may=("soak",)),
    row("last year's hardener", "past its date beside a fresh one", lambda: mixed("epoxy-extra-slow", day="2027-02-01", drums=(Drum(part="B", mass=8, use_by="2026-06-30"), Drum(part="B", mass=8, use_by="2027-06-30"))),
        must=("out-of-date",), never=("store-short",), may=("soak",)),
    row("filled resin from the top of the drum", "its filler has settled: 1,250 for 1,390 kg/m³", lambda: mixed("polyester-filled", measured_density=1250.0),
        must=("density-off",), may=("too-thick", "gel", "past-life", "reach", "dry", "pocket")),
    row("no margin at all", "needed is what the sheet says, to the gram", lambda: mixed("epoxy-extra-slow", margin=0.0), must=("likely-short",), may=("soak", "short")),
    # -- closed moulds
    row("a lid by light RTM", "channel round the rim, vent in the middle, ribbed upper half", lid, may=("bow",),
        never=("margin", "flange-weak", "cavity-strong", "seal-gap", "sucked-down", "channel-small", "vent-early", "fibre-wash", "hold-short", "lock-off", "film-short",
               "inlet-thin")),
    row("the same lid in a shop on a hill", "84 kPa of air: the same gauge pulls 73 kPa", lambda: lid({"atmosphere": 84_000.0}, injection=88_000.0), must=("flange-weak",),
        may=("bow", "margin", "hold-short", "sucked-down")),
    row("a pot at two bar on a light mould", "pushes with five tonnes", lambda: lid(injection=2.0e5), must=("margin",), may=("bow", "fibre-wash", "flush-late", "shut-vent")),
    row("an upper half of 4 mm without stiffeners", "bulges like a drum", lambda: lid(upper=UpperMould(thickness=0.004)), must=("bow",), may=("sucked-down", "shut-vent")),
    row("a gap wider than the seal", "12 mm under a seal of 12", lambda: lid(seal_gap=0.012), must=("seal-gap",), may=("bow",)),
    row("vent by the rim", "resin is at it in the first minute", lambda: lid_lines(vent=(0.75, 0.45)), must=("vent-early",), may=("bow", "pocket", "dry", "pot", "closes-away", "likely-short", "short", "runs")),
    row("a channel of 3 mm", "the inlet's side is full before the far one begins", lambda: lid_lines(bore=0.003), must=("channel-small",),
        may=("bow", "along", "vent-early", "pocket", "dry", "gel", "past-life", "closes-away", "pot", "soak", "likely-short", "short", "reach")),
    row("one ply in the gap", "loose: it washes away and the mould is sucked down", lambda: lid_with("quad-1200"), must=("cavity", "sucked-down"), may=("bow", "hose", "fibre-wash", "vent-early", "likely-short", "inlet-thin", "along", "dry", "pocket", "channel-small")),
    row("eight plies in the gap", "it does not close", lambda: lid_with(*(["quad-1200"] * 8)), must=("cavity",), may=("bow", "margin", "gel", "reach", "past-life", "dry", "pocket", "along", "shut-vent", "vent-early", "soak", "slow", "hold-short", "likely-short")),
    row("full vacuum on the cavity", "it pulls air past the inner seal", lambda: lid({"vacuum": 12_000.0}), must=("cavity-strong",), may=("bow", "margin", "fibre-wash")),
    row("a lid cut short of the cavity's edge", "3 mm empty all round beside the channel", lambda: lid({"edge_gap": 0.003}), must=("empty-edge",), may=("bow", "vent-early", "pocket")),
    row("no reservoir behind the pump", "a minute after a power cut the flange lets go", lambda: lid(reservoir=0.0005, reservoir_leak=5e-3), must=("hold-short",), may=("bow",)),
    row("a mat lapped by 20 mm in a lid", "as shops do: random mat presses flat", lambda: lid_spliced(0, 0.020), never=("lap-full",), may=("bow",)),
    row("a quad butted in a full gap", "nothing is doubled", lambda: lid_spliced(1, 0.0, *(["quad-1200"] * 4)), never=("lap-full",),
        may=("bow", "overlap", "margin", "gel", "reach", "past-life", "dry", "pocket", "along", "shut-vent", "vent-early", "soak", "slow", "hold-short", "likely-short")),
    row("a quad lapped by 25 mm in a full gap", "four of 1200 fill it: a fifth does not go in", lambda: lid_spliced(1, 0.025, *(["quad-1200"] * 4)), must=("lap-full",),
        may=("bow", "margin", "gel", "reach", "past-life", "dry", "pocket", "along", "shut-vent", "vent-early", "soak", "slow", "hold-short", "likely-short")),
    row("a flange that is off by 1 mm", "a hollow seal of 12 follows that", lambda: lid(gap_spread=0.001), never=("seal-gap",), may=("bow",)),
    row("a flange that is off by 3 mm", "no hollow seal of 12 follows that", lambda: lid(gap_spread=0.003), must=("seal-gap",), may=("bow",)),
    row("the same flange with an inflatable seal", "what they are for", lambda: lid(gap_spread=0.003, inner=SEALS["inflatable 15"]), never=("seal-gap", "inflated"), may=("bow", "margin", "shut-vent")),
    row("an inflatable seal with the air off", "resin runs past it", lambda: lid(inner=SEALS["inflatable 15"].replaced(inflation=101_325.0)), must=("inflated",), may=("bow",)),
    row("a half in two, the line ground tight", "0.05 mm: a flash, no more", lambda: lid_parted(((0.49, 0.0), (0.49, 0.9)), 5e-5), never=("parting", "short"), may=("bow",)),
    row("a half in two that gapes by 1 mm under 1.2 bar", "resin pours out of it", lambda: lid_parted(((0.2, 0.0), (0.2, 0.9)), 1e-3, injection=1.2e5, clamps=4e4), must=("parting",), may=("bow", "fibre-wash", "margin", "shut-vent")),
    row("a line from the channel to the vent that gapes", "the vent drinks at once", lambda: lid_parted(((0.49, 0.0), (0.49, 0.45)), 5e-4), must=("short",), may=("bow", "parting")),
    row("a line across that misses the vent", "a hand away from it", lambda: lid_parted(((0.2, 0.0), (0.2, 0.9)), 2e-4), never=("short",), may=("bow", "parting")),
    row("tested with the gauge on the pump", "it reads the pump, not the far end of the bag", lambda: tested(gauge_place="pump"), must=("gauge-place",), may=("leak",)),
    row("tested with the gauge in the flange", "far from the pump, as the trade wants it", lambda: tested(), never=("gauge-place", "gauge-frozen", "gauge-over", "test-volume", "pot-hides")),
    row("a dial of 10 mbar on a small part", "no visible drop in ten minutes: it cannot be seen on it", lambda: tested(school="no-drop", gauge_step=1000.0), must=("gauge-coarse",), may=("leak", "gauge-frozen")),
    row("a fine gauge on a small part", "a tenth of a mbar", lambda: tested(school="no-drop", gauge_step=10.0), never=("gauge-coarse",), may=("leak",)),
    row("a worn pump under a plan for 20 mbar", "it ends at 80: a twelfth of the pull is not there", lambda: job(pump=Pump(ultimate=8000.0)), must=("pump-weak",)),
    row("a pump that ends at 25 mbar under a plan for 20", "nobody sees half a per cent", lambda: job(pump=Pump(ultimate=2500.0)), never=("pump-weak",)),
    row("a weak pump under a plan for as little", "an ejector of 100 mbar, planned with", lambda: job(pump=Pump(ultimate=10_000.0), conditions=Conditions(vacuum=10_000, bucket_below=0.4)), never=("pump-weak",)),
    row("polyester under 5 mbar in a warm shop", "styrene boils at 6 mbar at 20 degrees", lambda: deep("polyester-ortho", 500.0), must=("boils",), may=("gel", "past-life", "reach", "soak", "too-warm")),
    row("polyester under 50 mbar", "throttled, as its shops do", lambda: deep("polyester-ortho", 5000.0), never=("boils",), may=("gel", "past-life", "reach", "soak", "too-warm")),
    row("epoxy under 5 mbar", "nothing in it boils at that", lambda: deep("epoxy-extra-slow", 500.0), never=("boils",), may=("soak",)),
    row("a test too short", "three minutes of a ten minute school", lambda: drop(0.1, 3), must=("leak",)),
)  # fmt: skip
