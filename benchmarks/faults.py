"""Faults played on the keeper of jobs and on every reader: kills, full disks, flipped bytes, nonsense.

Each play returns sentences that say what was lost, wrong in silence, or crashed; none is what is wanted.
Run as ``python -m benchmarks.faults PLAY [COUNT]``; the tests run short ones, ``bin/bench faults`` long ones.
"""

from __future__ import annotations

import contextlib
import errno
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from bibulon.core.library.demo import demo_job
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.store.jobfile import JobFileError, load
from bibulon.store.keeper import Keeper

__all__ = ["OPS", "PLAYS", "flips", "full_disk", "kills", "main"]

PLAYS = ("kills", "full-disk", "refusals", "flips", "nonsense")

SEED = 20261125
FIRST = 5  # rows that the file holds before
OTHERS = 3  # rows that another job's file holds
LONGEST_S = 0.03  # from the first acknowledgement to the kill


def job_number(k: int) -> Job:
    """Return the demo with a number in its notes."""
    return demo_job().replaced(notes=str(k))


def row(k: int) -> Entry:
    """Return a row with a number."""
    return Entry("r", float(k), "note", {"text": str(k)})


def numbers(rows: tuple[Entry, ...]) -> set[int]:
    """Return the numbers of rows."""
    return {int(e.data["text"]) for e in rows}


class Place:
    """A folder with the job's file, another job's file and a state folder, as a play finds them."""

    def __init__(self, ending: str) -> None:
        self.root = Path(tempfile.mkdtemp(prefix="faults-"))
        self.home, self.other, self.state = (
            self.root / f"a{ending}",
            self.root / f"b{ending}",
            self.root / "state",
        )
        for path, count in ((self.home, FIRST), (self.other, OTHERS)):
            keeper = Keeper(self.state)
            keeper.begin(job_number(-1))
            keeper.save(job_number(-1), path)
            for k in range(count):
                keeper.stamp(row(-1 - k))
            keeper.end()

    def remove(self) -> None:
        shutil.rmtree(self.root, ignore_errors=True)

    def left(self) -> list[Path]:
        """Return what can be taken up again."""
        return [x.path for x in Keeper(self.state).leftovers() if not x.problem]


# -- what is done until the kill comes: each yields a number once it is done and acknowledged


def _stamping(place: Place) -> Iterator[int]:
    keeper = Keeper(place.state)
    keeper.open(place.home)
    for k in range(10**6):
        keeper.stamp(row(k))
        yield k


def _stamping_new(place: Place) -> Iterator[int]:
    keeper = Keeper(place.state)
    keeper.begin(job_number(-1))
    for k in range(10**6):
        keeper.stamp(row(k))
        yield k


def _saving(place: Place) -> Iterator[int]:
    keeper = Keeper(place.state)
    keeper.open(place.home)
    for k in range(10**6):
        keeper.save(job_number(k))
        yield k


def _save_as(place: Place) -> Iterator[int]:
    keeper = Keeper(place.state)
    keeper.open(place.home)
    for k in range(10**6):
        keeper.save(job_number(k), place.other if k % 2 == 0 else place.home)
        yield k


def _autosaving(place: Place) -> Iterator[int]:
    keeper = Keeper(place.state)
    keeper.open(place.home)
    for k in range(10**6):
        keeper.autosave(job_number(k))
        yield k


def _recovering(place: Place) -> Iterator[int]:
    """A new job with rows crashes, is taken up, goes on, crashes again; now and then it is saved."""
    keeper = Keeper(place.state)
    keeper.begin(job_number(-1))
    for k in range(10**6):
        keeper.stamp(row(k))
        yield k
        if k % 3 == 2:
            keeper.save(job_number(k), place.other)
            keeper.autosave(job_number(k))
        keeper._forget()  # a crash: only the locks go, as they go with the process
        left = keeper.leftovers()
        if left:
            keeper.recover(left[0].path)
        else:
            keeper.open(place.other)


def _rows_of(place: Place, *files: Path) -> set[int]:
    """Return the rows that stand in files or in what can be taken up again."""
    found: set[int] = set()
    for path in files:
        if path.exists():
            loaded = load(path)
            if loaded.problems:
                raise JobFileError(" ".join(loaded.problems))
            found |= numbers(loaded.journal)
    for path in place.left():
        found |= numbers(load(path).journal)
    kept = place.state / "replaced"
    for path in kept.glob("[!.]*") if kept.exists() else ():
        found |= numbers(load(path).journal)
    return found


def _check_rows(place: Place, told: int, path: Path) -> str:
    missing = set(range(told + 1)) - _rows_of(place, path)
    return f"{len(missing)} rows lost" if missing else ""


def _check_stamping(place: Place, told: int) -> str:
    missing = ({-1 - k for k in range(FIRST)} | set(range(told + 1))) - _rows_of(place, place.home)
    return f"{len(missing)} rows lost" if missing else ""


def _check_saving(place: Place, told: int) -> str:
    loaded = load(place.home)
    if int(loaded.job.notes) < told:
        return f"save {told} lost: {loaded.job.notes} stands there"
    return f"{FIRST - len(loaded.journal)} rows lost" if len(loaded.journal) != FIRST else ""


def _check_save_as(place: Place, told: int) -> str:
    newest = max(int(load(p).job.notes) for p in (place.home, place.other))
    if newest < told:
        return f"save {told} lost: {newest} is the newest"
    last = place.other if told % 2 == 0 else place.home
    if told >= 0 and numbers(load(last).journal) != {-1 - k for k in range(FIRST)}:
        return "rows lost on the way to another name"
    held = [load(p) for p in (place.other, *(place.state / "replaced").glob("b-*"))]
    return "" if any(len(x.journal) == OTHERS for x in held) else "the other job's record lost"


def _check_autosaving(place: Place, told: int) -> str:
    if len(load(place.home).journal) != FIRST:
        return "rows lost"
    newest = max((int(load(p).job.notes) for p in place.left()), default=-1)
    return f"autosave {told} lost: {newest} is the newest" if newest < told else ""


OPS: dict[str, tuple[Callable[[Place], Iterator[int]], Callable[[Place, int], str]]] = {
    "stamping": (_stamping, _check_stamping),
    "stamping-new": (_stamping_new, lambda place, told: _check_rows(place, told, place.other)),
    "saving": (_saving, _check_saving),
    "save-as": (_save_as, _check_save_as),
    "autosaving": (_autosaving, _check_autosaving),
    "recovering": (_recovering, lambda place, told: _check_rows(place, told, place.other)),
}


def kills(op: str, ending: str, count: int, seed: int = SEED) -> list[str]:
    """Kill a process in the midst of an act, again and again; return what was lost."""
    act, check = OPS[op]
    dice = random.Random(f"{seed} {op} {ending}")
    lost = []
    for n in range(count):
        place = Place(ending)
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            with contextlib.suppress(BaseException):
                for k in act(place):
                    os.write(write, f"{k}\n".encode())
            os._exit(1)
        os.close(write)
        first = os.read(read, 64) if dice.random() < 0.9 else b""
        time.sleep(dice.random() * LONGEST_S)
        os.kill(child, signal.SIGKILL)
        _, status = os.waitpid(child, 0)
        rest = b"".join(iter(lambda r=read: os.read(r, 65536), b""))  # type: ignore[misc]
        os.close(read)
        told = max([-1, *(int(x) for x in (first + rest).split())])
        try:
            words = check(place, told) if os.WIFSIGNALED(status) else "the act itself failed"
        except (JobFileError, ValueError, OSError) as error:
            words = f"cannot be read: {error}"
        if words:
            lost.append(f"{op} {ending}, kill {n}: {words}")
        place.remove()
    return lost


# -- a disk that is full: no file may grow beyond so many bytes


def full_disk(op: str, ending: str, steps: int) -> list[str]:
    """Do an act with less and less room for a file; return what was lost, left over, or told in no sentence."""
    act, check = OPS[op]
    lost = []
    size = 70_000
    for n in range(steps):
        place = Place(ending)
        limit = size * n // steps
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))
            try:
                for k in act(place):
                    os.write(write, f"{k}\n".encode())
                    if k >= 8:
                        break
            except JobFileError:
                os._exit(0)
            except BaseException as error:
                os.write(write, f"! {type(error).__name__} {error}".replace("\n", " ").encode())
            os._exit(0)
        os.close(write)
        text = b"".join(iter(lambda r=read: os.read(r, 65536), b"")).decode()  # type: ignore[misc]
        os.close(read)
        os.waitpid(child, 0)
        told = max([-1, *(int(x) for x in text.split("!")[0].split())])
        try:
            words = check(place, told)
        except (JobFileError, ValueError, OSError) as error:
            words = f"cannot be read: {error}"
        if "!" in text:
            words += f" raw error {text[text.index('!') :]}"
        parts = [p.name for p in place.root.rglob("*.part*")]
        if parts:
            words += f" left over: {parts}"
        if words:
            lost.append(f"{op} {ending}, {limit} bytes: {words}")
        place.remove()
    return lost


# -- a system that refuses: the n-th time that a file is opened, synced, renamed or connected to


def _refusing(nth: int, error: int) -> Callable[[], bool]:
    """Let the n-th call that touches the disk fail; return what tells whether it came to that."""
    from bibulon.store import container_read, durable, lock

    count = [0]

    def wrapped(real: Callable[..., Any]) -> Callable[..., Any]:
        def call(*args: Any, **rest: Any) -> Any:
            count[0] += 1
            if count[0] == nth:
                raise OSError(error, os.strerror(error))
            return real(*args, **rest)

        return call

    class _Os:
        """The module with calls that may fail."""

        def __init__(self, names: tuple[str, ...]) -> None:
            for name in names:
                setattr(self, name, wrapped(getattr(os, name)))

        def __getattr__(self, name: str) -> Any:
            return getattr(os, name)

    durable.os = _Os(("replace", "fsync", "open"))  # type: ignore[assignment]
    lock.os = _Os(("open", "pwrite"))  # type: ignore[assignment]
    container_read.connect = wrapped(container_read.connect)
    return lambda: count[0] >= nth


def refusals(op: str, ending: str, error: int, every: int = 1) -> list[str]:
    """Let the system refuse at every point of an act, one after another; return what was lost or left over.

    every : one point in so many, in a hurry.
    """
    act, check = OPS[op]
    lost = []
    for nth in range(1, 200, every):
        place = Place(ending)
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            came = _refusing(nth, error)
            words = ""
            try:
                for k in act(place):
                    os.write(write, f"{k}\n".encode())
                    if k >= 3:
                        break
            except JobFileError:
                pass
            except BaseException as problem:
                words = f"! {type(problem).__name__} {problem}".replace("\n", " ")
            os.write(write, f"{words}{'' if came() else '#'}".encode())
            os._exit(0)
        os.close(write)
        text = b"".join(iter(lambda r=read: os.read(r, 65536), b"")).decode()  # type: ignore[misc]
        os.close(read)
        os.waitpid(child, 0)
        told = max([-1, *(int(x) for x in text.split("!")[0].replace("#", "").split())])
        try:
            words = check(place, told)
        except (JobFileError, ValueError, OSError) as problem:
            words = f"cannot be read: {problem}"
        if "!" in text:
            words += f" raw error {text[text.index('!') :]}"
        if parts := [p.name for p in place.root.rglob("*.part*")]:
            words += f" left over: {parts}"
        place.remove()
        if words:
            lost.append(f"{op} {ending}, call {nth} refused: {words}")
        if text.endswith("#"):
            return lost
    return [*lost, f"{op} {ending}: never came to its end"]


# -- flipped bytes


def flips(ending: str, count: int, seed: int = SEED) -> list[str]:
    """Flip a byte of a job file, or cut it; return what then opened wrong in silence, or not in one sentence."""
    place = Place(ending)
    keeper = Keeper(place.state)
    keeper.open(place.home)
    for k in range(12):
        keeper.stamp(row(k))
    keeper.save(job_number(7))
    keeper.end()
    whole = place.home.read_bytes()
    right = load(place.home)
    dice = random.Random(f"{seed} {ending}")
    bad = []
    for n in range(count):
        data = bytearray(whole)
        at = dice.randrange(len(data))
        if n % 10 == 9:
            del data[at:]
        else:
            data[at] ^= dice.randrange(1, 256)
        victim = place.root / f"flip{ending}"
        victim.write_bytes(data)
        try:
            found = load(victim)
        except JobFileError as error:
            if len(str(error)) > 400 or "\n" in str(error):
                bad.append(f"flip {n} at {at}: {error}")
        except Exception as error:
            bad.append(f"flip {n} at {at}: {type(error).__name__} {error}")
        else:
            same = found.job == right.job and found.journal == right.journal
            if not same and not found.problems and not found.note:
                bad.append(f"flip {n} at {at}: wrong in silence")
        if bytes(data) != victim.read_bytes():
            bad.append(f"flip {n} at {at}: the file was changed by reading it")
    place.remove()
    return bad


def main(words: list[str]) -> int:
    """Run one play, or all of them; return 1 when anything was lost."""
    from benchmarks.nonsense import nonsense

    play, count = words[0], int(words[1]) if len(words) > 1 else 0
    ops, endings = words[2:3] or list(OPS), (".bibulon", ".json")
    told: list[str] = []
    match play:
        case "kills":
            for op in ops:
                for ending in endings:
                    found = kills(op, ending, count or 200)
                    print(f"{op} {ending}: {count or 200} kills, {len(found)} with a loss", flush=True)
                    told += found
        case "full-disk":
            for op in ops:
                for ending in endings:
                    found = full_disk(op, ending, count or 40)
                    print(f"{op} {ending}: {count or 40} full disks, {len(found)} with a loss", flush=True)
                    told += found
        case "refusals":
            for op in ops:
                for ending in endings:
                    every = count or 1
                    found = [x for e in (errno.EROFS, errno.ENOENT) for x in refusals(op, ending, e, every)]
                    points = "every point" if every == 1 else f"one point in {every}"
                    print(f"{op} {ending}: refused at {points}, {len(found)} with a loss", flush=True)
                    told += found
        case "flips":
            for ending in endings:
                found = flips(ending, count or 500)
                print(
                    f"{ending}: {count or 500} flipped files, {len(found)} wrong in silence or raw",
                    flush=True,
                )
                told += found
        case "nonsense":
            told += nonsense(count or 10_000)
    for line in told[:20]:
        print(line)
    return 1 if told else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
