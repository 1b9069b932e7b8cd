"""From a job's rules of opening and closing, and its buckets, to the program that a filling follows."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from bibulon.core.flow.build.network import Network
from bibulon.core.flow.build.program import Batch, Bucket, Program, Turn, When
from bibulon.core.model.job import AtTime, ByHand, FlowLine, Job, OnFront, Opening
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


def turns_of(line: FlowLine, vacuum: float) -> list[tuple[Turn, Opening]]:
    """Return what a line's valve does, each with the rule that it does it by; ``vacuum`` is the bag's [Pa absolute]."""
    turns = [(Turn(line.id, _when(line.opens), share=1.0), line.opens)]
    if line.shuts:
        turns.append((Turn(line.id, _when(line.shuts), share=0.0), line.shuts))
    for turn in line.turns:
        above = None if turn.pressure is None else turn.pressure - vacuum
        turns.append((Turn(line.id, _when(turn.when), share=turn.share, pressure=above), turn.when))
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
    vacuum, density, pot = job.conditions.vacuum, job.resin.density, _pot(job)
    turns = [turn for line in job.lines for turn, _ in turns_of(line, vacuum)]
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
