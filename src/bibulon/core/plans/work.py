"""Many forecasts on other processes, or other machines: started as they are wanted, counted, and ended at once when cancelled."""

from __future__ import annotations

import multiprocessing
import signal
import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from typing import Any, Protocol, TypeVar

__all__ = ["Crew", "Processes", "Workers", "each"]

_A = TypeVar("_A")
_R = TypeVar("_R")
POLL = 0.05  # s between looks at the cancel flag
AHEAD = 2  # tasks that wait in line for each worker


class Crew(Protocol):
    """Who does the work: an executor, begun when there is work and ended at once when there is none."""

    def begin(self) -> tuple[Executor, int]:
        """Return an executor, and how many tasks it does at a time.

        Raises
        ------
        ValueError : when it cannot be had, in words for people.
        """
        ...

    def end(self, executor: Executor) -> None:
        """End it, in the middle of its work if need be."""
        ...


class Processes:
    """Processes of this machine."""

    def __init__(self, size: int) -> None:
        self.size = size

    def begin(self) -> tuple[Executor, int]:
        """Return a pool of new processes."""
        spawn = multiprocessing.get_context("spawn")
        return ProcessPoolExecutor(self.size, mp_context=spawn, initializer=_end_with_parent), self.size

    def end(self, executor: Executor) -> None:
        """End them."""
        processes = list((getattr(executor, "_processes", None) or {}).values())
        executor.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()
        for process in processes:
            process.join(2.0)


def _end_with_parent() -> None:
    """Let a worker end when the program that it works for does, however that ended: it would wait for more work for ever."""
    parent = multiprocessing.parent_process()
    if parent is None:
        return

    def watch() -> None:
        parent.join()
        signal.raise_signal(signal.SIGKILL)  # it may be in the middle of anything

    threading.Thread(target=watch, daemon=True).start()


Workers = int | Crew  # so many processes of this machine, none to work here, or a crew


def each(
    function: Callable[[_A], _R],
    items: Iterable[_A],
    workers: Workers,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[tuple[_A, _R]]:
    """Yield (item, answer) as answers come; with no workers one after another, here.

    function : of a module, so that another process finds it.  ``items`` is drawn as workers get free, so
    it may look at the answers so far.  When ``cancelled`` answers true the work is ended and no more is yielded.
    """
    if workers == 0:
        for item in items:
            if cancelled():
                return
            yield item, function(item)
        return
    crew = Processes(workers) if isinstance(workers, int) else workers
    pool, size = crew.begin()
    source, running = iter(items), dict[Future[Any], Any]()
    try:
        more = True
        while more or running:
            while more and len(running) < size * AHEAD:
                try:
                    item = next(source)
                except StopIteration:
                    more = False
                    break
                running[pool.submit(function, item)] = item
            if cancelled():
                return
            done, _ = wait(running, timeout=POLL, return_when=FIRST_COMPLETED)
            for future in done:
                yield running.pop(future), future.result()
    finally:
        crew.end(pool)
