"""Choosing: clicks, boxes, lassos and brushes in a view turned into selections."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtWidgets import QApplication

from levelloop.app.view.picking.picking import Hit, picked_in_box, picked_in_lasso, picked_under_brush
from levelloop.app.view.render.picture import Picture
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Kind, Selection, combine, select_between, select_loop, select_ring
from levelloop.core.mesh.topology import Topology

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
SAME_PLACE = 4  # pixels between clicks that count as one


class Choosing:
    """What one view's pointer selects; Shift adds, Ctrl removes."""

    def __init__(self, view: Viewport) -> None:
        self.view = view
        self._clicks: tuple[float, QPoint, int] = (0.0, QPoint(), 0)

    def forget_clicks(self) -> None:
        """Lets the next click be the first one, wherever it is."""
        self._clicks = (0.0, QPoint(), 0)

    def click(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Selects the element at a place, the second time its loop, the third time its ring."""
        view, count = self.view, self._counted(place)
        add, remove = bool(modifiers & SHIFT), bool(modifiers & CONTROL)
        again = view.hands.repeats(not add) if not remove and count == 1 else None
        hit = view.pick_at(place, again)
        if hit is None:
            if not (add or remove) and view.session.document.parts and not self._is_kept():
                view.session.select_none()
            return
        part = hit.picture.part
        if part.locked:
            view.told.emit(f"“{part.name}” is locked.")
            return
        if view.kind == "parts":
            self._choose_part(part.id, add, remove)
            return
        if self._is_kept():
            return
        found = Selection(hit.kind, np.array([hit.index]), self._picked_backwards(hit, place))
        if again is not None:
            if part.id != view.session.document.active:
                view.session.activate(part.id)
            view.hands.apply_again(found)
            return
        if part.id != view.session.document.active:
            view.session.activate(part.id, keep_others=add or remove)
        old = view.session.selection
        try:
            found = _walked(part.mesh.topology, hit, found, old, count)
        except LevelLoopError as error:
            view.told.emit(str(error))
        if add and remove:
            # The stretch from the last pick to this one.
            try:
                found = select_between(part.mesh.topology, combine(old, found, add=True))
            except LevelLoopError as error:
                view.told.emit(str(error))
                return
            remove = False
        view.session.set_selection(combine(old, found, add, remove), keep_others=add or remove)

    def _choose_part(self, part_id: str, add: bool, remove: bool) -> None:
        """Makes a part the one that is chosen, one more, or one less."""
        session = self.view.session
        chosen = [part.id for part in session.state.parts_chosen if part.id != part_id] if add or remove else []
        if remove and not chosen:
            return
        session.choose_parts(chosen if remove else [*chosen, part_id])

    def select_box(self, box: QRectF, modifiers: Qt.KeyboardModifier) -> None:
        """Selects what lies in a box, logical pixels."""
        ratio = self.view.devicePixelRatioF()
        low, high = (box.left() * ratio, box.top() * ratio), (box.right() * ratio, box.bottom() * ratio)
        if self.view.kind == "parts":
            self._box_parts(low, high, modifiers)
            return
        found = self._subject()
        if found is None or self._is_kept():
            return
        picture, kind = found
        inside = picked_in_box(self.view.sight(), picture, kind, low, high, self.view.reach, self.view.hands.box_rule)
        self._take(Selection(kind, inside), modifiers)

    def _box_parts(self, low: tuple[float, float], high: tuple[float, float], modifiers: Qt.KeyboardModifier) -> None:
        """Chooses the parts whose points lie in a box on screen, all of them or, where touching will do, any."""
        sight, rule = self.view.sight(), self.view.hands.box_rule
        found = []
        for picture in sight.pictures:
            count = len(picked_in_box(sight, picture, "points", low, high, "through"))
            if count and (count == picture.part.mesh.n_points or rule == "touched") and not picture.part.locked:
                found.append(picture.part.id)
        session = self.view.session
        known = [part.id for part in session.state.parts_chosen]
        if modifiers & SHIFT:
            found = [*known, *(part_id for part_id in found if part_id not in known)]
        elif modifiers & CONTROL:
            found = [part_id for part_id in known if part_id not in found]
        if found:
            session.choose_parts(found)

    def select_lasso(self, outline: list[QPoint], modifiers: Qt.KeyboardModifier) -> None:
        """Selects what lies inside a line drawn around it."""
        found = self._subject()
        if found is None or len(outline) < 3 or self._is_kept():
            return
        picture, kind = found
        corners = np.array([self.view.device(place) for place in outline])
        inside = picked_in_lasso(self.view.sight(), picture, kind, corners, self.view.reach, self.view.hands.box_rule)
        self._take(Selection(kind, inside), modifiers)

    def paint(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Adds what lies under the brush; Ctrl removes it."""
        found = self._subject()
        if found is None or self._is_kept():
            return
        picture, kind = found
        x, y = self.view.device(place)
        radius = self.view.hands.brush * self.view.devicePixelRatioF()
        under = picked_under_brush(self.view.sight(), picture, kind, x, y, radius, self.view.reach)
        remove = bool(modifiers & CONTROL)
        old = self.view.session.selection
        new = combine(old, Selection(kind, under), not remove, remove)
        if not new.same_as(old):
            self.view.session.set_selection(new, keep_others=True)
        self.view.overlay.update()

    # Helpers

    def _counted(self, place: QPoint) -> int:
        """Which click in a row this one is: 1, 2 or 3."""
        now, count = time.monotonic(), 1
        last_time, last_place, last_count = self._clicks
        quick = now - last_time < QApplication.doubleClickInterval() / 1000.0
        if quick and (place - last_place).manhattanLength() <= SAME_PLACE:
            count = last_count % 3 + 1
        self._clicks = (now, place, count)
        return count

    def _is_kept(self) -> bool:
        """Whether the selection is locked; says so."""
        if self.view.hands.keeps_selection:
            self.view.told.emit("The selection is locked: Alt+L frees it.")
        return self.view.hands.keeps_selection

    def _subject(self) -> tuple[Picture, Kind] | None:
        """The picture and the kind that are selected from."""
        document, kind = self.view.session.document, self.view.kind
        picture = self.view.stage.picture(document.active) if document.parts else None
        return None if picture is None or kind == "parts" else (picture, kind)

    def _take(self, found: Selection, modifiers: Qt.KeyboardModifier) -> None:
        add, remove = bool(modifiers & SHIFT), bool(modifiers & CONTROL)
        chosen = combine(self.view.session.selection, found, add, remove)
        self.view.session.set_selection(chosen, keep_others=add or remove)

    def _picked_backwards(self, hit: Hit, place: QPoint) -> np.ndarray | None:
        """An edge is directed from the end it was picked nearer to."""
        if hit.kind != "edges":
            return None
        ends = hit.picture.cage_places[hit.picture.part.mesh.topology.edges[hit.index]]
        screen = self.view.on_screen(ends)[:, :2]
        distance = np.hypot(screen[:, 0] - place.x(), screen[:, 1] - place.y())
        return np.array([distance[1] < distance[0]])


def _walked(topology: Topology, hit: Hit, found: Selection, old: Selection, count: int) -> Selection:
    """What a second or third click makes of the element found."""
    if count == 2 and hit.kind == "edges":
        return select_loop(topology, found)
    if count == 3 and hit.kind == "edges":
        return select_ring(topology, found)
    if count == 2 and hit.kind == "faces":
        # The loop through the face and a neighbour of it that is selected already.
        return select_loop(
            topology, Selection("faces", old.indices[-2:]) if old.kind == "faces" and len(old) > 1 else found
        )
    return found
