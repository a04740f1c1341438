"""Own icons, drawn as SVG."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

# What the drawings are in; themes put their own in its place.
DRAWN_INK, DRAWN_BLUE = b"#22262B", b"#2457E6"


@cache
def icon(name: str, ink: str = "#22262B", blue: str = "#2457E6") -> QIcon:
    """An icon by name in a theme's ink and blue, sharp at the sizes it is shown."""
    source = files("levelloop.app.icons").joinpath(f"{name}.svg").read_bytes()
    source = source.replace(DRAWN_INK, ink.encode()).replace(DRAWN_BLUE, blue.encode())
    renderer = QSvgRenderer(QByteArray(source))
    result = QIcon()
    for size in (16, 24, 32, 48, 64, 128):
        pixmap = QPixmap(QSize(size, size))
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter)
        painter.end()
        result.addPixmap(pixmap)
    return result
