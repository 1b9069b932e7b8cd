"""A thousand random recipes and faults on the simulated machine: never past its limit, always ends safe."""

from __future__ import annotations

import math

import numpy as np
from tests.test_devices import machine

from bibulon.devices.injector import Injection, Injector
from bibulon.devices.machine import FAULTS, Fault

__all__ = ["main", "played"]


def played(count: int, seed: int) -> int:
    """Play so many shots; return how many tripped.

    Raises
    ------
    AssertionError : when one passes its limit, overfills, or does not end safe.
    """
    rng = np.random.default_rng(seed)
    trips = 0
    for _ in range(count):
        limit = float(rng.uniform(6e4, 2.5e5))
        faults = [
            Fault(FAULTS[rng.integers(4)], float(rng.uniform(0, 200)), float(rng.uniform(0.05, 1.0)))
            for _ in range(rng.integers(0, 4))
        ]
        device = machine(faults, limit)
        plan = Injection(
            float(rng.uniform(1e-6, 2e-4)), float(rng.uniform(4.2e4, limit)), float(rng.uniform(0.2, 3.5)), float(rng.uniform(20, 120)),
        )  # fmt: skip
        run = Injector(device, plan)
        run.begin()
        stop_at = float(rng.uniform(0, 240)) if rng.random() < 0.2 else math.inf
        while not run.ended:
            device.step(1.0)
            assert device.inlet <= limit
            if device.time >= stop_at:
                device.stop()
            run.look()
        device.step(20.0)
        trips += bool(device.tripped)
        assert device.safe
        assert device.inlet < plan.pressure * 1.001
        assert device.mass <= 3.0 * 1.05
    return trips


def main(*, quick: bool = False) -> None:
    """Play them and say how many tripped."""
    count = 20 if quick else 1000
    print(f"machine: {count} shots, {played(count, 16)} tripped, none past its limit, all ended safe")
