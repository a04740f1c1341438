"""Images of guides and materials as pixels: read once; a guide that is missing has a placeholder with its path."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from levelloop.app.theme import Theme, text_font
from levelloop.document.document import Guide
from levelloop.files.errors import FileError
from levelloop.files.reading import LARGEST_IMAGE, check_drawing, read_bytes

Pixels = NDArray[np.uint8]
DRAWN_AT = 1024  # pixels across for images without a size of their own
LARGEST = 4096


class Images:
    """Pixels of guides, (h, w, 4) from the top row down, kept by what they were read from."""

    def __init__(self, theme: Theme) -> None:
        self._theme = theme
        self._kept: dict[tuple[str, int], Pixels] = {}
        self._files: dict[str, Pixels | None] = {}

    def pixels(self, guide: Guide) -> Pixels:
        """The pixels of a guide's image, or of its placeholder."""
        key = (guide.path, hash(guide.data))
        if key not in self._kept:
            image = _read(guide)
            self._kept[key] = as_pixels(image if image is not None else self._placeholder(guide))
        return self._kept[key]

    def of_file(self, path: str) -> Pixels | None:
        """The pixels of an image in a file, None where it cannot be read; read once."""
        if path not in self._files:
            image = _read(Guide(Path(path).stem, path))
            self._files[path] = None if image is None else as_pixels(image)
        return self._files[path]

    def _placeholder(self, guide: Guide) -> QImage:
        image = QImage(DRAWN_AT, DRAWN_AT * 3 // 4, QImage.Format.Format_RGBA8888)
        image.fill(QColor(self._theme.panel))
        painter = QPainter(image)
        painter.setPen(QColor(self._theme.stop))
        painter.drawRect(8, 8, image.width() - 16, image.height() - 16)
        painter.setFont(text_font(40))
        words = f"The image is missing:\n{guide.path}"
        box = QRectF(40, 40, image.width() - 80, image.height() - 80)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWrapAnywhere, words)
        painter.end()
        return image


def as_pixels(image: QImage) -> Pixels:
    """An image's pixels from the top row down: (h, w, 4)."""
    plain = image.convertToFormat(QImage.Format.Format_RGBA8888)
    rows = np.frombuffer(plain.constBits(), dtype=np.uint8).reshape(plain.height(), plain.bytesPerLine())
    # A copy: the image's own memory goes when it does.
    return rows[:, : 4 * plain.width()].copy().reshape(plain.height(), plain.width(), 4)


# Helpers


def _read(guide: Guide) -> QImage | None:
    try:
        data = read_bytes(Path(guide.path), LARGEST_IMAGE) if guide.data is None else guide.data
        if guide.path.lower().endswith(".svg"):
            check_drawing(guide.name, data)
    except FileError:
        return None
    if guide.path.lower().endswith(".svg"):
        drawing = QSvgRenderer(QByteArray(data))
        if not drawing.isValid():
            return None
        size = drawing.defaultSize()
        height = max(1, round(DRAWN_AT * size.height() / max(size.width(), 1)))
        image = QImage(DRAWN_AT, min(height, LARGEST), QImage.Format.Format_RGBA8888)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        drawing.render(painter)
        painter.end()
        return image
    image = QImage.fromData(QByteArray(data))
    if image.isNull():
        return None
    if max(image.width(), image.height()) > LARGEST:
        image = image.scaled(LARGEST, LARGEST, Qt.AspectRatioMode.KeepAspectRatio)
    return image
