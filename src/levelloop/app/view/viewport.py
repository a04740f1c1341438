"""The view: shows the stage, turns pointer and keys into selections, camera moves and transforms."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from PySide6.QtCore import QEasingCurve, QEvent, QPoint, QPointF, QRectF, Qt, QTimer, QVariantAnimation, Signal
from PySide6.QtGui import QCursor, QKeyEvent, QMouseEvent, QSurfaceFormat, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QApplication, QWidget

from levelloop.app.theme import Theme
from levelloop.app.tools.dragging import Dragging
from levelloop.app.tools.handle import Handle, Mode
from levelloop.app.tools.tools import Tool
from levelloop.app.view.camera import Camera
from levelloop.app.view.compare_card import CompareCard
from levelloop.app.view.gauge_card import GaugeCard
from levelloop.app.view.look import Look
from levelloop.app.view.look_card import LookCard
from levelloop.app.view.overlay import Overlay
from levelloop.app.view.picking import BoxRule, Hit, Reach, Sight, pick
from levelloop.app.view.pointer_selection import Choosing
from levelloop.app.view.render.renderer import Renderer, Scene
from levelloop.app.view.scene_builder import Scenery
from levelloop.app.view.snapping import Catch, Snap
from levelloop.app.view.stage import Stage
from levelloop.app.view.wipe import LEAST, MOST, REACH, Wipe
from levelloop.core.edit.move.transform import middle_of_box, selection_frame
from levelloop.core.measure.gauge import LoopGauge, loop_gauge
from levelloop.core.mesh.selection import Kind, Selection, points_of
from levelloop.core.review.findings import Finding
from levelloop.document.cameras import NamedCamera
from levelloop.document.session import Session

Drag = Literal[
    "none",
    "maybe_box",
    "box",
    "lasso",
    "brush",
    "free",
    "handle",
    "tool",
    "orbit",
    "pan",
    "menu_or_orbit",
    "menu_or_pan",
    "section",
    "wipe",
]
HandleAxes = Literal["world", "part", "normal", "view"]
HandlePivot = Literal["middle", "each", "origin", "anchor", "last"]
SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
GAUGED_AT_ONCE = 100  # edges of a loop whose surface is smoothed within 50 ms
RESTS_AFTER = 600  # milliseconds on an edge until its loop is gauged
HELD = ("G", "Q", "Z")
SOFT_STEPS = 8  # shades in which the soft range fades out
FLIGHT = 150  # milliseconds from one straight direction to the next
FAR_ENOUGH = 4  # pixels before a press becomes a drag


def surface_format() -> QSurfaceFormat:
    """OpenGL 3.3 core; outlines are smoothed by the renderer."""
    wanted = QSurfaceFormat()
    wanted.setVersion(3, 3)
    wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    wanted.setDepthBufferSize(24)
    return wanted


@dataclass
class Hands:
    """What all views share: what is selected for, how far picking reaches, the transform tool, the finding shown.

    soft: the parameters of the soft range that transforms begin with; empty where it is off; snaps: what catches a
    drag; grid: mm between its places; box_rule: whether a box takes what lies inside or what it touches;
    orbits_with_middle, orbit_speed: how a drag turns the view; brush: its radius, pixels; flies: whether the camera is
    seen going where commands put it; measuring: whether the distance between the last two picks is shown;
    keeps_selection: whether clicks leave the selection as it is; axes, pivot: of the handle; tool: what the left button
    draws with, None where it selects; repeats: the kind of element that Shift+click applies the running operation to,
    None where none runs; apply_again: applies it; open_field: opens a field of the sentence with what was typed; looks:
    the letters after I, what each shows and whether it does.
    """

    kind: Kind | Literal["parts"] = "faces"
    reach: Reach = "visible"
    mode: Mode | None = None
    hover: Hit | None = None
    finding: Finding | None = None
    finding_part: str = ""
    finding_step: int = 0
    soft: dict[str, Any] = field(default_factory=dict)
    snaps: set[Snap] = field(default_factory=set)
    grid: float = 1.0
    box_rule: BoxRule = "inside"
    brush: float = 22.0
    flies: bool = False
    orbits_with_middle: bool = False
    orbit_speed: float = 1.0
    measuring: bool = False
    keeps_selection: bool = False
    axes: HandleAxes = "world"
    pivot: HandlePivot = "middle"
    tool: Tool | None = None
    repeats: Callable[[], Kind | None] = lambda: None
    apply_again: Callable[[Selection], None] = lambda selection: None
    open_field: Callable[[str], bool] = lambda text: False
    looks: tuple[tuple[str, str, Callable[[], bool]], ...] = ()


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
        self, session: Session, stage: Stage, theme: Theme, parent: QWidget | None = None, hands: Hands | None = None
    ) -> None:
        super().__init__(parent)
        self.setFormat(surface_format())
        self.session, self.stage, self.theme = session, stage, theme
        self.camera = Camera()
        self.hands = hands or Hands()
        self.is_active = False  # whether it is the one of several views that keys go to
        self.look_of = Look()
        self.scenery = Scenery(self)
        self.dragging = Dragging(self)
        self.choosing = Choosing(self)
        self._renderer: Renderer | None = None
        self._sight: Sight | None = None
        self.drag: Drag = "none"
        self.pressed = QPoint()
        self._last = QPoint()
        self._box: QRectF | None = None
        self._lasso: list[QPoint] = []
        self._free: Hit | None = None
        self.catch: Catch | None = None
        self._held = ""  # the key that makes a drag a lasso (G) or a brush (Q)
        self._grip = -1
        self._section_at: float | None = None  # where a dragged cut would be, not rounded
        self.lists_looks = False  # whether the card of looks is shown, after I
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.overlay = Overlay(self)
        self.look_card = LookCard(self)
        self.gauge_card = GaugeCard(self)
        self.wipe: Wipe | None = None
        self.compare_card = CompareCard(self)
        self._hover_timer = QTimer(self)
        self._hover_timer.setSingleShot(True)
        self._hover_timer.setInterval(12)
        self._hover_timer.timeout.connect(self._find_hover)
        self.gauge: tuple[LoopGauge, str] | None = None
        self._gauge_timer = QTimer(self)
        self._gauge_timer.setSingleShot(True)
        self._gauge_timer.setInterval(RESTS_AFTER)
        self._gauge_timer.timeout.connect(self._find_gauge)
        self._passing: Callable[[float], None] = lambda share: None
        self._flight = QVariantAnimation(self)
        self._flight.setDuration(FLIGHT)
        self._flight.setStartValue(0.0)
        self._flight.setEndValue(1.0)
        self._flight.setEasingCurve(QEasingCurve.Type.OutCubic)
        self._flight.valueChanged.connect(lambda share: self._passing(share))
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
            self._moved()

    def frame_points(self, points: np.ndarray) -> None:
        """Turns to some places and frames them with room around, keeping the direction."""
        self.camera.frame(points, *self.pixels)
        extent = self.stage.extent(self.session.document.active)
        if len(extent):
            # Near enough to see the place, far enough to know where on the part it is.
            size = float(np.linalg.norm(np.ptp(extent, axis=0)))
            self.camera.distance = max(self.camera.distance, 1.4 * size)
        self._moved()

    def look(self, direction: str) -> None:
        """Looks from one of the six directions."""
        self.camera.look(direction)
        self._moved()

    def step(self, towards: Literal["left", "right", "up", "down"]) -> None:
        """Looks from the next straight direction on a side."""
        self.camera.step(towards)
        self._moved()

    def fly(self, change: Callable[[], object]) -> None:
        """Lets the camera go in a moment to where a change puts it, so that the eye can follow."""
        self._flight.stop()
        start = copy(self.camera)
        change()
        end = self.camera
        if not self.hands.flies or end.perspective != start.perspective:
            return

        def pass_by(share: float) -> None:
            self.camera = start.between(end, share) if share < 1.0 else end
            self._moved()

        self._passing = pass_by
        pass_by(0.0)
        self._flight.start()

    def look_through(self, camera: NamedCamera) -> None:
        """Looks through a named camera."""
        self.camera.look_through(camera)
        self._moved()

    def toggle_perspective(self) -> None:
        """Changes between perspective and orthographic."""
        self.camera.perspective, self.camera.lent = not self.camera.perspective, False
        self._moved()

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
        self._gauge_timer.stop()
        self._flight.stop()
        self.look_card.stop()
        self.gauge_card.stop()
        if self._renderer is not None:
            self.makeCurrent()
            self._renderer.release()
            self._renderer = None
            self.doneCurrent()

    # What is shown where

    def sight_ready(self) -> bool:
        """Whether the view has been drawn, so that things can be picked."""
        return self._renderer is not None

    def sight(self) -> Sight:
        """The present frame as picking needs it, read back once and kept until something moves."""
        if self._sight is None:
            assert self._renderer is not None
            width, height = self.pixels
            pictures = self.stage.shown()
            self.makeCurrent()
            what = self._renderer.read(pictures, self.camera, width, height, self.look_of.section)
            self.doneCurrent()
            self._sight = Sight(self.camera, width, height, pictures, what)
        return self._sight

    def on_screen(self, places: np.ndarray) -> np.ndarray:
        """Places in logical pixels with depth: (n, 3)."""
        screen = self.camera.project(places, *self.pixels)
        screen[:, :2] /= self.devicePixelRatioF()
        return screen

    def handle(self) -> Handle | None:
        """The handle, where a transform tool is on and something is selected."""
        if self.mode is None or not self.session.document.parts:
            return None
        picture = self.stage.picture(self.session.document.active)
        selection = self.session.selection
        if picture is None or len(selection) == 0:
            return None
        mesh = picture.part.to_world(picture.part.mesh)
        hands = self.hands
        told: dict[str, object] = {}
        frame = np.eye(3)
        if hands.axes == "view":
            frame = self.camera.axes
            told["frame"] = tuple(tuple(float(value) for value in axis) for axis in frame)
        elif hands.axes != "world":
            frame = picture.part.axes if hands.axes == "part" else selection_frame(mesh, selection)
            told["frame"] = hands.axes
        held, anchor = selection, self.session.document.anchor
        if self.mode == "move":
            return Handle(self.mode, middle_of_box(mesh.points[points_of(mesh.topology, selection)]), frame, told)
        if hands.pivot != "middle":
            told["pivot"] = hands.pivot
        if hands.pivot == "last":
            held = Selection(selection.kind, selection.indices[-1:])
        centre = middle_of_box(mesh.points[points_of(mesh.topology, held)])
        if hands.pivot == "origin":
            centre = np.zeros(3)
        elif hands.pivot == "anchor" and anchor is not None:
            centre = np.array(anchor)
        return Handle(self.mode, centre, frame, told)

    @property
    def box(self) -> QRectF | None:
        """The box being drawn, in logical pixels."""
        return self._box

    @property
    def pointer(self) -> QPoint:
        """Where the pointer was last, in logical pixels."""
        return self._last

    @property
    def lasso(self) -> list[QPoint]:
        """The line of the lasso being drawn, in logical pixels."""
        return self._lasso if self.drag == "lasso" else []

    @property
    def brush(self) -> QPoint | None:
        """Where the brush is, while its key is held."""
        return self._last if self._held == "Q" else None

    def grip(self) -> int:
        """The axis held or under the pointer, −1 for none."""
        return self._grip

    # Qt: drawing

    def initializeGL(self) -> None:
        self._renderer = Renderer()

    def resizeGL(self, width: int, height: int) -> None:
        self._sight = None
        self.overlay.setGeometry(self.rect())
        self.look_card.place()
        self.compare_card.place()

    def paintGL(self) -> None:
        if self._renderer is None:
            return
        fine = not self.stage.is_hurried and self.drag in ("none", "maybe_box", "box", "lasso", "menu_or_orbit")
        other = self.scenery.left_scene()
        left = (other, self.wipe.share) if other is not None and self.wipe is not None else None
        self._renderer.draw(self.defaultFramebufferObject(), self.scene(), self.camera, *self.pixels, fine, left)

    def scene(self) -> Scene:
        """What the view shows just now."""
        return self.scenery.scene()

    # Qt: pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self.pressed = self._last = event.position().toPoint()
        button = event.button()
        if button == Qt.MouseButton.LeftButton and self.overlay.label.contains(QPointF(self.pressed)):
            self.asked_label.emit(self.mapToGlobal(self.overlay.label.bottomLeft().toPoint()))
            return
        if button == Qt.MouseButton.RightButton:
            self.drag = "menu_or_pan" if self.hands.orbits_with_middle else "menu_or_orbit"
        elif button == Qt.MouseButton.MiddleButton:
            self.drag = "orbit" if self.hands.orbits_with_middle else "pan"
        elif button == Qt.MouseButton.LeftButton and self._is_at_wipe(self.pressed):
            self.drag = "wipe"
        elif button == Qt.MouseButton.LeftButton and self.hands.tool is not None:
            self.drag = "tool"
            self.hands.tool.press(self, self.pressed)
        elif button == Qt.MouseButton.LeftButton and self.overlay.section_at(self.pressed):
            self.drag = "section"
        elif button == Qt.MouseButton.LeftButton:
            handle = self.handle()
            grip = self._axis_at(handle, self.pressed)
            if grip == 3 and self.mode == "move" and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                # The handle's middle lies on what is to be pulled out.
                grip = None
            if handle is not None and grip is not None:
                self.drag, self._grip = "handle", grip
                self.dragging.begin_handle(handle)
            else:
                self.drag = "maybe_box"
                # With the move tool any element can be dragged at once, selected or not.
                free = (self.mode == "move" or self._held == "Z") and self._held in ("", "Z") and self.kind != "parts"
                self._free = self.pick_at(self.pressed) if free and self.session.document.parts else None
        self.refresh()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        delta = place - self._last
        far = (place - self.pressed).manhattanLength() > FAR_ENOUGH
        if self.drag in ("menu_or_orbit", "menu_or_pan") and far:
            self.drag = "orbit" if self.drag == "menu_or_orbit" else "pan"
        if self.drag == "maybe_box" and far and self._free is not None:
            free, self._free = self._free, None
            pulls = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier) and self._held == ""
            self.drag = "free" if self.dragging.begin_free(free, pulls) else "maybe_box"
        if self.drag == "maybe_box" and far:
            self.drag = {"G": "lasso", "Q": "brush"}.get(self._held, "box")  # type: ignore[assignment]
            self._lasso = [self.pressed]
            if self.drag == "brush" and not event.modifiers() & (SHIFT | CONTROL) and self.session.document.parts:
                self.session.select_none()
        if self.drag == "orbit":
            self.camera.orbit(self.hands.orbit_speed * delta.x(), self.hands.orbit_speed * delta.y())
            self._moved()
        elif self.drag == "pan":
            self.camera.pan(delta.x(), delta.y(), self.height())
            self._moved()
        elif self.drag == "section":
            self._drag_section(delta)
        elif self.drag == "wipe":
            self.move_wipe(place.x() / max(self.width(), 1))
        elif self.drag == "box":
            self._box = QRectF(self.pressed, place).normalized()
            self.overlay.update()
        elif self.drag == "lasso":
            self._lasso.append(place)
            self.overlay.update()
        elif self.drag == "brush":
            self.choosing.paint(place, event.modifiers())
        elif self.drag == "free":
            self.dragging.drag_free(place)
        elif self.drag == "handle" and (far or self.dragging.runs):
            self.dragging.drag_handle(place)
        elif self.drag == "tool" and self.hands.tool is not None:
            self.hands.tool.drag(self, place)
        elif self.drag == "none" and self.hands.tool is None:
            self._hover_timer.start()
        self._last = place
        if self.hands.tool is not None:
            self.overlay.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        drag, self.drag = self.drag, "none"
        if self._held == "Z" and drag in ("free", "handle") and self.dragging.runs:
            # A pull test: what hung together was seen, and springs back.
            self.session.revert_last(forget=True)
        self.stage.hurry(False)
        if drag == "tool" and self.hands.tool is not None:
            self.hands.tool.release(self, place)
        if drag in ("menu_or_orbit", "menu_or_pan"):
            self._find_hover()
            self.asked_menu.emit(place)
        elif drag == "box":
            self.choosing.select_box(event.modifiers())
        elif drag == "lasso":
            self.choosing.select_lasso(self._lasso, event.modifiers())
        elif drag == "maybe_box":
            self.choosing.click(place, event.modifiers())
        self._box = self._section_at = None
        self._lasso = []
        self._grip = -1
        self._free = self.catch = None
        self.refresh()

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
            self._held = event.text().upper()
            self.overlay.update()
        elif event.key() == Qt.Key.Key_Tab:
            # The widgets around would take it as a wish to walk on.
            self.hands.open_field("")
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and self._held and event.key() == ord(self._held):
            self._held = ""
            self.overlay.update()
        else:
            super().keyReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        # Counted in _click; Qt's second press is a press like any other.
        self.mousePressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        place = event.position()
        if self._held == "Q":
            self.hands.brush = float(np.clip(self.hands.brush * 1.002 ** event.angleDelta().y(), 4.0, 400.0))
            self.overlay.update()
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self.scenery.running_soft() is not None:
            self.soft_turned.emit(1.001 ** event.angleDelta().y())
            return
        self.camera.zoom(1.0015 ** event.angleDelta().y(), place.x(), place.y(), self.width(), self.height())
        self._moved()

    def leaveEvent(self, event: Any) -> None:
        self._hover_timer.stop()
        self._gauge_timer.stop()
        self.gauge_card.leave()
        if self.hover is not None:
            self.hover = None
            self.refresh()

    # Helpers

    def _is_at_wipe(self, place: QPoint) -> bool:
        return self.wipe is not None and abs(place.x() - self.wipe.share * self.width()) <= REACH

    def _drag_section(self, delta: QPoint) -> None:
        """Moves what the view is cut open at, along its axis."""
        axis, at, side = self.look_of.section or (0, 0.0, 1.0)
        ends = self.on_screen(np.stack((np.zeros(3), np.eye(3)[axis])) + self.overlay.section_place())[:, :2]
        way = ends[1] - ends[0]
        length = float(way @ way)
        if length > 1e-9:
            moved = (delta.x() * way[0] + delta.y() * way[1]) / length
            pixel = 1.0 / np.sqrt(length)
            step = float(10.0 ** np.floor(np.log10(max(pixel, 1e-9))))
            self._section_at = (self._section_at if self._section_at is not None else at) + moved
            self.look_of.section = (axis, round(self._section_at / step) * step, side)
            self.look_changed()

    def _moved(self) -> None:
        self._sight = None
        self.camera_moved.emit()
        self.refresh()

    def _stage_changed(self) -> None:
        self._sight = None
        if self.gauge is not None:
            self._gauge_again(*self.gauge)
        self.scenery.forget_others({picture.part.id for picture in self.stage.shown()})
        self.refresh()

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

    def _find_hover(self) -> None:
        if self._renderer is None or QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            return
        place = self.mapFromGlobal(QCursor.pos()) if self.drag != "none" else self._last
        self.look_card.read()
        grip = self._axis_at(self.handle(), place)
        hit = None if grip is not None else self.pick_at(place)
        new_grip = -1 if grip is None else grip
        if new_grip != self._grip or not (hit.same_as(self.hover) if hit else self.hover is None):
            self.gauge_card.leave()
            self._gauge_timer.start()
            self._grip = new_grip
            self.hover = hit
            self.refresh()

    def _find_gauge(self) -> None:
        """After a short rest on an edge: the gauge of its loop."""
        hit = self.hover
        if hit is None or hit.kind != "edges" or self.drag != "none" or self.gauge_card.is_pinned:
            return
        part = hit.picture.part
        self.show_gauge(loop_gauge(part.to_world(part.mesh), hit.index, GAUGED_AT_ONCE), part.id)

    def _gauge_again(self, gauge: LoopGauge, part_id: str) -> None:
        """What was gauged has changed: a pinned card follows while its loop is there, others go."""
        picture = self.stage.picture(part_id)
        if not self.gauge_card.is_pinned or picture is None or int(gauge.edges.max()) >= picture.part.mesh.n_edges:
            self.gauge_card.drop()
            return
        part = picture.part
        self.show_gauge(loop_gauge(part.to_world(part.mesh), int(gauge.edges[0]), GAUGED_AT_ONCE), part_id)

    def show_gauge(self, gauge: LoopGauge, part_id: str) -> None:
        """Lights a loop up and shows its card."""
        self.gauge = (gauge, part_id)
        self.gauge_card.show_gauge(gauge, part_id)
        self.refresh()

    def _axis_at(self, handle: Handle | None, place: QPoint) -> int | None:
        if handle is None:
            return None
        return handle.axis_at(place.x(), place.y(), self.camera, self.width(), self.height())
