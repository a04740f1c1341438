"""Own icons, drawn as SVG."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

# What the drawings are in; themes put their own in its place.
DRAWN_INK, DRAWN_BLUE = b"#22262B", b"#2457E6"


@cache
@cache
def icon(name: str, ink: str = "#22262B", blue: str = "#2457E6") -> QIcon:
    """An icon by name in a theme's ink and blue, sharp at the sizes it is shown."""
    result = QIcon()
    for side in (16, 24, 32, 48, 128):
        pixmap = QPixmap(QSize(side, side))
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        draw_icon(painter, QRectF(0, 0, side, side), name, ink, blue)
        painter.end()
        result.addPixmap(pixmap)
    return result


def draw_icon(painter: QPainter, box: QRectF, name: str, ink: str, blue: str) -> None:
    """Draws an icon into a square, sharp at whatever size it has."""
    _drawing(name, ink, blue).render(painter, box)


@cache
def _drawing(name: str, ink: str, blue: str) -> QSvgRenderer:
    source = files("levelloop.app.icons").joinpath(f"{name}.svg").read_bytes()
    return QSvgRenderer(QByteArray(source.replace(DRAWN_INK, ink.encode()).replace(DRAWN_BLUE, blue.encode())))
