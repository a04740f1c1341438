"""Own icons, drawn as SVG."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer


@cache
def icon(name: str) -> QIcon:
    """An icon by name, sharp at the sizes it is shown."""
    source = QByteArray(files("levelloop.app.icons").joinpath(f"{name}.svg").read_bytes())
    renderer = QSvgRenderer(source)
    result = QIcon()
    for size in (16, 24, 32, 48, 64, 128):
        pixmap = QPixmap(QSize(size, size))
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter)
        painter.end()
        result.addPixmap(pixmap)
    return result
