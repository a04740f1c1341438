"""Dragging: pointer moves turned into the numbers of a transform, by the handle or by an element itself."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication

from levelloop.app.tools.handle import Handle
from levelloop.app.view.guide_places import guide_places
from levelloop.app.view.picking import Hit, Sight, element_places
from levelloop.app.view.render.picture import make_picture
from levelloop.app.view.snapping import ANGLE, Catch, caught
from levelloop.core.arrays import Booleans, Floats
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Kind, Selection, points_of
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

LEAST_FOLLOWS = 0.05  # of the cage's way: where the surface goes less far, the pointer moves the cage
MOST_OFF = 1.5  # pixels that what is held may be beside the pointer


class Dragging:
    """One drag of a view after the other. runs: whether the present one has changed something yet."""

    def __init__(self, view: Viewport) -> None:
        self.view = view
        self.runs = False
        self._handle: Handle | None = None
        self._free_start = np.zeros(3)
        self._moving: tuple[str, Booleans] = ("", np.zeros(0, dtype=np.bool_))
        self._sight_at_press: Sight | None = None
        self._pulls = False
        self._unbent = np.eye(3)
        self._held: tuple[str, Kind, int] = ("", "points", 0)

    def begin_handle(self, handle: Handle) -> None:
        """Starts dragging the handle as it stands now."""
        self._handle, self.runs = handle, False

    def begin_free(self, hit: Hit, pulls: bool = False) -> bool:
        """Starts dragging the element under the pointer, and whether it may; an unselected one is selected first.

        pulls: extrudes it along the drag instead of moving it.
        """
        self._pulls = pulls
        part = hit.picture.part
        if part.locked:
            self.view.told.emit(f"“{part.name}” is locked.")
            return False
        if part.id != self.view.session.document.active:
            self.view.session.activate(part.id)
        if hit.index not in self.view.session.selection.indices or self.view.session.selection.kind != hit.kind:
            if self.view.hands.keeps_selection:
                self.view.told.emit("The selection is locked: Alt+L frees it.")
                return False
            self.view.session.set_selection(Selection(hit.kind, np.array([hit.index])))
        self.runs = False
        self._free_start = element_places(hit.picture, hit.kind)[hit.index].copy()
        self._remember_moving()
        self._held = (part.id, hit.kind, hit.index)
        self._unbent = np.eye(3) if pulls else self._how_cage_follows(hit)
        return True

    def _how_cage_follows(self, hit: Hit) -> Floats:
        """What turns a way of the held element, as it is shown, into the move of the cage that brings it there: (3, 3).

        The smooth surface goes only part of the way that its cage goes, and steps bend it: by differences, at the
        level that is shown while something is dragged.
        """
        part, stage = self.view.session.part, self.view.stage
        until = stage.until(part)
        if hit.picture.is_flat and not (part.steps and until != 0):
            return np.eye(3)
        weights = self._moving[1].astype(np.float64)
        soft = self.view.scenery.running_soft()
        if soft is not None:
            weights = self.view.scenery.soft_weights(hit.picture, self.view.session.selection, soft)
        stage.hurry(True)
        level = stage.level_now(part)
        step = 1e-3 * max(float(np.ptp(part.mesh.points, axis=0).max()), 1e-9)
        into = np.linalg.inv(part.transform[:3, :3])

        def place(by: Floats) -> Floats:
            moved = part.mesh.with_points(part.mesh.points + weights[:, None] * (by @ into))
            shown = make_picture(replace(part, mesh=moved), level > 0, hit.picture, level, until, True)
            return np.asarray(element_places(shown, hit.kind)[hit.index])

        start = place(np.zeros(3))
        ways = np.stack([(place(step * axis) - start) / step for axis in np.eye(3)])
        # What hardly follows would fly away from the pointer.
        if not np.isfinite(ways).all() or np.linalg.svd(ways, compute_uv=False)[-1] < LEAST_FOLLOWS:
            return np.eye(3)
        return np.asarray(np.linalg.inv(ways))

    def _remember_moving(self) -> None:
        """What the drag that begins here moves, and the picture that can catch it."""
        part = self.view.session.part
        moves = np.zeros(part.mesh.n_points, dtype=np.bool_)
        moves[points_of(part.mesh.topology, self.view.session.selection)] = True
        self._moving = (part.id, moves)
        self._sight_at_press = self.view.sight()

    def drag_free(self, place: QPoint) -> None:
        """Moves in the plane of the view through the element that is held, or to what catches it."""
        delta = place - self.view.pressed
        scale = self.view.camera.millimetres_per_pixel(self.view.height(), self._free_start)
        right, upward, _ = self.view.camera.axes
        wanted = self._free_start + (right * delta.x() - upward * delta.y()) * scale
        self.view.catch = self._caught(place, wanted)
        if self.view.catch is not None:
            wanted = self.view.catch.place
        by = (wanted - self._free_start) @ self._unbent
        if self.view.catch is None:
            by = self._worth(by, self._free_start)
        if not self._pulls:
            self._move(by)
            off = self._off(wanted)
            if float(np.linalg.norm(off)) > MOST_OFF * scale:
                # Where steps bend it the way there is no straight one: once more from where it has come to.
                self._move(self._worth(by + off @ self._unbent, self._free_start))
        elif np.any(by):
            length = float(np.linalg.norm(by))
            direction = tuple(float(value) / length for value in by)
            self._run(REGISTRY.by_tool("pull"), {"direction": direction, "distance": length})

    def _move(self, by: Floats) -> None:
        self._run(REGISTRY.by_handle("move"), {"by": tuple(float(value) for value in by)})

    def _off(self, wanted: Floats) -> Floats:
        """How far what is held is shown from where the pointer wants it; nothing where that is not shown yet."""
        part_id, kind, index = self._held
        picture = self.view.stage.picture(part_id)
        if picture is None or picture.part is not self.view.session.part or np.array_equal(self._unbent, np.eye(3)):
            return np.zeros(3)
        return np.asarray(wanted - element_places(picture, kind)[index])

    def _caught(self, place: QPoint, wanted: np.ndarray) -> Catch | None:
        if not self.view.hands.snaps or self._sight_at_press is None:
            return None
        x, y = self.view.device(place)
        snaps, guides = self.view.hands.snaps, guide_places(self.view)
        return caught(self._sight_at_press, snaps, x, y, wanted, self._moving, guides, self.view.hands.grid)

    def drag_handle(self, place: QPoint) -> None:
        """Drags the handle by the axis that is held."""
        handle = self._handle
        if handle is None:
            return
        if not self.runs:
            self._remember_moving()
        now, start = (place.x(), place.y()), (self.view.pressed.x(), self.view.pressed.y())
        view = self.view
        parameters = handle.dragged(view.grip(), start, now, view.camera, view.width(), view.height())
        modifiers = QApplication.keyboardModifiers()
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            parameters = _stepped(parameters)
        else:
            if self.view.hands.snaps:
                parameters = self._snapped(handle, place, parameters)
            if self.view.catch is None:
                parameters = self._rounded(handle, parameters)
        self._run(REGISTRY.by_handle(handle.mode), parameters)

    def _worth(self, by: Floats, at: Floats) -> Floats:
        """A way as exact as a pixel is there: no more decimals than the hand can mean."""
        step = pixel_step(self.view.camera.millimetres_per_pixel(self.view.height(), at))
        return np.asarray(np.round(by / step) * step)

    def _rounded(self, handle: Handle, parameters: dict[str, object]) -> dict[str, object]:
        """A handle's numbers with no more decimals than a pixel of the drag is worth."""
        result = dict(parameters)
        if "by" in result:
            result["by"] = tuple(self._worth(np.array(result["by"], dtype=np.float64), handle.centre).tolist())
        if isinstance(result.get("angle"), float):
            result["angle"] = round(float(result["angle"]), 1)  # type: ignore[arg-type]
        factors = result.get("factors")
        if isinstance(factors, tuple):
            result["factors"] = tuple(round(float(factor), 2) for factor in factors)
        elif isinstance(factors, float):
            result["factors"] = round(factors, 2)
        return result

    def _snapped(self, handle: Handle, place: QPoint, parameters: dict[str, object]) -> dict[str, object]:
        """A handle's drag brought to what catches it; a locked axis stays locked."""
        if handle.mode == "rotate" and "angle" in self.view.hands.snaps:
            return {**parameters, "angle": round(float(parameters["angle"]) / ANGLE) * ANGLE}  # type: ignore[arg-type]
        if handle.mode != "move":
            return parameters
        by = np.array(parameters["by"], dtype=np.float64)
        self.view.catch = self._caught(place, handle.centre + by @ handle.frame)
        if self.view.catch is None:
            return parameters
        snapped, grip = handle.frame @ (self.view.catch.place - handle.centre), self.view.grip()
        if grip < 3:
            snapped = np.where(np.arange(3) == grip, snapped, 0.0)
        elif grip > 3:
            snapped = np.where(np.arange(3) == grip - 4, 0.0, snapped)
        return {**parameters, "by": tuple(float(value) for value in snapped)}

    def _run(self, operation: Operation, parameters: dict[str, object]) -> None:
        """Runs a transform, or the one that is being dragged again with other numbers."""
        self.view.stage.hurry(True)
        try:
            if self.runs:
                self.view.session.change_last(**parameters)
            else:
                soft = self.view.hands.soft if operation.handle else {}
                self.view.session.perform(operation.key, **parameters, **soft)
                self.runs = True
        except LevelLoopError as error:
            self.view.told.emit(str(error))


def pixel_step(pixel: float) -> float:
    """The power of ten that is at most a pixel's worth, mm."""
    return float(10.0 ** np.floor(np.log10(max(pixel, 1e-9))))


# Helpers


def _stepped(parameters: dict[str, object]) -> dict[str, object]:
    """Drags in whole steps: 1 mm, 5°, a tenth."""

    def rounded(value: object, step: float) -> object:
        if isinstance(value, tuple):
            return tuple(round(v / step) * step for v in value)
        return round(value / step) * step if isinstance(value, float) else value

    steps = {"by": 1.0, "angle": 5.0, "factors": 0.1}
    return {name: rounded(value, steps[name]) if name in steps else value for name, value in parameters.items()}
