"""An ensemble as a Gaussian that marks can condition: what moves together for a known cause, and what only near by.

Y = ln(t + 10 s) of places, fill and draw; A ≈ b0 + θ B + e by ridge regression; mean b0, covariance BᵀB + taper ∘ eᵀe/(N − p − 1)
+ what the model lacks.  Known causes act everywhere, the cloth's scatter only near by (an ensemble smoother with a linear response).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from bibulon.core.geometry.trimesh import TriMesh
from bibulon.core.plans.refit.ensemble import Answer, Draw, Parameter

__all__ = ["EARLY", "Basis", "Columns", "basis_of", "columns_of", "stacked"]

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
EARLY = 10.0  # s, keeps the first marks from outweighing the rest
RIDGE = 2.0
NEAR = 0.45  # m over which the cloth's own scatter is felt
LACKS, LACKS_NEAR, OTHER_FACE = (
    0.03,
    0.25,
    0.8,
)  # what the model lacks: of ln t, over what length [m], between faces


class Columns(Struct, frozen=True, eq=False):
    """Some outputs, or sums of them with weights: mean, response to θ (p, k), residuals (N, k), place (k, 2), face (k,).

    ``face`` 0 as seen from the bag, 1 through; 2 for what has no place of its own and no lack of the model.
    """

    mean: Floats
    response: Floats
    residual: Floats
    place: Floats
    face: Ints

    def picked(self, which: Ints) -> Columns:
        """Return some of them."""
        return Columns(
            self.mean[which],
            self.response[:, which],
            self.residual[:, which],
            self.place[which],
            self.face[which],
        )

    def weighted(self, index: Ints, weights: Floats) -> Columns:
        """Return sums of them: ``index`` and ``weights`` of shape (k, w)."""

        def of(values: Floats) -> Floats:
            return np.einsum("...kw,kw->...k", values[..., index], weights)

        place = np.einsum("kwd,kw->kd", self.place[index], weights)
        return Columns(of(self.mean), of(self.response), of(self.residual), place, self.face[index[:, 0]])

    def __add__(self, other: Columns) -> Columns:
        return Columns(
            np.concatenate([self.mean, other.mean]), np.hstack([self.response, other.response]),
            np.hstack([self.residual, other.residual]), np.vstack([self.place, other.place]),
            np.concatenate([self.face, other.face]),
        )  # fmt: skip


class Basis(Struct, frozen=True, eq=False):
    """All outputs of an ensemble: tops of the mesh's vertices, then through, then fill, then the draw's shares.

    freedom : N − p − 1, by which residuals count.
    """

    mesh: TriMesh
    parameters: tuple[Parameter, ...]
    all: Columns
    freedom: float
    runs: int

    @property
    def places(self) -> int:
        """How many vertices."""
        return len(self.mesh.points)

    def of_parameters(self) -> Columns:
        """Return the parameters' own scores as outputs that respond to themselves alone."""
        p = len(self.parameters)
        nowhere = np.full((p, 2), 1e6)
        return Columns(
            np.zeros(p), np.eye(p), np.zeros((self.runs, p)), nowhere, np.full(p, 2, dtype=np.int64)
        )

    def covariance(self, a: Columns, b: Columns) -> Floats:
        """Return the covariance of outputs, shape (ka, kb)."""
        far = np.hypot(a.place[:, None, 0] - b.place[None, :, 0], a.place[:, None, 1] - b.place[None, :, 1])
        known = a.response.T @ b.response
        local = np.exp(-0.5 * (far / NEAR) ** 2) * (a.residual.T @ b.residual) / self.freedom
        return np.asarray(known + local + _lacks(a, b, far))

    def variance(self, a: Columns) -> Floats:
        """Return their variances, shape (k,)."""
        lacks = np.where(a.face < 2, LACKS**2, 0.0)
        return np.asarray((a.response**2).sum(axis=0) + (a.residual**2).sum(axis=0) / self.freedom + lacks)


def _lacks(a: Columns, b: Columns, far: Floats) -> Floats:
    other = a.face[:, None] != b.face[None, :]
    there = (a.face[:, None] < 2) & (b.face[None, :] < 2)
    return np.asarray(
        np.where(there, LACKS**2 * np.exp(-far / LACKS_NEAR) * np.where(other, OTHER_FACE, 1.0), 0.0)
    )


def stacked(answers: Sequence[Answer]) -> Floats:
    """Return ln(t + 10 s) of all outputs, shape (N, m)."""
    rows = [np.concatenate([a.top, a.through, [a.fill], a.masses]) for a in answers]
    return np.asarray(np.log(np.array(rows) + EARLY))


def basis_of(
    mesh: TriMesh, parameters: tuple[Parameter, ...], draws: Sequence[Draw], outputs: Floats
) -> Basis:
    """Return the basis of an ensemble; ``outputs`` as ``stacked`` gives them, shape (N, m)."""
    mean = outputs.mean(axis=0)
    v = len(mesh.points)
    extra = outputs.shape[1] - 2 * v
    through = mean[v : 2 * v]
    last = mesh.points[int(np.argmax(through))]
    place = np.vstack([mesh.points, mesh.points, np.tile(last, (extra, 1))])
    face = np.concatenate([np.zeros(v), np.ones(v), np.ones(1), np.full(extra - 1, 2)]).astype(np.int64)
    columns, freedom = columns_of(np.array([d.theta for d in draws]), outputs, place, face)
    return Basis(mesh, parameters, columns, freedom, len(draws))


def columns_of(theta: Floats, outputs: Floats, place: Floats, face: Ints) -> tuple[Columns, float]:
    """Return outputs by their response to the scores, and the residuals' degrees of freedom.

    Parameters
    ----------
    theta : scores, shape (N, p); outputs : shape (N, k); place : shape (k, 2); face : shape (k,).
    """
    n, p = theta.shape
    centred = theta - theta.mean(axis=0)
    mean = outputs.mean(axis=0)
    off = outputs - mean
    response = np.linalg.solve(centred.T @ centred + RIDGE * np.eye(p), centred.T @ off)
    residual = off - centred @ response
    b0 = mean - theta.mean(axis=0) @ response
    return Columns(b0, response, residual, place, face), max(float(n - p - 1), 8.0)
