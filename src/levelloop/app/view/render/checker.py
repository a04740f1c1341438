"""The checker: a picture of numbered squares that shows how UV lies on a surface, mirrored places too."""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter

from levelloop.app.theme import text_font
from levelloop.app.view.render.images import Pixels, as_pixels

SIDE = 1024  # pixels
SQUARES = 8  # to a side
LEAST_NAMED = 18  # pixels to a side of a square that has its name
PAPER, SLATE, INK = QColor("#EDE8DD"), QColor("#8E99A8"), QColor("#22262B")
# Rows warm from below upwards, so that one sees from afar which way up a place is.
LOWEST, HIGHEST = QColor("#7FA7A0"), QColor("#D9A066")


@cache
def checker() -> Pixels:
    """The picture's pixels, from the top row down: (SIDE, SIDE, 4)."""
    image = QImage(SIDE, SIDE, QImage.Format.Format_RGBA8888)
    painter = QPainter(image)
    draw_squares(painter, QRectF(0, 0, SIDE, SIDE))
    step = SIDE / SQUARES
    painter.setPen(SLATE)
    for number in range(2 * SQUARES):
        at = number * step / 2
        painter.drawLine(0, round(at), SIDE, round(at))
        painter.drawLine(round(at), 0, round(at), SIDE)
    painter.end()
    return as_pixels(image)


def draw_squares(painter: QPainter, around: QRectF) -> None:
    """The squares and their names in a square of pixels; names where there is room for them."""
    step = around.width() / SQUARES
    font = text_font(10.0)
    font.setPixelSize(max(round(step * 0.42), 1))
    painter.setFont(font)
    for row in range(SQUARES):
        for column in range(SQUARES):
            cell = QRectF(around.left() + column * step, around.bottom() - (row + 1) * step, step, step)
            painter.fillRect(cell, square_colour(row, column))
            if step > LEAST_NAMED:
                painter.setPen(INK)
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, _name(row, column))


def square_colour(row: int, column: int) -> QColor:
    """A square's colour."""
    share = row / (SQUARES - 1)
    channels = zip(
        (LOWEST.red(), LOWEST.green(), LOWEST.blue()), (HIGHEST.red(), HIGHEST.green(), HIGHEST.blue()), strict=True
    )
    tint = QColor(*(round((1 - share) * low + share * high) for low, high in channels))
    return PAPER if (row + column) % 2 else tint


# Helpers


def _name(row: int, column: int) -> str:
    """What a square is called: rows by letters from below, columns by numbers."""
    return f"{'ABCDEFGH'[row]}{column + 1}"
