"""The build line: the active part from its cage through its recipe's steps to its result, the level rail in it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from levelloop.app.panels.build_line.drawing import Drawing
from levelloop.app.panels.build_line.stations import (
    ARROW,
    HEIGHT,
    NAME_WIDTH,
    STOPS,
    Counts,
    Layout,
    Place,
    Station,
    counted,
    laid_out,
    line_y,
    reached,
)
from levelloop.app.theme import Theme, colour, scaled, text_font
from levelloop.app.view.render.picture import Stop
from levelloop.app.view.stage import Stage
from levelloop.core.limits import MOST_FACES
from levelloop.core.mesh.topology import Topology
from levelloop.document.part import Part
from levelloop.document.recipe.steps import Step
from levelloop.document.session import Session

DRAGGED = 6.0  # pixels after which a press is a drag


class BuildLine(QWidget):
    """One line with stations.

    chosen: a stop of the rail was clicked or scrolled to; output_chosen: it shall be the output's (Ctrl+click).
    station_chosen: a step was clicked. switched: a step's switch was. moved: a step was dragged, and to which place.
    asked_menu: a step's menu is wanted, and where; asked_add: that of what can be added.
    """

    chosen = Signal(object)
    output_chosen = Signal(object)
    station_chosen = Signal(int)
    switched = Signal(int)
    moved = Signal(int, int)
    asked_menu = Signal(int, QPoint)
    asked_add = Signal(QPoint)

    def __init__(self, session: Session, stage: Stage, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage, self.theme = session, stage, theme
        self.setMouseTracking(True)
        self.setFixedHeight(scaled(HEIGHT))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.over: Stop | Station | None = None
        self._pressed: tuple[Station, float] | None = None
        self._dragged_to: float | None = None
        self._scrolled = 0.0
        self._in_sight: object = None
        self._counted: tuple[Topology, tuple[Step, ...], Counts] | None = None
        told = "Page Up and Page Down change the level shown, Space shows the other of cage and smooth"
        self.setToolTip(f"{told}; Ctrl+click sets the level that is given out")

    def sizeHint(self) -> QSize:
        return QSize(800, scaled(HEIGHT))

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.session = session
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draws itself in another theme."""
        self.theme = theme
        self.update()

    def refresh(self) -> None:
        """Draws itself anew."""
        self.update()

    # What stands where

    @property
    def stop(self) -> Stop | None:
        """The stop that is shown now; None at a step before the rail, or without a part."""
        if not self.session.document.parts:
            return None
        part = self.session.part
        until = self.stage.until(part)
        if until == 0:
            return "cage"
        if not self.stage.is_smooth(part):
            return 0 if until is None else None
        return self.stage.stop(part)

    def places(self) -> list[Place]:
        """The stops with their x, from the cage on."""
        return list(self.layout_now().places)

    def stations(self) -> list[Station]:
        """The steps of the recipe with where they stand."""
        return list(self.layout_now().stations)

    def layout_now(self) -> Layout:
        """Where everything stands, for the width there is; a line that is too long is scrolled."""
        layout = laid_out(self.session.part if self.session.document.parts else None, self.width())
        self._scrolled = min(max(self._scrolled, 0.0), max(layout.length - self.room, 0.0))
        return layout.scrolled(self._scrolled) if self._scrolled else layout

    @property
    def room(self) -> float:
        """How wide the line may be; beyond it stands the part's name."""
        return self.width() - NAME_WIDTH

    @property
    def hides(self) -> tuple[bool, bool]:
        """Whether some of the line is out of sight, on the left and on the right."""
        layout = self.layout_now()
        return self._scrolled > 0, layout.length - self._scrolled > self.room + 0.5

    def scroll_by(self, by: float) -> None:
        """Moves the line by so many pixels, as far as there is more of it."""
        self._scrolled += by
        self.layout_now()
        self.update()

    def _keep_in_sight(self, part: Part) -> None:
        """Scrolls to where the part is shown, when that has changed."""
        shown = (part.id, len(part.recipe), self.stage.until(part), self.stop)
        if shown == self._in_sight:
            return
        self._in_sight = shown
        x = reached(part, self.layout_now(), self.stage.until(part), self.stop, self.stage.is_smooth(part))
        if x > self.room - 2 * ARROW:
            self.scroll_by(x - self.room + 4 * ARROW)
        elif x < 2 * ARROW:
            self.scroll_by(x - 4 * ARROW)

    def stop_at(self, x: float) -> Stop | None:
        """The stop near an x, where there is one."""
        if not self.session.document.parts:
            return None
        nearest = min(self.places(), key=lambda place: abs(place.x - x))
        return nearest.stop if abs(nearest.x - x) <= 22 else None

    def station_at(self, x: float) -> Station | None:
        """The step under an x, where there is one."""
        return next((one for one in self.stations() if one.left <= x <= one.left + one.width), None)

    def stepped(self, by: int) -> Stop:
        """The stop so many places from the shown one."""
        stop = self.stop
        index = STOPS.index(stop) if stop in STOPS else 0
        wanted = STOPS[min(max(index + by, 0), len(STOPS) - 1)]
        if isinstance(wanted, int) and self.session.document.parts:
            while wanted > 0 and self.stage.faces_at(self.session.part, wanted) > MOST_FACES:
                wanted -= 1
        return wanted

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        painter.fillRect(self.rect(), colour(theme.paper))
        painter.setPen(QPen(colour(theme.line), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if self.hasFocus():
            painter.setPen(QPen(colour(theme.selection), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        if not self.session.document.parts:
            painter.setFont(text_font(9.5))
            painter.setPen(colour(theme.quiet))
            told = "The build line: a part from its cage to its smooth surface. There is no part yet."
            painter.drawText(self.rect().adjusted(16, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, told)
            painter.end()
            return
        part = self.session.part
        self._keep_in_sight(part)
        Drawing(painter, self).draw(part, self.layout_now(), self._counts(part), self._dragged_to)
        painter.end()

    def _counts(self, part: Part) -> Counts:
        """How many faces there are along the line, counted once for a cage and its recipe."""
        if part.recipe and self._counted is not None and self._counted[:2] == (part.mesh.topology, part.recipe):
            return self._counted[2]
        counts = counted(part, self.stage.picture(part.id))
        if part.recipe and counts.base is not None:
            self._counted = (part.mesh.topology, part.recipe, counts)
        return counts

    # Hands

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if self._pressed is not None:
            if self._dragged_to is not None or abs(x - self._pressed[1]) > DRAGGED:
                self._dragged_to = x
                self.update()
            return
        over: Stop | Station | None = self.station_at(x) or self.stop_at(x)
        if over is None and self._is_add(x):
            over = "add"
        if over != self.over:
            self.over = over
            self.update()

    def leaveEvent(self, event: object) -> None:
        self.over = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if not self.session.document.parts or event.button() != Qt.MouseButton.LeftButton:
            return
        before, after = self.hides
        if (before and x < ARROW) or (after and self.room - ARROW < x <= self.room):
            self.scroll_by((-0.6 if x < ARROW else 0.6) * self.room)
            return
        station = self.station_at(x) if x <= self.room else None
        if station is not None:
            self._pressed = (station, x)
            return
        stop = self.stop_at(x)
        if stop is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.output_chosen.emit(0 if stop == "cage" else stop)
        elif stop is not None:
            self.chosen.emit(stop)
        elif self._is_add(x):
            self.asked_add.emit(QPoint(round(x), 0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        station, x = self._pressed[0], event.position().x()
        dragged = self._dragged_to is not None
        self._pressed = self._dragged_to = None
        if dragged:
            others = [one for one in self.stations() if one.step != station.step]
            to = sum(one.middle < x for one in others)
            if to != station.step:
                self.moved.emit(station.step, to)
        elif abs(x - station.switch.x()) <= 9.0 and event.position().y() < line_y() - 6.0:
            self.switched.emit(station.step)
        else:
            self.station_chosen.emit(station.step)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        station = self.station_at(float(event.pos().x()))
        if station is not None:
            self.asked_menu.emit(station.step, event.pos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if by:
            self.chosen.emit(self.stepped(by))
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        turned = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turned.x()) > abs(turned.y()):
            self.scroll_by(-0.5 * (turned.x() or turned.y()))
            return
        self.chosen.emit(self.stepped(1 if event.angleDelta().y() > 0 else -1))

    def _is_add(self, x: float) -> bool:
        return bool(self.session.document.parts) and abs(self.layout_now().add - x) <= 12.0
