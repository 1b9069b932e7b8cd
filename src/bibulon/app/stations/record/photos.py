"""Photos as rows of the record: scaled down, written anew as JPEG, so that nothing a camera wrote into them comes along."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage, QImageWriter, QPainter

from bibulon.app.kit.photo import read_photo
from bibulon.core.run.journal import Entry
from bibulon.core.series.photos import photos_of
from bibulon.core.series.rows import AFTER
from bibulon.core.units.words import tr

__all__ = ["SIDE", "as_row", "picture_of"]

SIDE = 1000  # px of the longer side as kept
QUALITY = 72


def as_row(path: Path, of: str, now: float) -> Entry:
    """Return the row that keeps a photo of a pin.

    Raises
    ------
    PhotoError : when the file cannot be read as a picture.
    """
    image = read_photo(path, SIDE)
    kept = QImage(image.size(), QImage.Format.Format_RGB888)  # a fresh one holds no notes of the camera's
    kept.fill(Qt.GlobalColor.white)
    with QPainter(kept) as painter:
        painter.drawImage(0, 0, image)
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QImageWriter(buffer, QByteArray(b"jpeg"))
    writer.setQuality(QUALITY)
    writer.write(kept)
    text = base64.b64encode(data.data()).decode("ascii")
    return Entry(
        AFTER,
        0.0,
        "photo",
        {"id": of, "jpeg": text, "text": tr("photo {0} × {1}", kept.width(), kept.height())},
        now,
    )


def picture_of(journal: Sequence[Entry], of: str) -> QImage | None:
    """Return the last photo of a pin; None where there is none that can be shown."""
    found = [p for p in photos_of(journal) if p.of == of]
    image = QImage.fromData(found[-1].jpeg) if found else QImage()
    return None if image.isNull() else image
