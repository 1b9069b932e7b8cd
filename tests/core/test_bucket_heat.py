"""A bucket that heats itself: adiabatic in closed form, against a fine integration of its own, and by common sense."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bibulon.core.library.catalogue import resins
from bibulon.core.resin.bucket import POT, Losses, Vessel, bucket_heat, fitted_heat, limit_of, safe_batch

NONE = Losses(0.0, 0.0, 0.0, 0.0)
SHIPPED = resins()["epoxy-slow"]
# The shipped law sets fast for its sheet; a tenth of its pace, with a usual heat, is a slow infusion epoxy.
EPOXY = SHIPPED.replaced(
    viscosity=SHIPPED.viscosity.replaced(cure=SHIPPED.viscosity.cure.replaced(a1=24000.0, a2=270000.0))
)


def test_without_losses_it_warms_by_the_heat_of_what_has_cured():
    """T = T0 + H (α − α0) / c, stirred and in the core alike."""
    run = bucket_heat(EPOXY, 3.0, 295.15, 295.15, losses=NONE)
    cool = run.stirred < 570
    wanted = 295.15 + EPOXY.heat * (run.cured - 1e-4) / EPOXY.specific_heat
    assert run.stirred[cool] == pytest.approx(wanted[cool], abs=0.05)
    both = cool & (run.core < 570)
    assert run.core[both] == pytest.approx(run.stirred[both], abs=0.3)


def by_hand(mass, start, room, vessel, losses, level, step=0.25):
    """Runge–Kutta of fourth order in small even steps, written out apart from the program."""
    law = EPOXY.viscosity.cure
    fill = mass / EPOXY.density / (math.pi * vessel.width**2 / 4)
    floor = math.pi * vessel.width**2 / 4
    ua = losses.wall * math.pi * vessel.width * fill + (losses.floor + losses.surface) * floor

    def change(temp, alpha):
        k = [a * math.exp(-e / (8.314462618 * temp)) for a, e in ((law.a1, law.e1), (law.a2, law.e2))]
        rate = (k[0] + k[1] * max(alpha, 0.0) ** law.m) * max(1 - alpha, 0.0) ** law.n
        return EPOXY.heat / EPOXY.specific_heat * rate - ua * (temp - room) / (
            mass * EPOXY.specific_heat
        ), rate

    temp, alpha, t = start, 1e-4, 0.0
    while temp < level and t < 20_000:
        a = change(temp, alpha)
        b = change(temp + step / 2 * a[0], alpha + step / 2 * a[1])
        c = change(temp + step / 2 * b[0], alpha + step / 2 * b[1])
        d = change(temp + step * c[0], alpha + step * c[1])
        temp += step / 6 * (a[0] + 2 * b[0] + 2 * c[0] + d[0])
        alpha += step / 6 * (a[1] + 2 * b[1] + 2 * c[1] + d[1])
        t += step
    return t


@pytest.mark.parametrize(("mass", "start"), [(2.0, 295.15), (5.0, 295.15), (5.0, 303.15)])
def test_times_are_those_of_a_fine_integration(mass, start):
    run = bucket_heat(EPOXY, mass, start, 295.15)
    for level in (308.15, 318.15):
        wanted = by_hand(mass, start, 295.15, Vessel(), Losses(), level)
        if wanted < 20_000:
            assert run.reaches(level, core=False) == pytest.approx(wanted, rel=0.01)


def test_conduction_to_a_closed_form():
    """A plate without reaction, its faces held by water that takes all: the slowest cosine dies by π²κt/4X²."""
    inert = EPOXY.replaced(heat=1.0)  # J/kg: next to none
    tray = Vessel("tray", 0.5)
    run = bucket_heat(inert, 8.0, 320.0, 290.0, tray, Losses(0.0, 1e5, 1e5, 0.0))
    half = 8.0 / inert.density / 0.25 / 2
    kappa = inert.conductivity / (inert.density * inert.specific_heat)
    for k in (20, 40, 80):
        t = run.time[k]
        series = sum(
            4
            / math.pi
            * (-1) ** n
            / (2 * n + 1)
            * math.exp(-(((2 * n + 1) * math.pi / 2 / half) ** 2) * kappa * t)
            for n in range(60)
        )
        assert run.core[k] - 290 == pytest.approx(30 * series, abs=0.3)


def test_a_larger_batch_a_warmer_start_and_a_smaller_surface_shorten_its_life():
    def life(mass=3.0, start=295.15, vessel=POT):
        return bucket_heat(EPOXY, mass, start, 295.15, vessel).life

    assert life(6.0)[0] < life(3.0)[0]
    assert life(start=303.15)[0] < life()[0]
    assert life(vessel=Vessel("tray", 0.6))[0] > life()[0]
    assert all(a <= b for a, b in (life(), life(6.0), life(vessel=Vessel("bath", 0.25))))


def test_a_bath_cools_the_skin_and_not_the_core():
    """Unstirred, five kilograms run away at nearly the time of no bath, while stirred ones would keep."""
    dry, wet = (bucket_heat(EPOXY, 5.0, 295.15, 295.15, Vessel(kind)) for kind in ("pot", "bath"))
    assert wet.reaches(318.15, core=True) < 1.25 * dry.reaches(318.15, core=True)
    assert wet.reaches(318.15, core=False) > 1.5 * dry.reaches(318.15, core=False)


def test_the_heat_is_fitted_so_that_the_sheets_pot_life_is_met():
    heat, life = fitted_heat(SHIPPED)
    assert life == pytest.approx(SHIPPED.pot_life, rel=0.02)
    again = bucket_heat(SHIPPED.replaced(heat=heat), SHIPPED.largest_batch, 296.15, 296.15)
    assert again.gels(core=True) == pytest.approx(SHIPPED.pot_life, rel=0.02)
    with pytest.raises(ValueError, match="no cure law"):
        fitted_heat(resins()["polyester-fast"])


def test_the_safe_batch_is_the_largest_that_holds():
    hold = 6000.0
    mass = safe_batch(EPOXY, hold, 295.15, 295.15)
    assert 0.05 < mass < 200
    assert bucket_heat(EPOXY, mass, 295.15, 295.15).life[0] >= hold
    assert bucket_heat(EPOXY, mass * 1.05, 295.15, 295.15).life[0] < hold


def test_limits_and_resins_without_a_law():
    assert limit_of(295.15) == pytest.approx(310.15)
    assert limit_of(313.15) == pytest.approx(318.15)
    with pytest.raises(ValueError, match="no cure law"):
        bucket_heat(resins()["polyester-fast"], 3.0, 295.15, 295.15)
    assert np.isfinite(bucket_heat(EPOXY, 0.1, 295.15, 295.15).stirred).all()
