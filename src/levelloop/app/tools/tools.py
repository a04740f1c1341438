"""Tools that are drawn with in a view: the nudge brush, moving a guide, and picking two places of one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from levelloop.app.theme import colour
from levelloop.app.view.picking.guide_places import corners_of, plane_place, seen_guides
from levelloop.app.view.picking.picking import surface_place
from levelloop.core.arrays import Floats
from levelloop.core.errors import LevelLoopError
from levelloop.document.document import Guide
from levelloop.document.operations import keys
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

CORNER_REACH = 12.0  # pixels


class Tool:
    """What takes the left button of a view while it is chosen.

    hint: one sentence on how to use it; key: of the operation that it gives values to.
    """

    hint = ""
    key = ""

    def press(self, view: Viewport, place: QPoint) -> None:
        """The button went down at a place."""

    def drag(self, view: Viewport, place: QPoint) -> None:
        """The pointer moved with the button down."""

    def release(self, view: Viewport, place: QPoint) -> None:
        """The button went up."""

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """Draws over the view."""

    def drop(self) -> bool:
        """Drops what is drawn and not finished; whether there was something."""
        return False


class NudgeBrush(Tool):
    """Strokes of the nudge: each is one operation along the path drawn on the surface.

    numbers: what the sentence bar says just now of mode, radius and strength.
    """

    hint = "Draw on the surface; its mode, radius and strength stand in the sentence."

    def __init__(self, operation: Operation, numbers: Callable[[], dict[str, Any]]) -> None:
        self._operation, self._numbers = operation, numbers
        self._path: list[Floats] = []
        self._runs = False
        self._sight: Any = None

    def press(self, view: Viewport, place: QPoint) -> None:
        """Begins a stroke on the active part."""
        self._path, self._runs, self._sight = [], False, view.sight()
        found = surface_place(self._sight, *view.device(place))
        if found is None or found[1].part.id != view.session.document.active:
            view.told.emit("Begin on the active part.")
            return
        self._path = [found[0]]
        if self._numbers()["mode"] != "push":
            self._run(view)

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Goes on with the stroke; one stamp for each sixth of the radius."""
        if not self._path:
            return
        numbers = self._numbers()
        found = None if numbers["mode"] == "push" else surface_place(self._sight, *view.device(place))
        # A push goes in the plane of the view, like all that is dragged; other strokes stay on the surface.
        here = found[0] if found is not None else _beside(view, self._path[-1], place)
        last = self._path[-1]
        steps = int(np.linalg.norm(here - last) * 6.0 / numbers["radius"])
        if steps:
            self._path += [last + (here - last) * (step + 1) / steps for step in range(steps)]
            self._run(view)

    def release(self, view: Viewport, place: QPoint) -> None:
        """Ends the stroke."""
        self._path = []

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """A ring as large as the brush, where the pointer is on a part."""
        if not view.sight_ready() or not view.may_draw:
            return
        # A stroke goes over the surface as it was pressed on; reading it back anew for every stamp would be slow.
        sight = self._sight if self._path else view.sight()
        found = surface_place(sight, *view.device(view.pointer))
        if found is None:
            return
        radius = self._numbers()["radius"] / view.camera.millimetres_per_pixel(view.height(), found[0])
        painter.setPen(QPen(colour(view.theme.selection), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(view.pointer), radius, radius)

    def _run(self, view: Viewport) -> None:
        path = tuple(tuple(float(value) for value in stamp) for stamp in self._path)
        view.stage.hurry(True)
        try:
            if self._runs:
                view.session.change_last(path=path)
            else:
                view.session.perform(self._operation.key, **{**self._numbers(), "path": path})
                self._runs = True
        except LevelLoopError as error:
            view.told.emit(str(error))


class MoveGuide(Tool):
    """Drags the guide under the pointer; at a corner its size."""

    hint = "Drag a guide to move it, a corner to size it; Esc when done."

    def __init__(self) -> None:
        self._guide: Guide | None = None
        self._corner = False
        self._start = (0.0, 0.0)
        self._runs = False

    def press(self, view: Viewport, place: QPoint) -> None:
        """Takes hold of the guide at a place, the last drawn first."""
        self._guide, self._runs = None, False
        for guide in reversed(seen_guides(view.session.document, view.camera)):
            screen = view.on_screen(corners_of(view, guide))[:, :2]
            here = np.array([place.x(), place.y()])
            corner = bool((np.hypot(*(screen - here).T) <= CORNER_REACH).any())
            outline = QPolygonF([QPointF(x, y) for x, y in screen])
            if not (corner or outline.containsPoint(QPointF(place), Qt.FillRule.OddEvenFill)):
                continue
            if guide.locked:
                view.told.emit(f"The guide “{guide.name}” is locked.")
                continue
            start = plane_place(view, guide, place)
            if start is not None:
                self._guide, self._corner, self._start = guide, corner, start
                return
        view.told.emit("There is no guide to take hold of here.")

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Moves the guide with the pointer, or sizes it about its middle."""
        guide = self._guide
        now = None if guide is None else plane_place(view, guide, place)
        if guide is None or now is None:
            return
        if self._corner:
            before = np.hypot(self._start[0] - guide.at[0], self._start[1] - guide.at[1])
            after = np.hypot(now[0] - guide.at[0], now[1] - guide.at[1])
            changes: dict[str, Any] = {"width": max(float(guide.width * after / max(before, 1e-9)), 1e-3)}
        else:
            changes = {"at": (guide.at[0] + now[0] - self._start[0], guide.at[1] + now[1] - self._start[1])}
        try:
            if self._runs:
                view.session.change_last(**changes)
            else:
                view.session.do(keys.SET_GUIDE, name=guide.name, **changes)
                self._runs = True
        except LevelLoopError as error:
            view.told.emit(str(error))

    def release(self, view: Viewport, place: QPoint) -> None:
        """Lets go."""
        self._guide = None

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The outline of each guide with its corners; a locked one dashed."""
        for guide in seen_guides(view.session.document, view.camera):
            screen = [QPointF(x, y) for x, y in view.on_screen(corners_of(view, guide))[:, :2]]
            dashes = Qt.PenStyle.DashLine if guide.locked else Qt.PenStyle.SolidLine
            painter.setPen(QPen(colour(view.theme.hover), 1.4, dashes))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF(screen))
            if not guide.locked:
                painter.setBrush(colour(view.theme.panel))
                for corner in screen:
                    painter.drawRoundedRect(QRectF(corner.x() - 4, corner.y() - 4, 8, 8), 2, 2)


class CalibrateGuide(Tool):
    """Two clicks on a guide; then asks how far apart they truly are.

    done: called with the guide's name and the two places, in mm of its view.
    """

    hint = "Click two places of the guide whose distance you know."

    def __init__(self, done: Callable[[str, tuple[float, float], tuple[float, float]], None]) -> None:
        self._done = done
        self._guide: Guide | None = None
        self._first: tuple[float, float] | None = None
        self._pressed_at = QPoint()

    def press(self, view: Viewport, place: QPoint) -> None:
        """Takes one of the two places."""
        guides = seen_guides(view.session.document, view.camera)
        if not guides:
            view.told.emit("No guide is seen from here; look from its direction first.")
            return
        if self._first is None:
            self._guide, self._pressed_at = guides[-1], place
            self._first = plane_place(view, guides[-1], place)
            view.told.emit(f"Now the second place of “{guides[-1].name}”.")
            return
        assert self._guide is not None
        second = plane_place(view, self._guide, place)
        if second is not None:
            first, self._first = self._first, None
            self._done(self._guide.name, first, second)

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Nothing: places are clicked."""

    def release(self, view: Viewport, place: QPoint) -> None:
        """Nothing: places are taken as the button goes down."""

    def drop(self) -> bool:
        """Forgets the first place."""
        was_there, self._first = self._first is not None, None
        return was_there

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """A line from the first place to the pointer."""
        if self._first is None:
            return
        painter.setPen(QPen(colour(view.theme.selection), 1.6))
        painter.setBrush(colour(view.theme.panel))
        painter.drawLine(self._pressed_at, view.pointer)
        for end in (self._pressed_at, view.pointer):
            painter.drawEllipse(QPointF(end), 4.0, 4.0)


# Helpers


def _beside(view: Viewport, start: Floats, place: QPoint) -> Floats:
    """The place under the pointer in the plane of the view through a start."""
    origin, direction = view.camera.ray(place.x(), place.y(), view.width(), view.height())
    normal = view.camera.axes[2]
    return np.asarray(origin + direction * ((start - origin) @ normal) / (direction @ normal))
