"""The demo job: an invented petal of an observatory dome."""

from __future__ import annotations

from bibulon.core.library.catalogue import library
from bibulon.core.model.drop_test import Reading
from bibulon.core.model.job import (
    AtTime,
    CatchPot,
    ChargePlan,
    Conditions,
    Corner,
    CutLine,
    Drawn,
    DropTest,
    FlowLine,
    Inset,
    Job,
    Layer,
    MeshExtent,
    MouldCorner,
    Part,
    Seam,
    Zone,
)

__all__ = ["blank_job", "demo_job"]

_STACK = (
    ("biax-600", 0.0, ()),
    ("triax-850", 90.0, ()),
    ("foam-15-grooved", 0.0, ("field",)),
    ("triax-850", 90.0, ()),
    ("biax-600", 0.0, ()),
    ("quad-1200", 0.0, ("foot",)),
    ("peel-85", 0.0, ()),
    ("film-perforated", 0.0, ()),
)

_SEAMS = {1: ((0.9, 0.1), (0.9, 1.4)), 3: ((1.3, 0.18), (1.3, 1.32))}  # splices of both triaxials, well apart


def _petal(margin: float = 0.0, tip: float = 2.3) -> tuple[Corner, ...]:
    """Return the petal's outline, drawn in by a margin [m] and cut off at x = ``tip`` [m]."""
    narrow = 0.21 + (2.3 - tip) * 0.25
    return (
        Corner(x=margin, y=margin, bow=0.11),
        Corner(x=tip, y=0.75 - narrow + margin),
        Corner(x=tip, y=0.75 + narrow - margin, bow=0.11),
        Corner(x=margin, y=1.5 - margin),
    )


def _drop_test() -> tuple[Reading, ...]:
    """Readings of an invented gauge, one each half minute: a small leak, moisture that fades, a needle's scatter."""
    pressures = (
        2100, 2218, 2292, 2334, 2377, 2408, 2444, 2462, 2490, 2488, 2534,
        2538, 2562, 2572, 2587, 2611, 2630, 2639, 2656, 2679, 2683,
    )  # fmt: skip
    return tuple(Reading(time=30.0 * k, pressure=p) for k, p in enumerate(pressures))


def demo_job() -> Job:
    """Return the demo job: cored field, single-skin rim, a second feed that opens too early."""
    shelf = library()
    used = {key: shelf[key] for key, _, _ in _STACK} | {"net-green": shelf["net-green"]}
    resin = shelf["epoxy-slow"]
    assert resin.kind == "resin"
    foot = (Corner(x=0.0, y=0.0), Corner(x=0.13, y=0.0), Corner(x=0.13, y=1.5), Corner(x=0.0, y=1.5))
    return Job(
        name="Observatory dome petal 3",
        mould="P-3",
        part=Part(
            outline=_petal(),
            zones=(
                Zone(id="field", name="Cored field", area=Inset(distance=0.16), kind="cored"),
                Zone(id="foot", name="Foot flange", area=Drawn(outline=foot), kind="flange"),
            ),
            rim_name="Single-skin rim",
            draw_factor=1.04,
            flange=0.07,
            depth=0.22,
            draft_deg=12,
            corners=(
                MouldCorner(id="C1", kind="inside", radius=0.012, angle_deg=70, path=((0.13, 0.05), (0.13, 1.45))),
            ),
            copies=8,
            target_mass=15.0,
        ),
        materials=used,
        stack=tuple(
            Layer(
                id=f"L{k + 1}", material=m, angle_deg=a, zones=z,
                bevel=0.02 if m.startswith("foam") else 0.0,
                seams=(Seam(path=_SEAMS[k]),) if k in _SEAMS else (),
            )
            for k, (m, a, z) in enumerate(_STACK)
        ),
        resin=resin,
        mesh=MeshExtent(material="net-green", outline=_petal(0.04, 2.21)),
        lines=(
            FlowLine(id="F1", label="F1", role="feed", path=((0.07, 0.08), (0.07, 1.42)), hose_length=2.0),
            FlowLine(id="F2", label="F2", role="feed", path=((1.1, 0.22), (1.1, 1.28)), hose_length=3.0, opens=AtTime(time=420)),
            FlowLine(id="V1", label="V1", role="vacuum", path=((2.3, 0.56), (2.3, 0.94)), hose_length=2.0, pot="P1"),
        ),
        pots=(CatchPot(id="P1", label="pot 1", volume=0.012),),
        cut=CutLine(path=((-0.04, 0.75), (2.34, 0.75))),
        conditions=Conditions(vacuum=2000, resin_temperature=295.15, bucket_below=0.4),
        charge=ChargePlan(heel=0.4, catch_pot=0.25, margin=0.08),
        test=DropTest(name="Second test, feed fitted", volume=0.011, readings=_drop_test()),
    )  # fmt: skip


def blank_job() -> Job:
    """Return a new job: a plain panel to change, with nothing laid in it."""
    panel = (Corner(x=0, y=0), Corner(x=1.2, y=0), Corner(x=1.2, y=0.8), Corner(x=0, y=0.8))
    return Job(part=Part(outline=panel), cut=CutLine(path=((-0.03, 0.4), (1.23, 0.4))))
