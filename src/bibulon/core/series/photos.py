"""Photos of a record, out of its rows."""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Sequence

from msgspec import Struct

from bibulon.core.run.journal import Entry, rows_of

__all__ = ["Photo", "photos_of"]

JPEG = b"\xff\xd8"
SIZE = re.compile(r"(\d{1,5}) × (\d{1,5})")


class Photo(Struct, frozen=True):
    """A photo of a pin: the pin's name, the picture as JPEG, and its size [px]."""

    of: str
    jpeg: bytes
    width: int
    height: int


def photos_of(journal: Sequence[Entry]) -> tuple[Photo, ...]:
    """Return all photos that can be shown, in order; rows that hold none are passed over."""
    out = []
    for e in rows_of(journal, "photo"):
        size = SIZE.search(str(e.data.get("text", "")))
        if size is None:
            continue
        try:
            jpeg = base64.b64decode(str(e.data.get("jpeg", "")), validate=True)
        except binascii.Error:
            continue
        width, height = int(size[1]), int(size[2])
        if jpeg.startswith(JPEG) and width and height:
            out.append(Photo(str(e.data.get("id", "")), jpeg, width, height))
    return tuple(out)
