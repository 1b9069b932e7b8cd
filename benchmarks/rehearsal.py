"""Crews in simulated shops over many seeds: none fails, resin is conserved, care pays, and how much quicker than the day it runs."""

from __future__ import annotations

import time

import numpy as np

from bibulon.core.plans.rehearsal.crews import CREWS, shoot
from bibulon.core.plans.rehearsal.debrief import debrief
from bibulon.core.plans.rehearsal.faults import draw_shop
from bibulon.core.plans.rehearsal.scenarios import SCENARIOS
from bibulon.core.plans.rehearsal.shop import Shop

SEEDS = 200


def main(*, quick: bool = False) -> None:
    """Print mean losses by crew, the worst miss of the resin's balance, and the speed."""
    job = SCENARIOS["leak"].job()
    seeds = range(1 if quick else SEEDS)
    crews = ["nothing"] if quick else list(CREWS)
    losses: dict[str, list[float]] = {crew: [] for crew in crews}
    off, played, took = 0.0, 0.0, 0.0
    for seed in seeds:
        for crew in crews:
            began = time.process_time()
            shop = Shop(job, draw_shop(job, seed))
            told = debrief(shop, shoot(shop, crew).when)
            took += time.process_time() - began
            played += shop.now + 900
            losses[crew].append(told.loss)
            mixed = sum(m.mass for m in shop.mixed)
            off = max(off, abs(mixed - shop.lost - shop.drawn(shop.now) - shop.bucket) / max(mixed, 1e-9))
    print(f"{len(seeds)} shops, each by {', '.join(crews)}")
    for crew, found in losses.items():
        lost = np.mean([v >= 0.2 for v in found])
        print(f"{crew:<10} loss {np.mean(found):.3f} in the mean, {lost * 100:.0f} % of parts spoilt")
    if quick:
        return
    orders = np.mean(
        [
            a <= b <= c
            for a, b, c in zip(losses["careful"], losses["careless"], losses["nothing"], strict=True)
        ]
    )
    print(
        f"careful beats careless beats nothing in {orders * 100:.0f} %; balance off by {off:.1e}; {played / took:.0f} times as quick as the day"
    )
