"""The knife and the loop runner: cuts drawn by clicks, and loops shown before they are run."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QApplication

from levelloop.app.theme import colour
from levelloop.app.tools.tools import Tool
from levelloop.app.view.picking.picking import pick, surface_place, visible
from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Floats
from levelloop.core.edit.divide.run_loop import run_loop
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Selection

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

MIDDLE_REACH = 8.0  # pixels from an edge's middle that are taken for it
ANGLE = 15.0  # degrees that Shift locks to
BACK_TO_START = 10.0  # pixels from the first place that close the cut


class Knife(Tool):
    """Collects the places of a cut; Enter runs it, a click on the first place closes it.

    done: called with the path and whether it is closed; where it returns False the path stays to be mended. through:
    called with the plane of a cut straight through everything, (point, normal).
    """

    hint = "Click places on points, edges or faces; Shift locks the angle, Ctrl cuts through; Enter cuts."

    def __init__(
        self,
        done: Callable[[list[dict[str, Any]], bool], bool],
        through: Callable[[tuple[Floats, Floats]], None],
    ) -> None:
        self._done, self._through = done, through
        self.path: list[dict[str, Any]] = []
        self._places: list[Floats] = []

    def press(self, view: Viewport, place: QPoint) -> None:
        """Adds the place under the pointer, and those on the edges between it and the last."""
        modifiers = QApplication.keyboardModifiers()
        place = self._aimed(view, place)
        if not self._places:
            # A cut begins on whatever part it is begun on.
            hit = view.pick_at(place, "faces")
            if hit is not None and hit.picture.part.id != view.session.document.active and not hit.picture.part.locked:
                view.session.activate(hit.picture.part.id)
        picture = view.stage.picture(view.session.document.active)
        if picture is None:
            return
        if len(self._places) > 2 and self._near_start(view, place):
            self._finish(view, True)
            return
        if modifiers & Qt.KeyboardModifier.ControlModifier and self._places:
            plane = _plane_between(view, self._places[-1], place)
            self._clear()
            self._through(plane)
            return
        found = _place_at(view, picture, place)
        if found is None:
            view.told.emit("Click on the active part.")
            return
        entry, at = found
        if self._places:
            between, places = _crossed(view, picture, self._places[-1], at, self.path[-1], entry)
            self.path += between
            self._places += places
        self.path.append(entry)
        self._places.append(at)
        view.told.emit(f"{len(self.path)} places; Enter cuts, Esc leaves.")

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Nothing: places are clicked."""

    def release(self, view: Viewport, place: QPoint) -> None:
        """Nothing: places are taken as the button goes down."""

    def drop(self) -> bool:
        """Drops the path drawn so far."""
        was_drawn = bool(self._places)
        self.path, self._places = [], []
        return was_drawn

    def finish(self, view: Viewport) -> None:
        """Runs the cut that was drawn."""
        self._finish(view, False)

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The cut so far, and from its end to the pointer."""
        tone = colour(view.theme.selection)
        painter.setPen(QPen(tone, 2.0))
        painter.setBrush(colour(view.theme.panel))
        screen = [QPointF(x, y) for x, y, _ in view.on_screen(np.array(self._places).reshape(-1, 3))]
        for one, other in pairwise(screen):
            painter.drawLine(one, other)
        if screen:
            painter.setPen(QPen(tone, 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(screen[-1], QPointF(self._aimed(view, view.pointer)))
            painter.setPen(QPen(tone, 1.6))
        for place in screen:
            painter.drawEllipse(place, 3.5, 3.5)

    # Helpers

    def _finish(self, view: Viewport, closed: bool) -> None:
        if len(self.path) < 2:
            view.told.emit("A cut needs at least two places.")
            return
        path = list(self.path)
        if closed:
            picture = view.stage.picture(view.session.document.active)
            assert picture is not None
            path += _crossed(view, picture, self._places[-1], self._places[0], path[-1], path[0])[0]
        if self._done(path, closed):
            self._clear()

    def _clear(self) -> None:
        self.path, self._places = [], []

    def _near_start(self, view: Viewport, place: QPoint) -> bool:
        x, y, _ = view.on_screen(self._places[0][None])[0]
        return bool(np.hypot(place.x() - x, place.y() - y) <= BACK_TO_START)

    def _aimed(self, view: Viewport, place: QPoint) -> QPoint:
        """The place, with Shift turned about the last one to a multiple of the angle step."""
        if not self._places or not QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier:
            return place
        x, y, _ = view.on_screen(self._places[-1][None])[0]
        across, down = place.x() - x, place.y() - y
        angle = np.radians(np.round(np.degrees(np.arctan2(down, across)) / ANGLE) * ANGLE)
        length = np.hypot(across, down)
        return QPoint(round(x + length * np.cos(angle)), round(y + length * np.sin(angle)))


def _place_at(view: Viewport, picture: Picture, place: QPoint) -> tuple[dict[str, Any], Floats] | None:
    """The point, edge or face of the active part under a pixel, as a place of a cut, and where it is."""
    sight, (x, y) = view.sight(), view.device(place)
    topology = picture.part.mesh.topology
    for kind in ("points", "edges"):
        hit = pick(sight, kind, x, y, view.reach, picture.part.id)
        if hit is None or hit.picture is not picture:
            continue
        if kind == "points":
            return {"point": hit.index}, picture.cage_places[hit.index]
        a, b = topology.edges[hit.index].tolist()
        ends = picture.cage_places[[a, b]]
        ratio = _ratio_at(view, picture, hit.index, place)
        return {"edge": [a, b], "ratio": ratio}, ends[0] + ratio * (ends[1] - ends[0])
    hit = pick(sight, "faces", x, y, "visible", picture.part.id)
    on = surface_place(sight, x, y)
    if hit is None or hit.picture is not picture or on is None:
        return None
    local = picture.part.to_world(picture.part.mesh).points[topology.face(hit.index)].mean(axis=0)
    at = on[0] if picture.is_flat else 0.5 * (on[0] + local)
    return {"face": hit.index, "at": tuple(float(value) for value in at)}, on[0]


class RunLoop(Tool):
    """Shows the loop that a click would run through the ring under the pointer, and runs it there.

    done: called with the selection of the edge and the ratio along it.
    """

    hint = "Point at an edge: the loop that a click would run is shown; Esc leaves."

    def __init__(self, done: Callable[[Selection, float], None]) -> None:
        self._done = done
        self._shown: tuple[object, tuple[int, int, float], Floats] | None = None

    def press(self, view: Viewport, place: QPoint) -> None:
        """Runs the loop that is shown."""
        found = self._under(view, place)
        if found is None:
            view.told.emit("Point at an edge of the active part.")
            return
        self._done(*found)

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Nothing: the loop's place can be typed or slid afterwards."""

    def release(self, view: Viewport, place: QPoint) -> None:
        """Nothing: the loop runs as the button goes down."""

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The loop under the pointer."""
        at_rest = view.sight_ready() and view.may_draw
        found = self._under(view, view.pointer) if at_rest else None
        if found is None:
            return
        painter.setPen(QPen(colour(view.theme.hover), 2.4))
        for start, end in self._lines(view, *found).tolist():
            painter.drawLine(QPointF(*start[:2]), QPointF(*end[:2]))

    def _under(self, view: Viewport, place: QPoint) -> tuple[Selection, float] | None:
        picture = view.stage.picture(view.session.document.active) if view.session.document.parts else None
        hit = None if picture is None else pick(view.sight(), "edges", *view.device(place), view.reach, picture.part.id)
        if picture is None or hit is None or hit.picture is not picture:
            return None
        return Selection("edges", np.array([hit.index])), _ratio_at(view, picture, hit.index, place)

    def _lines(self, view: Viewport, selection: Selection, ratio: float) -> Floats:
        """The new loop on screen, worked out once for one place: (s, 2, 3)."""
        picture = view.stage.picture(view.session.document.active)
        assert picture is not None
        key = (picture.part.id, (int(selection.indices[0]), 0, ratio))
        if self._shown is None or self._shown[0] is not picture.part.mesh or self._shown[1] != key[1]:
            try:
                edit = run_loop(picture.part.to_world(picture.part.mesh), selection, ratio=ratio)
                lines = edit.mesh.points[edit.mesh.topology.edges[edit.selection.indices]]
            except LevelLoopError:
                lines = np.zeros((0, 2, 3))
            self._shown = (picture.part.mesh, key[1], lines)
        return view.on_screen(self._shown[2].reshape(-1, 3)).reshape(-1, 2, 3)


def _ratio_at(view: Viewport, picture: Picture, edge: int, place: QPoint) -> float:
    """How far along an edge a pixel is, the middle where that is near."""
    ends = picture.cage_places[picture.part.mesh.topology.edges[edge]]
    screen = view.on_screen(np.concatenate((ends, ends.mean(axis=0)[None])))[:, :2]
    way = screen[1] - screen[0]
    along = (np.array([place.x(), place.y()]) - screen[0]) @ way / max(float(way @ way), 1e-9)
    if np.hypot(*(screen[2] - (place.x(), place.y()))) <= MIDDLE_REACH:
        return 0.5
    return round(float(np.clip(along, 0.02, 0.98)), 4)


def _plane_between(view: Viewport, start: Floats, place: QPoint) -> tuple[Floats, Floats]:
    """The plane in which the lines of sight through two places lie: a point and its normal."""
    origin, direction = view.camera.ray(place.x(), place.y(), view.width(), view.height())
    other = start - view.camera.eye if view.camera.perspective else start - origin
    normal = np.cross(other, direction)
    size = float(np.linalg.norm(normal))
    return start, normal / size if size > 1e-12 else view.camera.axes[0]


def _crossed(
    view: Viewport, picture: Picture, start: Floats, end: Floats, first: dict[str, Any], last: dict[str, Any]
) -> tuple[list[dict[str, Any]], list[Floats]]:
    """The edges that a straight line on screen crosses between two places, in order, and where."""
    topology = picture.part.mesh.topology
    screen = view.on_screen(np.stack((start, end)))
    normal_at, normal = _plane_between(view, start, QPoint(round(screen[1, 0]), round(screen[1, 1])))
    ends = picture.cage_places[topology.edges]
    height = (ends - normal_at) @ normal
    reach = 1e-6 * max(float(np.abs(height).max(initial=0.0)), 1e-9)
    cut = np.flatnonzero((height[:, 0] * height[:, 1] < 0) & (np.abs(height) > reach).all(axis=1))
    ratio = height[cut, 0] / (height[cut, 0] - height[cut, 1])
    places = ends[cut, 0] + ratio[:, None] * (ends[cut, 1] - ends[cut, 0])
    on = view.camera.project(places, *view.pixels)
    seen = visible(view.sight(), on) if view.reach == "visible" else on[:, 2] <= 1.0
    ratio_device = view.devicePixelRatioF()
    way = screen[1, :2] - screen[0, :2]
    along = (on[:, :2] / ratio_device - screen[0, :2]) @ way / max(float(way @ way), 1e-9)
    keep = seen & (along > 1e-6) & (along < 1 - 1e-6)
    both = [set(entry["edge"]) for entry in (first, last) if "edge" in entry]
    corners = {entry["point"] for entry in (first, last) if "point" in entry}
    chosen = []
    for number in np.flatnonzero(keep)[np.argsort(along[keep])].tolist():
        a, b = topology.edges[cut[number]].tolist()
        if {a, b} in both or a in corners or b in corners:
            continue
        chosen.append(number)
    entries: list[dict[str, Any]] = [
        {"edge": topology.edges[cut[number]].tolist(), "ratio": float(ratio[number])} for number in chosen
    ]
    return entries, [places[number] for number in chosen]
