"""The recipe of an injection: what the machine does, until when, with what of pressure, flow and mass, and how long it takes."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.model.machine import machine_rate
from bibulon.core.mould.mould import Mould, mould_of
from bibulon.core.units.figures import figure
from bibulon.core.units.units import clock
from bibulon.core.units.words import tr

__all__ = ["Course", "Cycle", "Stage", "course_of", "cycle_of", "given_rate", "recipe_of"]

Floats = npt.NDArray[np.float64]
CHECK_SHOT = 0.1  # kg that is shot into a cup to see the ratio
AT_ONCE = 5.0  # s within which a machine that comes to its pressure is told to inject by pressure


class Stage(Struct, frozen=True):
    """One stage: what is done and until when, in words with figures; how long [s]; set pressure [Pa], mass by its end [kg]."""

    key: str
    words: str
    until: str
    seconds: float
    pressure: float | None = None
    mass: float | None = None
    caution: str = ""


class Course(Struct, frozen=True, eq=False):
    """What the machine is forecast to do while it injects: time [s], absolute pressure at the inlet [Pa], flow [kg/s], mass [kg]."""

    time: Floats
    pressure: Floats
    flow: Floats
    mass: Floats
    switch: (
        float  # when it goes over from flow to pressure [s]; 0 where it injects by pressure from the start
    )


def course_of(job: Job, forecast: Forecast) -> Course:
    """Return the machine's course, out of the forecast of all its inlets together."""
    frames, end = forecast.history.frames, forecast.fill_time
    if not math.isfinite(end):
        end = frames[-1].time
    time = np.array([f.time for f in frames])
    mass = np.array([sum(f.fed) for f in frames]) * forecast.density
    at = np.array([np.nanmax([p for p in f.at_port if not math.isnan(p)] or [0.0]) for f in frames])
    kept, last = time < end, float(np.interp(end, time, mass))
    at = np.append(at[kept], np.interp(end, time, at))
    time, mass, pressure = np.append(time[kept], end), np.append(mass[kept], last), at + job.conditions.vacuum
    full = job.closed.injection if job.closed.injection is not None else float(pressure.max())
    pressure = np.minimum(pressure, full)  # the step in which a pump comes to it may end a little beyond
    by_rate = given_rate(job) is not None and _reached(time, pressure, full) > AT_ONCE
    if job.closed.machine.ramp > 0:
        time = _raised(job, time, pressure)
        pressure = np.minimum(pressure, job.conditions.atmosphere + job.closed.machine.ramp * time)
    flow = np.diff(mass, prepend=0.0) / np.maximum(np.diff(time, prepend=0.0), 1e-9)
    return Course(time, pressure, flow, mass, _reached(time, pressure, full) if by_rate else 0.0)


def _reached(time: Floats, pressure: Floats, full: float) -> float:
    """Return when the inlet comes to its full pressure [s]; the end where it never does."""
    there = np.flatnonzero(pressure >= full * (1 - 1e-3))
    return float(time[there[0]] if len(there) else time[-1])


def given_rate(job: Job) -> float | None:
    """Return what pumps give all feeds together [m³/s]; None where resin comes by pressure alone."""
    asked = [x.rate for x in job.lines if x.role == "feed"]
    rates = [*asked, machine_rate(job) if None in asked else None]
    return sum(x for x in rates if x is not None) or None


def _raised(job: Job, time: Floats, pressure: Floats) -> Floats:
    """Return when the forecast's times come where the inlet's pressure is raised from the air's by so much a second.

    Behind a pressure that changes a front stands where ∫ (p − p_vac) dt has come.  Where the forecast has the pressure p
    for a time dτ that the rise has not reached yet, it comes at (p_0 − p_vac) dt + r dt²/2 = (p − p_vac) dτ instead, with
    p_0 where the rise stands then.
    """
    vacuum, air, ramp = job.conditions.vacuum, job.conditions.atmosphere, job.closed.machine.ramp
    real = np.empty_like(time)
    now = 0.0
    for k, lasts in enumerate(np.diff(time, prepend=0.0).tolist()):
        whole, start = float(pressure[k]) - vacuum, air + ramp * now - vacuum
        if start >= whole:
            now += lasts
        else:
            rise = (whole - start) / ramp
            spent = (start * rise + ramp * rise**2 / 2) / whole  # of the forecast's time while it rises
            if lasts > spent:
                now += rise + lasts - spent
            else:
                now += (math.sqrt(start**2 + 2 * ramp * whole * lasts) - start) / ramp
        real[k] = now
    return real


def recipe_of(job: Job, forecast: Forecast) -> tuple[Stage, ...]:
    """Return the stages of a shot, in order; times of the injection are those of the forecast."""
    assert job.resin is not None
    closed, machine, resin = job.closed, job.closed.machine, job.resin
    course, mould = course_of(job, forecast), mould_of(job, forecast)
    shot = float(course.mass[-1]) if len(course.mass) else 0.0
    warm = _warming(job, shot)
    limit = _limit(job, mould)
    out = [
        Stage("recirculate", tr("Recirculate and warm to {}", figure(job.conditions.resin_temperature, "temperature")), tr("both sides at temperature"), warm)
    ]  # fmt: skip
    if resin.filler_share > 0:
        out.append(
            Stage(
                "density",
                tr("Weigh a cup of the filled resin"),
                tr("{} within 2 %", figure(resin.density, "density")),
                120.0,
            )
        )
    out += [
        Stage("ratio", tr("Shoot {} apart into two cups", figure(CHECK_SHOT, "mass")), tr("ratio 100 to {0:g} within {1}", resin.parts_b_per_100, figure(resin.ratio_tolerance, "share")), 120.0, None, CHECK_SHOT),
        Stage("flange", tr("Flange to {} below", figure(job.conditions.atmosphere - closed.flange, "pressure")), tr("held 2 min by itself"), 300.0, closed.flange, None,
              tr("Hands out of the mould before the flange is drawn down: it crushes.")),
        Stage("cavity", tr("Cavity to {} below, by its regulator", figure(job.conditions.atmosphere - job.conditions.vacuum, "pressure")), "steady", 120.0, job.conditions.vacuum),
    ]  # fmt: skip
    by_flow = course.switch > 0
    raised = machine.ramp > 0 and limit > job.conditions.atmosphere
    slowly = (
        tr(", raised by no more than {} a minute", figure(60 * machine.ramp, "pressure")) if raised else ""
    )
    if by_flow:
        out.append(
            Stage("flow", tr("Inject {}", figure(given_rate(job) or 0.0, "flow")), tr("the inlet is at {0} absolute{1}", figure(limit, "pressure"), slowly), course.switch, limit,
                  float(np.interp(course.switch, course.time, course.mass)), tr("Relief valve open to nobody; hoses tied."))
        )  # fmt: skip
    rest = max(float(course.time[-1]) - course.switch, 0.0)
    out += [
        Stage("pressure", tr("Inject at {0} absolute{1}", figure(limit, "pressure"), "" if by_flow else slowly), tr("{} are in, and resin stands at the vent", figure(shot, "mass")), rest, limit, shot,
              "" if by_flow else tr("Raise the pressure slowly; relief valve open to nobody, hoses tied.")),
        Stage("clamp", tr("Clamp the inlet, then the machine's pressure off"), tr("inlet shut"), 10.0, None, shot),
        Stage("hold", tr("Cavity up to {} below, flange as it is", figure(job.conditions.atmosphere - closed.holding, "pressure")), tr("gel, by the cup; never before"),
              max(forecast.clock.gel - float(course.time[-1]), 0.0), closed.holding, shot),
        Stage("flush", tr("Flush gun and hose with solvent"), tr("within {} of the last shot", clock(machine.flush_within)), 180.0, None, None, tr("Solvent: air, gloves, no flame.")),
        Stage("demould", tr("Flange up to air, latches off, lift evenly"), "hard", closed.cycle.demould_after_gel),
    ]  # fmt: skip
    return tuple(out)


def _limit(job: Job, mould: Mould) -> float:
    """Return the absolute pressure that may be injected with [Pa]: as planned, no more than the closing rule lets."""
    planned = job.closed.injection if job.closed.injection is not None else job.conditions.atmosphere
    return min(planned, mould.closing.most_injection, job.closed.machine.most)


def _warming(job: Job, mass: float) -> float:
    """Return how long warming takes [s]: m c dT/dt = P − UA (T − T_room), in closed form; inf where the heater is too weak."""
    machine, room, wanted = job.closed.machine, job.charge.room, job.conditions.resin_temperature
    if wanted <= room:
        return 0.0
    heavy = max(mass, 0.1) * (job.resin.specific_heat if job.resin else 1800.0)
    if machine.loss <= 0:
        return heavy * (wanted - room) / max(machine.power, 1e-9)
    highest = room + machine.power / machine.loss
    if highest <= wanted:
        return math.inf
    return heavy / machine.loss * math.log((highest - room) / (highest - wanted))


class Cycle(Struct, frozen=True):
    """A part in a settled series: the shot [kg], how long a mould is taken [s], parts a shift from all moulds."""

    shot: float
    seconds: float
    per_shift: int


def cycle_of(job: Job, forecast: Forecast) -> Cycle:
    """Return the cycle of a mould: loading, closing, filling, gel, until demould, cleaning."""
    c = job.closed.cycle
    course = course_of(job, forecast)
    gel = forecast.clock.gel if forecast.clock.gel < 1e8 else 0.0
    filling = max(float(course.time[-1]), gel)
    seconds = c.loading + c.closing + filling + c.demould_after_gel + c.cleaning
    return Cycle(float(course.mass[-1]), seconds, int(c.shift // seconds) * c.moulds)
