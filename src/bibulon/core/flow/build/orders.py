"""From a job's rules of opening and closing, and its buckets, to the program that a filling follows."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Batch, Bucket, Program, Turn, When
from bibulon.core.model.job import AtTime, ByHand, Conditions, FlowLine, Job, OnFront, Opening, ValveTurn
from bibulon.core.model.materials import CastroMacosko
from bibulon.core.resin.clock import cure_course

__all__ = ["SAME_WARMTH", "mark_name", "part_temperature", "program_of", "turns_of"]

SAME_WARMTH = 0.5  # K between pot and mould within which resin ages alike in both


def part_temperature(job: Job) -> float:
    """Return the temperature that resin takes in the part [K]: the mould's."""
    own = job.conditions.mould_temperature
    return job.conditions.resin_temperature if own is None else own


def mark_name(when: OnFront) -> str:
    """Return the name of the place on the network that a rule waits for."""
    return when.line if when.beyond == 0 else f"{when.line} +{when.beyond * 1e3:g} mm"


def _when(opening: Opening) -> When:
    match opening:
        case AtTime():
            return When(at=opening.time)
        case ByHand():
            return When(at=opening.about)
        case OnFront():
            return When(front=mark_name(opening), delay=opening.delay)
        case _:
            return When(empty=opening.bucket, delay=opening.delay)


def turns_of(line: FlowLine, conditions: Conditions) -> list[tuple[Turn, ValveTurn]]:
    """Return what a line's valve does, each with what the document says of it.

    A vacuum line throttled to a share has that share of its own pull: what is let in beside it, or bleeds through, takes the rest.
    """
    said = [ValveTurn(when=line.opens, share=1.0)]
    if line.shuts:
        said.append(ValveTurn(when=line.shuts, share=0.0))
    said += line.turns
    throttled = line.role == "vacuum" and any(t.share is not None and 0 < t.share < 1 for t in said)
    own = 0.0 if line.pull is None else line.pull - conditions.vacuum
    turns = []
    for turn in said:
        above = None if turn.pressure is None else turn.pressure - conditions.vacuum
        if throttled and above is None and turn.share:
            above = own + (1 - turn.share) * (conditions.atmosphere - conditions.vacuum - own)
        turns.append((Turn(line.id, _when(turn.when), share=turn.share, pressure=above), turn))
    return turns


def _pot(job: Job) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]] | None:
    """Return ages in the pot and the ages that they count as at the mould's temperature [s].

    Equal degrees of cure count as equal ages; None where pot and mould are alike, or nothing tells.
    """
    assert job.resin is not None
    law, pot, mould = job.resin.viscosity, job.conditions.resin_temperature, part_temperature(job)
    if abs(pot - mould) <= SAME_WARMTH or not isinstance(law, CastroMacosko):
        return None
    week = 7 * 86400.0
    in_pot, in_part = cure_course(law, pot, week), cure_course(law, mould, week)
    return in_pot[0], np.interp(in_pot[1], in_part[1], in_part[0])


def program_of(job: Job, network: Network) -> Program:
    """Return what is done while a job fills."""
    assert job.resin is not None
    density, pot = job.resin.density, _pot(job)
    turns = [turn for line in job.lines for turn, _ in turns_of(line, job.conditions)]
    feeds = tuple(port.id for port in network.ports)
    turns += [Turn(manifold.id, When(at=0.0), share=1.0) for manifold in job.manifolds]
    buckets = []
    for bucket in job.buckets:
        batches = tuple(Batch(b.mass / density, b.mixed, _when(b.poured), pot) for b in bucket.batches)
        buckets.append(Bucket(bucket.id, bucket.feeds or feeds, batches, bucket.heel / density))
    if not buckets and pot is not None:
        endless = Batch(float("inf"), -job.conditions.mixed_before_start, pot=pot)
        buckets.append(Bucket("pot", feeds, (endless,)))
    return Program(tuple(turns), tuple(buckets))
