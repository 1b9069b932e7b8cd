"""Photos as a camera wrote them, read no larger than they are wanted."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QImageReader

from bibulon.core.units.words import tr

__all__ = ["PhotoError", "read_photo"]

LARGEST = 200_000_000  # px that are read at all


class PhotoError(ValueError):
    """A file that is no picture, or cannot be read; the text says which."""


def read_photo(path: Path, side: int) -> QImage:
    """Return a photo as it was held, its longer side no longer than ``side`` [px]; a worker may read it.

    Raises
    ------
    PhotoError : when the file cannot be read as a picture.
    """
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)  # the note on how it was held goes, too
    reader.setAllocationLimit(1024)
    size = reader.size()
    if size.isValid():
        if size.width() * size.height() > LARGEST:
            raise PhotoError(
                tr("{0} has {1} × {2} px: too large to take.", path.name, size.width(), size.height())
            )
        if max(size.width(), size.height()) > side:
            reader.setScaledSize(size.scaled(QSize(side, side), Qt.AspectRatioMode.KeepAspectRatio))
    image = reader.read()
    if image.isNull():
        raise PhotoError(
            tr("{0} cannot be read as a picture: {1}.", path.name, reader.errorString().rstrip("."))
        )
    if max(image.width(), image.height()) > side:  # kinds that tell their size only when read
        image = image.scaled(
            side, side, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
    return image
