"""Files that are there whole or not at all: written aside, synced, put in place, and the folder synced."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import socket
import time
import uuid
from collections.abc import Iterator
from pathlib import Path

__all__ = ["alive", "aside", "keep_aside", "named", "sweep", "write_bytes", "write_text"]

_PREFIX = ".bibulon-"
_HOST = hashlib.sha256(socket.gethostname().encode()).hexdigest()[:8]


def named(path: Path) -> str:
    """Return a file's name for people; bytes that are no text show as a question mark in a diamond."""
    return os.fsencode(path.name).decode("utf-8", "replace")


@contextlib.contextmanager
def aside(path: Path) -> Iterator[Path]:
    """Give a place beside ``path`` to write to; on leaving, what stands there takes the name of ``path``.

    The file is synced before the rename and its folder after it, so that a kill or a power cut at any
    moment leaves the file of before or the file of after.  When writing fails nothing is left behind.
    A link is followed: what it points to is replaced, not the link.

    Raises
    ------
    OSError : when the place cannot be written; ``path`` is as it was.
    """
    target = Path(os.path.realpath(path))
    part = target.parent / f"{_PREFIX}{_HOST}-{os.getpid()}-{uuid.uuid4().hex[:8]}.part"
    try:
        yield part
        with contextlib.suppress(OSError):
            shutil.copymode(target, part)
        with part.open("rb+") as file:
            os.fsync(file.fileno())
        os.replace(part, target)
    except BaseException:
        for name in (part, part.with_name(part.name + "-journal")):
            with contextlib.suppress(OSError):
                name.unlink(missing_ok=True)
        raise
    _sync_folder(target.parent)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file whole or not at all; see ``aside``."""
    with aside(path) as part:
        part.write_bytes(data)


def write_text(path: Path, text: str) -> None:
    """Write a text as UTF-8, whole or not at all; see ``aside``."""
    write_bytes(path, text.encode("utf-8"))


def keep_aside(path: Path, folder: Path) -> Path:
    """Copy a file that is about to be replaced into a folder, under a name that tells when; return the copy.

    Raises
    ------
    OSError : when it cannot be copied; then it must not be replaced.
    """
    folder.mkdir(parents=True, exist_ok=True)
    stamp = time.strftime("%Y%m%d-%H%M%S")
    copy = folder / f"{path.stem[:80]}-{stamp}-{uuid.uuid4().hex[:4]}{path.suffix}"
    with aside(copy) as part:
        shutil.copyfile(path, part)
    return copy


def sweep(folder: Path) -> None:
    """Remove what writes of programs that were killed have left in a folder."""
    with contextlib.suppress(OSError):
        for part in folder.glob(f"{_PREFIX}{_HOST}-*.part*"):
            pid = part.name.removeprefix(f"{_PREFIX}{_HOST}-").split("-")[0]
            if pid.isdigit() and not alive(int(pid)):
                part.unlink(missing_ok=True)


def alive(pid: int) -> bool:
    """Whether a process of this machine runs."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
