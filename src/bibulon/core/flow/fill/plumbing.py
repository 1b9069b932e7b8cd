"""Ports, vents and buckets as they stand at a moment of a filling."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Batch, Program, Turn
from bibulon.core.flow.fill.solve import Solved
from bibulon.core.flow.fill.step import Drive, Step, WetState

__all__ = ["CAP_SLACK", "Plumbing"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

CAP_SLACK = 5e-3  # share of its pressure cap within which a feed of fixed rate is taken to be at it


@dataclass(eq=False)
class _BucketState:
    """What is in a bucket [m³] and when it was mixed [s]; None where resin is mixed as it enters."""

    id: str
    ports: tuple[int, ...]
    heel: float
    content: float = 0.0
    born: float | None = 0.0
    pot: tuple[Floats, Floats] | None = None
    poured: float = 0.0
    empty: bool = False
    told: bool = False
    emptied: list[float] = field(default_factory=list)
    air_drawn: float = 0.0

    def born_as_it_enters(self, time: float) -> float:
        """Return when resin that enters now counts as mixed [s]."""
        if self.born is None:
            return time
        if self.pot is None:
            return self.born
        return time - float(np.interp(time - self.born, *self.pot))


class Plumbing:
    """Valves, vents and buckets, and the network as throttled valves leave it."""

    def __init__(self, network: Network, program: Program) -> None:
        self.network = network
        self._bare = network.conductance
        self._valve = {v.id: k for k, v in enumerate(network.valves)}
        self.valve_share = [0.0] * len(network.valves)
        for valve in network.valves:
            self._scale_links(valve.links, 0.0)
        self._port = {p.id: k for k, p in enumerate(network.ports)}
        self._vent = {v.id: k for k, v in enumerate(network.vents)}
        self._port_at = {p.node: k for k, p in enumerate(network.ports)}
        self._vent_at = {int(n): k for k, v in enumerate(network.vents) for n in v.nodes}
        self.share = [0.0] * len(network.ports)
        self._scale = [1.0] * len(network.ports)
        self.pressure = [p.pressure for p in network.ports]
        self._at_cap = [p.rate is None for p in network.ports]
        turned = {t.target for t in program.turns if t.share is not None}
        self.vent_open = [v.id not in turned for v in network.vents]
        self.vent_pressure = [v.pressure for v in network.vents]
        self.opened: dict[str, float] = {}
        self.buckets = [
            _BucketState(b.id, tuple(self._port[p] for p in b.ports), b.heel) for b in program.buckets
        ]
        batches = [x for b in program.buckets for x in b.batches]
        self.first_born = (batches[0].mixed or 0.0) if batches else 0.0
        self.pressures_differ = any(v.pressure for v in network.vents) or any(
            t.pressure is not None and t.target in self._vent for t in program.turns
        )
        self.keep = np.zeros(network.size, dtype=bool)
        self.keep[self._kept(program)] = True
        self._vents_moved = True

    def _kept(self, program: Program) -> Ints:
        """Return the nodes that must stay in the system: ports, hose ends that are throttled, vents that open late."""
        kept = [np.array([p.node for p in self.network.ports], dtype=np.int64)]
        for turn in program.turns:
            if turn.target in self._vent and turn.share and turn.when.at != 0.0:
                kept.append(self.network.vents[self._vent[turn.target]].nodes)
            if turn.target in self._port and turn.share is not None and 0 < turn.share < 1:
                link = self._links(self._port[turn.target])
                kept += [self.network.a[link], self.network.b[link]]
        for valve in self.network.valves:
            kept += [self.network.a[valve.links], self.network.b[valve.links]]
        return np.unique(np.concatenate(kept))

    def _links(self, port: int) -> Ints:
        node = self.network.ports[port].node
        return np.flatnonzero((self.network.a == node) | (self.network.b == node))

    def port_of(self, node: int) -> int:
        """Return the port at a node, −1 where there is none."""
        return self._port_at.get(node, -1)

    def vent_of(self, node: int) -> int:
        """Return the vent at a node."""
        return self._vent_at[node]

    # -- what is done

    def turn(self, turn: Turn, moment: float) -> None:
        """Turn a valve or set a pressure."""
        if turn.target in self._vent:
            k = self._vent[turn.target]
            if turn.share is not None:
                self.vent_open[k] = turn.share > 0
            if turn.pressure is not None:
                self.vent_pressure[k] = turn.pressure
            self._vents_moved = True
            return
        if turn.target in self._valve:
            if turn.share is not None:
                k = self._valve[turn.target]
                self.valve_share[k] = turn.share
                self._scale_links(self.network.valves[k].links, turn.share)
                if turn.share > 0:
                    self.opened.setdefault(turn.target, max(moment, 0.0))
            return
        k = self._port[turn.target]
        if turn.pressure is not None:
            self.pressure[k] = turn.pressure
        if turn.share is None:
            return
        self.share[k] = turn.share
        if turn.share > 0:
            self.opened.setdefault(turn.target, max(moment, 0.0))
            self._throttle(k, turn.share)
        else:
            self._at_cap[k] = self.network.ports[k].rate is None

    def _throttle(self, port: int, share: float) -> None:
        """Scale a port's hose; its ends are never eliminated."""
        if share == self._scale[port]:
            return
        self._scale[port] = share
        self._scale_links(self._links(port), share)

    def _scale_links(self, links: Ints, share: float) -> None:
        conductance = self.network.conductance.copy()
        conductance[links] = self._bare[links] * share
        self.network = replace(self.network, conductance=conductance)

    def pour(self, bucket: int, batch: Batch) -> None:
        """Pour a batch into a bucket, on what is left there."""
        b = self.buckets[bucket]
        b.pot = batch.pot
        if batch.mixed is None or b.born is None or b.content <= 0:
            b.born = batch.mixed
        else:
            left = max(b.content, 0.0)
            b.born = (b.born * left + batch.mixed * batch.volume) / (left + batch.volume)
        b.content = max(b.content, 0.0) + batch.volume
        b.poured = b.content
        b.empty = b.told = False

    def draw(self, drawn: Floats, slack: float) -> bool:
        """Take what ports gave from their buckets; return whether one came to its heel."""
        ran_out = False
        for b in self.buckets:
            taken = float(drawn[list(b.ports)].sum())
            if b.empty:
                b.air_drawn += taken
                continue
            b.content -= taken
            if b.content - b.heel <= slack * b.poured and b.poured > 0:
                b.empty = ran_out = True
        return ran_out

    # -- how things stand

    def hold_vents(self, state: WetState) -> Ints:
        """Hold the nodes of open vents; return those that are wet and held no more."""
        if not self._vents_moved:
            return np.zeros(0, dtype=np.int64)
        self._vents_moved = False
        in_system = state.band.inside()
        before = state.vent.copy()
        state.vent[:] = False
        for vent, is_open in zip(self.network.vents, self.vent_open, strict=True):
            if is_open and not vent.membrane:
                state.vent[vent.nodes[~in_system[vent.nodes]]] = True
        return np.flatnonzero(before & ~state.vent & state.wet)

    def open_vents(self) -> dict[str, float]:
        """Return the pressure of each open vent, membranes too [Pa above the vacuum]."""
        return {
            v.id: p
            for v, p, o in zip(self.network.vents, self.vent_pressure, self.vent_open, strict=True)
            if o
        }

    def drive(self, state: WetState) -> Drive:
        """Return what drives the flow now: open ports, and open vents that lie on cloth wet before."""
        fixed, pressure, given, rate = [], [], [], []
        sharing = sum(
            port.shared for port, share in zip(self.network.ports, self.share, strict=True) if share > 0
        )
        for k, port in enumerate(self.network.ports):
            if self.share[k] <= 0:
                continue
            if self._at_cap[k] or port.rate is None:
                fixed.append(port.node)
                pressure.append(self.pressure[k])
            else:
                given.append(port.node)
                rate.append(port.rate / sharing if port.shared else port.rate)
        in_band = set(state.band.nodes.tolist())
        for vent, is_open, at in zip(self.network.vents, self.vent_open, self.vent_pressure, strict=True):
            if is_open and not vent.membrane:
                wet = [int(n) for n in vent.nodes if int(n) in in_band]
                fixed += wet
                pressure += [at] * len(wet)
        held = np.array(fixed, dtype=np.int64)
        return Drive(held, np.array(pressure), np.array(given, dtype=np.int64), np.array(rate))

    def count(self, state: WetState, node: int, volume: float) -> None:
        """Count what a port's own pores take when it opens."""
        k = self._port_at[node]
        state.fed[k] += volume
        for b in self.buckets:
            if k in b.ports:
                b.content -= volume

    def entering(self, time: float) -> Iterator[tuple[int, float, float]]:
        """Yield (node, when its resin was mixed [s], share of air) of every open port."""
        for k, port in enumerate(self.network.ports):
            if self.share[k] <= 0:
                continue
            born, air = self.first_born, 0.0
            for b in self.buckets:
                if k in b.ports:
                    born, air = b.born_as_it_enters(time), float(b.empty)
            yield port.node, born, air

    def at_ports(self, step: Step, drive: Drive) -> tuple[float, ...]:
        """Return the pressure at each port; a feed of fixed rate that has come to its cap stays there."""
        values = [float("nan")] * len(self.network.ports)
        for node, pressure in zip(drive.fixed.tolist(), drive.pressure.tolist(), strict=True):
            if (k := self.port_of(node)) >= 0:
                values[k] = pressure
        self.come_to_cap(step.solved, drive)
        for node in drive.given.tolist():
            k = self.port_of(node)
            # A step may end a little beyond: no pump gives more than its pressure.
            values[k] = min(float(step.solved.p[step.solved.nodes == node][0]), self.pressure[k])
        return tuple(values)

    def come_to_cap(self, solved: Solved, drive: Drive) -> bool:
        """Let feeds of fixed rate stay at their pressures from now on that have come to them; tell whether any has."""
        come = [
            k
            for k, node in ((self.port_of(n), n) for n in drive.given.tolist())
            if float(solved.p[solved.nodes == node][0]) >= self.pressure[k] * (1 - CAP_SLACK)
        ]
        for k in come:
            self._at_cap[k] = True
        return bool(come)

    def at_vents(self) -> tuple[float, ...]:
        """Return the pressure at each vent, nan where it is shut."""
        return tuple(
            p if o else float("nan") for p, o in zip(self.vent_pressure, self.vent_open, strict=True)
        )
