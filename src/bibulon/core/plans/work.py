"""Many forecasts on two processes: started as they are wanted, counted, and ended at once when cancelled."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from typing import Any, TypeVar

__all__ = ["each"]

_A = TypeVar("_A")
_R = TypeVar("_R")
POLL = 0.05  # s between looks at the cancel flag
AHEAD = 2  # tasks that wait in line for each process


def each(
    function: Callable[[_A], _R],
    items: Iterable[_A],
    workers: int,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[tuple[_A, _R]]:
    """Yield (item, answer) as answers come; with no workers one after another, here.

    function : of a module, so that another process finds it.  ``items`` is drawn as processes get free, so
    it may look at the answers so far.  When ``cancelled`` answers true the processes are ended and no more is yielded.
    """
    if workers <= 0:
        for item in items:
            if cancelled():
                return
            yield item, function(item)
        return
    context = multiprocessing.get_context("spawn")
    pool = ProcessPoolExecutor(workers, mp_context=context)
    source, running = iter(items), dict[Future[Any], Any]()
    try:
        more = True
        while more or running:
            while more and len(running) < workers * AHEAD:
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
        _end(pool)


def _end(pool: ProcessPoolExecutor) -> None:
    """End a pool's processes, in the middle of their work if need be."""
    processes = list((pool._processes or {}).values())
    pool.shutdown(wait=False, cancel_futures=True)
    for process in processes:
        process.terminate()
    for process in processes:
        process.join(2.0)
