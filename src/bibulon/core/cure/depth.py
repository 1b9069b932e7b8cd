"""What happens through the thickness of one place: temperature of tool, plies, core and blanket, and cure of what holds resin."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.cure.places import FOLLOWED, course_at
from bibulon.core.flow.build.orders import part_temperature
from bibulon.core.flow.forecast import Forecast
from bibulon.core.model.job import Job
from bibulon.core.model.materials import CastroMacosko

__all__ = ["Depth", "Profile", "depth_of"]

Floats = npt.NDArray[np.float64]
SETTLED = 1.5  # K over the shop's air, from which on nothing is worth a look


class Profile(Struct, frozen=True, eq=False):
    """Temperature [K] over the height [m] at one moment, and degree of cure over that of the cells that hold resin."""

    height: Floats
    temperature: Floats
    wet: Floats
    alpha: Floats


class Depth(Struct, frozen=True, eq=False):
    """A place [m] through its thickness, t moments by n cells from the tool's back upwards.

    time [s] counts from opening the first feed; height [m] of the cells' middles; slabs : name, from and to [m] of each layer;
    wet : which cells hold resin, w of them; alpha : their degree of cure, shape (t, w); gel : α at which the resin gels;
    end : moment from which on nothing more is to be seen [s].
    """

    x: float
    y: float
    time: Floats
    height: Floats
    temperature: Floats
    wet: npt.NDArray[np.int64]
    alpha: Floats
    slabs: tuple[tuple[str, float, float], ...]
    gel: float
    end: float

    @property
    def layers(self) -> tuple[npt.NDArray[np.int64], ...]:
        """Numbers of the wet cells, w in all, in groups that touch: skins that a core parts are groups of their own."""
        return tuple(np.split(np.arange(len(self.wet)), np.flatnonzero(np.diff(self.wet) > 1) + 1))

    def at(self, moment: float) -> Profile:
        """Return the profile at a moment [s], between those that were kept."""
        t = float(np.clip(moment, self.time[0], self.time[-1]))
        k = int(np.clip(np.searchsorted(self.time, t) - 1, 0, len(self.time) - 2))
        share = (t - self.time[k]) / max(self.time[k + 1] - self.time[k], 1e-300)

        def mixed(values: Floats) -> Floats:
            return np.asarray(values[k] * (1 - share) + values[k + 1] * share)

        return Profile(self.height, mixed(self.temperature), self.height[self.wet], mixed(self.alpha))


def depth_of(job: Job, forecast: Forecast, place: tuple[float, float]) -> Depth:
    """Return what happens through the thickness of a place [m].

    Raises
    ------
    ValueError : when the resin has no cure law, or the place lies off the part or stays dry.
    """
    course, arrived = course_at(job, forecast, place, 1.0, 0.0, FOLLOWED, whole=True)
    assert course.whole is not None
    assert job.resin is not None
    law = job.resin.viscosity
    assert isinstance(law, CastroMacosko)  # or there were no course
    cells = course.cells
    thick = np.array([slab.thickness for slab in cells.slabs])
    temperature = course.whole[:, 0]
    warm = np.flatnonzero(temperature.max(axis=1) > part_temperature(job) + SETTLED)
    ends = np.cumsum(thick)
    last = int(warm[-1]) if len(warm) else 0
    out = float(course.demould(job.cure, job.resin)[0])
    end = max(course.time[last], out * 1.1 if np.isfinite(out) else 0.0, float(course.time[-1]) * 0.02)
    return Depth(
        place[0], place[1], arrived + course.time, np.cumsum(cells.height) - cells.height / 2, temperature, cells.wet, course.alpha[:, 0],
        tuple((slab.name, float(b - slab.thickness), float(b)) for slab, b in zip(cells.slabs, ends, strict=True)),
        law.alpha_gel, arrived + min(end, float(course.time[-1])),
    )  # fmt: skip
