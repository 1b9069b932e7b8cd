"""Everything that is kept of a job, as files that any program reads: card, journal, record, photos, and the job itself."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from bibulon.core.drawing.sheets.card import journal_rows
from bibulon.core.model.job import Job
from bibulon.core.run.journal import Entry
from bibulon.core.series.photos import photos_of
from bibulon.core.series.record import outcome_of, record_json
from bibulon.core.units.units import System
from bibulon.store.durable import write_bytes, write_text
from bibulon.store.exports.card import write_card
from bibulon.store.exports.lists import write_csv
from bibulon.store.raw import raw_of

__all__ = ["write_bundle"]


def write_bundle(job: Job, journal: Sequence[Entry], folder: Path, system: System = "metric") -> list[str]:
    """Write a job's record into a folder, which is made; return the names of the files.

    Raises
    ------
    OSError : when a file cannot be written.
    OutlineError : when the outline is crossed or empty.
    """
    folder.mkdir(parents=True, exist_ok=True)
    write_card(job, journal, folder / "card.pdf", system)
    write_csv([("time", "what", "where"), *journal_rows(journal, job, system)], folder / "journal.csv")
    rows = [
        {"run": e.run, "clock_s": e.clock, "kind": e.kind, "written_unix_s": e.written_at, "uid": e.uid,
         **{k: v for k, v in e.data.items() if k != "jpeg"}}
        for e in journal
    ]  # fmt: skip
    told = {"name": job.name, "mould": job.mould, **record_json(outcome_of(job, journal)), "journal": rows}
    write_text(folder / "record.json", json.dumps(told, indent=1, ensure_ascii=False) + "\n")
    write_text(folder / "job.json", json.dumps(raw_of(job), indent=1, ensure_ascii=False) + "\n")
    names = ["card.pdf", "journal.csv", "record.json", "job.json"]
    for count, photo in enumerate(photos_of(journal), start=1):
        names.append(f"photo-{count:02d}.jpg")
        write_bytes(folder / names[-1], photo.jpeg)
    return names
