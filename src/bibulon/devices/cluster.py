"""The shop's other machines as a crew for many forecasts: a scheduler of ``dask.distributed`` at an address.

A worker that dies loses nothing: its tasks are done again by another.  Whoever reaches a scheduler can run programs on its
machines, so it belongs inside the shop's own network.
"""

from __future__ import annotations

from concurrent.futures import Executor
from typing import Any

from bibulon import __version__
from bibulon.core.units.words import tr

__all__ = ["Cluster", "ClusterError"]

PATIENCE = 5.0  # s until a scheduler counts as not there
RETRIES = 3  # times that a task is given out again


class ClusterError(ValueError):
    """A cluster that cannot be worked on; the text says which and why."""


def version() -> str:
    """Return the version of the program, where a worker has it."""
    return __version__


class Cluster:
    """The workers of one scheduler."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client: Any = None

    def begin(self) -> tuple[Executor, int]:
        """Return an executor on the cluster, and how many tasks it does at a time.

        Raises
        ------
        ClusterError : where the package is missing, nobody answers, nobody works, or a worker has another version.
        """
        try:
            from distributed import Client
        except ImportError as error:
            raise ClusterError(
                tr("Other machines need the package “distributed”: pip install bibulon[cluster].")
            ) from error
        try:
            self._client = Client(self.address, timeout=PATIENCE, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise ClusterError(tr("No scheduler answers at {}.", self.address)) from error
        try:
            found = self._client.run(version, on_error="return")
        except (OSError, TimeoutError) as error:
            self._leave()
            raise ClusterError(tr("No scheduler answers at {}.", self.address)) from error
        threads = self._client.nthreads()
        if not threads:
            self._leave()
            raise ClusterError(tr("The scheduler at {} has no workers.", self.address))
        for worker, told in found.items():
            if told != __version__:
                self._leave()
                has = tr("Bibulon {}", told) if isinstance(told, str) else tr("no Bibulon")
                raise ClusterError(tr("The worker {0} has {1}; this is {2}.", worker, has, __version__))
        executor: Executor = self._client.get_executor(pure=False, retries=RETRIES)
        return executor, sum(threads.values())

    def end(self, executor: Executor) -> None:
        """Leave the cluster; what it still works on for us is given up."""
        executor.shutdown(wait=False)
        self._leave()

    def _leave(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            client.close(timeout=PATIENCE)
