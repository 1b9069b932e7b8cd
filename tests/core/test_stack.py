import math

import numpy as np
import pytest

from bibulon.core.model.job import Conditions, Corner, Inset, Job, Layer, Part, Zone
from bibulon.core.model.materials import Core, Fabric, Grooves
from bibulon.core.stack.laminate import zone_stack

SQUARE = tuple(Corner(x=x, y=y) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))


def job(materials, *layers, vacuum=1325.0):
    return Job(
        part=Part(outline=SQUARE, zones=(Zone(id="field", name="Field", area=Inset(distance=0.1)),)),
        materials=materials, stack=layers, conditions=Conditions(vacuum=vacuum),
    )  # fmt: skip


CLOTH = Fabric(
    name="c",
    areal_mass=0.6,
    fibre_density=2500,
    vf_ref=0.5,
    p_ref=1e5,
    compaction_exponent=0.1,
    k1=2e-10,
    k2=1e-10,
    k3=1e-11,
)


def test_ply_thickness_and_fraction_at_the_reference_pressure():
    state = zone_stack(job({"c": CLOTH}, Layer(id="a", material="c")), "rim").layers[0]
    assert state.thickness == pytest.approx(0.6 / 2500 / 0.5)  # h = m / (rho Vf)
    assert state.pores == pytest.approx(0.5 * state.thickness)
    np.testing.assert_allclose(state.k_plane, np.diag([2e-10, 1e-10]), rtol=1e-12)


def test_less_pressure_is_looser_and_more_permeable():
    state = zone_stack(job({"c": CLOTH}, Layer(id="a", material="c"), vacuum=51325.0), "rim").layers[0]
    vf = 0.5 * 0.5**0.1
    assert 1 - state.porosity == pytest.approx(vf)
    kozeny = ((1 - vf) ** 3 / vf**2) / (0.5**3 / 0.5**2)
    assert state.k_through == pytest.approx(1e-11 * kozeny)


def test_a_turned_ply_turns_its_permeability():
    state = zone_stack(job({"c": CLOTH}, Layer(id="a", material="c", angle_deg=90)), "rim").layers[0]
    np.testing.assert_allclose(state.k_plane, np.diag([1e-10, 2e-10]), atol=1e-24)
    diagonal = zone_stack(job({"c": CLOTH}, Layer(id="a", material="c", angle_deg=45)), "rim").layers[0]
    assert diagonal.k_plane[0, 1] == pytest.approx(0.5e-10)


def test_core_grooves_and_holes_hold_and_carry():
    core = Core(
        name="k",
        thickness=0.02,
        density=80,
        grooves=Grooves(width=0.002, depth=0.002, pitch=0.02),
        hole_diameter=0.003,
        hole_pitch=0.03,
    )
    state = zone_stack(job({"k": core}, Layer(id="a", material="k", zones=("field",))), "field").layers[0]
    holes = math.pi / 4 * 0.003**2 / 0.03**2 * 0.02
    grooves = 0.002 * (2 * 0.1 - 0.01)
    assert state.pores == pytest.approx(holes + grooves)
    # Poiseuille in a hole: pi d^4 / 128 over one pitch squared
    assert state.k_through == pytest.approx(math.pi * 0.003**4 / 128 / 0.03**2)
    assert zone_stack(job({"k": core}, Layer(id="a", material="k", zones=("field",))), "rim").layers == ()
    assert state.dry_mass == pytest.approx(1.6)


def test_a_plain_core_passes_nothing():
    state = zone_stack(
        job({"k": Core(name="k", thickness=0.01, density=75)}, Layer(id="a", material="k")), "rim"
    ).layers[0]
    assert state.k_through == 0
    assert not state.k_plane.any()
