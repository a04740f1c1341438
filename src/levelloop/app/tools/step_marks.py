"""Marks of the step whose numbers are open, in the view: its planes, or the pivot, axis, limits that are dragged."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from levelloop.app.theme import colour
from levelloop.app.tools.dragging import pixel_step
from levelloop.app.tools.gestures import Gesture
from levelloop.core.arrays import Floats
from levelloop.core.edit.move.transform import pivot_place
from levelloop.core.errors import LevelLoopError
from levelloop.core.geometry.planes import as_direction
from levelloop.core.mesh.faces import unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.selection import NOTHING
from levelloop.core.recipe.chain import build
from levelloop.core.values import dataclass
from levelloop.document.part import Part

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

REACH = 9.0  # pixels
AROUND = np.radians(np.linspace(20.0, 300.0, 40))  # of the arc that shows the turning sense
LIMITS = ("from", "to")
ROOM = 0.6  # of the cage's size: so far a plane is drawn either side
ANGLES = ("angle", "rotate")  # the parameters of steps that say how far it is turned


@dataclass(frozen=True, eq=False)
class PlaneMarks:
    """The planes that a step mirrors at: the corners of a square on each, (k, 4, 3) in its part's own space."""

    part: Part
    squares: Floats

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The squares, tinted, with the lines in which they meet the other planes through their middle."""
        tone = view.theme.selection
        for square in self.squares:
            painter.setPen(QPen(colour(tone, 0.8), 1.4))
            painter.setBrush(colour(tone, 0.045))
            painter.drawPolygon(_on_screen(self.part, view, square))
            painter.setPen(QPen(colour(tone, 0.45), 1.0, Qt.PenStyle.DashLine))
            halves = (square + np.roll(square, -1, axis=0)) / 2.0
            painter.drawPolyline(_on_screen(self.part, view, halves[[0, 2]]))
            painter.drawPolyline(_on_screen(self.part, view, halves[[1, 3]]))


@dataclass(frozen=True, eq=False)
class StepMarks:
    """What a step turns about or goes along, in its part's own space.

    axis: through the pivot; along: the direction whose limits are dragged, None where a step has none; limits: from
    the pivot along it, mm; are_set: whether they are numbers of the step, and not the ends of the cage; turns: 1 or −1
    for the sense it turns in, 0 where nothing turns; size: half the way across what it acts on, mm.
    """

    part: Part
    pivot: Floats
    axis: Floats
    along: Floats | None
    limits: tuple[float, float]
    are_set: bool
    turns: int
    size: float

    def grips(self) -> dict[str, Floats]:
        """What can be dragged, by its name: where it is in the part's space."""
        grips = {"pivot": self.pivot}
        if self.along is not None:
            grips |= {name: self.pivot + far * self.along for name, far in zip(LIMITS, self.limits, strict=True)}
        return grips

    def grip_at(self, view: Viewport, place: QPoint) -> str:
        """The name of what is under the pointer, empty for nothing; the pivot is above the others."""
        for name, at in self.grips().items():
            x, y = view.on_screen(self.part.placed(at[None]))[0, :2]
            if np.hypot(x - place.x(), y - place.y()) <= REACH:
                return name
        return ""

    def moved(self, grip: str, by: Floats) -> dict[str, Any]:
        """The step's numbers once a grip has gone some way in the part's space."""
        if grip == "pivot":
            return {"pivot": tuple((self.pivot + by).tolist())}
        assert self.along is not None
        low, high = self.limits
        far = float(by @ self.along)
        # The lower one stays the lower one.
        least = 1e-3 * max(self.size, 1e-9)
        if grip == "from":
            return {"limits": (min(low + far, high - least), high)}
        return {"limits": (low, max(high + far, low + least))}

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The axis through the pivot, an arrow for the sense it turns in, and what can be dragged."""
        theme = view.theme
        line = QPen(colour(theme.selection, 0.9), 1.6)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        dashed = QPen(line)
        dashed.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(dashed)
        ends = self.pivot + 0.6 * self.size * np.outer((-1.0, 1.0), self.axis)
        painter.drawPolyline(self._placed(view, ends))
        painter.setPen(line)
        if self.turns:
            self._draw_sense(view, painter)
        if self.along is not None:
            self._draw_limits(view, painter, self.along)
        middle = self._placed(view, self.pivot[None]).at(0)
        painter.setBrush(colour(theme.panel, 0.95))
        painter.setPen(QPen(colour(theme.selection), 2.0))
        painter.drawEllipse(middle, 5.5, 5.5)
        painter.drawPoint(middle)

    def _draw_sense(self, view: Viewport, painter: QPainter) -> None:
        """An arc about the axis with a tip where it goes."""
        one = unit(np.cross(self.axis, np.eye(3)[int(np.abs(self.axis).argmin())]))
        two = np.cross(self.axis, one) * self.turns
        far = 0.18 * self.size
        arc = self.pivot + far * (np.cos(AROUND)[:, None] * one + np.sin(AROUND)[:, None] * two)
        painter.drawPolyline(self._placed(view, arc))
        ahead, outward = arc[-1] - arc[-3], unit(arc[-1] - self.pivot)
        back = arc[-1] - 0.3 * far * unit(ahead)
        painter.drawPolyline(
            self._placed(view, np.stack((back + 0.18 * far * outward, arc[-1], back - 0.18 * far * outward)))
        )

    def _draw_limits(self, view: Viewport, painter: QPainter, along: Floats) -> None:
        """Where the bend begins and ends, before it is bent: a bar across each."""
        across = 0.12 * self.size * unit(np.cross(self.axis, along))
        tone = view.theme.selection if self.are_set else view.theme.quiet
        painter.setPen(QPen(colour(tone, 0.9), 1.6))
        places = [self.grips()[name] for name in LIMITS]
        painter.drawPolyline(self._placed(view, np.stack(places)))
        painter.setBrush(colour(view.theme.panel, 0.95))
        for place in places:
            painter.setPen(QPen(colour(tone, 0.9), 1.6))
            painter.drawPolyline(self._placed(view, np.stack((place - across, place + across))))
            painter.drawEllipse(self._placed(view, place[None]).at(0), 4.0, 4.0)

    def _placed(self, view: Viewport, points: Floats) -> QPolygonF:
        return _on_screen(self.part, view, points)


class DragMark(Gesture):
    """Drags a grip of the open step; its numbers follow, and so does what it makes."""

    def __init__(self, view: Viewport, start: QPoint, marks: StepMarks, grip: str) -> None:
        super().__init__(view, start)
        self._marks, self._grip = marks, grip
        self._runs = False

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        if not self._runs and not self.is_far(place):
            return self
        self._runs = True
        view, marks = self.view, self._marks
        at = marks.part.placed(marks.grips()[self._grip][None])[0]
        pixel = view.camera.millimetres_per_pixel(view.height(), at)
        delta = place - self.start
        wanted = pixel * np.array([delta.x(), -delta.y()])
        right, upward, _ = view.camera.axes
        if self._grip == "pivot":
            way = wanted @ np.stack((right, upward))
        else:
            # Along its own direction: as far as that looks as long as the pointer's way.
            assert marks.along is not None
            along = marks.along @ marks.part.transform[:3, :3]
            seen = np.array([along @ right, along @ upward])
            way = along * float(wanted @ seen) / max(float(seen @ seen), 1e-3)
        step = pixel_step(pixel)
        inner = np.round(way / step) * step @ np.linalg.inv(marks.part.transform[:3, :3])
        view.stage.hurry(True)
        view.hands.change_step(marks.moved(self._grip, inner))
        return self


def marks_of(part: Part, values: Mapping[str, Any], until: int) -> StepMarks | PlaneMarks | None:
    """The marks of a step by its numbers; until: how many steps run before it. None where it has neither."""
    if "planes" not in values and "pivot" not in values:
        return None
    try:
        mesh = build(part.mesh, part.links(0, until=until), part.plain).mesh
        return _planes_of(part, values["planes"], mesh) if "planes" in values else _about(part, values, mesh)
    except LevelLoopError:
        return None


# Helpers


def _planes_of(part: Part, planes: str, mesh: Mesh) -> PlaneMarks | None:
    """Squares that reach a little farther than the cage and its image."""
    if mesh.n_points == 0:
        return None
    middle = (mesh.points.min(axis=0) + mesh.points.max(axis=0)) / 2.0
    reach = ROOM * float(np.linalg.norm(np.ptp(mesh.points, axis=0)))
    squares = []
    for plane in planes:
        axis = "xyz".index(plane)
        one, other = np.eye(3)[[(axis + 1) % 3, (axis + 2) % 3]] * reach
        # Where the cage is mirrored the other way too, that plane is in the middle.
        at = np.where(np.isin(np.arange(3), ["xyz".index(name) for name in planes]), 0.0, middle)
        squares.append(at + np.array([one + other, other - one, -one - other, one - other]))
    return PlaneMarks(part, np.array(squares))


def _about(part: Part, values: Mapping[str, Any], mesh: Mesh) -> StepMarks | None:
    axis = as_direction(values.get("around", values.get("axis", values.get("along", "z"))))
    pivot = pivot_place(mesh, NOTHING, values["pivot"])
    along = as_direction(values["along"]) if "limits" in values else None
    reach = np.ptp(mesh.points, axis=0)
    limits, are_set = (0.0, 0.0), False
    if along is not None:
        along = unit(along - axis * (along @ axis))
        if not along.any():
            return None
        far = (mesh.points - pivot) @ along
        are_set = values["limits"] is not None
        limits = tuple(values["limits"]) if are_set else (float(far.min()), float(far.max()))
    turns = next((int(np.sign(float(values[name]))) for name in ANGLES if name in values), 0)
    size = 0.5 * float(np.linalg.norm(reach)) or 1.0
    return StepMarks(part, np.asarray(pivot), axis, along, limits, are_set, turns, size)


def _on_screen(part: Part, view: Viewport, points: Floats) -> QPolygonF:
    on = view.on_screen(part.placed(points))[:, :2]
    return QPolygonF([QPointF(x, y) for x, y in on.tolist()])
