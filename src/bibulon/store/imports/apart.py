"""Foreign files are read in a process of their own, with limits on memory and time, which can be ended at once.

A reader that hangs, or takes all memory, or dies, takes nothing with it: what comes back is a value or one
sentence.  Run as a module this is that process.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bibulon.core.units.words import tr
from bibulon.store.durable import named

__all__ = ["Ended", "ReadError", "read_apart"]

LONGEST_S = 20.0
LONGEST_ALONE_S = 60  # s of processor time, should the parent die
MEMORY = 3_000_000_000  # bytes
POLL_S = 0.05


class ReadError(ValueError):
    """A foreign file that gives nothing; the text says what is wrong and where."""


class Ended(Exception):
    """The person has ended the reading."""


def _readers() -> dict[str, Callable[[Path], Any]]:
    from bibulon.store.imports.drawing_in import read_drawing
    from bibulon.store.imports.mesh_in import read_mesh

    return {"drawing": read_drawing, "mesh": read_mesh}


def read_apart(
    reader: str, path: Path, ended: Callable[[], bool] = lambda: False, longest: float = LONGEST_S
) -> Any:
    """Read a file by a reader's name, apart.

    Raises
    ------
    ReadError : when it gives nothing, takes too long or too much memory.
    Ended : when ``ended`` answered true.
    """
    paths = os.pathsep.join([p for p in sys.path if p])
    process = subprocess.Popen(
        [sys.executable, "-m", "bibulon.store.imports.apart", reader, path],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": paths},
    )
    until = time.monotonic() + longest
    try:
        while True:
            try:
                told, _ = process.communicate(timeout=POLL_S)
                break
            except subprocess.TimeoutExpired:
                if ended():
                    raise Ended from None
                if time.monotonic() > until:
                    raise ReadError(
                        tr(
                            "{0} takes longer than {1:.0f} s to read: export only what is needed, coarser.",
                            named(path),
                            longest,
                        )
                    ) from None
    finally:
        if process.poll() is None:
            process.kill()
            process.communicate()
    try:
        kind, value = pickle.loads(told)
    except (pickle.UnpicklingError, EOFError, ValueError, AttributeError) as error:
        raise ReadError(
            tr("{} is damaged, or needs more memory than there is to be read.", named(path))
        ) from error
    if kind == "error":
        raise ReadError(str(value))
    return value


def _main(reader: str, path: Path) -> None:
    import resource

    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
        resource.setrlimit(resource.RLIMIT_CPU, (LONGEST_ALONE_S, LONGEST_ALONE_S))
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what libraries print is no part of the answer
    try:
        answer: tuple[str, Any] = ("value", _readers()[reader](path))
    except ValueError as error:
        answer = ("error", str(error))
    except (MemoryError, RecursionError):
        answer = ("error", tr("{} is too large, or nested too deeply, to be read.", named(path)))
    pickle.dump(answer, out)
    out.flush()


if __name__ == "__main__":
    _main(sys.argv[1], Path(sys.argv[2]))
