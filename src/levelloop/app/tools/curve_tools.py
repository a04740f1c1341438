"""Curves edited in a view: points put on by a click, radii set by a circle around a selected point."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from levelloop.app.theme import colour
from levelloop.app.tools.gestures import Gesture
from levelloop.app.tools.tools import Tool
from levelloop.core.arrays import Floats, Integers, distinct
from levelloop.core.errors import LevelLoopError
from levelloop.core.forms.curves import Path, frames_along, order_along, path_of
from levelloop.core.values import dataclass
from levelloop.document.operations import keys
from levelloop.document.part import Part
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

REACH = 14.0  # pixels from the curve, or from the circle's grip
STEPS = 24  # places between two points that are looked at
AROUND = 48  # places of a circle
KEPT = 0.02  # of a stretch: nearer to a point than that, none is put on


class CurvePoints(Tool):
    """Puts a point onto the active curve where one clicks."""

    hint = "Click on the curve where a point is to be; Esc puts the tool away."

    def __init__(self, operation: Operation) -> None:
        self.key = operation.key

    def press(self, view: Viewport, place: QPoint) -> None:
        """Puts a point there."""
        found = place_on_curve(view, place)
        if found is None:
            view.told.emit("Click on the active part's curve.")
            return
        edge, ratio, _ = found
        try:
            view.session.perform(self.key, edge=edge, ratio=ratio)
        except LevelLoopError as error:
            view.told.emit(str(error))

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """A ring where the point would come."""
        found = place_on_curve(view, view.pointer)
        if found is not None:
            x, y = view.on_screen(found[2][None])[0, :2]
            painter.setPen(QPen(colour(view.theme.selection), 1.8))
            painter.setBrush(colour(view.theme.panel, 0.8))
            painter.drawEllipse(QPointF(x, y), 5.0, 5.0)


def place_on_curve(view: Viewport, place: QPoint) -> tuple[tuple[int, int], float, Floats] | None:
    """The stretch of the active curve nearest to the pointer, the ratio along it, and where that is; None beside it."""
    curve = _curve_of(view)
    if curve is None:
        return None
    part, path, order = curve
    places = np.linspace(0.0, path.spans, path.spans * STEPS + 1)
    on = part.placed(path.at(places))
    far = np.linalg.norm(view.on_screen(on)[:, :2] - (place.x(), place.y()), axis=1)
    nearest = int(far.argmin())
    if far[nearest] > REACH:
        return None
    span = min(int(places[nearest]), path.spans - 1)
    ratio = float(np.clip(places[nearest] - span, KEPT, 1.0 - KEPT))
    return (int(order[span]), int(order[(span + 1) % len(order)])), ratio, on[nearest]


@dataclass(frozen=True, eq=False)
class RadiusCircle:
    """The circle that shows the radius at a selected point of a curve: its places in the world, its grip."""

    middle: Floats
    circle: Floats
    radius: float
    scale: float

    @staticmethod
    def of(view: Viewport) -> RadiusCircle | None:
        """That of the one selected point of the active curve; None for anything else."""
        selection = view.session.selection
        if view.kind != "points" or selection.kind != "points" or len(selection) != 1:
            return None
        curve = _curve_of(view)
        if curve is None:
            return None
        part, path, order = curve
        here = np.flatnonzero(order == selection.indices[0])
        if len(here) == 0:
            return None
        at = float(here[0])
        near = np.clip(np.array([at - 0.05, at, at + 0.05]), 0.0, path.spans)
        places = path.at(distinct(near))
        across = frames_along(places)[len(places) // 2]
        radius = float(path.radii[here[0]])
        angle = np.linspace(0.0, 2.0 * np.pi, AROUND + 1)
        middle = path.points[here[0]]
        shown = max(radius, 1e-9)
        ring = middle + shown * (np.cos(angle)[:, None] * across[0] + np.sin(angle)[:, None] * across[1])
        world, centre = part.placed(ring), part.placed(middle[None])[0]
        scale = float(np.linalg.norm(world[0] - centre)) / shown
        return RadiusCircle(centre, world, radius, scale)

    def grip(self, view: Viewport) -> Floats:
        """Where the circle is held: its place farthest to the right on the screen, a little outside the point."""
        on = view.on_screen(self.circle)[:, :2]
        found = on[int(on[:, 0].argmax())]
        centre = view.on_screen(self.middle[None])[0, :2]
        away = found - centre
        length = float(np.hypot(*away))
        # A radius of a few pixels is still to be held.
        return np.asarray(found if length >= REACH else centre + np.array([REACH, 0.0]))

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The circle and its grip."""
        painter.setPen(QPen(colour(view.theme.selection), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in view.on_screen(self.circle)[:, :2].tolist()]))
        painter.setBrush(colour(view.theme.panel))
        painter.drawEllipse(QPointF(*self.grip(view).tolist()), 4.5, 4.5)

    def is_at(self, view: Viewport, place: QPoint) -> bool:
        """Whether the pointer is on the grip."""
        return bool(np.hypot(*(self.grip(view) - (place.x(), place.y()))) <= REACH / 2)


class DragRadius(Gesture):
    """Draws the circle around a curve's point larger or smaller."""

    def __init__(self, view: Viewport, start: QPoint, circle: RadiusCircle) -> None:
        super().__init__(view, start)
        self._circle = circle
        self._runs = False

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        if not self._runs and not self.is_far(place):
            return self
        view = self.view
        pixel = view.camera.millimetres_per_pixel(view.height(), self._circle.middle)
        centre = view.on_screen(self._circle.middle[None])[0, :2]
        step = float(10.0 ** np.floor(np.log10(max(pixel / self._circle.scale, 1e-9))))
        wanted = float(np.hypot(*(np.array([place.x(), place.y()]) - centre))) * pixel / self._circle.scale
        # A pixel's worth and no more.
        radius = round(wanted / step) * step
        try:
            if self._runs:
                view.session.change_last(radius=radius)
            else:
                curve = view.session.part.mesh.curve or "straight"
                view.session.do(keys.SET_CURVE, kind=curve, radius=radius)
                self._runs = True
        except LevelLoopError as error:
            view.told.emit(str(error))
        return self


# Helpers


def _curve_of(view: Viewport) -> tuple[Part, Path, Integers] | None:
    """The active part where it is one run of wires and nothing else, its path, and its points in order."""
    if not view.session.document.parts:
        return None
    part = view.session.part
    if part.mesh.n_faces or not part.visible or not len(part.mesh.topology.wires):
        return None
    try:
        return part, path_of(part.mesh), order_along(part.mesh)[0]
    except LevelLoopError:
        return None
