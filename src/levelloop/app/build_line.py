"""The build line: the active part from its cage to its smooth result, with the level rail in it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from levelloop.app.stage import MOST_FACES, Stage
from levelloop.app.theme import Theme, colour, text_font
from levelloop.core.subdivision.surface import HIGHEST_LEVEL, level_counts
from levelloop.document.session import Session

Stop = int | str
STOPS: tuple[Stop, ...] = (0, 1, 2, 3, 4, 5, 6, "limit")


@dataclass(frozen=True)
class Place:
    """Where a stop of the rail stands."""

    stop: Stop
    x: float


class BuildLine(QWidget):
    """One line with stations. chosen: a stop of the rail was clicked or scrolled to."""

    chosen = Signal(object)

    def __init__(self, session: Session, stage: Stage, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage, self.theme = session, stage, theme
        self.setMouseTracking(True)
        self.setFixedHeight(78)
        self._over: Stop | None = None
        self.setToolTip("Page Up and Page Down change the level; Space shows the other of cage and smooth")

    def sizeHint(self) -> QSize:
        return QSize(800, 78)

    @property
    def stop(self) -> Stop | None:
        """The stop that is shown now."""
        if not self.session.document.parts:
            return None
        part = self.session.part
        if not self.stage.is_smooth(part):
            return 0
        return "limit" if part.limit else part.level

    def places(self) -> list[Place]:
        """The stops with their x, from the cage on."""
        left = 214.0
        right = max(left + 420.0, min(self.width() - 250.0, left + 660.0))
        step = (right - left) / (len(STOPS) - 2)
        return [Place(0, 96.0)] + [Place(stop, left + step * i) for i, stop in enumerate(STOPS[1:])]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        painter.fillRect(self.rect(), colour(theme.paper))
        painter.setPen(QPen(colour(theme.line), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if not self.session.document.parts:
            painter.setFont(text_font(9.5))
            painter.setPen(colour(theme.quiet))
            painter.drawText(self.rect().adjusted(16, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "No part yet.")
            painter.end()
            return
        part = self.session.part
        places, shown = self.places(), self.stop
        y = 27.0
        output: Stop = "limit" if part.limit else part.level
        reached = next((i for i, place in enumerate(places) if place.stop == shown), 0)
        painter.setPen(QPen(colour(theme.line), 3))
        painter.drawLine(QPointF(places[0].x, y), QPointF(places[-1].x, y))
        painter.setPen(QPen(colour(theme.ink), 3))
        painter.drawLine(QPointF(places[0].x, y), QPointF(places[reached].x, y))
        painter.setFont(text_font(9.0))
        painter.setPen(colour(theme.quiet))
        label = QRectF(0.5 * (places[0].x + places[1].x) - 29, y - 9, 58, 18)
        painter.fillRect(label, colour(theme.paper))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, "smooth")
        topology = part.mesh.topology
        for place in places:
            self._draw_stop(painter, place, y, shown, output)
            words = "cage" if place.stop == 0 else str(place.stop)
            painter.setFont(text_font(9.0))
            painter.setPen(colour(theme.ink if place.stop == shown else theme.quiet))
            if place.stop == 0:
                painter.drawText(
                    QRectF(14, y - 9, 66, 18), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words
                )
            level = place.stop if isinstance(place.stop, int) else max(part.level, 1)
            faces = level_counts(topology, level)[2]
            painter.setFont(text_font(8.0))
            painter.setPen(colour(theme.ink if place.stop == shown else theme.quiet))
            label = _short(faces) if place.stop != "limit" else "limit"
            if place.stop != 0:
                number = str(place.stop) if place.stop != "limit" else "∞"
                painter.drawText(QRectF(place.x - 12, y - 23, 24, 14), Qt.AlignmentFlag.AlignCenter, number)
            painter.drawText(QRectF(place.x - 44, y + 9, 88, 14), Qt.AlignmentFlag.AlignCenter, label)
        self._draw_counts(painter, places, y)
        painter.end()

    def _draw_stop(self, painter: QPainter, place: Place, y: float, shown: Stop | None, output: Stop) -> None:
        theme = self.theme
        radius = 7.0 if place.stop == shown else 4.5
        painter.setPen(QPen(colour(theme.ink if place.stop in (shown, output) else theme.quiet), 1.6))
        fill = theme.ink if place.stop == shown else theme.hover if place.stop == self._over else theme.panel
        painter.setBrush(colour(fill))
        if place.stop == 0:
            painter.drawRoundedRect(QRectF(place.x - radius, y - radius, 2 * radius, 2 * radius), 2, 2)
        else:
            painter.drawEllipse(QPointF(place.x, y), radius, radius)
        if place.stop == output and place.stop != shown:
            # The level that is written when the part is exported, where the view shows another.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(place.x, y), 8.0, 8.0)

    def _draw_counts(self, painter: QPainter, places: list[Place], y: float) -> None:
        """Exact counts of cage and result, always in sight."""
        part = self.session.part
        mesh = part.mesh
        painter.setFont(text_font(8.5))
        painter.setPen(colour(self.theme.quiet))
        cage = f"Cage: {mesh.n_points:,} points, {mesh.n_edges:,} edges, {mesh.n_faces:,} faces"
        points, edges, faces = level_counts(mesh.topology, max(part.level, 1) if part.limit else part.level)
        name = f"Level {part.level}" + (" on the limit" if part.limit else "")
        smooth = f"{name}: {points:,} points, {edges:,} edges, {faces:,} faces"
        line = QRectF(14, self.height() - 21, self.width() - 28, 16)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, cage)
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, smooth)
        painter.setFont(text_font(9.5, text_font().Weight.DemiBold))
        painter.setPen(colour(self.theme.ink))
        end = places[-1].x + 40
        if self.width() - end > 90:
            box = QRectF(end, y - 10, self.width() - end - 14, 20)
            name = painter.fontMetrics().elidedText(part.name, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, name)

    def stop_at(self, x: float) -> Stop | None:
        """The stop near an x."""
        nearest = min(self.places(), key=lambda place: abs(place.x - x))
        return nearest.stop if abs(nearest.x - x) < 26 else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.stop_at(event.position().x())
        if over != self._over:
            self._over = over
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._over = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        stop = self.stop_at(event.position().x())
        if stop is not None and self.session.document.parts:
            self.chosen.emit(stop)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.chosen.emit(self.stepped(1 if event.angleDelta().y() > 0 else -1))

    def stepped(self, by: int) -> Stop:
        """The stop so many places from the shown one."""
        stop = self.stop
        index = STOPS.index(stop) if stop is not None else 0
        wanted = STOPS[min(max(index + by, 0), len(STOPS) - 1)]
        if isinstance(wanted, int) and self.session.document.parts:
            while wanted > 0 and level_counts(self.session.part.mesh.topology, wanted)[2] > MOST_FACES:
                wanted -= 1
        return wanted


def _short(number: int) -> str:
    """A count short enough to stand under a stop; the exact one stands below the line."""
    if number < 10_000:
        return f"{number:,}"
    if number < 999_500:
        return f"{number / 1000:.0f} k"
    return f"{number / 1e6:.1f} M"


assert STOPS[-2] == HIGHEST_LEVEL
