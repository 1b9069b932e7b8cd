"""In which order vents are shut, and what comes to the catch pot: the same fill with its vents left open, or shut as they are wet."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.findings.fittings import FULLEST
from bibulon.core.flow.forecast import COARSE, Forecast, Resolution, forecast
from bibulon.core.lines.outlets import WAIT
from bibulon.core.model.job import FlowLine, Job
from bibulon.core.model.lines import OnFront
from bibulon.core.units.words import tr

__all__ = [
    "WAYS",
    "VentRow",
    "Way",
    "best_way",
    "pot_needed",
    "vent_rows",
    "vents_in_order",
    "with_way",
]

LATE = 0.05  # of the filling time, over which the last of the flow is taken
Floats = npt.NDArray[np.float64]
Way = Literal["planned", "open", "in order", "all"]
WAYS: dict[Way, str] = {
    "planned": tr("as planned"),
    "open": tr("all stay open"),
    "in order": tr("each shut once it runs clear, the last stays open"),
    "all": tr("each shut once it runs clear"),
}


class VentRow(Struct, frozen=True, eq=False):
    """A way to shut the vents: when all is full [s], inf for never; what is dry [m²]; when each vent is wet [s] and what it takes [kg].

    time [s], taken [kg] of shape (k,): what all vents have taken by then; runs : what goes on running through a full part
    where nothing is shut [kg/s].
    """

    way: Way
    fill_time: float
    dry: float
    wet: dict[str, float]
    took: dict[str, float]
    time: Floats
    taken: Floats
    runs: float = 0.0

    @property
    def caught(self) -> float:
        """Return what comes to the pots in all [kg]."""
        return float(self.taken[-1])


def _vents(job: Job) -> list[FlowLine]:
    return [x for x in job.lines if x.role == "vacuum"]


def _row(way: Way, flow: Forecast) -> VentRow:
    frames, vents = flow.history.frames, [v.id for v in flow.model.network.vents]
    end = flow.fill_time if math.isfinite(flow.fill_time) else frames[-1].time
    all_ = np.array([f.time for f in frames])
    time = np.append(all_[all_ < end], end)
    bled = (
        _upto(time, all_, np.array([f.bled for f in frames]).reshape(len(frames), len(vents))) * flow.density
    )
    fed = np.array([sum(f.fed) for f in frames]) * flow.density
    wet = {}
    for line in _vents(flow.job):
        nodes = flow.model.node_at[flow.model.lines[line.id]]
        times = flow.wet_at[flow.model.lines[line.id]][nodes >= 0]
        wet[line.id] = float(np.nanmin(times)) if len(times) else math.inf
    shut = sum(p.area for p in flow.pockets)
    dry = float(max(shut, flow.dry_area if not flow.filled else 0.0))
    took = {v: float(bled[-1, k]) for k, v in enumerate(vents)}
    early, late = np.interp([end * (1 - LATE), end], all_, fed)
    runs = float(late - early) / (end * LATE) if flow.filled and end > 0 else 0.0
    return VentRow(way, float(flow.fill_time), dry, wet, took, time, bled.sum(axis=1), runs)


def _upto(time: Floats, known: Floats, values: Floats) -> Floats:
    """Return columns of values at times between those known, shape (len(time), columns)."""
    columns = [np.interp(time, known, column) for column in values.T]
    return np.column_stack(columns) if columns else np.zeros((len(time), 0))


def vents_in_order(row: VentRow) -> list[str]:
    """Return the vents in the order in which resin comes to them."""
    return sorted(row.wet, key=lambda v: row.wet[v])


def with_way(job: Job, way: Way, order: Sequence[str], wait: float = WAIT) -> Job:
    """Return the job with its vents shut in a way; ``order`` is that in which they are wet."""
    if way == "planned":
        return job
    stays = set(order[-1:]) if way == "in order" else set(order) if way == "open" else set()
    return job.replaced(
        lines=tuple(
            x.replaced(shuts=None if x.id in stays else OnFront(line=x.id, delay=wait))
            if x.role == "vacuum"
            else x
            for x in job.lines
        )
    )


def vent_rows(
    job: Job, resolution: Resolution = COARSE, cancelled: Callable[[], bool] | None = None
) -> Iterator[VentRow]:
    """Yield a row for every way, as planned first.

    Raises
    ------
    BuildError, OutlineError, Cancelled, FillError : see ``forecast``.
    """
    order: list[str] = []
    seen: list[Job] = []
    for way in WAYS:
        changed = with_way(job, way, order)
        if changed in seen:  # one vent: in order is all open; or it is planned so
            continue
        seen.append(changed)
        row = _row(way, forecast(changed, resolution, cancelled=cancelled))
        order = order or vents_in_order(row)
        yield row


def best_way(rows: Sequence[VentRow], smallest: float) -> VentRow | None:
    """Return the way that leaves least dry, then wastes least; what is dry under ``smallest`` [m²] counts as none."""
    return min(rows, key=lambda r: (r.dry if r.dry > smallest else 0.0, r.caught), default=None)


def pot_needed(row: VentRow, density: float, hoses: float) -> float:
    """Return the pot that holds what comes [m³], no more than six tenths full; ``hoses`` is what runs back out of them [m³]."""
    return (row.caught / density + hoses) / FULLEST
