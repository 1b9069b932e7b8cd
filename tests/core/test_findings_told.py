"""Figures and remedies that findings tell, against sums made here."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from tests.validation import layouts
from tests.validation.layouts import bagged, feed, job, mixed, vacuum

from bibulon.core.findings import judge
from bibulon.core.findings.judge import evidence_of, fault_of, find
from bibulon.core.library.catalogue import library
from bibulon.core.model.job import Bucket, Bypass, CatchPot, Corner, Hose, Manifold, PouredBatch
from bibulon.core.units.figures import worded


def told(made):
    return {f.key: f for f in find(evidence_of(made, None))}


@pytest.mark.parametrize(
    ("clamp", "tube", "found"),
    [
        ("ball valve", "soft", False), ("ball valve", "hard", False), ("screw clamp", "soft", False),
        ("screw clamp", "hard", True), ("pliers", "soft", True),
    ],
)  # fmt: skip
def test_a_bypass_is_shut_by_what_holds_on_its_tube(clamp, tube, found):
    way = Bypass(id="B1", label="B1", feed="F1", pot="P1", clamp=clamp, tube=tube)
    made = job(pots=(CatchPot(id="P1", label="pot"),), bypasses=(way,))
    assert ("bypass:B1" in told(made)) is found


def test_a_remedy_for_one_pipe_changes_that_pipe_s_hose_alone():
    hard = Hose(tube="hard", clamp="pliers")
    pipes = tuple(Manifold(id=f"M{k}", label=f"M{k}", hose=hard) for k in (1, 2))
    made = job(
        lines=(feed(manifold="M1"), feed("F2", ((0.04, 0.02), (0.04, 0.48)), manifold="M2"), vacuum()),
        manifolds=pipes,
    )
    remedy = told(made)["pinch:M2"].remedy
    mended = remedy.apply(made)
    assert [m.hose.clamp for m in mended.manifolds] == ["pliers", "ball valve"]
    assert mended.lines == made.lines
    assert {"pinch:M1"} == {k for k in told(mended) if k.startswith("pinch")}


def test_a_notch_leaves_what_its_own_bucket_holds_under_it():
    notched = Hose(notch=0.01)
    buckets = (
        Bucket(id="A", feeds=("F1",), width=0.20, heel=0.5, batches=(PouredBatch(mass=2.0),)),
        Bucket(id="B", feeds=("F2",), width=0.36, heel=0.5, batches=(PouredBatch(mass=2.0),)),
    )
    made = job(
        lines=(feed(hose=notched), feed("F2", ((0.04, 0.02), (0.04, 0.48)), hose=notched), vacuum()),
        buckets=buckets,
    )
    found = told(made)
    density = made.resin.density
    assert math.pi / 4 * 0.20**2 * 0.01 * density < 0.5 < math.pi / 4 * 0.36**2 * 0.01 * density
    assert "notch:F1" not in found
    assert worded(found["notch:F2"].number, "metric").startswith(
        f"{math.pi / 4 * 0.36**2 * 0.01 * density:.2f} kg"
    )


def lost_in_hose(bore):
    made = layouts.tested(gauge_place="pump")
    lines = (made.lines[0], made.lines[1].replaced(hose_bore=bore, hose_length=2.0))
    evidence = evidence_of(made.replaced(lines=lines), None)
    text = worded(next(f for f in find(evidence) if f.key == "gauge-place").number, "metric")
    return float(text.split()[2]), evidence.leak


def test_what_a_leak_takes_along_a_hose_is_hagen_and_poiseuille_s():
    narrow, leak = lost_in_hose(0.0005)
    # Air at 20 °C has 18.1 µPa s; what leaks in is rise times volume, and takes so much room at the bag's pressure.
    flow = leak.rise_high * leak.volume / leak.start
    by_hand = 128 * 18.1e-6 * 2.0 * flow / (math.pi * 0.0005**4) / 100
    assert narrow == pytest.approx(by_hand, rel=0.06)
    assert lost_in_hose(0.001)[0] == pytest.approx(by_hand / 16, rel=0.06)


def test_too_few_pleats_are_told_in_the_middle_of_their_side():
    made = bagged(depth=0.12)
    sides = [(0.5, 0.0), (1.0, 0.25), (0.5, 0.5), (0.0, 0.25)]  # of the panel, a metre by a half
    places = [f.places[0] for k, f in told(made).items() if k.startswith("few-pleats")]
    assert len(places) == 4
    for place in places:
        assert min(np.hypot(place[0] - x, place[1] - y) for x, y in sides) < 0.12


def of_sheet(name, room):
    """The dose that a sheet's table tells at a temperature [K], read off it here."""
    rows = sorted((d.temperature, d.parts) for d in library()[name].doses)
    return float(np.interp(room, [t for t, _ in rows], [p for _, p in rows]))


@pytest.mark.parametrize(("share", "found"), [(1.28, False), (1.32, True), (0.72, False), (0.68, True)])
def test_a_dose_in_its_band_is_unusual_a_third_off_what_the_sheet_asks(share, found):
    made = mixed("polyester-iso")
    asked = of_sheet("polyester-iso", 293.15)
    dose = share * asked
    if not made.resin.dose_low <= dose <= made.resin.dose_high:
        made = made.replaced(resin=made.resin.replaced(dose_low=0.5 * asked, dose_high=2 * asked))
    assert ("dose-unusual" in told(made.replaced(charge=made.charge.replaced(dose=dose)))) is found


@pytest.mark.parametrize("turned", [0.0, 37.0, 90.0, 135.0])
def test_a_part_that_widens_does_so_whichever_way_it_lies(turned):
    """From 0.25 m to 0.6 m over a metre: at an eighth and seven eighths of the way 0.292 and 0.558 m."""
    made = layouts.wedge(from_wide=False)
    turn = np.radians(turned)
    ways = np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])

    def to(x, y):
        return tuple((np.array([x, y]) @ ways).tolist())

    def round_(outline):
        return tuple(Corner(x=to(c.x, c.y)[0], y=to(c.x, c.y)[1]) for c in outline)

    lines = tuple(x.replaced(path=tuple(to(*p) for p in x.path)) for x in made.lines)
    mesh = made.mesh.replaced(outline=round_(made.mesh.outline))
    made = made.replaced(part=made.part.replaced(outline=round_(made.part.outline)), lines=lines, mesh=mesh)
    (found,) = [f for f in find(evidence_of(made, None)) if f.kind == "widens"]
    near, far = (float(w) for w in re.findall(r"([\d.]+) m\b", worded(found.number, "metric")))
    assert (near, far) == (
        pytest.approx(0.25 + 0.12 * 0.35, abs=0.006),
        pytest.approx(0.25 + 0.88 * 0.35, abs=0.006),
    )


def test_a_rule_that_fails_is_told_and_takes_no_other_along(monkeypatch, caplog):
    def odd_rule(evidence):
        """No two lines may be odd.

        More on it.
        """
        yield from ()
        raise ZeroDivisionError("an odd line")

    made = job(lines=(feed(),))
    before = set(told(made))
    assert "no-vacuum" in before
    monkeypatch.setattr(judge, "RULES", (odd_rule, *judge.RULES))
    with pytest.raises(ZeroDivisionError):  # as all tests have it
        told(made)
    monkeypatch.setattr(judge, "fault_of", fault_of)
    found = told(made)
    assert set(found) == before | {"untold:odd_rule"}
    fault = found["untold:odd_rule"]
    assert (fault.weight, fault.limit, fault.rule) == ("warning", "No two lines may be odd.", "odd_rule")
    assert "an odd line" in caplog.text
