"""The second demo job: an invented lid for a dust collector, made between two halves of a mould."""

from __future__ import annotations

from bibulon.core.library.catalogue import library, resins
from bibulon.core.model.job import (
    CatchPot,
    ChargePlan,
    Conditions,
    Corner,
    CutLine,
    FlowLine,
    Job,
    Layer,
    Part,
)
from bibulon.core.model.mould import ClosedMould, Cycle, Machine, Rib, UpperMould

__all__ = ["mould_demo_job"]

LONG, WIDE, ROUND = 0.98, 0.90, 0.24


def _rim(by: float = 0.0) -> tuple[Corner, ...]:
    """Return a rectangle with chamfered corners, drawn in by so much [m]."""
    a, x, y = ROUND, LONG, WIDE
    ring = ((a, 0), (x - a, 0), (x, a), (x, y - a), (x - a, y), (a, y), (0, y - a), (0, a))
    return tuple(Corner(x=min(max(px, by), x - by), y=min(max(py, by), y - by)) for px, py in ring)


def mould_demo_job() -> Job:
    """Return the job as it ships: light RTM, from a channel round the rim to a vent in the middle."""
    shelf = library()
    stack = ("mat-450", "mat-450", "quad-1200", "mat-450", "mat-450")
    rim = tuple((c.x, c.y) for c in _rim(0.004))
    channel = FlowLine(
        id="F1", label="F1", role="feed", path=(*rim, rim[0]), bore=0.011, hose_bore=0.010, hose_length=0.8
    )
    vent = FlowLine(
        id="V1", label="V1", role="vacuum", path=((LONG / 2, WIDE / 2),), hose_length=1.0, pot="P1"
    )
    ribs = tuple(
        Rib(id=f"R{k + 1}", path=((x, -0.015), (x, WIDE + 0.015)), stiffness=60_000.0)
        for k, x in enumerate((0.14, 0.315, 0.49, 0.665, 0.84))
    )
    upper = UpperMould(name="Tern glass laminate", thickness=0.009, modulus=16e9, ribs=ribs)
    return Job(
        name="Dust collector lid",
        mould="L-2",
        process="light RTM",
        part=Part(outline=_rim(), cavity=0.0042, depth=0.09, draft_deg=12, face="female", copies=120),
        materials={m: shelf[m] for m in stack},
        stack=tuple(Layer(id=f"L{k + 1}", material=m) for k, m in enumerate(stack)),
        resin=resins()["polyester-low-styrene"],
        lines=(channel, vent),
        pots=(CatchPot(id="P1", label="P1", volume=0.003, regulated=46_000.0),),
        cut=CutLine(path=((-0.05, WIDE / 2), (LONG + 0.05, WIDE / 2))),
        conditions=Conditions(vacuum=46_000.0, resin_temperature=295.15, bucket_below=0.0),
        charge=ChargePlan(heel=0.3, catch_pot=0.05, margin=0.12, width=0.30),
        closed=ClosedMould(
            injection=104_000.0,
            chamber=0.070,
            upper=upper,
            machine=Machine(rate=2.5e-5),
            cycle=Cycle(moulds=2),
        ),
    )
