"""The UV view: the active part's islands in the unit square; picked as in the views, moved, turned and scaled by hand.

What is selected here is selected there. A drag on what is selected moves it (after T it turns it, after S it scales
it), live in the sentence bar; a drag beside it draws a box.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from levelloop.app.panels.uv.flat_drawing import Ground, Placing, draw_elements, draw_faces, draw_square
from levelloop.app.panels.uv.flat_picture import FlatPicture
from levelloop.app.theme import Theme, colour, text_font
from levelloop.core.arrays import Floats
from levelloop.core.mesh.selection import NOTHING, Kind, Selection
from levelloop.document.operations import keys
from levelloop.document.session import Session

Does = Literal["move", "turn", "scale"]
# What a drag does after each key, and the numbers that the operation begins with.
OWN_KEYS: dict[int, tuple[Does, dict[str, Any]]] = {
    Qt.Key.Key_M: ("move", {}),
    Qt.Key.Key_T: ("turn", {"angle": 90.0}),
    Qt.Key.Key_S: ("scale", {"scale": 0.8}),
}
MARGIN = 24  # pixels around the unit square at first
REACH = 9  # pixels within which a point or an edge is picked
STARTS = 4  # pixels after which a press is a drag
CLOSEST, FARTHEST = 200_000.0, 20.0  # pixels to a side of the unit square


class Flat(QWidget):
    """The square itself. asked: an operation to begin, with its values; changed: its new values."""

    asked = Signal(str, dict)
    changed = Signal(dict)

    def __init__(self, session: Session, theme: Theme, kind: Callable[[], str], parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.theme, self.kind = session, theme, kind
        self.ground: Ground = "plain"
        self.does: Does = "move"
        self.touches: Callable[[], bool] = lambda: False
        self.is_smooth: Callable[[], bool] = lambda: True
        self.hover: int | None = None
        self.placing = Placing(1.0, (0.0, 0.0))
        # Whether all is shown, and so goes on being when the widget's size changes.
        self._is_whole = True
        self._picture: FlatPicture | None = None
        self._drawn: tuple[tuple[object, ...], QPixmap] | None = None
        self._press: tuple[QPoint, Literal["select", "drag", "box", "pan"]] | None = None
        self._runs = False
        self._at = QPoint()
        self._placed_before = self.placing
        self._middle = np.zeros(2)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(220, 220)
        self.setAccessibleName("UV view")
        self.setAccessibleDescription("The islands of the active part in the unit square")

    # What is shown

    @property
    def picture(self) -> FlatPicture | None:
        """The active part's cage in UV; None where there is none, or no UV."""
        document = self.session.document
        if not document.parts or document.part.mesh.uv is None or not document.part.mesh.n_faces:
            return None
        mesh, is_smooth = document.part.mesh, self.is_smooth()
        if self._picture is None or self._picture.mesh is not mesh or self._picture.is_smooth != is_smooth:
            self._picture = FlatPicture(mesh, is_smooth)
        return self._picture

    @property
    def element(self) -> Kind:
        """What is picked: faces where whole parts are selected in the views."""
        kind = self.kind()
        return "points" if kind == "points" else "edges" if kind == "edges" else "faces"

    @property
    def selection(self) -> Selection:
        """What is selected of the active part."""
        return self.session.selection if self.session.document.parts else NOTHING

    def frame(self, everything: bool = False) -> None:
        """Shows what is selected; all and the unit square where nothing is, or everything is asked for."""
        picture = self.picture
        low, high = np.zeros(2), np.ones(2)
        self._is_whole = everything or picture is None or not len(self.selection)
        if picture is not None and not self._is_whole:
            low, high = picture.box(self.selection)
        elif picture is not None:
            all_low, all_high = picture.box(NOTHING)
            low, high = np.minimum(low, all_low), np.maximum(high, all_high)
        size = max(float((high - low).max()), 1e-6)
        room = max(min(self.width(), self.height()) - 2 * MARGIN, 40)
        scale = min(room / size, CLOSEST)
        right, up = (0.5 * scale * (low + high)).tolist()
        self.placing = Placing(scale, (self.width() / 2 - right, self.height() / 2 + up))
        self.update()

    def forget(self) -> None:
        """Looks anew at the document."""
        self.hover = None
        self.update()

    # Qt: drawing

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._is_whole:
            self.frame(everything=True)
            return
        more = event.size() - event.oldSize()
        self.placing = self.placing.moved(0.5 * more.width(), 0.5 * more.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._ground_picture())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        picture = self.picture
        if picture is None:
            self._paint_empty(painter)
        else:
            draw_elements(painter, self.placing, picture, self.selection, self.theme.selection)
            if self.hover is not None and self._press is None and self.hover < picture.mesh.count(self.element):
                under = Selection(self.element, np.array([self.hover]))
                draw_elements(painter, self.placing, picture, under, self.theme.hover)
        if self._press is not None and self._press[1] == "box":
            painter.setPen(QPen(colour(self.theme.selection), 1))
            painter.setBrush(colour(self.theme.selection, 0.12))
            painter.drawRect(QRectF(self._press[0], self._at).normalized())
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.selection), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        painter.end()

    # Qt: pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        place, picture = event.position().toPoint(), self.picture
        self._at, self._placed_before = place, self.placing
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self._press = place, "pan"
        elif picture is not None and event.button() == Qt.MouseButton.LeftButton:
            under = self._under(place)
            free = not event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
            grabs = free and under is not None and self._is_selected(under)
            self._press = place, "drag" if grabs else "select"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        self._at = place
        if self._press is None:
            found = self._under(place)
            if found != self.hover:
                self.hover = found
                self.update()
            return
        start, what = self._press
        if what == "pan":
            self._is_whole = False
            self.placing = self._placed_before.moved(place.x() - start.x(), place.y() - start.y())
        elif (place - start).manhattanLength() > STARTS and what == "select":
            self._press = start, "box"
        elif what == "drag" and ((place - start).manhattanLength() > STARTS or self._runs):
            self._drag(start, place)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        start, what = self._press
        self._press, ran, self._runs = None, self._runs, False
        picture = self.picture
        if picture is None or what == "pan" or ran:
            self.update()
            return
        kind = self.element
        if what == "box":
            one, other = self.placing.to_uv(start), self.placing.to_uv(self._at)
            found = picture.within(kind, np.minimum(one, other), np.maximum(one, other), self.touches())
        else:
            under = self._under(start)
            found = np.zeros(0, dtype=np.int64) if under is None else np.array([under])
        self._choose(Selection(kind, found), event.modifiers())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        under = self._under(event.position().toPoint())
        if under is not None:
            self._choose(Selection(self.element, np.array([under])), event.modifiers())
            self.asked.emit(keys.SELECT_ISLAND, {})

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._is_whole = False
        place, before = event.position(), self.placing.to_uv(event.position())
        scale = float(np.clip(self.placing.scale * 1.0015 ** event.angleDelta().y(), FARTHEST, CLOSEST))
        right, up = (scale * before).tolist()
        self.placing = Placing(scale, (place.x() - right, place.y() + up))
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.hover = None
        self.update()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and self._is_own(event):
            # Before the window's own commands of these keys.
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._is_own(event) and event.key() == Qt.Key.Key_Home:
            self.frame()
        elif self._is_own(event):
            self.does, values = OWN_KEYS[event.key()]
            self.asked.emit(keys.MOVE_UV, values)
        else:
            # All other keys are the window's.
            super().keyPressEvent(event)

    # Helpers

    def _is_own(self, event: QKeyEvent) -> bool:
        """Whether a key means something else here than in the views."""
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        return plain and self.picture is not None and (event.key() in OWN_KEYS or event.key() == Qt.Key.Key_Home)

    def _under(self, place: QPoint) -> int | None:
        picture = self.picture
        if picture is None:
            return None
        return picture.at(self.element, self.placing.to_uv(place), REACH / self.placing.scale)

    def _is_selected(self, found: int) -> bool:
        selection = self.selection
        return selection.kind == self.element and bool((selection.indices == found).any())

    def _choose(self, found: Selection, modifiers: Qt.KeyboardModifier) -> None:
        """Selects, adds or takes away, as in the views."""
        before = self.selection
        own = before.indices if before.kind == found.kind else np.zeros(0, dtype=np.int64)
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            indices = np.concatenate((own, found.indices[~np.isin(found.indices, own)]))
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            indices = own[~np.isin(own, found.indices)]
        else:
            indices = found.indices
        self.session.set_selection(Selection(found.kind, indices))

    def _drag(self, start: QPoint, place: QPoint) -> None:
        """Moves, turns or scales what is selected as far as the pointer went."""
        picture = self.picture
        if picture is None:
            return
        if not self._runs:
            low, high = picture.box(self.selection)
            self._middle = 0.5 * (low + high)
        values = self._dragged(self.placing.to_uv(start), self.placing.to_uv(place))
        if self._runs:
            self.changed.emit(values)
        else:
            self._runs = True
            self.asked.emit(keys.MOVE_UV, values)

    def _dragged(self, start: Floats, now: Floats) -> dict[str, Any]:
        """What a drag from one place to another comes to, in the operation's numbers."""
        before, after = start - self._middle, now - self._middle
        if self.does == "turn":
            turned = np.arctan2(after[1], after[0]) - np.arctan2(before[1], before[0])
            return {"angle": round(float(np.degrees(turned)), 1)}
        if self.does == "scale":
            times = float(np.linalg.norm(after)) / max(float(np.linalg.norm(before)), 1e-9)
            return {"scale": max(round(times, 3), 0.001)}
        # A pixel's worth and no more.
        digits = int(np.ceil(np.log10(self.placing.scale)))
        right, up = np.round(now - start, digits)
        return {"right": float(right), "up": float(up)}

    def _ground_picture(self) -> QPixmap:
        """The square, the faces and their edges; kept until one of them or the view changes."""
        picture, theme = self.picture, self.theme
        tone = self.session.document.part.colour if picture is not None else ""
        ratio = self.devicePixelRatioF()
        # With the picture itself, which so lives as long as it is compared.
        key = (picture, tone, self.ground, theme.name, self.placing, self.size().toTuple(), ratio)
        if self._drawn is not None and self._drawn[0] == key:
            return self._drawn[1]
        result = QPixmap(self.size() * ratio)
        result.setDevicePixelRatio(ratio)
        result.fill(QColor(theme.paper))
        painter = QPainter(result)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_square(painter, self.placing, self.ground, theme)
        if picture is not None:
            draw_faces(painter, self.placing, picture, self.ground, tone, theme)
        painter.end()
        self._drawn = key, result
        return result

    def _paint_empty(self, painter: QPainter) -> None:
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(text_font(9.5))
        has_part = bool(self.session.document.parts)
        words = "This part has no UV yet.\nSkin › Unwrap lays it flat." if has_part else "There is no part yet."
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
