"""Photos as rows of the record: scaled down, written anew as JPEG, so that nothing a camera wrote into them comes along."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PySide6.QtGui import QImage, QImageReader, QImageWriter, QPainter

from bibulon.core.run.journal import Entry
from bibulon.core.series.photos import photos_of
from bibulon.core.series.rows import AFTER
from bibulon.core.units.words import tr

__all__ = ["SIDE", "PhotoError", "as_row", "picture_of"]

SIDE = 1000  # px of the longer side as kept
QUALITY = 72
LARGEST = 200_000_000  # px that are read at all


class PhotoError(ValueError):
    """A file that is no picture, or cannot be read; the text says which."""


def as_row(path: Path, of: str, now: float) -> Entry:
    """Return the row that keeps a photo of a pin.

    Raises
    ------
    PhotoError : when the file cannot be read as a picture.
    """
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)  # as it was held, since the note on that goes too
    reader.setAllocationLimit(1024)
    size = reader.size()
    if size.isValid():
        if size.width() * size.height() > LARGEST:
            raise PhotoError(
                tr("{0} has {1} × {2} px: too large to take.", path.name, size.width(), size.height())
            )
        if max(size.width(), size.height()) > SIDE:
            reader.setScaledSize(size.scaled(QSize(SIDE, SIDE), Qt.AspectRatioMode.KeepAspectRatio))
    image = reader.read()
    if image.isNull():
        raise PhotoError(
            tr("{0} cannot be read as a picture: {1}.", path.name, reader.errorString().rstrip("."))
        )
    if max(image.width(), image.height()) > SIDE:  # kinds that tell their size only when read
        image = image.scaled(
            SIDE, SIDE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
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
