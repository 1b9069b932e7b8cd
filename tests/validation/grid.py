"""A filling solved apart from the program: a grid of squares, the obstacle problem by relaxation.

With u = ∫p dt / μ, −div(k grad u) + φ ≥ 0 and u ≥ 0, one of them an equality in every cell: found by
projected successive over-relaxation in two colours (Cryer 1971), cell by cell, with no list of wet
cells, no elimination and no mesh in common with what it checks.
"""

from __future__ import annotations

import numpy as np


def harmonic(a, b):
    return 2 * a * b / (a + b)


class Grid:
    """Cells of dx by dz with porosity and permeability, shape (rows, columns), fed along their left side.

    ``fed`` says which rows are fed; all of them when it is None.  ``facing``: along their right side as well.
    """

    def __init__(self, kx, kz, phi, dx, dz, fed=None, facing=False):
        self.phi = np.broadcast_to(phi, kx.shape) * dx * dz[:, None]
        height = np.broadcast_to(dz[:, None], kx.shape)
        self.feed = 2 * kx[:, 0] * dz / dx * (1.0 if fed is None else fed)
        self.along = harmonic(kx[:, 1:], kx[:, :-1]) * height[:, 1:] / dx
        half = height / (2 * kz)
        self.through = dx / (half[1:] + half[:-1])
        self.dx = dx
        rows, columns = np.indices(kx.shape)
        self.colours = [(rows + columns) % 2 == c for c in (0, 1)]
        self.degree = np.zeros(kx.shape)
        self.degree[:, 0] += self.feed
        self.across = 2 * kx[:, -1] * dz / dx * float(facing)
        self.degree[:, -1] += self.across
        self.degree[:, 1:] += self.along
        self.degree[:, :-1] += self.along
        self.degree[1:] += self.through
        self.degree[:-1] += self.through

    def gain(self, u, fed):
        """What the neighbours put into each cell, with ``fed`` = p t / μ at the left side."""
        out = np.zeros_like(u)
        out[:, 0] += self.feed * fed
        out[:, -1] += self.across * fed
        out[:, 1:] += self.along * u[:, :-1]
        out[:, :-1] += self.along * u[:, 1:]
        out[1:] += self.through * u[:-1]
        out[:-1] += self.through * u[1:]
        return out

    def fronts(self, fed, start=None, settled=1e-7):
        """Length of the wet part of each row [m], and u, at p t / μ = ``fed``."""
        u = np.zeros(self.phi.shape) if start is None else start.copy()
        omega = 2 / (1 + np.pi / (1.5 * u.shape[1]))
        for _ in range(20_000):
            before = u.copy()
            for colour in self.colours:
                wanted = (self.gain(u, fed) - self.phi) / self.degree
                u[colour] = np.maximum((u + omega * (wanted - u))[colour], 0.0)
            if np.abs(u - before).max() <= settled * u.max():
                break
        else:
            raise RuntimeError("relaxation did not settle")
        return self.filled(u, fed).sum(axis=1) * self.dx, u

    def filled(self, u, fed):
        """The share of each cell that is wet."""
        return np.where(u > 0, 1.0, np.clip(self.gain(u, fed) / self.phi, 0.0, 1.0))

    def arrival(self, row, x, low, high):
        """p t / μ at which the front of a row is at x [m], between two bounds, by halving."""
        u = None
        while high - low > 1e-4 * high:
            middle = (low + high) / 2
            fronts, u = self.fronts(middle, u)
            low, high = (middle, high) if fronts[row] < x else (low, middle)
        return (low + high) / 2
