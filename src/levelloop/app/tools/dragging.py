"""Dragging: pointer moves turned into the numbers of a transform, by the handle or by an element itself."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication

from levelloop.app.tools.handle import Handle
from levelloop.app.view.guide_places import guide_places
from levelloop.app.view.picking import Hit, Sight, element_places
from levelloop.app.view.snapping import ANGLE, Catch, caught
from levelloop.core.arrays import Booleans, Floats
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport


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
        return True

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
        by = wanted - self._free_start
        by = self._worth(by, self._free_start) if self.view.catch is None else self.view.catch.place - self._free_start
        if not self._pulls:
            self._run(REGISTRY.by_handle("move"), {"by": tuple(float(value) for value in by)})
        elif np.any(by):
            length = float(np.linalg.norm(by))
            direction = tuple(float(value) / length for value in by)
            self._run(REGISTRY.by_tool("pull"), {"direction": direction, "distance": length})

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
