"""Lines drawn in a view: points of a curve, or the middle of a strip over another part's surface."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QPointF
from PySide6.QtGui import QPainter, QPen

from levelloop.app.measured import length_told
from levelloop.app.theme import colour
from levelloop.app.tools.tools import Tool
from levelloop.app.view.picking.guide_places import guide_places
from levelloop.app.view.picking.picking import surface_place
from levelloop.app.view.picking.snapping import caught
from levelloop.core.arrays import Floats
from levelloop.core.words import counted

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

CLOSES = 9.0  # pixels from the first place
NOTHING_MOVES = ("", np.zeros(0, dtype=np.bool_))


class DrawLine(Tool):
    """Collects places by clicks, on the surface under the pointer or in the plane of the view; Enter is done.

    A click on the first place closes the line: it is the last one too. done: called with the places and the ids of the
    parts whose surfaces they lie on, empty for none. on_surface: whether every place must lie on a part.
    """

    def __init__(self, hint: str, done: Callable[[list[Floats], list[str]], None], on_surface: bool = False) -> None:
        self.hint = hint
        self._done, self._on_surface = done, on_surface
        self._places: list[Floats] = []
        self._parts: list[str] = []
        self.aim: Callable[[], Floats | None] = lambda: None  # where the numbers typed just now put the next place

    @property
    def takes_numbers(self) -> bool:
        """Whether the next place may be typed: there is a last one, and places need not lie on a part."""
        return bool(self._places) and not self._on_surface

    @property
    def last(self) -> Floats | None:
        """The last place so far."""
        return self._places[-1] if self._places else None

    def way(self, view: Viewport) -> Floats:
        """The direction from the last place to the one under the pointer, along x where these are one."""
        found = self._found(view, view.pointer)
        view.catch = None
        way = np.zeros(3) if found is None else found[0] - self._places[-1]
        length = float(np.linalg.norm(way))
        return way / length if length > 1e-9 else np.eye(3)[0]

    def press(self, view: Viewport, place: QPoint) -> None:
        """Adds the place under the pointer."""
        if self._closes(view, place):
            self._places.append(self._places[0])
            self._parts.append(self._parts[0])
            self.finish(view)
            return
        found = self._found(view, place)
        if found is None:
            view.told.emit("Click on a part's surface.")
            return
        self.add(view, *found)

    def add(self, view: Viewport, place: Floats, part: str = "") -> None:
        """Adds a place, of a part's surface or none, and says how far from the last one it is."""
        self._places.append(place)
        self._parts.append(part)
        length = ""
        if len(self._places) > 1:
            unit = view.session.document.unit
            length = f", the last {length_told(float(np.linalg.norm(place - self._places[-2])), unit)} away"
        typed = "" if self._on_surface else "; digits type the next one"
        view.told.emit(f"{counted(len(self._places), 'point')}{length}{typed}; Enter is done, Esc leaves.")

    def drag(self, view: Viewport, place: QPoint) -> None:
        """Moves the last place along, on the surface under the pointer too."""
        if not self._places:
            return
        last = self._places.pop(), self._parts.pop()
        place_there, part = self._found(view, place) or last
        self._places.append(place_there)
        self._parts.append(part)

    def release(self, view: Viewport, place: QPoint) -> None:
        """A place is there from the moment the button went down; what caught it is shown no more."""
        view.catch = None

    def drop(self) -> bool:
        """Drops the places drawn so far."""
        was_drawn = bool(self._places)
        self._places, self._parts = [], []
        return was_drawn

    def finish(self, view: Viewport) -> None:
        """Makes what was drawn."""
        if len(self._places) < 2:
            view.told.emit("Click at least two places first.")
            return
        places, parts = self._places, self._parts
        self._places, self._parts = [], []
        self._done(places, parts)

    def draw(self, view: Viewport, painter: QPainter) -> None:
        """The line so far, and from its end to the pointer."""
        tone = colour(view.theme.selection)
        screen = [QPointF(x, y) for x, y, _ in view.on_screen(np.array(self._places).reshape(-1, 3))]
        painter.setPen(QPen(tone, 2.0))
        painter.setBrush(colour(view.theme.panel))
        if screen:
            end, aim = QPointF(view.pointer), self.aim()
            if aim is not None:
                x, y = view.on_screen(aim[None])[0, :2]
                end = QPointF(x, y)
                painter.drawEllipse(end, 3.5, 3.5)
            for one, other in zip(screen, [*screen[1:], end], strict=True):
                painter.drawLine(one, other)
        for place in screen:
            painter.drawEllipse(place, 3.5, 3.5)
        if self._closes(view, view.pointer):
            painter.drawEllipse(screen[0], 6.5, 6.5)

    def _closes(self, view: Viewport, place: QPoint) -> bool:
        """Whether a click there goes back to the first place."""
        if len(self._places) < 3:
            return False
        x, y = view.on_screen(self._places[0][None])[0, :2]
        return bool(np.hypot(x - place.x(), y - place.y()) <= CLOSES)

    def _found(self, view: Viewport, place: QPoint) -> tuple[Floats, str] | None:
        """The place under the pointer: what catches it, a surface, or a plane; and of which part the surface is.

        None where a surface is wanted.
        """
        found = surface_place(view.sight(), *view.device(place))
        if found is None and self._on_surface:
            return None
        part = "" if found is None else found[1].part.id
        wanted = found[0] if found is not None else self._in_plane(view, place)
        hands = view.hands
        view.catch = None
        # On a surface the grid would lift the line off it.
        snaps = hands.snaps - {"grid"} if found is not None else hands.snaps
        if snaps:
            guides = guide_places(view)
            view.catch = caught(view.sight(), snaps, *view.device(place), wanted, NOTHING_MOVES, guides, hands.grid)
        return (wanted if view.catch is None else view.catch.place), part

    def _in_plane(self, view: Viewport, place: QPoint) -> Floats:
        """Where the line of sight meets the ground, or in a view from a side the plane through the last place."""
        origin, direction = view.camera.ray(place.x(), place.y(), view.width(), view.height())
        through = self._places[-1] if self._places else np.zeros(3)
        axis = int(np.argmax(np.abs(view.camera.axes[2])))
        normal = np.eye(3)[2 if view.camera.tilt > 15.0 else axis]
        slope = float(direction @ normal)
        if abs(slope) < 1e-6:
            return through
        return np.asarray(origin + direction * float((through - origin) @ normal) / slope)
