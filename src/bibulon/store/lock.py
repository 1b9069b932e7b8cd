"""Who has a job file: a lock beside it, with name, machine, process and time, that ends with its process."""

from __future__ import annotations

import contextlib
import fcntl
import getpass
import hashlib
import json
import os
import socket
import time
from pathlib import Path

from msgspec import Struct
from msgspec.structs import asdict

from bibulon.core.units.words import tr
from bibulon.store.durable import named

__all__ = ["Held", "Holder", "Lock", "lock_place", "take"]


class Holder(Struct, frozen=True):
    """Who has a file, on which machine, in which process, since when [Unix time]."""

    user: str
    host: str
    pid: int
    since: float

    def words(self) -> str:
        """Return it for people."""
        where = "" if self.host == socket.gethostname() else tr(" on {}", self.host)
        when = (
            time.strftime("%H:%M on %d %b", time.localtime(self.since))
            if self.since
            else tr("an unknown time")
        )
        return tr("{0}{1} (since {2})", self.user or "another window", where, when)


class Held(Exception):
    """Somebody else has the file; ``holder`` says who."""

    def __init__(self, path: Path, holder: Holder) -> None:
        self.holder = holder
        away = holder.host not in ("", socket.gethostname())
        stale = (
            tr(" Should that machine have gone down with it, remove {}.", named(lock_place(path)))
            if away
            else ""
        )
        super().__init__(tr("{0} is open: {1} has it.{2}", named(path), holder.words(), stale))


class Lock:
    """A lock that was taken; ``release`` gives the file free.  It ends with the process in any case."""

    def __init__(self, place: Path, handle: int) -> None:
        self._place, self._handle = place, handle

    def release(self) -> None:
        """Give the file free."""
        if self._handle < 0:
            return
        # Removed while still held: whoever waits for it sees that the name is gone and begins anew.
        with contextlib.suppress(OSError):
            self._place.unlink(missing_ok=True)
        os.close(self._handle)
        self._handle = -1


def lock_place(path: Path) -> Path:
    """Return where the lock of a file stands."""
    target = Path(os.path.realpath(path))
    name = f".{target.name}.lock"
    if len(os.fsencode(name)) > 200:
        name = f".{hashlib.sha256(os.fsencode(target.name)).hexdigest()[:24]}.lock"
    return target.with_name(name)


def take(path: Path) -> Lock:
    """Take a file for writing.

    The kernel's lock on the lock file says whether a process of this machine has it, and ends with that
    process; what stands in it tells who, and whether it is another machine's.

    Raises
    ------
    Held : when somebody has it.
    OSError : when no lock can be written there.
    """
    place = lock_place(path)
    while True:
        handle = os.open(place, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            holder = _holder(handle)
            os.close(handle)
            raise Held(path, holder) from None
        except OSError:
            os.close(handle)
            raise
        try:
            same = os.stat(place).st_ino == os.fstat(handle).st_ino
        except FileNotFoundError:
            same = False
        if same:
            break
        os.close(handle)
    before = _holder(handle)
    if before.host not in ("", socket.gethostname()):
        os.close(handle)
        raise Held(path, before)
    mine = Holder(_user(), socket.gethostname(), os.getpid(), time.time())
    try:
        os.ftruncate(handle, 0)
        os.pwrite(handle, json.dumps(asdict(mine)).encode(), 0)
    except OSError:
        with contextlib.suppress(OSError):
            place.unlink(missing_ok=True)
        os.close(handle)
        raise
    return Lock(place, handle)


def _user() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def _holder(handle: int) -> Holder:
    """Return who stands in a lock file; empty words when nobody does, or it cannot be read."""
    try:
        data = json.loads(os.pread(handle, 4096, 0))
        return Holder(str(data["user"]), str(data["host"]), int(data["pid"]), float(data["since"]))
    except (ValueError, KeyError, TypeError, OSError, RecursionError):
        return Holder("", "", 0, 0.0)
