"""What the trade knows of cure, written down before the program was asked: thin stays cool, thick runs hot, cold stands still."""

from __future__ import annotations

import pytest

from bibulon.core.findings.judge import evidence_of, find
from bibulon.core.flow.forecast import Resolution, forecast
from bibulon.core.library.catalogue import library
from bibulon.core.library.demo import demo_job
from bibulon.core.model.cure import CureStep
from bibulon.core.model.job import Corner, Job, Layer, Part
from bibulon.core.model.lines import FlowLine

SHELF = library()
RIM = (Corner(x=0, y=0), Corner(x=0.5, y=0), Corner(x=0.5, y=0.3), Corner(x=0, y=0.3))
DEMO = demo_job()


def panel(resin: str, plies: int, shop: float = 22.0, **cure) -> Job:
    """A small panel of biaxial cloth, some 0.5 mm a ply, from one side to the other."""
    stack = tuple(Layer(id=f"L{k + 1}", material="biax-600") for k in range(plies))
    return Job(
        part=Part(outline=RIM), materials={"biax-600": SHELF["biax-600"]}, stack=stack, resin=SHELF[resin],
        lines=(
            FlowLine(id="F1", label="F1", role="feed", path=((0.01, 0.02), (0.01, 0.28))),
            FlowLine(id="V1", label="V1", role="vacuum", path=((0.49, 0.02), (0.49, 0.28))),
        ),
        conditions=DEMO.conditions.replaced(resin_temperature=273.15 + shop), cure=DEMO.cure.replaced(**cure),
    )  # fmt: skip


def told(job: Job) -> set[str]:
    found = find(evidence_of(job, forecast(job, Resolution(300, 1, 8))))
    return {f.kind for f in found if f.station == "Cure"}


ROWS = [
    ("a thin skin of slow epoxy stays near the shop's warmth", panel("epoxy-slow", 4), set(), {"cure-hot", "cure-cold"}),
    ("a thin skin of vinyl ester stays near it too", panel("vinylester", 4), set(), {"cure-hot"}),
    ("a thin skin of polyester stays near it too", panel("polyester-ortho", 5), set(), {"cure-hot"}),
    ("50 mm of vinyl ester in one shot runs away", panel("vinylester", 110), {"cure-hot"}, set()),
    ("50 mm of orthophthalic polyester runs away", panel("polyester-ortho", 110), {"cure-hot"}, set()),
    ("10 mm of extra slow epoxy stays within what tools bear", panel("epoxy-extra-slow", 20), set(), {"cure-hot"}),
    ("epoxy in a shop at 3 °C does not get hard in two days", panel("epoxy-extra-slow", 4, 3.0), {"cure-cold"}, {"cure-hot"}),
    ("the same epoxy at 24 °C does", panel("epoxy-medium", 4, 24.0), set(), {"cure-cold"}),
    ("let go after half an hour, slow epoxy has not gelled", panel("epoxy-extra-slow", 4, taken_out=1800.0), {"released"}, set()),
    ("straight to 80 °C in an hour, a part cured in the shop sags", panel("epoxy-medium", 6, steps=(CureStep(temperature=353.15, ramp=60 / 3600, hold=7200.0),)), {"post-over"}, set()),
    ("by ten kelvin an hour to 50 °C it does not", panel("epoxy-medium", 6, steps=(CureStep(temperature=308.15, ramp=10 / 3600, hold=14400.0), CureStep(temperature=318.15, ramp=10 / 3600, hold=14400.0))), set(), {"post-over"}),
]  # fmt: skip


@pytest.mark.parametrize(("job", "wanted", "never"), [r[1:] for r in ROWS], ids=[r[0] for r in ROWS])
def test_the_trade_knows(job, wanted, never):
    found = told(job)
    assert wanted <= found
    assert not never & found
