"""Libraries of materials as JSON and CSV; CSV is flat, a column a figure, SI units in the headings."""

from __future__ import annotations

import csv
import io
import json
import re
import time
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import msgspec

from bibulon.core.library.properties import PROPERTIES
from bibulon.core.model.base import checked
from bibulon.core.model.invalid import Invalid
from bibulon.core.model.materials import Material
from bibulon.core.units.words import tr
from bibulon.store.durable import keep_aside, named, write_text
from bibulon.store.jsontext import JsonError, parse_json, read_json
from bibulon.store.lock import Held, Lock, take

__all__ = [
    "LibraryError",
    "change_library",
    "patiently",
    "read_library",
    "read_materials",
    "write_library",
    "write_materials",
]

MOST = 20_000  # materials of a library
LARGEST = 50_000_000  # bytes of a table
PATIENCE = 50  # hundredths of a second that another window may hold the library
SI = {
    "areal_mass": "kg/m2", "fibre_density": "kg/m3", "p_ref": "Pa", "k1": "m2", "k2": "m2", "k3": "m2", "roll_width": "m",
    "thickness": "m", "density": "kg/m3", "density_b": "kg/m3", "grooves.width": "m", "grooves.depth": "m",
    "grooves.pitch": "m", "scores.width": "m", "scores.depth": "m", "scores.pitch": "m", "hole_diameter": "m",
    "hole_pitch": "m", "surface_uptake": "m3/m2", "sheet_length": "m", "sheet_width": "m", "most": "kg/m2", "gel_time": "s",
    "accelerator_density": "kg/m3", "warm_limit": "K", "bears": "K", "glass_uncured": "K", "glass_cured": "K", "filler_density": "kg/m3", "heat": "J/kg", "specific_heat": "J/(kg.K)",
    "conductivity": "W/(m.K)", "pot_life": "s", "largest_batch": "kg", "mixing_time": "s",
}  # fmt: skip
COLUMNS = tuple(dict.fromkeys(p.path for props in PROPERTIES.values() for p in props))
WHOLE = ("viscosity", "doses", "about")  # written as JSON in one cell


class LibraryError(ValueError):
    """A library that cannot be read; the text says which entry and why."""


def _explained(error: Invalid) -> str:
    first = error.faults[0]
    where = ".".join(str(x)[:24] for x in first.place)
    return f"{where}: {first}" if where else str(first)


def _checked(key: str, data: Any) -> Material:
    try:
        return checked(Material, data)
    except Invalid as error:
        short = key if len(key) <= 40 else f"{key[:38]}…"
        raise LibraryError(tr("Material “{0}”: {1}.", short, _explained(error))) from error


def read_library(path: Path, *, empty: bool = False) -> dict[str, Material]:
    """Read a library from JSON: an object of materials by id; with ``empty`` it may hold none.

    Raises
    ------
    LibraryError : when it is no library, or one of its materials cannot be.
    """
    try:
        data = read_json(path)
    except JsonError as error:
        raise LibraryError(str(error)) from error
    if not isinstance(data, dict) or not (data or empty):
        raise LibraryError(tr("{} holds no materials.", named(path)))
    if len(data) > MOST:
        raise LibraryError(tr("{0} holds {1} materials: {2} at most.", named(path), len(data), MOST))
    return {_id(str(k)): _checked(str(k), v) for k, v in data.items()}


def change_library(
    path: Path, changed: dict[str, Material], gone: Iterable[str]
) -> tuple[dict[str, Material], Path | None]:
    """Put materials into a library file and take others out, whatever other windows have written to it.

    Returns the library as it then is, and where a damaged file was kept, if there was one.

    Raises
    ------
    LibraryError : when another window holds the file for too long.
    OSError : when it cannot be written; it is as it was.
    """
    lock = patiently(path)
    try:
        there: dict[str, Material] = {}
        aside: Path | None = None
        if path.exists():
            try:
                there = read_library(path, empty=True)
            except LibraryError:
                aside = keep_aside(path, path.parent)
        for key in gone:
            there.pop(key, None)
        there.update(changed)
        write_library(there, path)
        return there, aside
    finally:
        lock.release()


def patiently(path: Path) -> Lock:
    """Return the lock on a file that windows share, once it is free.

    Raises
    ------
    LibraryError : when another window holds it for too long.
    """
    for _ in range(PATIENCE):
        try:
            return take(path)
        except Held as error:
            held = error
            time.sleep(0.01)
    raise LibraryError(str(held))


def _id(text: str) -> str:
    """Return an id of the characters that a job allows."""
    return re.sub(r"[^A-Za-z0-9_.-]+", "-", text).strip("-")[:64] or "material"


def write_library(materials: dict[str, Material], path: Path) -> None:
    """Write a library as JSON, whole or not at all.

    Raises
    ------
    OSError : when the file cannot be written.
    """
    text = json.dumps(msgspec.to_builtins(materials), indent=1, ensure_ascii=False)
    write_text(path, text + "\n")


def read_materials(path: Path) -> dict[str, Material]:
    """Read materials from JSON or CSV, by the file's ending.

    Raises
    ------
    LibraryError : see ``read_library``; for CSV the row and column are told.
    """
    if path.suffix.lower() != ".csv":
        return read_library(path)
    try:
        if path.stat().st_size > LARGEST:
            raise LibraryError(
                tr("{0} is larger than {1} MB: that is no library.", named(path), LARGEST // 1000000)
            )
        lines = path.read_text(encoding="utf-8-sig").splitlines()
        rows = list(csv.DictReader(lines))
    except OSError as error:
        raise LibraryError(tr("{0} cannot be read: {1}.", named(path), error.strerror or error)) from error
    except UnicodeDecodeError as error:
        raise LibraryError(tr("{} is no text.", named(path))) from error
    except csv.Error as error:
        raise LibraryError(
            tr("{} is no table: a cell is too long, or a quotation mark is open.", named(path))
        ) from error
    if not rows:
        raise LibraryError(tr("{} holds no rows.", named(path)))
    if len(rows) > MOST:
        raise LibraryError(tr("{0} has {1} rows: {2} at most.", named(path), len(rows), MOST))
    out = {}
    for r, row in enumerate(rows, 2):
        cells = {_plain(str(k)): (v or "").strip() for k, v in row.items() if k and isinstance(v, str)}
        if not cells.get("name") or not cells.get("kind"):
            raise LibraryError(tr("Row {0} of {1} lacks a name or a kind.", r, named(path)))
        if cells["kind"] not in PROPERTIES:
            raise LibraryError(
                tr("Row {0}: “{1}” is no kind: use one of {2}.", r, cells["kind"][:40], ", ".join(PROPERTIES))
            )
        out[_id(cells.get("id") or cells["name"])] = _from_cells(r, cells)
    return out


def _plain(heading: str) -> str:
    """Return a heading without its unit."""
    return heading.split(" ")[0].strip()


def _from_cells(r: int, cells: dict[str, str]) -> Material:
    data: dict[str, Any] = {k: cells[k] for k in ("kind", "name", "source") if cells.get(k)}
    mine = {p.path: p for p in PROPERTIES[cells["kind"]]}
    for path, text in cells.items():
        if not text:
            continue
        if path in WHOLE:
            try:
                data[path] = parse_json(text, tr("Row {0}, column {1}", r, path))
            except JsonError as error:
                raise LibraryError(str(error)) from error
        elif path == "directions":
            data[path] = _directions(r, path, text)
        elif path in mine:
            value: Any = text if mine[path].choices else _number(r, path, text)
            if mine[path].choices and text.isdigit():
                value = int(text)
            group, _, name = path.rpartition(".")
            (data.setdefault(group, {}) if group else data)[name] = value
    return _checked(cells["name"], data)


def _directions(r: int, path: str, text: str) -> list[dict[str, float]]:
    """Return fibre directions written as “angle:share;angle:share”."""
    out = []
    for word in text.split(";"):
        angle, _, share = word.partition(":")
        out.append({"angle_deg": _number(r, path, angle), "share": _number(r, path, share)})
    return out


def _refuse(r: int, path: str, text: str) -> Any:
    raise LibraryError(tr("Row {0}, column {1}: “{2}” cannot be read.", r, path, text[:40]))


def _number(r: int, path: str, text: str) -> float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        return float(_refuse(r, path, text))


def write_materials(materials: dict[str, Material], path: Path) -> None:
    """Write materials as JSON or CSV, by the file's ending.

    Raises
    ------
    ValueError : when the ending is neither.
    OSError : when the file cannot be written.
    """
    match path.suffix.lower():
        case ".json":
            write_library(materials, path)
        case ".csv":
            write_text(path, _csv(materials))
        case other:
            raise ValueError(tr("A library is written as .json or .csv, not as “{}”.", other or path.name))


def _csv(materials: dict[str, Material]) -> str:
    file = io.StringIO()
    heads = ["id", "kind", "name", "source", *(f"{c} {SI[c]}" if c in SI else c for c in COLUMNS), *WHOLE]
    writer = csv.writer(file)
    writer.writerow(heads)
    for key, m in materials.items():
        data = msgspec.to_builtins(m)
        cells = [key, m.kind, m.name, m.source]
        for path in COLUMNS:
            group, _, name = path.rpartition(".")
            value = (data.get(group) or {}).get(name) if group else data.get(name)
            if path == "directions":
                value = ";".join(f"{d['angle_deg']:g}:{d['share']:g}" for d in value or ())
            cells.append("" if value is None else str(value))
        cells += [json.dumps(data[w]) if data.get(w) else "" for w in WHOLE]
        writer.writerow(cells)
    return file.getvalue()
