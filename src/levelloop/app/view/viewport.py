"""The view: shows the stage, turns pointer and keys into selections, camera moves and transforms."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import replace
from typing import Any, Literal

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QCursor, QHideEvent, QKeyEvent, QMouseEvent, QSurfaceFormat, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QApplication, QWidget

from levelloop.app.theme import Theme
from levelloop.app.tools.dragging import DragHandle
from levelloop.app.tools.gestures import Gesture
from levelloop.app.tools.handle import Handle, Mode
from levelloop.app.tools.pressing import pressed
from levelloop.app.view.camera import Camera
from levelloop.app.view.cards.compare_card import CompareCard
from levelloop.app.view.cards.gauge_card import GaugeCard
from levelloop.app.view.cards.look_card import LookCard
from levelloop.app.view.cards.still_card import StillCard
from levelloop.app.view.flight import Flight
from levelloop.app.view.hands import Hands
from levelloop.app.view.look import Look
from levelloop.app.view.overlay import Overlay
from levelloop.app.view.picking.picking import Hit, Reach, Sight, pick
from levelloop.app.view.picking.pointer_selection import Choosing
from levelloop.app.view.picking.snapping import Catch
from levelloop.app.view.render.frames import Frames
from levelloop.app.view.render.scene import Scene
from levelloop.app.view.render.uploads import Uploads
from levelloop.app.view.scenery import Scenery
from levelloop.app.view.stage import Stage
from levelloop.app.view.view_state import ViewState
from levelloop.app.view.wipe import LEAST, MOST, REACH, Wipe
from levelloop.core.mesh.selection import Kind, points_of
from levelloop.document.cameras import NamedCamera
from levelloop.document.session import Session

HELD = ("G", "Q", "Z")


def surface_format() -> QSurfaceFormat:
    """OpenGL 3.3 core; outlines are smoothed by the renderer."""
    wanted = QSurfaceFormat()
    wanted.setVersion(3, 3)
    wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    wanted.setDepthBufferSize(24)
    return wanted


class Viewport(QOpenGLWidget):
    """One view of the document.

    asked_menu: right click at a place. asked_label: a click on the words in the corner, and where. told: a sentence for
    the person. looked: it shows the parts in another way. soft_turned: the wheel makes the soft range larger or
    smaller, by a factor. asked_on_loop: an operation on the edges of a part's loop.
    """

    asked_menu = Signal(QPoint)
    asked_label = Signal(QPoint)
    looked = Signal()
    told = Signal(str)
    camera_moved = Signal()
    soft_turned = Signal(float)
    asked_on_loop = Signal(str, str, object)

    def __init__(
        self,
        session: Session,
        stage: Stage,
        theme: Theme,
        parent: QWidget | None = None,
        hands: Hands | None = None,
        uploads: Uploads | None = None,
    ) -> None:
        super().__init__(parent)
        self.setFormat(surface_format())
        self.session, self.stage, self.theme = session, stage, theme
        self.camera = Camera()
        self.hands = hands or Hands()
        self.is_active = False  # whether it is the one of several views that keys go to
        self.look_of = Look()
        self.scenery = Scenery(theme)
        self.choosing = Choosing(self)
        self.frames = Frames(self, uploads or Uploads())
        self._has_size = False
        self._sight: Sight | None = None
        self.gesture: Gesture | None = None
        self.catch: Catch | None = None
        self.held_key = ""  # what makes a drag a lasso (G), a brush (Q) or a pull test (Z)
        self._last = QPoint()
        self._grip = -1  # of the handle, under the pointer
        self.lists_looks = False  # whether the card of looks is shown, after I
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.overlay = Overlay(self)
        self.look_card = LookCard(self)
        self.gauge_card = GaugeCard(self)
        self.wipe: Wipe | None = None
        self.compare_card = CompareCard(self)
        self.still_card = StillCard(self)
        self._hover_timer = QTimer(self)
        self._hover_timer.setSingleShot(True)
        self._hover_timer.setInterval(12)
        self._hover_timer.timeout.connect(self.find_hover)
        self._flight = Flight(self)
        stage.changed.connect(self._stage_changed)

    # What is shared with other views

    @property
    def kind(self) -> Kind | Literal["parts"]:
        """What is selected: points, edges, faces or parts."""
        return self.hands.kind

    @kind.setter
    def kind(self, kind: Kind | Literal["parts"]) -> None:
        self.hands.kind = kind

    @property
    def reach(self) -> Reach:
        """How far picking reaches."""
        return self.hands.reach

    @reach.setter
    def reach(self, reach: Reach) -> None:
        self.hands.reach = reach

    @property
    def mode(self) -> Mode | None:
        """The transform tool whose handle is shown."""
        return self.hands.mode

    @mode.setter
    def mode(self, mode: Mode | None) -> None:
        self.hands.mode = mode

    @property
    def hover(self) -> Hit | None:
        """What is under the pointer."""
        return self.hands.hover

    @hover.setter
    def hover(self, hit: Hit | None) -> None:
        self.hands.hover = hit

    # Camera

    @property
    def pixels(self) -> tuple[int, int]:
        """Width and height in device pixels."""
        ratio = self.devicePixelRatioF()
        return max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio))

    def frame(self, everything: bool = False) -> None:
        """Frames the selection, or the active part, or everything."""
        points = self._framed_points(everything)
        if len(points):
            self.camera.frame(points, *self.pixels)
            self.moved()

    def frame_points(self, points: np.ndarray) -> None:
        """Turns to some places and frames them with room around, keeping the direction."""
        self.camera.frame(points, *self.pixels)
        extent = self.stage.extent(self.session.document.active)
        if len(extent):
            # Near enough to see the place, far enough to know where on the part it is.
            size = float(np.linalg.norm(np.ptp(extent, axis=0)))
            self.camera.distance = max(self.camera.distance, 1.4 * size)
        self.moved()

    def look(self, direction: str) -> None:
        """Looks from one of the six directions."""
        self.camera.look(direction)
        self.moved()

    def step(self, towards: Literal["left", "right", "up", "down"]) -> None:
        """Looks from the next straight direction on a side."""
        self.camera.step(towards)
        self.moved()

    def fly(self, change: Callable[[], object]) -> None:
        """Lets the camera go in a moment to where a change puts it, so that the eye can follow."""
        self._flight.stop()
        start = copy(self.camera)
        change()
        if self.hands.flies and self.camera.perspective == start.perspective:
            self._flight.go(start, self.camera)

    def look_through(self, camera: NamedCamera) -> None:
        """Looks through a named camera."""
        self.camera.look_through(camera)
        self.moved()

    def toggle_perspective(self) -> None:
        """Changes between perspective and orthographic."""
        self.camera.perspective, self.camera.lent = not self.camera.perspective, False
        self.moved()

    def set_theme(self, theme: Theme) -> None:
        """Shows the view in another theme."""
        self.theme = theme
        self.refresh()

    def look_changed(self) -> None:
        """Draws and picks again after the look has changed."""
        self.lists_looks = False
        self._sight = None
        self.looked.emit()
        self.look_card.refresh()
        self.refresh()

    def compare(self, wipe: Wipe | None) -> None:
        """Compares something either side of a line, or nothing any more."""
        self.wipe = wipe
        self.compare_card.refresh()
        self.refresh()

    def move_wipe(self, share: float) -> None:
        """Moves the line to a share of the view's width."""
        if self.wipe is not None:
            self.wipe.share = float(np.clip(share, LEAST, MOST))
            self.refresh()

    def refresh(self) -> None:
        """Draws again with what is selected, shown and hovered now."""
        self.update()
        self.overlay.update()

    def release(self) -> None:
        """Frees what is on the GPU and stops what waits; the view is not drawn any more after that."""
        self._hover_timer.stop()
        self._flight.stop()
        self.look_card.stop()
        self.gauge_card.stop()
        self.frames.release()

    # What is shown where

    def sight_ready(self) -> bool:
        """Whether the view has been drawn, so that things can be picked."""
        return self.frames.is_ready

    def sight(self) -> Sight:
        """The present frame as picking needs it, read back once and kept until something moves."""
        if self._sight is None:
            self._sight = self.frames.read()
        return self._sight

    def on_screen(self, places: np.ndarray) -> np.ndarray:
        """Places in logical pixels with depth: (n, 3)."""
        screen = self.camera.project(places, *self.pixels)
        screen[:, :2] /= self.devicePixelRatioF()
        return screen

    def handle(self) -> Handle | None:
        """The handle, where a transform tool is on and something is selected."""
        picture = self.stage.picture(self.session.document.active) if self.session.document.parts else None
        return self.hands.handle(self.session.state, picture, self.camera)

    @property
    def pointer(self) -> QPoint:
        """Where the pointer was last, in logical pixels."""
        return self._last

    @property
    def brush(self) -> QPoint | None:
        """Where the brush is, while its key is held."""
        return self._last if self.held_key == "Q" else None

    @property
    def may_draw(self) -> bool:
        """Whether tools may show what they would do: nothing else has the pointer."""
        return self.gesture is None or self.gesture.draws

    def grip(self) -> int:
        """The axis held or under the pointer, −1 for none."""
        return self.gesture.grip if isinstance(self.gesture, DragHandle) else self._grip

    # Qt: drawing

    def initializeGL(self) -> None:
        self.frames.begin()

    def resizeGL(self, width: int, height: int) -> None:
        self._sight = None
        if not self._has_size:
            # Before it is drawn for the first time: a second picture of everything would be waited for.
            self._has_size = True
            points = self._framed_points(everything=True)
            if len(points):
                self.camera.frame(points, *self.pixels)
        self.overlay.setGeometry(self.rect())
        self.look_card.place()
        self.compare_card.place()

    def paintGL(self) -> None:
        self.frames.draw()

    @property
    def turns(self) -> bool:
        """Whether the camera moves just now, by hand or by itself."""
        return self._flight.is_going or (self.gesture is not None and not self.gesture.keeps_fine)

    def state(self) -> ViewState:
        """All that decides what the view shows, beside the document."""
        return ViewState(
            self.theme,
            copy(self.camera),
            replace(self.look_of),
            self.devicePixelRatioF(),
            self.stage.shown(),
            self.stage.current(),
            self.stage.is_hurried,
            self.kind,
            self.mode,
            self.hover if self.gesture is None else None,
            self.hands.soft,
            self.gauge_card.shown,
            self.wipe,
            self.hands.focus,
        )

    def scene(self) -> Scene:
        """What the view shows just now."""
        return self.scenery.scene(self.session.state, self.state())

    def bend_scale(self) -> float:
        """The curvature, 1/mm, at which the view's colours are full."""
        return self.scenery.bend_scale(self.session.state, self.state())

    # Qt: pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        place = self._last = event.position().toPoint()
        if event.button() == Qt.MouseButton.LeftButton and self.overlay.label.contains(QPointF(place)):
            self.asked_label.emit(self.mapToGlobal(self.overlay.label.bottomLeft().toPoint()))
            return
        self.gesture = pressed(self, event.button(), place, event.modifiers())
        self.refresh()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        by = place - self._last
        self._last = place
        if self.gesture is not None:
            self.gesture = self.gesture.drag(place, by, event.modifiers())
        elif self.hands.tool is None:
            self._hover_timer.start()
        if self.hands.tool is not None:
            self.overlay.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        gesture, self.gesture = self.gesture, None
        if gesture is not None:
            gesture.release(event.position().toPoint(), event.modifiers())
        self.stage.hurry(False)
        self._grip = -1
        self.catch = None
        self.frames.come_to_rest()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            # The first of two keys: a card lists what the second may be.
            asks = event.key() == Qt.Key.Key_I and not event.modifiers() and not self.lists_looks
            if asks != self.lists_looks:
                self.lists_looks = asks
                self.overlay.update()
        elif event.type() == QEvent.Type.MouseButtonPress and self.lists_looks:
            self.lists_looks = False
        return super().event(event)

    def focusNextPrevChild(self, following: bool) -> bool:
        # Tab opens a field of the sentence; F6 goes round the window.
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self.lists_looks = False
        if event.text().upper() in HELD and not event.isAutoRepeat() and not event.modifiers():
            self.held_key = event.text().upper()
            self.overlay.update()
        elif event.key() == Qt.Key.Key_Tab:
            # The widgets around would take it as a wish to walk on.
            self.hands.open_field("")
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and self.held_key and event.key() == ord(self.held_key):
            self.held_key = ""
            self.overlay.update()
        else:
            super().keyReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        # Counted in _click; Qt's second press is a press like any other.
        self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        place = event.position()
        if self.held_key == "Q":
            self.hands.brush = float(np.clip(self.hands.brush * 1.002 ** event.angleDelta().y(), 4.0, 400.0))
            self.overlay.update()
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self._running_soft():
            self.soft_turned.emit(1.001 ** event.angleDelta().y())
            return
        self.frames.wheel()
        self.camera.zoom(1.0015 ** event.angleDelta().y(), place.x(), place.y(), self.width(), self.height())
        self.moved()

    def hideEvent(self, event: QHideEvent) -> None:
        self.frames.leave()

    def leaveEvent(self, event: Any) -> None:
        self._hover_timer.stop()
        self.gauge_card.leave()
        if self.hover is not None:
            self.hover = None
            self.refresh()

    # Helpers

    def is_at_wipe(self, place: QPoint) -> bool:
        """Whether a place lies on the line between what is compared."""
        return self.wipe is not None and abs(place.x() - self.wipe.share * self.width()) <= REACH

    def moved(self) -> None:
        """Draws and picks again after the camera has moved."""
        self._sight = None
        self.camera_moved.emit()
        self.refresh()

    def _stage_changed(self) -> None:
        self._sight = None
        self.gauge_card.follow()
        self.scenery.forget_others({picture.part.id for picture in self.stage.shown()})
        self.refresh()

    def _running_soft(self) -> bool:
        """Whether a soft range goes with the transform that runs or is to come."""
        return self.state().running_soft(self.session.state) is not None

    def _framed_points(self, everything: bool) -> np.ndarray:
        extent = self.stage.extent()
        if everything or not self.session.document.parts:
            return extent
        picture = self.stage.picture(self.session.document.active)
        selection = self.session.selection
        if picture is not None and len(selection):
            return np.asarray(picture.cage_places[points_of(picture.part.mesh.topology, selection)])
        part_extent = self.stage.extent(self.session.document.active)
        return part_extent if len(part_extent) else extent

    def device(self, place: QPoint) -> tuple[float, float]:
        """A place in device pixels."""
        ratio = self.devicePixelRatioF()
        return place.x() * ratio, place.y() * ratio

    def pick_at(self, place: QPoint, kind: Kind | None = None) -> Hit | None:
        """The element, or for parts the face, at a place."""
        kind = kind or ("faces" if self.kind == "parts" else self.kind)
        x, y = self.device(place)
        return pick(self.sight(), kind, x, y, self.reach, self.session.document.active)

    def find_hover(self) -> None:
        """Finds what is under the pointer."""
        if not self.frames.is_ready or QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            return
        place = self.mapFromGlobal(QCursor.pos()) if self.gesture is not None else self._last
        self.look_card.read()
        grip = self.axis_at(self.handle(), place)
        hit = None if grip is not None else self.pick_at(place)
        new_grip = -1 if grip is None else grip
        if new_grip != self._grip or not (hit.same_as(self.hover) if hit else self.hover is None):
            self.gauge_card.leave()
            self.gauge_card.wait()
            self._grip = new_grip
            self.hover = hit
            self.refresh()

    def axis_at(self, handle: Handle | None, place: QPoint) -> int | None:
        """Which axis of a handle is under a place, None for none."""
        if handle is None:
            return None
        return handle.axis_at(place.x(), place.y(), self.camera, self.width(), self.height())
