"""The view: shows the stage, turns pointer and keys into selections, camera moves and transforms."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from PySide6.QtCore import QPoint, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QCursor, QKeyEvent, QMouseEvent, QSurfaceFormat, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QApplication, QWidget

from levelloop.app.camera import DIRECTIONS, Camera
from levelloop.app.handle import Handle, Mode
from levelloop.app.images import Images
from levelloop.app.overlay import BRUSH_RADIUS, Overlay
from levelloop.app.picking import (
    Hit,
    Reach,
    Sight,
    element_places,
    pick,
    picked_in_box,
    picked_in_lasso,
    picked_under_brush,
)
from levelloop.app.picture import dashed
from levelloop.app.renderer import Colour, Dots, Lines, Patch, Renderer, Scene, Shading, Solid, Standing, singles
from levelloop.app.snapping import ANGLE, Catch, Snap, caught
from levelloop.app.stage import Stage
from levelloop.app.theme import Theme, colour
from levelloop.core.arrays import Booleans
from levelloop.core.edit.soft import Soft, soft_weights
from levelloop.core.edit.transform import middle_of_box
from levelloop.core.errors import LevelLoopError
from levelloop.core.measure.gauge import LoopGauge, loop_gauge
from levelloop.core.review.findings import Finding
from levelloop.core.selection import Kind, Selection, combine, points_of, select_between, select_loop, select_ring
from levelloop.document.guides import AXES
from levelloop.document.session import Session

Drag = Literal["none", "maybe_box", "box", "lasso", "brush", "free", "handle", "orbit", "pan", "menu_or_orbit"]
Inside = Literal["tinted", "plain", "hidden"]
SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
RESTS_AFTER = 600  # milliseconds on an edge until its loop is gauged
HELD = ("G", "Q")
SOFT_STEPS = 8  # shades in which the soft range fades out
FAR_ENOUGH = 4  # pixels before a press becomes a drag


def surface_format() -> QSurfaceFormat:
    """OpenGL 3.3 core with four samples."""
    wanted = QSurfaceFormat()
    wanted.setVersion(3, 3)
    wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    wanted.setDepthBufferSize(24)
    wanted.setSamples(4)
    return wanted


@dataclass
class Hands:
    """What all views share: what is selected for, how far picking reaches, the transform tool, the finding shown.

    soft: the parameters of the soft range that transforms begin with; empty where it is off; snaps: what catches a
    drag; measuring: whether the distance between the last two picks is shown.
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
    measuring: bool = False


@dataclass
class Look:
    """How one view shows the parts.

    shading: clay, silhouette (flat, to judge the contour) or valleys (hollows darker); inside: how back faces are
    shown: tinted, plain or hidden; section: an axis and where along it, mm, what lies beyond is cut away.
    """

    shading: Shading = "clay"
    inside: Inside = "tinted"
    x_ray: bool = False
    wire: bool = True
    normals: bool = False
    section: tuple[int, float] | None = None


class Viewport(QOpenGLWidget):
    """One view of the document.

    asked_menu: right click at a place. told: a sentence for the person. transform_began: a handle drag started.
    """

    asked_menu = Signal(QPoint)
    told = Signal(str)
    camera_moved = Signal()

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
        self._images = Images(theme)
        self._renderer: Renderer | None = None
        self._sight: Sight | None = None
        self._lines: dict[str, tuple[Any, Any]] = {}
        self._drag: Drag = "none"
        self._pressed = QPoint()
        self._last = QPoint()
        self._box: QRectF | None = None
        self._lasso: list[QPoint] = []
        self._free: Hit | None = None
        self._free_start = np.zeros(3)
        self._moving: tuple[str, Booleans] = ("", np.zeros(0, dtype=np.bool_))
        self._sight_at_press: Sight | None = None
        self.catch: Catch | None = None
        self._held = ""  # the key that makes a drag a lasso (G) or a brush (Q)
        self._grip = -1
        self._handle_runs = False
        self._handle_at_press: Handle | None = None
        self._clicks: tuple[float, QPoint, int] = (0.0, QPoint(), 0)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.overlay = Overlay(self)
        self._hover_timer = QTimer(self)
        self._hover_timer.setSingleShot(True)
        self._hover_timer.setInterval(12)
        self._hover_timer.timeout.connect(self._find_hover)
        self.gauge: tuple[LoopGauge, str] | None = None
        self._gauge_timer = QTimer(self)
        self._gauge_timer.setSingleShot(True)
        self._gauge_timer.setInterval(RESTS_AFTER)
        self._gauge_timer.timeout.connect(self._find_gauge)
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

    def toggle_perspective(self) -> None:
        """Changes between perspective and orthographic."""
        self.camera.perspective = not self.camera.perspective
        self._moved()

    def look_changed(self) -> None:
        """Draws and picks again after the look has changed."""
        self._sight = None
        self.refresh()

    def refresh(self) -> None:
        """Draws again with what is selected, shown and hovered now."""
        self.update()
        self.overlay.update()

    def release(self) -> None:
        """Frees what is on the GPU; the view is not drawn any more after that."""
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
        points = picture.part.to_world(picture.part.mesh).points[points_of(picture.part.mesh.topology, selection)]
        return Handle(self.mode, middle_of_box(points))

    @property
    def box(self) -> QRectF | None:
        """The box being drawn, in logical pixels."""
        return self._box

    @property
    def lasso(self) -> list[QPoint]:
        """The line of the lasso being drawn, in logical pixels."""
        return self._lasso if self._drag == "lasso" else []

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

    def paintGL(self) -> None:
        if self._renderer is None:
            return
        self._renderer.draw(self.defaultFramebufferObject(), self.scene(), self.camera, *self.pixels)

    def scene(self) -> Scene:
        """What the view shows just now."""
        theme = self.theme
        look = self.look_of
        flat = look.shading == "silhouette"
        sky = (_rgba(theme.panel), _rgba(theme.panel)) if flat else (_rgba(theme.sky), _rgba(theme.ground))
        scene = Scene(sky=sky, shading=look.shading, hide_inside=look.inside == "hidden", section=look.section)
        active = self.session.document.active
        through = 0.28 if self.look_of.x_ray else 0.0
        ratio = self.devicePixelRatioF()
        for picture in self.stage.shown():
            part = picture.part
            alpha = (0.55 if look.x_ray else 1.0) * part.opacity
            front = _rgba(theme.ink if flat else part.colour, alpha)
            inside = front if flat or look.inside == "plain" else _rgba(theme.inside, alpha)
            scene.solids.append(Solid(picture, front, inside))
            if flat:
                continue
            is_active = part.id == active
            kept = self._kept_lines(picture)
            if self.look_of.wire:
                strength = (0.55 if picture.level == 0 else 0.42) if is_active else 0.26
                scene.lines.append(Lines(kept["wire"], _rgba(theme.ink, strength), 1.25 * ratio, through=through))
            for weight, segments in kept["creases"]:
                width = (1.6 + 2.6 * weight / 10.0) * ratio
                scene.lines.append(Lines(segments, _rgba(theme.ink, 0.92), width, 2.5e-5, through))
            if len(kept["seams"]):
                scene.lines.append(Lines(kept["seams"], _rgba(theme.seam), 2.4 * ratio, 2.7e-5, through))
            if is_active and self.kind == "points":
                scene.dots.append(
                    Dots(kept["points"], _rgba(theme.ink), _rgba(theme.panel), 6.0 * ratio, through=through)
                )
            if look.normals and is_active:
                scene.lines.append(Lines(kept["normals"], _rgba(theme.hover, 0.9), 1.4 * ratio))
        self._add_guides(scene)
        self._add_soft(scene, ratio)
        self._add_selections(scene, through, ratio)
        self._add_hover(scene, ratio)
        return scene

    def _kept_lines(self, picture: Any) -> dict[str, Any]:
        found = self._lines.get(picture.part.id)
        if found is not None and found[0] is picture:
            kept: dict[str, Any] = found[1]
            return kept
        creases = picture.part.mesh.creases
        groups = [
            (float(weight), picture.segments(np.flatnonzero(creases == weight)))
            for weight in np.unique(creases)
            if weight > 0
        ]
        kept = {
            "wire": picture.segments(np.flatnonzero(~picture.part.mesh.hidden_edges)),
            "creases": groups,
            "seams": dashed(picture.segments(np.flatnonzero(picture.part.mesh.seams)), 4 if picture.level == 0 else 1),
            "points": singles(picture.cage_places[~picture.part.mesh.hidden_points]),
            "normals": picture.normal_lines(),
        }
        self._lines[picture.part.id] = (picture, kept)
        return kept

    def _add_selections(self, scene: Scene, through: float, ratio: float) -> None:
        blue = self.theme.selection
        for picture in self.stage.shown():
            selection = self.session.state.selection(picture.part.id)
            if len(selection) == 0 or int(selection.indices.max()) >= _count(picture, selection.kind):
                continue
            if selection.kind == "faces":
                scene.patches.append(Patch(picture.face_vertices(selection.indices), _rgba(blue, 0.42), 0.25))
                edges = np.unique(
                    picture.part.mesh.topology.corner_edge[
                        picture.part.mesh.topology.corners_of_faces(selection.indices)
                    ]
                )
                scene.lines.append(Lines(picture.segments(edges), _rgba(blue, 0.9), 1.6 * ratio, 3e-5, through))
            elif selection.kind == "edges":
                segments = picture.segments(selection.indices)
                scene.lines.append(Lines(segments, _rgba(blue), 3.2 * ratio, 3.5e-5, max(through, 0.25)))
            else:
                places = singles(picture.cage_places[selection.indices])
                scene.dots.append(Dots(places, _rgba(blue), _rgba("#FFFFFF"), 9.0 * ratio, 5e-5, max(through, 0.3)))

    def _add_guides(self, scene: Scene) -> None:
        """The guides of the direction this view looks from, and those that stand in space."""
        for guide in self.session.document.guides:
            turn, tilt = DIRECTIONS[guide.view]
            faces = abs((self.camera.turn - turn + 180) % 360 - 180) < 0.5 and abs(self.camera.tilt - tilt) < 0.5
            if not guide.shown or not (faces or guide.standing):
                continue
            pixels = self._images.pixels(guide)
            right, up = (np.array(axis, dtype=np.float64) for axis in AXES[guide.view])
            height = guide.width * pixels.shape[0] / pixels.shape[1]
            corner = right * (guide.at[0] - guide.width / 2) + up * (guide.at[1] - height / 2)
            part = {"left": (0.0, 0.5), "right": (0.5, 1.0)}.get(guide.crop, (0.0, 1.0))
            scene.images.append(
                Standing(
                    pixels,
                    corner,
                    right * guide.width,
                    up * height,
                    part,
                    guide.opacity,
                    guide.flip,
                    guide.through,
                    guide.standing and not faces,
                )
            )

    def _add_soft(self, scene: Scene, ratio: float) -> None:
        """The points that would follow the selection, fainter the less they do."""
        soft = self.running_soft()
        if soft is None or not self.session.document.parts or not len(self.session.selection):
            return
        picture = self.stage.picture(self.session.document.active)
        if picture is None:
            return
        mesh = picture.part.to_world(picture.part.mesh)
        try:
            weights = soft_weights(mesh, points_of(mesh.topology, self.session.selection), soft)
        except LevelLoopError:
            return
        blue = self.theme.selection
        steps = np.ceil(weights * SOFT_STEPS).astype(np.int64)
        for step in range(1, SOFT_STEPS + 1):
            places = picture.cage_places[(steps == step) & (weights < 1)]
            if len(places):
                share = step / SOFT_STEPS
                tint = _rgba(blue, 0.25 + 0.6 * share)
                scene.dots.append(Dots(singles(places), tint, _rgba("#FFFFFF", 0.4), (4 + 4 * share) * ratio, 4.5e-5))

    def running_soft(self) -> Soft | None:
        """The soft range of the running transform, or of those to come; None where there is none."""
        state = self.session.state
        values: Any = state.parameters if self.mode is not None and state.key == self.mode else self.hands.soft
        if self.mode is None or not values.get("soft_range"):
            return None
        return Soft(
            float(values["soft_range"]),
            values.get("soft_shape", "bell"),
            bool(values.get("along_surface")),
            values.get("soft_centre"),
            values.get("soft_radii"),
        )

    def _add_hover(self, scene: Scene, ratio: float) -> None:
        hit = self.hover
        if hit is None or self._drag not in ("none",):
            return
        picture = self.stage.picture(hit.picture.part.id)
        if picture is not hit.picture:
            return
        teal = self.theme.hover
        if self.gauge is not None and self.gauge[1] == picture.part.id and hit.kind == "edges":
            lit = picture.segments(self.gauge[0].edges)
            scene.lines.append(Lines(lit, _rgba(teal, 0.85), 2.4 * ratio, 3.8e-5, 0.3))
        if self.kind == "parts":
            scene.lines.append(Lines(self._kept_lines(picture)["wire"], _rgba(teal, 0.9), 1.8 * ratio, 4e-5))
        elif hit.kind == "faces":
            scene.patches.append(Patch(picture.face_vertices(np.array([hit.index])), _rgba(teal, 0.30)))
        elif hit.kind == "edges":
            segments = picture.segments(np.array([hit.index]))
            scene.lines.append(Lines(segments, _rgba(teal), 3.6 * ratio, 4e-5))
        else:
            place = singles(picture.cage_places[[hit.index]])
            scene.dots.append(Dots(place, _rgba(teal), _rgba("#FFFFFF"), 11.0 * ratio, 6e-5))

    # Qt: pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self._pressed = self._last = event.position().toPoint()
        button = event.button()
        if button == Qt.MouseButton.RightButton:
            self._drag = "menu_or_orbit"
        elif button == Qt.MouseButton.MiddleButton:
            self._drag = "pan"
        elif button == Qt.MouseButton.LeftButton:
            handle = self.handle()
            grip = self._axis_at(handle, self._pressed)
            if handle is not None and grip is not None:
                self._drag, self._grip, self._handle_runs = "handle", grip, False
                self._handle_at_press = handle
            else:
                self._drag = "maybe_box"
                # With the move tool any element can be dragged at once, selected or not.
                free = self.mode == "move" and not self._held and self.kind != "parts"
                self._free = self.pick_at(self._pressed) if free and self.session.document.parts else None
        self.refresh()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        delta = place - self._last
        far = (place - self._pressed).manhattanLength() > FAR_ENOUGH
        if self._drag == "menu_or_orbit" and far:
            self._drag = "orbit"
        if self._drag == "maybe_box" and far and self._free is not None:
            self._begin_free(self._free, event.modifiers())
        if self._drag == "maybe_box" and far:
            self._drag = {"G": "lasso", "Q": "brush"}.get(self._held, "box")  # type: ignore[assignment]
            self._lasso = [self._pressed]
            if self._drag == "brush" and not event.modifiers() & (SHIFT | CONTROL) and self.session.document.parts:
                self.session.select_none()
        if self._drag == "orbit":
            self.camera.orbit(delta.x(), delta.y())
            self._moved()
        elif self._drag == "pan":
            self.camera.pan(delta.x(), delta.y(), self.height())
            self._moved()
        elif self._drag == "box":
            self._box = QRectF(self._pressed, place).normalized()
            self.overlay.update()
        elif self._drag == "lasso":
            self._lasso.append(place)
            self.overlay.update()
        elif self._drag == "brush":
            self._paint(place, event.modifiers())
        elif self._drag == "free":
            self._drag_free(place)
        elif self._drag == "handle" and (far or self._handle_runs):
            self._drag_handle(place)
        elif self._drag == "none":
            self._hover_timer.start()
        self._last = place

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        drag, self._drag = self._drag, "none"
        if drag == "menu_or_orbit":
            self._find_hover()
            self.asked_menu.emit(place)
        elif drag == "box":
            self._select_box(event.modifiers())
        elif drag == "lasso":
            self._select_lasso(event.modifiers())
        elif drag == "maybe_box":
            self._click(place, event.modifiers())
        self._box = None
        self._lasso = []
        self._grip = -1
        self._handle_at_press = self._free = self.catch = None
        self.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text().upper() in HELD and not event.isAutoRepeat() and not event.modifiers():
            self._held = event.text().upper()
            self.overlay.update()
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
        self.camera.zoom(1.0015 ** event.angleDelta().y(), place.x(), place.y(), self.width(), self.height())
        self._moved()

    def leaveEvent(self, event: Any) -> None:
        self._hover_timer.stop()
        self._gauge_timer.stop()
        self.gauge = None
        if self.hover is not None:
            self.hover = None
            self.refresh()

    # Helpers

    def _moved(self) -> None:
        self._sight = None
        self.camera_moved.emit()
        self.refresh()

    def _stage_changed(self) -> None:
        self._sight = None
        self.gauge = None
        here = {picture.part.id for picture in self.stage.shown()}
        self._lines = {key: value for key, value in self._lines.items() if key in here}
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

    def _device(self, place: QPoint) -> tuple[float, float]:
        ratio = self.devicePixelRatioF()
        return place.x() * ratio, place.y() * ratio

    def pick_at(self, place: QPoint) -> Hit | None:
        """The element, or for parts the face, at a place."""
        kind: Kind = "faces" if self.kind == "parts" else self.kind
        x, y = self._device(place)
        return pick(self.sight(), kind, x, y, self.reach, self.session.document.active)

    def _find_hover(self) -> None:
        if self._renderer is None or QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            return
        place = self.mapFromGlobal(QCursor.pos()) if self._drag != "none" else self._last
        grip = self._axis_at(self.handle(), place)
        hit = None if grip is not None else self.pick_at(place)
        new_grip = -1 if grip is None else grip
        if new_grip != self._grip or not (hit.same_as(self.hover) if hit else self.hover is None):
            self.gauge = None
            self._gauge_timer.start()
            self._grip = new_grip
            self.hover = hit
            self.refresh()

    def _find_gauge(self) -> None:
        """After a short rest on an edge: the gauge of its loop."""
        hit = self.hover
        if hit is None or hit.kind != "edges" or self._drag != "none":
            return
        part = hit.picture.part
        self.gauge = (loop_gauge(part.to_world(part.mesh), hit.index), part.id)
        self.refresh()

    def _axis_at(self, handle: Handle | None, place: QPoint) -> int | None:
        if handle is None:
            return None
        return handle.axis_at(place.x(), place.y(), self.camera, self.width(), self.height())

    def _click(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        now, count = time.monotonic(), 1
        last_time, last_place, last_count = self._clicks
        quick = now - last_time < QApplication.doubleClickInterval() / 1000.0
        if quick and (place - last_place).manhattanLength() <= FAR_ENOUGH:
            count = last_count % 3 + 1
        self._clicks = (now, place, count)
        hit = self.pick_at(place)
        add = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        remove = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if hit is None:
            if not (add or remove) and self.session.document.parts:
                self.session.select_none()
            return
        part = hit.picture.part
        if part.locked:
            self.told.emit(f"“{part.name}” is locked.")
            return
        if self.kind == "parts":
            self.session.set_active(part.id)
            return
        if part.id != self.session.document.active:
            self.session.set_active(part.id, keep_others=add or remove)
        topology = part.mesh.topology
        found = Selection(hit.kind, np.array([hit.index]), self._picked_backwards(hit, place))
        old = self.session.selection
        try:
            if count == 2 and hit.kind == "edges":
                found = select_loop(topology, found)
            elif count == 3 and hit.kind == "edges":
                found = select_ring(topology, found)
            elif count == 2 and hit.kind == "faces":
                found = self._face_loop(topology, hit.index, old)
        except LevelLoopError as error:
            self.told.emit(str(error))
        if add and remove:
            # The stretch from the last pick to this one.
            try:
                found = select_between(topology, combine(old, found, add=True))
            except LevelLoopError as error:
                self.told.emit(str(error))
                return
            remove = False
        self.session.set_selection(combine(old, found, add, remove))

    def _picked_backwards(self, hit: Hit, place: QPoint) -> np.ndarray | None:
        """An edge is directed from the end it was picked nearer to."""
        if hit.kind != "edges":
            return None
        ends = hit.picture.cage_places[hit.picture.part.mesh.topology.edges[hit.index]]
        screen = self.on_screen(ends)[:, :2]
        distance = np.hypot(screen[:, 0] - place.x(), screen[:, 1] - place.y())
        return np.array([distance[1] < distance[0]])

    def _face_loop(self, topology: Any, face: int, old: Selection) -> Selection:
        """The loop through a face and a neighbour of it that is selected already."""
        both = Selection("faces", np.array([face]))
        if old.kind == "faces" and len(old) > 1:
            both = Selection("faces", old.indices[-2:])
        return select_loop(topology, both)

    def _select_box(self, modifiers: Qt.KeyboardModifier) -> None:
        picture = self.stage.picture(self.session.document.active) if self.session.document.parts else None
        if self._box is None or picture is None or self.kind == "parts":
            return
        ratio = self.devicePixelRatioF()
        box = self._box
        low, high = (box.left() * ratio, box.top() * ratio), (box.right() * ratio, box.bottom() * ratio)
        found = Selection(self.kind, picked_in_box(self.sight(), picture, self.kind, low, high, self.reach))
        self._take(found, modifiers)

    def _select_lasso(self, modifiers: Qt.KeyboardModifier) -> None:
        picture = self.stage.picture(self.session.document.active) if self.session.document.parts else None
        if picture is None or self.kind == "parts" or len(self._lasso) < 3:
            return
        outline = np.array([self._device(place) for place in self._lasso])
        found = picked_in_lasso(self.sight(), picture, self.kind, outline, self.reach)
        self._take(Selection(self.kind, found), modifiers)

    def _paint(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        picture = self.stage.picture(self.session.document.active) if self.session.document.parts else None
        if picture is None or self.kind == "parts":
            return
        x, y = self._device(place)
        radius = BRUSH_RADIUS * self.devicePixelRatioF()
        found = picked_under_brush(self.sight(), picture, self.kind, x, y, radius, self.reach)
        remove = bool(modifiers & CONTROL)
        new = combine(self.session.selection, Selection(self.kind, found), not remove, remove)
        if not new.same_as(self.session.selection):
            self.session.set_selection(new)
        self.overlay.update()

    def _take(self, found: Selection, modifiers: Qt.KeyboardModifier) -> None:
        """Selects what was found; Shift adds, Ctrl removes."""
        add, remove = bool(modifiers & SHIFT), bool(modifiers & CONTROL)
        self.session.set_selection(combine(self.session.selection, found, add, remove))

    def _begin_free(self, hit: Hit, modifiers: Qt.KeyboardModifier) -> None:
        """Starts dragging the element under the pointer; one that is not selected is selected first."""
        part = hit.picture.part
        if part.locked:
            self.told.emit(f"“{part.name}” is locked.")
            self._free = None
            return
        if part.id != self.session.document.active:
            self.session.set_active(part.id)
        if hit.index not in self.session.selection.indices or self.session.selection.kind != hit.kind:
            self.session.set_selection(Selection(hit.kind, np.array([hit.index])))
        self._drag, self._handle_runs = "free", False
        self._free_start = element_places(hit.picture, hit.kind)[hit.index].copy()
        self._remember_moving()

    def _remember_moving(self) -> None:
        """What the drag that begins here moves, and the picture that can catch it."""
        part = self.session.part
        moves = np.zeros(part.mesh.n_points, dtype=np.bool_)
        moves[points_of(part.mesh.topology, self.session.selection)] = True
        self._moving = (part.id, moves)
        self._sight_at_press = self.sight()

    def _drag_free(self, place: QPoint) -> None:
        """Moves in the plane of the view through the element that is held, or to what catches it."""
        delta = place - self._pressed
        scale = self.camera.millimetres_per_pixel(self.height(), self._free_start)
        right, upward, _ = self.camera.axes
        wanted = self._free_start + (right * delta.x() - upward * delta.y()) * scale
        self.catch = self._caught(place, wanted)
        by = (wanted if self.catch is None else self.catch.place) - self._free_start
        self._run_transform("move", {"by": tuple(float(value) for value in by)})

    def _caught(self, place: QPoint, wanted: np.ndarray) -> Catch | None:
        if not self.hands.snaps or self._sight_at_press is None:
            return None
        x, y = self._device(place)
        return caught(self._sight_at_press, self.hands.snaps, x, y, wanted, self._moving)

    def _drag_handle(self, place: QPoint) -> None:
        handle = self._handle_at_press
        if handle is None:
            return
        if not self._handle_runs:
            self._remember_moving()
        now, start = (place.x(), place.y()), (self._pressed.x(), self._pressed.y())
        parameters = handle.dragged(self._grip, start, now, self.camera, self.width(), self.height())
        modifiers = QApplication.keyboardModifiers()
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            parameters = _stepped(parameters)
        elif self.hands.snaps:
            parameters = self._snapped(handle, place, parameters)
        self._run_transform(handle.mode, parameters)

    def _snapped(self, handle: Handle, place: QPoint, parameters: dict[str, object]) -> dict[str, object]:
        """A handle's drag brought to what catches it; a locked axis stays locked."""
        if handle.mode == "rotate" and "angle" in self.hands.snaps:
            return {**parameters, "angle": round(float(parameters["angle"]) / ANGLE) * ANGLE}  # type: ignore[arg-type]
        if handle.mode != "move":
            return parameters
        by = np.array(parameters["by"], dtype=np.float64)
        self.catch = self._caught(place, handle.centre + by)
        if self.catch is None:
            return parameters
        snapped = self.catch.place - handle.centre
        if self._grip < 3:
            snapped = np.where(np.arange(3) == self._grip, snapped, 0.0)
        return {"by": tuple(float(value) for value in snapped)}

    def _run_transform(self, key: str, parameters: dict[str, object]) -> None:
        """Runs a transform, or the one that is being dragged again with other numbers."""
        try:
            if self._handle_runs:
                self.session.change_last(**parameters)
            else:
                self.session.do(key, **parameters, **self.hands.soft)
                self._handle_runs = True
        except LevelLoopError as error:
            self.told.emit(str(error))


def _stepped(parameters: dict[str, object]) -> dict[str, object]:
    """Drags in whole steps: 1 mm, 5°, a tenth."""

    def rounded(value: object, step: float) -> object:
        if isinstance(value, tuple):
            return tuple(round(v / step) * step for v in value)
        return round(value / step) * step if isinstance(value, float) else value

    steps = {"by": 1.0, "angle": 5.0, "factors": 0.1}
    return {name: rounded(value, steps[name]) if name in steps else value for name, value in parameters.items()}


def _count(picture: Any, kind: Kind) -> int:
    mesh = picture.part.mesh
    return int({"points": mesh.n_points, "edges": mesh.n_edges, "faces": mesh.n_faces}[kind])


def _rgba(name: str, alpha: float = 1.0) -> Colour:
    red, green, blue, _ = colour(name).getRgbF()
    return (float(red or 0), float(green or 0), float(blue or 0), alpha)
