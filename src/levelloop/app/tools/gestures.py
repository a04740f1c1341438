"""Gestures: what the pointer does in a view from press to release, one class each."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt

if TYPE_CHECKING:
    from levelloop.app.tools.tools import Tool
    from levelloop.app.view.viewport import Viewport

FAR_ENOUGH = 4  # pixels before a press becomes a drag


class Gesture:
    """What a button that is down means for one view. start: where it went down, logical pixels.

    keeps_fine: whether outlines stay smooth meanwhile; draws: whether a tool draws with it.
    """

    keeps_fine = False
    draws = False

    def __init__(self, view: Viewport, start: QPoint) -> None:
        self.view, self.start = view, start

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        """The pointer came to a place, by so much since last; returns what the gesture is from now on."""
        return self

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The button went up."""

    def is_far(self, place: QPoint) -> bool:
        """Whether the pointer has gone so far that it means to drag."""
        return bool((place - self.start).manhattanLength() > FAR_ENOUGH)


class Orbit(Gesture):
    """Turns the camera."""

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        speed = self.view.hands.orbit_speed
        self.view.camera.orbit(speed * by.x(), speed * by.y())
        self.view.moved()
        return self


class Pan(Gesture):
    """Shifts the camera."""

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self.view.camera.pan(by.x(), by.y(), self.view.height())
        self.view.moved()
        return self


class Asking(Gesture):
    """A press that asks for the menu where it goes up again, or becomes a turn or shift of the camera."""

    keeps_fine = True

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        if not self.is_far(place):
            return self
        becomes = Pan if self.view.hands.orbits_with_middle else Orbit
        return becomes(self.view, self.start).drag(place, by, modifiers)

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        self.view.find_hover()
        self.view.asked_menu.emit(place)


class MoveWipe(Gesture):
    """Moves the line between what is compared."""

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self.view.move_wipe(place.x() / max(self.view.width(), 1))
        return self


class MoveSection(Gesture):
    """Moves what the view is cut open at, along its axis."""

    def __init__(self, view: Viewport, start: QPoint) -> None:
        super().__init__(view, start)
        self._at: float | None = None  # where it would be, not rounded

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        view = self.view
        axis, at, side = view.look_of.section or (0, 0.0, 1.0)
        ends = view.on_screen(np.stack((np.zeros(3), np.eye(3)[axis])) + view.overlay.section_place())[:, :2]
        way = ends[1] - ends[0]
        length = float(way @ way)
        if length > 1e-9:
            moved = (by.x() * way[0] + by.y() * way[1]) / length
            step = float(10.0 ** np.floor(np.log10(max(1.0 / np.sqrt(length), 1e-9))))
            self._at = (self._at if self._at is not None else at) + moved
            view.look_of.section = (axis, round(self._at / step) * step, side)
            view.look_changed()
        return self


class Stroke(Gesture):
    """Draws with the tool that has the left button."""

    draws = True

    def __init__(self, view: Viewport, start: QPoint, tool: Tool) -> None:
        super().__init__(view, start)
        self._tool = tool
        tool.press(view, start)

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self._tool.drag(self.view, place)
        return self

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        self._tool.release(self.view, place)


class Box(Gesture):
    """Selects what lies in a rectangle. rectangle: logical pixels."""

    keeps_fine = True

    def __init__(self, view: Viewport, start: QPoint) -> None:
        super().__init__(view, start)
        self.rectangle = QRectF(QPointF(start), QPointF(start))

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self.rectangle = QRectF(QPointF(self.start), QPointF(place)).normalized()
        self.view.overlay.update()
        return self

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        self.view.choosing.select_box(self.rectangle, modifiers)


class Lasso(Gesture):
    """Selects what lies inside a line drawn around it. line: its places, logical pixels."""

    keeps_fine = True

    def __init__(self, view: Viewport, start: QPoint) -> None:
        super().__init__(view, start)
        self.line = [start]

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self.line.append(place)
        self.view.overlay.update()
        return self

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        self.view.choosing.select_lasso(self.line, modifiers)


class Brush(Gesture):
    """Selects what it goes over."""

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        self.view.choosing.paint(place, modifiers)
        return self
