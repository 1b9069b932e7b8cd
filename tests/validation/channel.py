"""A channel and the cavity beside it, solved apart from the engine: each one-dimensional, by small steps in time."""

from __future__ import annotations

import math

import numpy as np


def fill_times(
    along, section, half, depth, permeability, porosity, gap, viscosity, pressure, cells=60, steps=6000
):
    """Return when the cavity is full [s] beside each cell of a channel, and when the channel itself is.

    along : conductance of the channel a metre [m⁴]; section : of it [m²]; half : its length [m]; depth : how far the
    cavity reaches from it [m].  Resin fills the channel from one end, and from each wet cell goes straight inwards:
    d(x²)/dt = 2 K p/(φ μ); what is lost so is drawn from the channel, p K H/(μ x) a metre.
    """
    ds = half / cells
    thin = (0.02 * ds) ** 2
    square, wet = np.full(cells, thin), 0.5 * ds
    end = 40 * porosity * viscosity * depth**2 / (2 * permeability * pressure)
    full, channel, time = np.full(cells, np.inf), np.inf, 0.0

    def rates(square, wet, done):
        n = max(1, min(math.ceil(wet / ds - 0.5 + 1e-9), cells))
        x = np.sqrt(square[:n])
        lost = np.where(done[:n], 0.0, permeability * gap * ds / x)
        g = along / ds
        matrix = np.zeros((n, n))
        matrix[np.arange(n - 1), np.arange(1, n)] = matrix[np.arange(1, n), np.arange(n - 1)] = -g
        diagonal = lost + 2 * g
        diagonal[0] += g  # the inlet is half a cell away
        diagonal[-1] -= g
        tip = along / max(wet - (n - 0.5) * ds, 0.1 * ds) if wet < half else 0.0
        diagonal[-1] += tip
        matrix[np.arange(n), np.arange(n)] = diagonal
        load = np.zeros(n)
        load[0] = 2 * g * pressure
        p = np.linalg.solve(matrix, load)
        return np.where(done[:n], 0.0, 2 * permeability * p / (porosity * viscosity)), tip * p[
            -1
        ] / viscosity / section

    while time < end and not np.isfinite(full).all():
        done = np.isfinite(full)
        rate, speed = rates(square, wet, done)
        n = len(rate)
        # No front goes further than a hundredth of the depth, nor the channel's own than half a cell, in a step.
        step = min(end / steps, 0.01 * depth**2 / max(rate.max(), 1e-300), 0.5 * ds / max(speed, 1e-300))
        middle = square.copy()
        middle[:n] += rate * step / 2
        rate, speed = rates(middle, min(wet + speed * step / 2, half), done)
        square[: len(rate)] += rate * step
        wet, time = min(wet + speed * step, half), time + step
        full = np.where((square >= depth**2) & ~np.isfinite(full), time, full)
        if wet >= half and not np.isfinite(channel):
            channel = time
    return full, channel
