"""All that follows from a closed mould and its fill: forces, bow, what the channel holds, when the vent is wet, what is wasted."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import shapely
from msgspec import Struct
from shapely.geometry import LineString

from bibulon.core.flow.forecast import Forecast
from bibulon.core.geometry.outline import OutlineError
from bibulon.core.geometry.zones import regions
from bibulon.core.model.job import FlowLine, Job
from bibulon.core.mould.bow import Bow, bow_holding, bow_of
from bibulon.core.mould.closing import Closing, closing_of
from bibulon.core.mould.plate import PlateError
from bibulon.core.units.remember import kept_with
from bibulon.core.units.words import tr

__all__ = ["Mould", "hold_time", "inlet_speeds", "mould_of"]


class Mould(Struct, frozen=True):
    """A closed mould filled: forces over time; the upper half when most opens it, and while it is held until gel.

    Both bows are None where ``bow_problem`` says why.  channel_full, vent_wet (first resin at a vent), vents_wet (no
    place along any vent is dry) [s], inf for never; channels [kg] what stays
    in channels and hoses, caught [kg] what goes to the catch pot.  held_for : how long the flange keeps its vacuum when
    the pump stops [s]; inlets : how fast resin goes on from each inlet [m/s], by its line.
    """

    closing: Closing
    bow: Bow | None
    part: Bow | None
    bow_problem: str
    channel_full: float
    vent_wet: float
    vents_wet: float
    channels: float
    caught: float
    held_for: float
    inlets: dict[str, float]

    @property
    def waste(self) -> float:
        """Resin that ends neither in the part nor in the bucket [kg]."""
        return self.channels + self.caught


Floats = npt.NDArray[np.float64]

STARTS = 0.025  # m from an inlet, within which how fast the front goes is not judged


@kept_with(1, 2, 2)
def mould_of(job: Job, forecast: Forecast) -> Mould:
    """Return what follows for a closed mould.

    Raises
    ------
    OutlineError : when the outline is crossed or empty.
    """
    closing = closing_of(job, forecast)
    bow = part = None
    problem = "" if job.part.cavity > 0 else tr("The gap between the halves is not set: it is on Part.")
    if not problem:
        try:
            part = bow_holding(job)
            bow = bow_of(job, forecast, float(closing.time[closing.peak]))
        except (OutlineError, PlateError) as error:
            problem, bow, part = str(error), None, None
    return Mould(
        closing, bow, part, problem, _last(forecast, "feed"), _first(forecast), _last(forecast, "vacuum"), _in_channels(job) * forecast.density,
        forecast.resin_to_catch_pot, hold_time(job), inlet_speeds(job, forecast),
    )  # fmt: skip


def _wet(forecast: Forecast, line: str) -> np.ndarray:
    """Return when each point along a line is wet in its top layer [s]."""
    nodes = forecast.model.node_at[forecast.model.lines[line]]
    top = nodes.shape[1] - 1 - np.argmax((nodes >= 0)[:, ::-1], axis=1)
    return np.asarray(forecast.wet_at[forecast.model.lines[line], top])


def _last(forecast: Forecast, role: str) -> float:
    times = [_wet(forecast, line.id) for line in forecast.job.lines if line.role == role]
    return max((float(np.nanmax(t)) for t in times if len(t)), default=math.inf)


def _first(forecast: Forecast) -> float:
    times = [_wet(forecast, line.id) for line in forecast.job.lines if line.role == "vacuum"]
    return min((float(np.nanmin(t)) for t in times if len(t)), default=math.inf)


def _in_channels(job: Job) -> float:
    """Return the volume of channels and of their hoses [m³]."""
    return sum(_in_channel(line) for line in job.lines if line.role == "feed")


def _in_channel(line: FlowLine) -> float:
    """Return the volume of one feed and of its hose [m³]."""
    along = LineString(line.path).length if len(line.path) > 1 else 0.0
    return math.pi / 4 * (line.bore**2 * along + line.hose_bore**2 * line.hose_length)


def hold_time(job: Job) -> float:
    """Return how long the flange holds by itself when the pump stops [s]: V (p_least − p)/q, until it is under the rule."""
    closed = job.closed
    weakest = job.conditions.atmosphere - job.rules.flange_least
    if closed.reservoir_leak <= 0:
        return math.inf
    return max(closed.reservoir * (weakest - closed.flange) / closed.reservoir_leak, 0.0)


def inlet_speeds(job: Job, forecast: Forecast) -> dict[str, float]:
    """Return the fastest that resin goes on from each inlet into the pores beside it [m/s]: its flow over their open section.

    Not in its first ``STARTS``: with the front at the inlet any pressure drives it fast, for a moment that moves no cloth.
    """
    areas = forecast.model.vertex_areas().sum()
    open_height = float(forecast.model.cloth_volume.sum() / max(areas, 1e-12))
    out: dict[str, float] = {}
    frames = forecast.history.frames
    time = np.array([f.time for f in frames])
    ports = [p.id for p in forecast.model.network.ports]
    for line in job.lines:
        if line.role != "feed" or line.id not in ports or len(frames) < 3:
            continue
        # The open section beside a channel is as long as it is, on each side; beside a single inlet the ring of a tee.
        along = _sides(job, LineString(line.path)) if len(line.path) > 1 else math.pi * 0.025
        section = max(along * open_height, 1e-9)
        fed = np.array([f.fed[ports.index(line.id)] for f in frames])
        out[line.id] = _fastest(time, (fed - _in_channel(line)) / section)
    return out


def _sides(job: Job, path: LineString) -> float:
    """Return how long a line's sides are that cloth lies on [m]: both within a part, one along its rim."""
    whole = regions(job.part).whole
    beside = (whole.intersection(shapely.offset_curve(path, by)).length for by in (STARTS, -STARTS))
    return float(sum(beside)) or float(path.length)


def _fastest(time: Floats, gone: Floats) -> float:
    """Return the highest speed [m/s] from ``STARTS`` on of what has gone so far [m] by times [s].

    The mean of a step is the speed at its middle, where the flow is steady and where it falls as 1/x; between middles, and
    back to where it starts to count, speed goes by a power of the way.
    """
    step = np.diff(time)
    middle, speed = (gone[1:] + gone[:-1]) / 2, np.diff(gone) / np.maximum(step, 1e-12)
    real = (gone[:-1] >= 0) & (step > 0) & (speed > 0)
    middle, speed = middle[real], speed[real]
    if not len(middle) or middle[-1] < STARTS:
        return 0.0
    way, told = np.log(middle), np.log(speed)
    start = math.log(STARTS)
    if len(way) > 1 and way[0] > start:
        fall = min(max((told[0] - told[1]) / max(way[1] - way[0], 1e-12), 0.0), 1.0)
        first = told[0] + fall * (way[0] - start)
    else:
        first = float(np.interp(start, way, told))
    return float(math.exp(max(first, told[way >= start].max(initial=-np.inf))))
