"""The UV view: the active part's islands in the unit square; picked as in the views, moved, turned and scaled by hand.

What is selected here is selected there. A drag on what is selected moves it (after T it turns it, after S it scales
it), live in the sentence bar; a drag beside it draws a box.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from PySide6.QtCore import QEvent, QLineF, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from levelloop.app.panels.pieces import heading
from levelloop.app.panels.uv.flat_picture import FlatPicture
from levelloop.app.theme import Theme, colour, plain_label, quiet_button, scaled, text_font
from levelloop.app.view.colour_maps import BILBAO, ramp
from levelloop.app.view.render.checker import SQUARES, square_colour, square_name
from levelloop.core.arrays import Floats
from levelloop.core.mesh.selection import NOTHING, Kind, Selection
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.session import Session

Ground = Literal["plain", "checker", "stretch"]
Does = Literal["move", "turn", "scale"]
GROUNDS: tuple[tuple[Ground, str], ...] = (
    ("plain", "Islands in the part's colour"),
    ("checker", "Numbered squares: mirrored islands show"),
    ("stretch", "How far lengths are stretched against each other"),
)
# What a drag does after each key, and the numbers that the operation begins with.
OWN_KEYS: dict[int, tuple[Does, dict[str, Any]]] = {
    Qt.Key.Key_M: ("move", {}),
    Qt.Key.Key_T: ("turn", {"angle": 90.0}),
    Qt.Key.Key_S: ("scale", {"scale": 0.8}),
}
TOOLS = (keys.UNWRAP, keys.SEAM, keys.JOIN_UV, keys.STRAIGHTEN_UV, keys.PACK)
MARGIN = 24  # pixels around the unit square at first
REACH = 9  # pixels within which a point or an edge is picked
STARTS = 4  # pixels after which a press is a drag
CLOSEST, FARTHEST = 200_000.0, 20.0  # pixels to a side of the unit square
MOST_STRETCH = 2.0  # times, at which the colour is full


class Flat(QWidget):
    """The square itself. told: a sentence; asked: an operation to begin, with its values; changed: its new values."""

    told = Signal(str)
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
        self._scale, self._origin = 0.0, np.zeros(2)
        self._is_whole = True
        self._picture: FlatPicture | None = None
        self._drawn: tuple[tuple[object, ...], QPixmap] | None = None
        self._press: tuple[QPoint, Literal["select", "drag", "box", "pan"]] | None = None
        self._runs = False
        self._at = QPoint()
        self._start = np.zeros(2)
        self._origin_before = np.zeros(2)
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
        self._scale = min(room / size, CLOSEST)
        middle = 0.5 * (low + high)
        self._origin = np.array(
            [self.width() / 2 - middle[0] * self._scale, self.height() / 2 + middle[1] * self._scale]
        )
        self.update()

    def to_screen(self, places: Floats) -> Floats:
        """UV (…, 2) in pixels of the widget."""
        return np.asarray(self._origin + places * (self._scale, -self._scale))

    def to_uv(self, place: QPoint | QPointF) -> Floats:
        """A pixel's UV: (2,)."""
        return (np.array([place.x(), place.y()]) - self._origin) / (self._scale, -self._scale)

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
        self._origin = self._origin + 0.5 * np.array([more.width(), more.height()])

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self._scale:
            self.frame(everything=True)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._ground_picture())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        picture = self.picture
        if picture is None:
            self._paint_empty(painter)
        else:
            self._paint_selection(painter, picture)
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
        self._at, self._start, self._origin_before = place, self.to_uv(place), self._origin.copy()
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self._press = place, "pan"
        elif picture is not None and event.button() == Qt.MouseButton.LeftButton:
            under = self._under(place)
            free = not event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
            grabs = free and under is not None and self._is_selected(picture, under)
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
            self._origin = self._origin_before + np.array([place.x() - start.x(), place.y() - start.y()])
        elif (place - start).manhattanLength() > STARTS and what == "select":
            self._press = start, "box"
        elif what == "drag" and ((place - start).manhattanLength() > STARTS or self._runs):
            self._drag(self.to_uv(place))
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
            one, other = self.to_uv(start), self.to_uv(self._at)
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
        before = self.to_uv(event.position())
        self._scale = float(np.clip(self._scale * 1.0015 ** event.angleDelta().y(), FARTHEST, CLOSEST))
        place = np.array([event.position().x(), event.position().y()])
        self._origin = place - before * (self._scale, -self._scale)
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
        return None if picture is None else picture.at(self.element, self.to_uv(place), REACH / self._scale)

    def _is_selected(self, picture: FlatPicture, found: int) -> bool:
        selection = self.selection
        if selection.kind == self.element:
            return bool((selection.indices == found).any())
        return False

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

    def _drag(self, now: Floats) -> None:
        """Moves, turns or scales what is selected as far as the pointer went."""
        picture = self.picture
        if picture is None:
            return
        if not self._runs:
            low, high = picture.box(self.selection)
            self._middle = 0.5 * (low + high)
            self._runs = True
            self.asked.emit(keys.MOVE_UV, self._dragged(now))
        else:
            self.changed.emit(self._dragged(now))

    def _dragged(self, now: Floats) -> dict[str, Any]:
        before, after = self._start - self._middle, now - self._middle
        if self.does == "turn":
            turned = np.arctan2(after[1], after[0]) - np.arctan2(before[1], before[0])
            return {"angle": round(float(np.degrees(turned)), 1)}
        if self.does == "scale":
            times = float(np.linalg.norm(after)) / max(float(np.linalg.norm(before)), 1e-9)
            return {"scale": max(round(times, 3), 0.001)}
        # A pixel's worth and no more.
        digits = int(np.ceil(np.log10(self._scale)))
        right, up = np.round(now - self._start, digits)
        return {"right": float(right), "up": float(up)}

    def _ground_picture(self) -> QPixmap:
        """The square, the faces and their edges; kept until one of them or the view changes."""
        picture, theme = self.picture, self.theme
        part = self.session.document.part if picture is not None else None
        key = (
            None if picture is None else (id(picture), part and part.colour),
            self.ground,
            theme.name,
            self._scale,
            tuple(self._origin.tolist()),
            self.size().toTuple(),
            self.devicePixelRatioF(),
        )
        if self._drawn is not None and self._drawn[0] == key:
            return self._drawn[1]
        ratio = self.devicePixelRatioF()
        result = QPixmap(self.size() * ratio)
        result.setDevicePixelRatio(ratio)
        result.fill(QColor(theme.paper))
        painter = QPainter(result)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_square(painter)
        if picture is not None and part is not None:
            self._paint_faces(painter, picture, part.colour)
        painter.end()
        self._drawn = key, result
        return result

    def _paint_square(self, painter: QPainter) -> None:
        corner, other = self.to_screen(np.array([0.0, 1.0])), self.to_screen(np.array([1.0, 0.0]))
        square = QRectF(QPointF(*corner.tolist()), QPointF(*other.tolist()))
        painter.fillRect(square, QColor(self.theme.panel))
        if self.ground == "checker":
            step = square.width() / SQUARES
            font = text_font(1.0)
            font.setPixelSize(max(int(step * 0.34), 1))
            painter.setFont(font)
            for row in range(SQUARES):
                for column in range(SQUARES):
                    cell = QRectF(square.left() + column * step, square.bottom() - (row + 1) * step, step, step)
                    painter.fillRect(cell, square_colour(row, column))
                    if step > 18:
                        painter.setPen(QColor("#22262B"))
                        painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, square_name(row, column))
        else:
            painter.setPen(QPen(colour(self.theme.line), 1))
            for share in np.arange(1, 10) / 10.0:
                x, y = square.left() + share * square.width(), square.top() + share * square.height()
                painter.drawLine(QLineF(x, square.top(), x, square.bottom()))
                painter.drawLine(QLineF(square.left(), y, square.right(), y))
        painter.setPen(QPen(QColor(self.theme.quiet), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(square)

    def _paint_faces(self, painter: QPainter, picture: FlatPicture, tone: str) -> None:
        places = self.to_screen(picture.uv).tolist()
        offsets = picture.mesh.topology.face_offsets.tolist()
        fills = self._fills(picture, tone)
        painter.setPen(Qt.PenStyle.NoPen)
        for face, fill in enumerate(fills):
            painter.setBrush(fill)
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in places[offsets[face] : offsets[face + 1]]]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        inner = ~picture.at_rim & ~picture.at_seam
        for chosen, pen in (
            (inner, QPen(colour(self.theme.wire, 0.45), 0.9)),
            (picture.at_rim, QPen(QColor(self.theme.wire), 1.6)),
            (picture.at_seam & ~picture.at_rim, QPen(QColor(self.theme.seam), 1.6, Qt.PenStyle.DashLine)),
        ):
            self._lines(painter, picture.sides[chosen], pen)

    def _fills(self, picture: FlatPicture, tone: str) -> list[QColor]:
        count = picture.mesh.n_faces
        if self.ground != "stretch":
            return [colour(tone, 0.35 if self.ground == "checker" else 0.85)] * count
        stretch = np.where(np.isfinite(picture.stretch.angle), picture.stretch.angle, np.inf)
        share = np.clip((stretch - 1.0) / (MOST_STRETCH - 1.0), 0.0, 1.0)
        colours = [QColor(*pixel) for pixel in ramp(BILBAO)[0, :, :3].tolist()]
        return [colours[row] for row in np.rint(share * (len(colours) - 1)).astype(np.int64).tolist()]

    def _lines(self, painter: QPainter, sides: Floats, pen: QPen) -> None:
        painter.setPen(pen)
        painter.drawLines([QLineF(*row) for row in self.to_screen(sides).reshape(-1, 4).tolist()])

    def _paint_selection(self, painter: QPainter, picture: FlatPicture) -> None:
        self._paint_elements(painter, picture, self.selection, self.theme.selection)
        if self.hover is not None and self._press is None and self.hover < picture.mesh.count(self.element):
            under = Selection(self.element, np.array([self.hover]))
            self._paint_elements(painter, picture, under, self.theme.hover)

    def _paint_elements(self, painter: QPainter, picture: FlatPicture, chosen: Selection, tone: str) -> None:
        corners = picture.sides_of(chosen)
        if chosen.kind == "points":
            painter.setPen(QPen(QColor(self.theme.panel), 1))
            painter.setBrush(QColor(tone))
            for x, y in self.to_screen(picture.uv[corners]).tolist():
                painter.drawEllipse(QPointF(x, y), 3.5, 3.5)
        elif chosen.kind == "edges":
            self._lines(painter, picture.sides[corners], QPen(QColor(tone), 2.6))
        else:
            offsets = picture.mesh.topology.face_offsets
            painter.setPen(QPen(QColor(tone), 1.4))
            painter.setBrush(colour(tone, 0.28))
            places = self.to_screen(picture.uv).tolist()
            for face in chosen.indices.tolist():
                outline = places[offsets[face] : offsets[face + 1]]
                painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in outline]))

    def _paint_empty(self, painter: QPainter) -> None:
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(text_font(9.5))
        has_part = bool(self.session.document.parts)
        words = "This part has no UV yet.\nSkin › Unwrap lays it flat." if has_part else "There is no part yet."
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)


class UvPanel(QWidget):
    """The UV view with what stands around it: its ground, its tools, and what the islands are like in numbers.

    chosen: a tool, by the key of its operation; toggled: whether it is shown now.
    """

    chosen = Signal(str)
    toggled = Signal(bool)

    def __init__(self, session: Session, theme: Theme, kind: Callable[[], str]) -> None:
        super().__init__()
        self.theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(2)
        head.addWidget(heading("UV", self))
        head.addStretch(1)
        self.buttons: dict[Ground, QPushButton] = {}
        for name, hint in GROUNDS:
            button = quiet_button(name, hint, self)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, name=name: self.show_ground(name))
            self.buttons[name] = button
            head.addWidget(button)
        column.addLayout(head)
        self.flat = Flat(session, theme, kind, self)
        column.addWidget(self.flat, 1)
        tools = QHBoxLayout()
        tools.setSpacing(2)
        self.tools: list[QPushButton] = []
        for key in TOOLS:
            operation = REGISTRY[key]
            button = quiet_button(operation.title, operation.hint, self)
            button.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            self.tools.append(button)
            tools.addWidget(button)
        tools.addStretch(1)
        column.addLayout(tools)
        self.words = plain_label("", self)
        self.words.setObjectName("quiet")
        self.words.setFont(text_font(8.5))
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(scaled(16))
        column.addWidget(self.words)
        self.show_ground("plain")
        self.hide()

    def show_ground(self, ground: Ground) -> None:
        """Shows islands plain, over the checker, or in the colours of their stretch."""
        self.flat.ground = ground
        for name, button in self.buttons.items():
            button.setChecked(name == ground)
        self.refresh()

    def follow(self, session: Session) -> None:
        """Shows another session from now on."""
        self.flat.session = session
        self.refresh()

    def refresh(self) -> None:
        """Brings the islands and their numbers up to date."""
        if self.isHidden():
            return
        picture = self.flat.picture
        said = "" if picture is None else picture.words
        if picture is not None and self.flat.ground == "stretch":
            said += f". White is even, dark is {MOST_STRETCH:g} × and more."
        self.words.setText(said)
        self.flat.forget()

    def set_theme(self, theme: Theme) -> None:
        """Shows itself in a theme's colours."""
        self.theme = self.flat.theme = theme
        self.refresh()

    def toggle(self) -> None:
        """Shows the UV view beside the views, or puts it away."""
        self.setVisible(self.isHidden())
        self.toggled.emit(not self.isHidden())
        if not self.isHidden():
            self.refresh()
            self.flat.frame(everything=True)
            self.flat.setFocus()
