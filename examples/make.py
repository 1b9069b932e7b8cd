"""The textbook jobs of this folder, one JSON a case, with the closed forms that they are held to.

Usage: python examples/make.py   (with src on the path) writes the JSON files anew.
"""

from __future__ import annotations

from bibulon.core.model.base import checked
from bibulon.store.raw import job_from

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.integrate import quad
from scipy.optimize import brentq

from bibulon.core.flow.build.builder import GRAVITY
from bibulon.core.model.job import (
    AtTime,
    Bucket,
    Conditions,
    Corner,
    Drawn,
    FlowLine,
    Inset,
    Job,
    Layer,
    MeshExtent,
    OnFront,
    Part,
    PouredBatch,
    Spot,
    Zone,
)
from bibulon.core.model.materials import (
    CastroMacosko,
    ConstantViscosity,
    FlowMesh,
    KamalSourour,
    PorousLayer,
    Resin,
    TabulatedViscosity,
)
from bibulon.store.jobfile import save

HERE = Path(__file__).parent
PULL, MU, PHI, K = 1.0e5, 0.1, 0.5, 1.0e-10  # Pa, Pa s, –, m²
WIDTH, THICK = 0.3, 0.005  # m, of the strips
UNIT = PHI * MU / (K * PULL)  # s/m²: a strip is wet at UNIT x²/2


@dataclass(frozen=True)
class Check:
    """The mean time [s] at which some places [m] are wet, by a closed form."""

    what: str
    places: tuple[tuple[float, float], ...]
    exact: float


@dataclass(frozen=True)
class Case:
    """A job, what it is held to, and the law."""

    job: Job
    law: str
    checks: tuple[Check, ...]


def cloth(k: float, k2: float | None = None) -> PorousLayer:
    """A layer given outright."""
    return PorousLayer(name="Cloth given outright", thickness=THICK, porosity=PHI, k1=k, k2=k2 or k, k3=k)


def corners(*points: tuple[float, float]) -> tuple[Corner, ...]:
    """An outline of straight sides."""
    return tuple(Corner(x=x, y=y) for x, y in points)


STRIP = corners((0, 0), (1, 0), (1, WIDTH), (0, WIDTH))


def line(label: str, role: str, *path: tuple[float, float], **fields: object) -> FlowLine:
    """A line that takes no pressure unless told otherwise."""
    return checked(FlowLine, 
        {"id": label, "label": label, "role": role, "path": path, "bore": 0, **fields}
    )


FEED, VACUUM = line("F1", "feed", (0, 0), (0, WIDTH)), line("V1", "vacuum", (1, 0), (1, WIDTH))


def textbook(name: str, **fields: object) -> Job:
    """A job in SI round numbers: 1 bar of pull, 100 mPa s; a strip 1.0 m by 0.3 m unless told otherwise."""
    return job_from(
        {
            "name": name,
            "part": Part(outline=STRIP),
            "resin": Resin(name="Constant oil", viscosity=ConstantViscosity(value=MU), density=1000.0),
            "conditions": Conditions(atmosphere=PULL, vacuum=0.0, bucket_below=0.0, mixed_before_start=0.0),
            "materials": {"cloth": cloth(K)},
            "stack": (Layer(id="L1", material="cloth"),),
            "lines": (FEED, VACUUM),
            **fields,
        }
    )


def across(x: float) -> tuple[tuple[float, float], ...]:
    """Places across the strip: single points carry the mesh's grain."""
    return tuple((x, float(y)) for y in np.linspace(0.03, 0.27, 7))


def at(xs: tuple[float, ...], law: Callable[[float], float]) -> tuple[Check, ...]:
    """Checks across a strip."""
    return tuple(Check(f"at {x:g} m", across(x), law(x)) for x in xs)


def strip() -> Case:
    """T = φ μ x² / 2 K Δp."""
    return Case(
        textbook("Strip fed along one end"), "t = φμx²/2KΔp", at((0.4, 0.6, 0.8), lambda x: UNIT * x * x / 2)
    )


def rate() -> Case:
    """At a fixed rate the front goes evenly; once at the cap it slows as a strip at constant pressure."""
    half = 0.5
    q = K * WIDTH * THICK * PULL / (MU * half)  # the pull is all used when the front is at half
    job = textbook("Strip fed by a pump", lines=(FEED.replaced(**{"rate": q}), VACUUM))
    even = PHI * WIDTH * THICK / q

    def law(x: float) -> float:
        return even * x if x <= half else even * half + UNIT * (x * x - half * half) / 2

    return Case(job, "t = φAx/q, then x² grows evenly", at((0.3, 0.45, 0.7, 0.9), law))


def disc_outline(radius: float) -> tuple[Corner, ...]:
    """A circle of four arcs."""
    bow = radius * (1 - math.sqrt(0.5))
    return tuple(
        Corner(x=radius * math.cos(a), y=radius * math.sin(a), bow=bow) for a in np.arange(4) * math.pi / 2
    )


def ring(radius: float, ratio: float = 1.0, turn: float = 0.0) -> tuple[tuple[float, float], ...]:
    """A circle, or an ellipse of the same area with axes in a ratio², turned [rad]."""
    t = 2 * np.pi * np.arange(73) / 72
    x, y = radius * ratio * np.cos(t), radius / ratio * np.sin(t)
    points = np.c_[x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)]
    points[-1] = points[0]
    return tuple((float(a), float(b)) for a, b in points)


def out(radius: float, r0: float, k: float = K) -> float:
    """Radial law outward."""
    return PHI * MU / (4 * k * PULL) * (2 * radius**2 * math.log(radius / r0) - radius**2 + r0**2)


def disc() -> Case:
    """Fed from a ring of 0.05 m at the middle."""
    job = textbook(
        "Disc fed from a ring", part=Part(outline=disc_outline(0.5)), lines=(line("F1", "feed", *ring(0.05)),)
    )
    checks = tuple(Check(f"at {r:g} m", ring(r)[1::2], out(r, 0.05)) for r in (0.25, 0.35, 0.45))
    return Case(job, "t = φμ/4KΔp (2R² ln R/r0 − R² + r0²)", checks)


def disc_inward() -> Case:
    """Fed all along its edge."""
    edge = 0.5
    job = textbook(
        "Disc fed all round",
        part=Part(outline=disc_outline(edge)),
        lines=(line("F1", "feed", *ring(edge * 0.9999)),),
    )
    law = {r: UNIT / 4 * (edge**2 - r**2 - 2 * r**2 * math.log(edge / r)) for r in (0.3, 0.2, 0.1)}
    return Case(
        job,
        "t = φμ/4KΔp (R² − r² − 2r² ln R/r)",
        tuple(Check(f"at {r:g} m", ring(r)[1::2], t) for r, t in law.items()),
    )


def ellipse() -> Case:
    """Cloth four times as permeable along 30° as across, fed from the ellipse that fits it."""
    k1, k2, turn = 4e-10, 1e-10, math.radians(30)
    ratio, mean = (k1 / k2) ** 0.25, math.sqrt(k1 * k2)
    job = textbook(
        "Directional cloth, turned 30°",
        part=Part(outline=corners((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))),
        materials={"cloth": cloth(k1, k2)},
        stack=(Layer(id="L1", material="cloth", angle_deg=30),),
        lines=(line("F1", "feed", *ring(0.06, ratio, turn)),),
    )
    checks = tuple(
        Check(f"ellipse {r:g} m", ring(r, ratio, turn)[1::2], out(r, 0.06, mean)) for r in (0.26, 0.29, 0.32)
    )
    return Case(job, "radial law in the metric of K⁻¹", checks)


def series(near: float, far: float) -> Case:
    """Two halves of different permeability [m²]."""
    half = Zone(
        id="far", name="Far half", area=Drawn(outline=corners((0.5, 0), (1, 0), (1, WIDTH), (0.5, WIDTH)))
    )
    job = textbook(
        "Two zones in series",
        part=Part(outline=STRIP, zones=(half,), rim_name="Near half"),
        materials={"near": cloth(near), "far": cloth(far)},
        stack=(
            Layer(id="L1", material="near", zones=("rim",)),
            Layer(id="L2", material="far", zones=("far",)),
        ),
    )

    def law(x: float) -> float:
        reached, beyond = min(x, 0.5), max(x - 0.5, 0.0)
        return PHI * MU / PULL * (reached**2 / (2 * near) + 0.5 * beyond / near + beyond**2 / (2 * far))

    return Case(job, "φμ/Δp (l²/2K1 + l x'/K1 + x'²/2K2)", at((0.35, 0.7, 0.9), law))


def two_ways() -> Case:
    """The same directional cloth, eight times as permeable along as across, laid along and then across the strip."""
    k1, k2 = 8e-10, 1e-10
    far = Zone(
        id="far", name="Far half", area=Drawn(outline=corners((0.5, 0), (1, 0), (1, WIDTH), (0.5, WIDTH)))
    )
    job = textbook(
        "Cloth laid two ways",
        part=Part(outline=STRIP, zones=(far,), rim_name="Near half"),
        materials={"cloth": cloth(k1, k2)},
        stack=(
            Layer(id="L1", material="cloth", zones=("rim",)),
            Layer(id="L2", material="cloth", zones=("far",), angle_deg=90),
        ),
    )

    def law(x: float) -> float:
        beyond = max(x - 0.5, 0.0)
        return PHI * MU / PULL * (0.125 / k1 + 0.5 * beyond / k1 + beyond**2 / (2 * k2))

    return Case(job, "two zones in series, K1 then K2", at((0.75, 0.85, 0.95), law))


def side_by_side() -> Case:
    """Two strips of different permeability with a wall between them: each keeps its own law."""
    wall = corners((-0.01, 0.135), (0.98, 0.135), (0.98, 0.165), (-0.01, 0.165))
    fast = Zone(
        id="fast", name="Fast side", area=Drawn(outline=corners((0, 0.15), (1, 0.15), (1, WIDTH), (0, WIDTH)))
    )
    job = textbook(
        "Two strips with a wall between",
        part=Part(outline=STRIP, holes=(wall,), zones=(fast,), rim_name="Slow side"),
        materials={"slow": cloth(K), "fast": cloth(3 * K)},
        stack=(
            Layer(id="L1", material="slow", zones=("rim",)),
            Layer(id="L2", material="fast", zones=("fast",)),
        ),
        lines=(line("F1", "feed", (0, 0), (0, 0.135)), line("F2", "feed", (0, 0.165), (0, WIDTH)), VACUUM),
    )
    slow = tuple((0.9, float(y)) for y in np.linspace(0.02, 0.12, 6))
    quick = tuple((0.8, float(y)) for y in np.linspace(0.18, 0.28, 6))
    checks = (Check("slow side", slow, UNIT * 0.405), Check("fast side", quick, UNIT * 0.32 / 3))
    return Case(job, "each t = φμx²/2KΔp", checks)


def second_feed(delay: float) -> Case:
    """A second feed at half length, opened when the front has passed it, and ``delay`` s later."""
    second = line("F2", "feed", (0.5, 0), (0.5, WIDTH), opens=OnFront(line="F2", delay=delay))
    job = textbook("Second feed on the front" + (", late" if delay else ""), lines=(FEED, second, VACUUM))
    opens = UNIT * 0.125 + delay
    there = math.sqrt(2 * opens / UNIT)

    def law(x: float) -> float:
        return opens + UNIT * ((x - 0.5) ** 2 - (there - 0.5) ** 2) / 2

    return Case(job, "from the second feed on as a strip of its own", at((0.75, 0.85, 0.95), law))


def thickening() -> Case:
    """A pot whose viscosity grows e-fold in 600 s: x² = 2KΔp/φ ∫dt/μ."""
    growth = 600.0
    times = tuple(float(t) for t in np.linspace(0, 2400, 25))
    law = TabulatedViscosity(times=times, values=tuple(MU * math.exp(t / growth) for t in times))
    job = textbook("Thickening resin", resin=Resin(name="Thickening", viscosity=law, density=1000.0))
    return Case(
        job,
        "∫dt/μ = φx²/2KΔp",
        at((0.3, 0.35, 0.4), lambda x: -growth * math.log(1 - UNIT * x * x / 2 / growth)),
    )


def hose() -> Case:
    """A strip behind 2 m of 5 mm hose and a wide spiral: resistances in series."""
    bore, length, spiral = 0.005, 2.0, 0.02
    feed = line("F1", "feed", (0, 0), (0, WIDTH), bore=spiral, hose_bore=bore, hose_length=length)
    job = textbook("Strip behind a hose", lines=(feed, VACUUM))
    resistance = 128 * length / (math.pi * bore**4)
    volume = math.pi / 4 * (bore**2 * length + spiral**2 * WIDTH)
    area = WIDTH * THICK

    def law(x: float) -> float:
        return MU / PULL * (resistance * volume + PHI * area * (resistance * x + x * x / (2 * K * area)))

    return Case(job, "t = μ/Δp (R V + φA(Rx + x²/2KA))", at((0.3, 0.5, 0.8), law))


def plate() -> Case:
    """A square plate fed all round closes in its middle: Duvaut's u is Poisson's torsion function."""
    side = 0.6
    outline = corners((0, 0), (side, 0), (side, side), (0, side))
    loop = line("F1", "feed", (0, 0), (side, 0), (side, side), (0, side), (0, 0))
    middle = tuple(
        (side / 2 + dx, side / 2 + dy)
        for dx, dy in ((0, 0), (0.004, 0), (-0.004, 0), (0, 0.004), (0, -0.004))
    )
    job = textbook("Plate fed all round", part=Part(outline=outline), lines=(loop,))
    return Case(job, "t = 0.073671 φμa²/KΔp", (Check("middle", middle, 0.0736713 * UNIT * side**2),))


def leaking(name: str, split: float, ratio: float) -> Case:
    """Two strips side by side with nothing between them, ``ratio`` apart in permeability; held to a grid solved apart."""
    fast = Zone(
        id="fast",
        name="Fast side",
        area=Drawn(outline=corners((0, split), (1, split), (1, WIDTH), (0, WIDTH))),
    )
    job = textbook(
        name,
        part=Part(outline=STRIP, zones=(fast,), rim_name="Slow side"),
        materials={"slow": cloth(K), "fast": cloth(ratio * K)},
        stack=(
            Layer(id="L1", material="slow", zones=("rim",)),
            Layer(id="L2", material="fast", zones=("fast",)),
        ),
        lines=(FEED, VACUUM.replaced(**{"membrane": True})),
    )
    return Case(job, "a grid solved cell by cell (tests/validation/grid.py)", ())


def mesh_over_cloth() -> Case:
    """Flow mesh on four thick layers: resin races in it and soaks down; held to a cross-section solved apart."""
    net = FlowMesh(name="Net given outright", thickness=0.001, porosity=0.8, k1=2e-9, k2=2e-9, k3=2e-9)
    job = textbook(
        "Mesh over cloth",
        materials={"cloth": PorousLayer(name="Cloth given outright", thickness=0.002, porosity=PHI, k1=K, k2=K, k3=1e-12),
                   "net": net},
        stack=tuple(Layer(id=f"L{k}", material="cloth") for k in range(1, 5)),
        mesh=MeshExtent(material="net", outline=STRIP),
        lines=(FEED, VACUUM.replaced(**{"membrane": True})),
    )  # fmt: skip
    return Case(job, "a cross-section solved cell by cell (tests/validation/grid.py)", ())


def from_entry() -> Case:
    """Mixed as it enters, thickening e-fold in 2400 s: X = √(cτ/μ0) arctan √(e^(2t/τ) − 1), c = KΔp/φ.

    From Δp = (φ X'/K) ∫μ(t − s) X'(s) ds, the drop over resin of every age in its place.
    """
    growth = 2400.0
    times = tuple(float(t) for t in np.linspace(0, 7200, 61))
    law = TabulatedViscosity(times=times, values=tuple(MU * math.exp(t / growth) for t in times))
    head = Bucket(id="head", heel=0.0, batches=(PouredBatch(mass=50.0, mixed=None),))
    job = textbook(
        "Mixed as it enters", resin=Resin(name="Thickening", viscosity=law, density=1000.0), buckets=(head,)
    )
    scale = math.sqrt(MU * PHI / (K * PULL * growth))
    return Case(
        job,
        "t = −τ ln cos(x √(φμ0/KΔpτ))",
        at((0.5, 0.65, 0.8), lambda x: -growth * math.log(math.cos(x * scale))),
    )


def one_pot() -> Case:
    """One pot that cures as it lies, dα/dt = k (1 − α): the same age everywhere."""
    k = 1.5e-4
    cure = KamalSourour(a1=k, e1=0.0, a2=0.0, e2=0.0, m=1.0, n=1.0)
    law = CastroMacosko(mu0=MU, energy=0.0, alpha_gel=0.5, c1=1.2, c2=0.0, cure=cure)
    job = textbook("One ageing pot", resin=Resin(name="Curing", viscosity=law, density=1000.0))

    def flowed(t: float) -> float:
        return quad(lambda s: ((0.5 - (1 - math.exp(-k * s))) / 0.5) ** 1.2 / MU, 0, t)[0]

    def wet(x: float) -> float:
        return brentq(lambda t: flowed(t) - PHI * x * x / (2 * K * PULL), 1.0, math.log(2) / k)

    return Case(job, "∫dt/μ(α) = φx²/2KΔp, α = 1 − e^(−kt)", at((0.4, 0.55, 0.7), wet))


def standing(slope: float, pull: float, name: str) -> Case:
    """A strip that rises by ``slope`` m a m: φμ x x'/K = Δp − ρ g s x."""
    spots = (Spot(x=0, y=0, z=0), Spot(x=1, y=0, z=slope))
    lift = 1000.0 * GRAVITY * slope / pull  # share of the pull that 1 m takes
    unit = PHI * MU / (K * pull)

    def law(x: float) -> float:
        return unit * (-x / lift - math.log(1 - lift * x) / lift**2)

    job = textbook(
        name,
        part=Part(outline=STRIP, heights=spots),
        conditions=Conditions(atmosphere=PULL, vacuum=PULL - pull, bucket_below=0.0, mixed_before_start=0.0),
    )
    return Case(job, "t = φμ/K (−x/γ − Δp ln(1 − γx/Δp)/γ²), γ = ρg sin", at((0.5, 0.7, 0.9), law))


def closed_end() -> Case:
    """No way out for the air, at 0.2 bar: φμ x x'/K = p − p0 L/(L − x)."""
    p0 = 2e4
    job = textbook(
        "Closed end with gas",
        lines=(FEED,),
        conditions=Conditions(atmosphere=PULL, vacuum=p0, bucket_below=0.0, mixed_before_start=0.0),
    )

    def law(x: float) -> float:
        return quad(lambda s: PHI * MU * s / (K * (PULL - p0 / (1 - s))), 0, x)[0]

    return Case(job, "t = ∫φμ x dx / K (p − p0 L/(L − x))", at((0.4, 0.6, 0.7), law))


def vent_in_the_way(membrane: bool) -> Case:
    """A vacuum line at half length: open it bleeds until it is shut; a membrane lets nothing through."""
    shut = 800.0
    vent = line("V1", "vacuum", (0.5, 0), (0.5, WIDTH), membrane=membrane)
    if not membrane:
        vent = vent.replaced(**{"shuts": AtTime(time=shut)})
    wet = UNIT * 0.125

    def law(x: float) -> float:
        return (wet if membrane else shut) + UNIT * (x * x - 0.25) / 2

    name = "Membrane at half length" if membrane else "Open vacuum line at half length, shut later"
    return Case(textbook(name, lines=(FEED, vent)), "t = t_shut + φμ(x² − l²)/2KΔp", at((0.7, 0.85), law))


def hole_inset() -> Case:
    """A zone by its edge distance with the same cloth changes nothing: the mesh follows it, the flow does not."""
    zone = Zone(id="inner", name="Inner", area=Inset(distance=0.06))
    job = textbook("Strip with an idle zone", part=Part(outline=STRIP, zones=(zone,)))
    return Case(job, "t = φμx²/2KΔp", at((0.3, 0.6, 0.9), lambda x: UNIT * x * x / 2))


CASES: dict[str, Callable[[], Case]] = {
    "strip": strip,
    "strip-pump": rate,
    "strip-idle-zone": hole_inset,
    "disc": disc,
    "disc-inward": disc_inward,
    "ellipse": ellipse,
    "series-fast-slow": lambda: series(2e-10, 5e-11),
    "series-slow-fast": lambda: series(5e-11, 2e-10),
    "two-ways": two_ways,
    "side-by-side": side_by_side,
    "second-feed": lambda: second_feed(0.0),
    "second-feed-late": lambda: second_feed(120.0),
    "thickening": thickening,
    "hose": hose,
    "plate": plate,
    "leaking": lambda: leaking("Two strips that leak into each other", 0.15, 3.0),
    "channel": lambda: leaking("Narrow channel beside cloth", 0.26, 12.0),
    "mesh-over-cloth": mesh_over_cloth,
    "one-pot": one_pot,
    "from-entry": from_entry,
    "standing-up": lambda: standing(0.9, 3e4, "Strip fed from below"),
    "standing-down": lambda: standing(-0.9, 3e4, "Strip fed from above"),
    "standing-limit": lambda: standing(0.9, 1e4, "Strip near its hydrostatic limit"),
    "closed-end": closed_end,
    "vent-open": lambda: vent_in_the_way(membrane=False),
    "vent-membrane": lambda: vent_in_the_way(membrane=True),
}

if __name__ == "__main__":
    for name, make in CASES.items():
        save(make().job, HERE / f"{name}.json")
