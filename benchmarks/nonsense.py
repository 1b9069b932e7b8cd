"""Nonsense for every reader: files and pastes that anybody could have, cut, flipped, doubled and made huge."""

from __future__ import annotations

import logging
import random
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from bibulon.core.library.demo import demo_job
from bibulon.core.units.pasted import PasteError, columns_of
from bibulon.core.units.units import QUANTITIES, UnitError, parse
from bibulon.store.exports.drawing_out import write_dxf, write_svg
from bibulon.store.imports.chains import DrawingError
from bibulon.store.imports.drawing_in import read_drawing
from bibulon.store.imports.gaugelog import LogError, read_log
from bibulon.store.imports.mesh_in import MeshError, read_mesh
from bibulon.store.imports.rings import assemble
from bibulon.store.jobfile import JobFileError, load, save
from bibulon.store.library import LibraryError, read_materials, write_materials

__all__ = ["nonsense"]

SEED = 20261125
SLOW_S = 2.0  # on the interface thread
SLOW_APART_S = 20.0  # in a process of its own, which is then ended
WORDS = [
    b"\x00", b"\r", b"\n", b'"', b",", b";", b"\t", b"9" * 400, b"1e999", b"-", b"nan", b"inf", b"{", b"[" * 2000, b"\xff\xfe",
    b"\xed\xa0\x80", b"\\ud800", b"1:" * 50, "−".encode(), b"x" * 140_000, b"0", b"-1", b"1e-320", b"\n0\nSPLINE\n", b"</g><g>",
]  # fmt: skip
_STL = (
    "solid a\n"
    + "".join(
        f"facet normal 0 0 1\nouter loop\nvertex {i} 0 0\nvertex {i + 1} 0 0.1\nvertex {i} 1 0\nendloop\nendfacet\n"
        for i in range(9)
    )
    + "endsolid a\n"
)
_OBJ = "v 0 0 0\nv 1 0 0\nv 1 1 0.2\nv 0 1 0\nf 1 2 3\nf 1 3 4\n"
_PLY = (
    "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
    "element face 2\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n1 1 0\n0 1 0\n3 0 1 2\n3 0 2 3\n"
)
_LOG = "time (s),absolute pressure (mbar)\n" + "".join(f"{30 * k},{20 + 0.1 * k:.1f}\n" for k in range(40))
_TABLE = "x [mm]\ty [mm]\tbow [mm]\n0\t0\t0\n1,5\t2\t0\n1 m\t3 ft\t0\n−4\t2.5e2\t1\n"
_FIGURES = ["36 in", "1.2 m", "20 oz/yd2", "26 inHg", "4:30", "1,5", "−3 °C", "1,200.5 mm", "3 h 20"]


def _seeds(folder: Path) -> dict[str, bytes]:
    """Return a good file of each kind, by ending."""
    demo = demo_job()
    save(demo, folder / "seed.bibulon")
    save(demo, folder / "seed.json")
    write_dxf(demo, folder / "seed.dxf")
    write_svg(demo, folder / "seed.svg")
    write_materials(dict(demo.materials), folder / "lib.json")
    write_materials(dict(demo.materials), folder / "lib.csv")
    out = {p.name: p.read_bytes() for p in folder.iterdir() if p.name[0] in "sl"}
    return out | {
        "a.stl": _STL.encode(),
        "a.obj": _OBJ.encode(),
        "a.ply": _PLY.encode(),
        "gauge.csv": _LOG.encode(),
    }


def _spoilt(data: bytes, dice: random.Random) -> bytes:
    """Return data with one to four things done to it."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 4)):
        at = dice.randrange(len(out) + 1)
        match dice.randrange(6):
            case 0:
                del out[at:]
            case 1:
                out[at:at] = dice.choice(WORDS)
            case 2:
                to = min(at + dice.randrange(1, 60), len(out))
                out[at:to] = dice.choice(WORDS)
            case 3:
                to = min(at + dice.randrange(1, 2000), len(out))
                out[at:at] = out[at:to] * dice.randrange(1, 8)
            case 4:
                if out:
                    out[min(at, len(out) - 1)] = dice.randrange(256)
            case 5:
                to = min(at + dice.randrange(1, 400), len(out))
                del out[at:to]
        if not out:
            break
    return bytes(out)


def _drawing(path: Path) -> None:
    drawing = read_drawing(path)
    began = time.perf_counter()
    try:
        assemble(drawing, drawing.layers, drawing.unit or "mm", 1e-3)
    finally:
        if time.perf_counter() - began > SLOW_S:
            raise TimeoutError("joining lines took long on the interface thread")


def _pasted(path: Path) -> None:
    text = path.read_bytes().decode("utf-8", "replace")
    columns_of(text, (("x", "length"), ("y", "length"), ("bow", "length")), "metric", 2)


def _figure(path: Path) -> None:
    parse(
        path.read_bytes().decode("utf-8", "replace"),
        random.Random(path.stat().st_size).choice(list(QUANTITIES)),
    )


# By the name of the good file: what reads it, the one error it may end with, and how long it may take.
READERS: dict[str, tuple[Callable[[Path], object], type[Exception], float]] = {
    "seed.bibulon": (load, JobFileError, SLOW_S), "seed.json": (load, JobFileError, SLOW_S),
    "lib.json": (read_materials, LibraryError, SLOW_S), "lib.csv": (read_materials, LibraryError, SLOW_S),
    "gauge.csv": (read_log, LogError, SLOW_S), "seed.dxf": (_drawing, DrawingError, SLOW_APART_S),
    "seed.svg": (_drawing, DrawingError, SLOW_APART_S), "a.stl": (read_mesh, MeshError, SLOW_APART_S),
    "a.obj": (read_mesh, MeshError, SLOW_APART_S), "a.ply": (read_mesh, MeshError, SLOW_APART_S),
    "paste.txt": (_pasted, PasteError, SLOW_S), "figure.txt": (_figure, UnitError, SLOW_S),
}  # fmt: skip


def nonsense(count: int, seed: int = SEED) -> list[str]:
    """Give spoilt files to every reader in turn; return what ended in a traceback, late, or in raw words."""
    logging.disable()  # what libraries say of nonsense
    dice = random.Random(seed)
    bad: list[str] = []
    longest: dict[str, float] = {}
    refused: Counter[str] = Counter()
    with tempfile.TemporaryDirectory(prefix="nonsense-") as name:
        folder = Path(name)
        seeds = _seeds(folder)
        names = list(READERS)
        for n in range(count):
            kind = names[n % len(names)]
            good = (
                _TABLE.encode() if kind == "paste.txt"
                else dice.choice(_FIGURES).encode() if kind == "figure.txt"
                else seeds[kind]
            )  # fmt: skip
            path = folder / f"victim{Path(kind).suffix}"
            path.write_bytes(_spoilt(good, dice))
            reader, expected, most = READERS[kind]
            began, words = time.perf_counter(), ""
            try:
                reader(path)
            except expected as error:
                refused[kind] += 1
                words = str(error)
                if len(words) > 500 or "http" in words or "Traceback" in words or "\n" in words.strip():
                    bad.append(f"{kind} {n}: raw words: {words[:200]}")
            except Exception as error:
                bad.append(f"{kind} {n}: {type(error).__name__}: {str(error)[:120]}")
            took = time.perf_counter() - began
            longest[kind] = max(longest.get(kind, 0.0), took)
            if took > most:
                bad.append(f"{kind} {n}: took {took:.1f} s")
    for kind in names:
        print(f"{kind}: {refused[kind]} refused, longest {longest.get(kind, 0) * 1e3:.0f} ms")
    print(f"{count} inputs, {len(bad)} bad")
    return bad
