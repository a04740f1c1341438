"""Markers: where a finding is, drawn over the view; those that lie close together as one, with their number."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen, QPolygonF

from levelloop.app.theme import Theme, colour, text_font
from levelloop.app.view.picking.picking import element_places, visible
from levelloop.core.arrays import Booleans, Floats
from levelloop.core.review.findings import Finding
from levelloop.core.values import dataclass

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

NEAR = 26.0  # pixels: places that fall into one square of that side are one marker
OUTSIDE = 20.0  # pixels beyond the view where there may still be one
WIDEST = 1e6  # squares beside each other
MOST = 20_000  # places that are looked at


@dataclass(frozen=True)
class Marker:
    """One marker: where on screen, how many places it stands for, whether the one that is stepped to, whether seen."""

    place: tuple[float, float]
    count: int
    is_current: bool
    is_seen: bool


def draw_markers(painter: QPainter, view: Viewport) -> None:
    """Marks the places of the finding that is shown."""
    finding = view.hands.finding
    if finding is None or finding.count == 0 or view.stage.picture(view.hands.finding_part) is None:
        return
    screen = view.camera.project(marker_places(view, finding)[:MOST], *view.pixels)
    seen = visible(view.sight(), screen)
    screen[:, :2] /= view.devicePixelRatioF()
    low, high = np.full(2, -OUTSIDE), np.array([view.width(), view.height()]) + OUTSIDE
    there = (screen[:, 2] <= 1.0) & (screen[:, :2] > low).all(axis=1) & (screen[:, :2] < high).all(axis=1)
    for marker in grouped(screen[:, :2], there, seen, view.hands.finding_step):
        place = QPointF(*marker.place)
        _draw_marker(painter, place, finding, marker.is_current, marker.is_seen, view.theme)
        if marker.count > 1:
            _draw_count(painter, place, marker, view.theme)


def grouped(screen: Floats, there: Booleans, seen: Booleans, current: int) -> list[Marker]:
    """Places on screen (n, 2) as markers, those that lie close together as one; the current one for itself, last.

    there, seen: (n,) which are in the picture at all, and which nothing hides.
    """
    alone = np.arange(len(screen)) == current
    rest = np.flatnonzero(there & ~alone)
    squares = np.floor((screen[rest] + OUTSIDE) / NEAR)
    _, group = np.unique((squares[:, 1] * WIDEST + squares[:, 0]) * 2 + seen[rest], return_inverse=True)
    count = np.bincount(group)
    middles = np.stack([np.bincount(group, screen[rest, axis]) for axis in range(2)], axis=1) / count[:, None]
    is_seen = np.zeros(len(count), dtype=np.bool_)
    is_seen[group] = seen[rest]
    markers = [
        Marker((x, y), many, False, shown)
        for (x, y), many, shown in zip(middles.tolist(), count.tolist(), is_seen.tolist(), strict=True)
    ]
    # What is seen is drawn over what is not.
    markers.sort(key=lambda marker: marker.is_seen)
    if 0 <= current < len(screen) and there[current]:
        x, y = screen[current].tolist()
        markers.append(Marker((x, y), 1, True, bool(seen[current])))
    return markers


def marker_places(view: Viewport, finding: Finding) -> Floats:
    """Where the found elements are shown, on the smooth surface where that is shown."""
    picture = view.stage.picture(view.hands.finding_part)
    assert picture is not None
    if finding.mesh == "result":
        stepped = picture.stepped_places(finding.kind)
        places = finding.at[:0] if stepped is None else stepped
    else:
        places = element_places(picture, finding.kind)
    if finding.indices.max(initial=-1) < len(places):
        return np.asarray(places[finding.indices])
    return np.asarray(finding.at)


# Helpers


def _draw_marker(
    painter: QPainter, place: QPointF, finding: Finding, is_current: bool, is_seen: bool, theme: Theme
) -> None:
    """Shape and number first, colour second: a polygon of as many sides as a pole has edges or a face has sides."""
    strength = 1.0 if is_seen else 0.35
    radius = 12.0 if is_current else 9.0
    tone = theme.severity(finding.severity)
    painter.setPen(QPen(colour(tone, strength), 2.2 if is_current else 1.6))
    painter.setBrush(colour(theme.panel, 0.92 * strength))
    label = ""
    if finding.check == "poles":
        label = str(finding.valence)
        sides = finding.valence
        shape = _star(place, radius * 1.15, 6) if sides >= 6 else _polygon(place, radius * 1.1, max(sides, 3))
    elif finding.check in ("triangles", "ngons"):
        label = "3" if finding.check == "triangles" else ""
        shape = _polygon(place, radius * 1.1, 3 if finding.check == "triangles" else 8)
    elif finding.check == "flipped":
        shape = _polygon(place, radius, 4)
        label = "⇅"
    elif finding.kind == "edges":
        painter.drawEllipse(place, radius * 0.45, radius * 0.45)
        painter.drawEllipse(place, radius * 0.2, radius * 0.2)
        return
    else:
        shape = _polygon(place, radius * 0.8, 4)
    painter.drawPolygon(shape)
    if finding.check == "ngons":
        painter.save()
        painter.setPen(QPen(colour(tone, strength * 0.7), 1.2))
        for step in (-4, 0, 4):
            reach = math.sqrt(max(radius**2 - (step * 1.4) ** 2, 0)) * 0.7
            painter.drawLine(
                place + QPointF(step - reach, step + reach) / 1.4, place + QPointF(step + reach, step - reach) / 1.4
            )
        painter.restore()
    elif label:
        painter.setFont(text_font(8.0 if is_current else 7.0))
        painter.setPen(colour(theme.ink, strength))
        box = QRectF(place.x() - 12, place.y() - 12 + (2 if label == "3" else 0), 24, 24)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)


def _draw_count(painter: QPainter, place: QPointF, marker: Marker, theme: Theme) -> None:
    """How many places a marker stands for, on a small round at its upper right."""
    words = str(marker.count) if marker.count < 1000 else "999+"
    painter.setFont(text_font(7.0, QFont.Weight.DemiBold))
    width = max(15.0, painter.fontMetrics().horizontalAdvance(words) + 8.0)
    box = QRectF(place.x() + 4, place.y() - 17, width, 14)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour(theme.ink, 1.0 if marker.is_seen else 0.4))
    painter.drawRoundedRect(box, 7, 7)
    painter.setPen(colour(theme.panel))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _polygon(centre: QPointF, radius: float, sides: int) -> QPolygonF:
    angles = [-math.pi / 2 + 2 * math.pi * i / sides for i in range(sides)]
    return QPolygonF([QPointF(centre.x() + radius * math.cos(a), centre.y() + radius * math.sin(a)) for a in angles])


def _star(centre: QPointF, radius: float, tips: int) -> QPolygonF:
    points = []
    for i in range(2 * tips):
        angle, reach = -math.pi / 2 + math.pi * i / tips, radius if i % 2 == 0 else radius * 0.62
        points.append(QPointF(centre.x() + reach * math.cos(angle), centre.y() + reach * math.sin(angle)))
    return QPolygonF(points)
