"""How a cage in UV is drawn: the unit square, the faces, their edges, what is selected."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, QLineF, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen

from levelloop.app.panels.uv.flat_picture import FlatPicture
from levelloop.app.theme import Theme, colour
from levelloop.app.view.colour_maps import BILBAO, ramp
from levelloop.app.view.render.checker import draw_squares
from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, offsets_from_sizes
from levelloop.core.mesh.selection import Selection
from levelloop.core.values import dataclass

Ground = Literal["plain", "checker", "stretch"]
MOST_STRETCH = 2.0  # times, at which the colour is full
TOGETHER = 32  # outlines that are filled at once: one by one takes 4 times as long, and so do thousands in one path
# An element of a path as Qt reads it from a stream.
ELEMENT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])


@dataclass(frozen=True)
class Placing:
    """Where the unit square is in the widget: pixels to its side, and the pixel at which UV is 0, 0."""

    scale: float
    origin: tuple[float, float]

    def to_screen(self, places: Floats) -> Floats:
        """UV (…, 2) in pixels of the widget."""
        return np.asarray(self.origin + places * (self.scale, -self.scale))

    def to_uv(self, place: QPoint | QPointF) -> Floats:
        """A pixel's UV: (2,)."""
        return (np.array([place.x(), place.y()]) - self.origin) / (self.scale, -self.scale)

    def moved(self, right: float, down: float) -> Placing:
        """The same, so many pixels farther."""
        return Placing(self.scale, (self.origin[0] + right, self.origin[1] + down))


def draw_square(painter: QPainter, placing: Placing, ground: Ground, theme: Theme) -> None:
    """The unit square: the checker's squares or lines at every tenth."""
    corner, other = placing.to_screen(np.array([0.0, 1.0])), placing.to_screen(np.array([1.0, 0.0]))
    square = QRectF(QPointF(*corner.tolist()), QPointF(*other.tolist()))
    painter.fillRect(square, QColor(theme.panel))
    if ground == "checker":
        draw_squares(painter, square)
    else:
        painter.setPen(QPen(colour(theme.line), 1))
        for share in np.arange(1, 10) / 10.0:
            x, y = square.left() + share * square.width(), square.top() + share * square.height()
            painter.drawLine(QLineF(x, square.top(), x, square.bottom()))
            painter.drawLine(QLineF(square.left(), y, square.right(), y))
    painter.setPen(QPen(QColor(theme.quiet), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(square)


def draw_faces(
    painter: QPainter, placing: Placing, picture: FlatPicture, ground: Ground, tone: str, theme: Theme
) -> None:
    """All faces and their edges, rims of islands and seams stronger; tone: the part's colour."""
    every = np.arange(picture.mesh.n_faces)
    if ground == "stretch":
        stretch = np.where(np.isfinite(picture.stretch.angle), picture.stretch.angle, np.inf)
        colours = ramp(BILBAO)[0, :, :3].tolist()
        share = np.clip((stretch - 1.0) / (MOST_STRETCH - 1.0), 0.0, 1.0)
        shade = np.rint(share * (len(colours) - 1)).astype(np.int64)
        for one in distinct(shade).tolist():
            _fill(painter, placing, picture, every[shade == one], QColor(*colours[one]))
    else:
        _fill(painter, placing, picture, every, colour(tone, 0.35 if ground == "checker" else 0.85))
    # Once for both faces.
    inner = ~picture.at_rim & ~picture.at_seam & (np.arange(len(picture.uv)) > picture.mesh.topology.twin)
    for chosen, pen in (
        (inner, QPen(colour(theme.wire, 0.45), 0.9)),
        (picture.at_rim, QPen(QColor(theme.wire), 1.6)),
        (picture.at_seam & ~picture.at_rim, QPen(QColor(theme.seam), 1.6, Qt.PenStyle.DashLine)),
    ):
        _stroke(painter, placing, picture.sides[chosen], pen)


def draw_elements(painter: QPainter, placing: Placing, picture: FlatPicture, chosen: Selection, tone: str) -> None:
    """Points, edges or faces that are selected or under the pointer, in a colour."""
    corners = picture.sides_of(chosen)
    if chosen.kind == "points":
        painter.setPen(QPen(colour(tone), 7.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPoints([QPointF(*row) for row in placing.to_screen(picture.uv[corners]).tolist()])
    elif chosen.kind == "edges":
        _stroke(painter, placing, picture.sides[corners], QPen(QColor(tone), 2.6))
    else:
        _fill(painter, placing, picture, chosen.indices, colour(tone, 0.28))
        _stroke(painter, placing, picture.sides[corners], QPen(QColor(tone), 1.4))


# Helpers


def _fill(painter: QPainter, placing: Placing, picture: FlatPicture, faces: Integers, tone: QColor) -> None:
    """Fills the outlines of faces; those that lie mirrored by themselves: in one path they would undo others."""
    topology, brush = picture.mesh.topology, QBrush(tone)
    mirrored = picture.is_mirrored[faces]
    for alike in (faces[~mirrored], faces[mirrored]):
        offsets = offsets_from_sizes(topology.face_sizes[alike])
        places = placing.to_screen(picture.uv[topology.corners_of_faces(alike)])
        is_start = mask_of(offsets[:-1], len(places))
        bounds = [*offsets[:-1:TOGETHER].tolist(), len(places)]
        for low, high in pairwise(bounds):
            painter.fillPath(_path(places[low:high], is_start[low:high]), brush)


def _stroke(painter: QPainter, placing: Placing, sides: Floats, pen: QPen) -> None:
    """Draws lines (s, 2, 2) of UV."""
    places = placing.to_screen(sides).reshape(-1, 2)
    painter.strokePath(_path(places, np.arange(len(places)) % 2 == 0), pen)


def _path(places: Floats, is_start: Booleans) -> QPainterPath:
    """Lines through pixels (p, 2) one after the other, begun anew at some of them (p,)."""
    rows = np.empty(len(places), dtype=ELEMENT)
    rows["kind"] = ~is_start
    rows["x"], rows["y"] = places.T
    # Its length before it; after it where the last outline starts, and that all it goes around is filled.
    last = int(np.flatnonzero(is_start)[-1]) if len(places) else 0
    path, count = QPainterPath(), len(rows).to_bytes(4, "big")
    if len(rows):
        stream = QDataStream(QByteArray(count + rows.tobytes() + last.to_bytes(4, "big") + (1).to_bytes(4, "big")))
        stream >> path
    return path
