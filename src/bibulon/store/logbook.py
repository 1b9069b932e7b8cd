"""The shop's log: an index of all jobs of some folders, kept in SQLite, rebuilt at any time from the job files themselves."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from msgspec.structs import asdict

from bibulon.core.geometry.outline import trace
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry, run_state
from bibulon.core.series.demo import series_demo
from bibulon.core.series.habits import leaks_of, spans_of
from bibulon.core.series.learn import learned_of
from bibulon.core.series.record import outcome_of
from bibulon.core.series.service import serviced_of
from bibulon.core.series.settled import Settled, settled_of
from bibulon.core.units.words import tr
from bibulon.store.jobfile import ENDINGS, JobFileError, load, save

__all__ = ["LogRow", "Logbook", "closed", "row_of", "write_series"]

VERSION = 6
BATCH = 100  # files that are read and kept at once
STAMP = 80  # points of an outline that are kept
_SCHEMA = (
    "CREATE TABLE IF NOT EXISTS job (path TEXT PRIMARY KEY, stamp TEXT NOT NULL, data TEXT NOT NULL, words TEXT NOT NULL)",
    "CREATE VIRTUAL TABLE IF NOT EXISTS word USING fts5(path UNINDEXED, words, tokenize='unicode61 remove_diacritics 2')",
)


class LogRow(Struct, frozen=True):
    """A job as the log shows it; ``figures`` in SI; ``problem`` why its file could not be read.

    lines : role and path [m] of each; pins : kind and place [m] of each defect; learned : material, ln of
    the factor on its permeabilities, its spread, and the k1 [m²] that it is of; spans : how long its stages took [s];
    leaks : kind of place of each that was mended, with each kind's usual share; serviced : what was, after this part;
    settled : what the measured part says of its cloth and core.
    """

    path: Path
    name: str
    mould: str
    process: str
    materials: tuple[str, ...]
    shot_at: float | None
    verdict: str
    defects: tuple[str, ...]
    lessons: tuple[str, ...]
    figures: dict[str, float]
    outline: tuple[tuple[float, float], ...]
    problem: str = ""
    lines: tuple[tuple[str, tuple[tuple[float, float], ...]], ...] = ()
    pins: tuple[tuple[str, float, float], ...] = ()
    learned: tuple[tuple[str, float, float, float], ...] = ()
    spans: dict[str, float] = field(default_factory=dict)
    leaks: tuple[tuple[str, dict[str, float]], ...] = ()
    serviced: tuple[str, ...] = ()
    settled: tuple[Settled, ...] = ()


def row_of(path: Path, job: Job, journal: Sequence[Entry]) -> LogRow:
    """Return a job's row."""
    state = run_state(journal)
    try:
        came = outcome_of(job, journal)
        figures, found, lessons = came.figures, came.defects, came.lessons
    except ValueError:
        figures, found, lessons = {}, (), ()
    defects = tuple(d.kind for d in found)
    if not state.run:
        verdict = "not shot"
    elif state.wet_at is None:
        verdict = "shot, not all wet" if state.stopped_at is not None else "running"
    else:
        verdict = "good" if not defects else "1 defect" if len(defects) == 1 else f"{len(defects)} defects"
    names = tuple(m.name for m in job.materials.values()) + ((job.resin.name,) if job.resin else ())
    outline = _short([(float(x), float(y)) for x, y in trace(job.part.outline)])
    return LogRow(
        path,
        job.name,
        job.mould,
        job.process,
        names,
        state.began or None,
        verdict,
        defects,
        lessons,
        figures,
        outline,
        "",
        tuple((x.role, _short(x.path)) for x in job.lines),
        tuple((d.kind, round(d.x, 3), round(d.y, 3)) for d in found),
        learned_of(journal),
        spans_of(journal),
        leaks_of(job, journal),
        serviced_of(journal),
        _settled(job, journal),
    )


def _settled(job: Job, journal: Sequence[Entry]) -> tuple[Settled, ...]:
    try:
        return settled_of(job, journal)
    except ValueError:
        return ()


def _short(path: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Return at most ``STAMP`` points of a path, to the millimetre: enough for a plan of the size of a stamp."""
    every = max(1, math.ceil(len(path) / STAMP))
    return tuple((round(x, 3), round(y, 3)) for x, y in path[::every])


class Logbook:
    """The index of some folders.  ``refresh`` reads what is new or changed; ``search`` answers at once."""

    def __init__(self, index: Path) -> None:
        self.index = index
        index.parent.mkdir(parents=True, exist_ok=True)
        self._db = self._opened()

    def _opened(self) -> sqlite3.Connection:
        """Open the index; one that is damaged or of another version is begun anew: it holds nothing of its own."""
        for attempt in (0, 1):
            db = sqlite3.connect(self.index)
            try:
                if db.execute("PRAGMA user_version").fetchone()[0] not in (0, VERSION):
                    raise sqlite3.DatabaseError(tr("another version"))
                for statement in _SCHEMA:
                    db.execute(statement)
                db.execute(f"PRAGMA user_version = {VERSION}")
                db.execute("PRAGMA quick_check").fetchone()
                return db
            except sqlite3.DatabaseError:
                db.close()
                if attempt:
                    raise
                self.index.unlink(missing_ok=True)
        raise AssertionError("unreachable")

    def close(self) -> None:
        """Close the index."""
        self._db.close()

    def refresh(
        self,
        folders: Sequence[Path],
        tell: Callable[[int, int], None] = lambda done, of: None,
        stopped: Callable[[], bool] = lambda: False,
    ) -> int:
        """Follow what is on disk; return how many files were read anew.

        ``tell`` hears how many of them are read, ``stopped`` ends it: what was read until then is kept.
        """
        known = dict(self._db.execute("SELECT path, stamp FROM job").fetchall())
        there = {str(p): _stamp(p) for p in _files(folders)}
        gone = [
            p for p in known if p not in there and any(Path(p).is_relative_to(f.resolve()) for f in folders)
        ]
        fresh = [p for p, stamp in there.items() if known.get(p) != stamp]
        with self._db:
            for path in gone:
                self._forget(path)
        for begin in range(0, len(fresh), BATCH):
            if stopped():
                return begin
            with self._db:
                for path in fresh[begin : begin + BATCH]:
                    self._put(path, there[path])
            tell(min(begin + BATCH, len(fresh)), len(fresh))
        return len(fresh)

    def _put(self, path: str, stamp: str) -> None:
        row = _read(Path(path))
        told = (row.name, row.mould, row.process, row.verdict, *row.materials, *row.defects, *row.lessons)
        words = " ".join([*told, Path(path).stem])
        self._forget(path)
        self._db.execute(
            "INSERT INTO job VALUES (?, ?, ?, ?)", (path, stamp, json.dumps(_packed(row)), words)
        )
        self._db.execute("INSERT INTO word VALUES (?, ?)", (path, words))

    def _forget(self, path: str) -> None:
        self._db.execute("DELETE FROM job WHERE path = ?", (path,))
        self._db.execute("DELETE FROM word WHERE path = ?", (path,))

    def search(self, words: str = "") -> list[LogRow]:
        """Return rows that hold all words, each by its beginning, numbers whole; the latest shot first."""
        found = self._db.execute("SELECT path, data FROM job").fetchall()
        if words.strip():
            wanted = self.paths(words)
            found = [row for row in found if row[0] in wanted]
        rows = [_unpacked(Path(p), json.loads(d)) for p, d in found]
        return sorted(rows, key=lambda r: (-(r.shot_at or 0.0), r.name))

    def paths(self, words: str) -> set[str]:
        """Return the files of the rows that hold all words, each by its beginning, numbers whole."""
        asked = [w for w in ("".join(c if c.isalnum() else " " for c in words)).split() if w]
        if not asked:
            return {p for (p,) in self._db.execute("SELECT path FROM job")}
        query = " ".join(f'"{w}"' if w.isdigit() else f'"{w}"*' for w in asked)
        return {p for (p,) in self._db.execute("SELECT path FROM word WHERE word MATCH ?", (query,))}


def _files(folders: Sequence[Path]) -> Iterator[Path]:
    for folder in folders:
        for path in sorted(folder.resolve().rglob("*")):
            if path.suffix.lower() in ENDINGS and path.is_file() and not path.name.startswith("."):
                yield path


def _stamp(path: Path) -> str:
    told = path.stat()
    return f"{told.st_mtime_ns}:{told.st_size}:{told.st_ino}"


def _read(path: Path) -> LogRow:
    try:
        loaded = load(path)
    except (JobFileError, OSError) as error:
        return LogRow(path, path.stem, "", "", (), None, "cannot be read", (), (), {}, (), str(error))
    return row_of(path, loaded.job, loaded.journal)


def _packed(row: LogRow) -> dict[str, Any]:
    return {k: v for k, v in asdict(row).items() if k != "path"}


def _unpacked(path: Path, data: dict[str, Any]) -> LogRow:
    for key in ("materials", "defects", "lessons", "serviced"):
        data[key] = tuple(data[key])
    data["outline"] = tuple((x, y) for x, y in data["outline"])
    data["lines"] = tuple((role, tuple((x, y) for x, y in path)) for role, path in data["lines"])
    for key in ("pins", "learned", "leaks", "settled"):
        data[key] = tuple(tuple(row) for row in data[key])
    return LogRow(path, **data)


def write_series(folder: Path) -> int:
    """Write the jobs of the demo series into a folder; return how many there are.

    Raises
    ------
    OSError : when the folder cannot be made or written.
    """
    folder.mkdir(parents=True, exist_ok=True)
    made = series_demo()
    for job, rows in made:
        save(job, folder / f"{job.name.replace(' ', '-').lower()}.bibulon", rows)
    return len(made)


def closed(index: Path) -> closing[Logbook]:
    """Return the log under an index, closed at the end of a with."""
    return closing(Logbook(index))
