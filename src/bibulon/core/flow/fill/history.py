"""What a filling leaves behind: its frames, when each node was full, and how it ended."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Turn

__all__ = ["Emptied", "Frame", "GasPocket", "History", "Known", "Reason"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Reason(StrEnum):
    """Why a filling ended."""

    FULL = "full"
    NEARLY = "but for the last"  # under 0.1 % is left and would take long
    GAS = "held by gas"  # what is left is held open by shut-in air
    GELLED = "gelled"
    NO_FEED = "no open feed"
    OUT_OF_REACH = "out of reach"
    TOO_MANY = "too many steps"


class Frame(Struct, frozen=True, eq=False):
    """The state at the end of one step: time [s], resin in the network [m³], flow into dry nodes.

    ``speed`` is the flow per unit of pressure over viscosity, dV/dθ [m³ Pa]; ``fed`` and ``bled``
    are totals per port and vent [m³]; ``at_port`` and ``at_vent`` the pressure there [Pa above the
    vacuum], nan while it is shut; ``share`` how far each port's valve is open;
    ``passed`` and ``valve_share`` are the same of valves inside the network.  ``gas`` is the
    pressure of shut-in air per node, ``born`` when the resin in each node was mixed [s] and
    ``airy`` its share of air drawn from an empty bucket, shape (n,), empty where they do not count.
    """

    time: float
    theta: float
    volume: float
    speed: float
    fed: tuple[float, ...]
    bled: tuple[float, ...]
    at_port: tuple[float, ...]
    at_vent: tuple[float, ...]
    share: tuple[float, ...]
    passed: tuple[float, ...] = ()
    valve_share: tuple[float, ...] = ()
    gas: npt.NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, dtype=np.float32))
    born: npt.NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, dtype=np.float32))
    airy: npt.NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, dtype=np.float32))


class GasPocket(Struct, frozen=True, eq=False):
    """Air shut in while filling: its nodes, when [s], p V [Pa m³], and pressure [Pa abs] and volume [m³] at the end."""

    nodes: Ints
    closed: float
    amount: float
    pressure: float
    volume: float


class Emptied(Struct, frozen=True):
    """A bucket came to its heel at ``time`` [s]; ``drew_air`` [m³] is what its feeds drew after that."""

    bucket: str
    time: float
    drew_air: float


class Poured(Struct, frozen=True):
    """A batch, by its place among the bucket's own, went into a bucket at ``time`` [s]."""

    bucket: str
    batch: int
    time: float


class Known(Struct, frozen=True, eq=False):
    """A state to start from: time [s], when nodes were full [s], how full they are, when their resin was mixed [s]."""

    time: float
    filled_at: Floats
    fraction: Floats
    born: Floats | None = None


class History(Struct, frozen=True, eq=False):
    """How a network filled.

    network : as it was at the start.
    filled_at : when each node is full [s], inf where never, shape (n,).
    fraction : how full each node is at the end, shape (n,).
    opened : when each port first opened [s], by id; line_wet_at : when the front passed what events
        waited for; turned : every turn of a valve and when it came [s].
    air_let_go : from when on [s] shut-in air no longer holds against resin, since following it took too
        many solves; None when it was followed to the end.
    balance : |fed + at the start − in the network − bled| over what was fed.
    residual : the largest miss of a filled cell's own balance in any step, as a share of the cells'
        pores; of steps that neither gravity nor shut-in air acts in.
    solves, unknowns_solved : linear solves, and their unknowns added up; rounds : the most that one
        step took to settle.
    """

    network: Network
    filled_at: Floats
    fraction: Floats
    frames: tuple[Frame, ...]
    opened: dict[str, float]
    reason: Reason
    balance: float
    residual: float
    solves: int
    unknowns_solved: int
    rounds: int
    line_wet_at: dict[str, float]
    air_let_go: float | None
    turned: tuple[tuple[float, Turn], ...] = ()
    gas: tuple[GasPocket, ...] = ()
    emptied: tuple[Emptied, ...] = ()
    poured: tuple[Poured, ...] = ()

    @property
    def end(self) -> float:
        """Time of the last frame [s]."""
        return self.frames[-1].time

    @property
    def bled(self) -> float:
        """Resin that passed all vents [m³]."""
        return sum(self.frames[-1].bled)

    def shut_at(self, line: str) -> float:
        """Return when a line was last shut for good [s]; inf when it was left open."""
        own = [
            (moment, turn.share)
            for moment, turn in self.turned
            if turn.target == line and turn.share is not None
        ]
        return own[-1][0] if own and own[-1][1] == 0 else float("inf")

    def is_open(self, line: str, time: float) -> bool:
        """Return whether a line's valve is open at a moment [s], as it was turned last."""
        shares = [
            turn.share
            for moment, turn in self.turned
            if turn.target == line and turn.share is not None and moment <= time
        ]
        return bool(shares) and shares[-1] > 0

    def frame_at(self, time: float) -> Frame:
        """Return the first frame that ends at a time [s] or after it; the last beyond the end."""
        times = np.array([f.time for f in self.frames])
        return self.frames[min(int(np.searchsorted(times, time - 1e-9)), len(self.frames) - 1)]

    def fed_at(self, time: float) -> Floats:
        """Return what each port has given by a time [m³], shape (ports,)."""
        times = np.array([f.time for f in self.frames])
        return np.array(
            [np.interp(time, times, column) for column in zip(*(f.fed for f in self.frames), strict=True)]
        )

    def flow_at(self, time: float) -> Floats:
        """Return the mean flow of each port over the step around a time [m³/s], shape (ports,)."""
        times = np.array([f.time for f in self.frames])
        k = (
            int(np.clip(np.searchsorted(times, time, side="right"), 1, len(times) - 1))
            if len(times) > 1
            else 0
        )
        if k == 0 or time > times[-1] or times[k] <= times[k - 1]:
            return np.zeros(len(self.frames[0].fed))
        return (np.array(self.frames[k].fed) - np.array(self.frames[k - 1].fed)) / (times[k] - times[k - 1])
