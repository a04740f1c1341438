"""Dragging: pointer moves turned into the numbers of a transform, by the handle or by an element itself."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, Qt

from levelloop.app.tools.gestures import Gesture
from levelloop.app.tools.handle import Handle
from levelloop.app.view.picking.guide_places import guide_places
from levelloop.app.view.picking.picking import Hit, element_places
from levelloop.app.view.picking.snapping import ANGLE, Catch, caught
from levelloop.app.view.render.picture import make_picture
from levelloop.core.arrays import Floats
from levelloop.core.errors import LevelLoopError
from levelloop.core.mesh.selection import Selection, points_of
from levelloop.document.operations import REGISTRY
from levelloop.document.registry import Operation

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

LEAST_FOLLOWS = 0.05  # of the cage's way: where the surface goes less far, the pointer moves the cage
MOST_OFF = 1.5  # pixels that what is held may be beside the pointer


class Drag(Gesture):
    """A drag that runs a transform. runs: whether it has changed something yet; grip: the handle's axis it goes by."""

    runs = False
    grip = -1

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        if self.view.held_key == "Z" and self.runs:
            # A pull test: what hung together was seen, and springs back.
            self.view.session.revert_last(forget=True)

    def _remember(self) -> None:
        """What the drag that begins here moves, and the picture that can catch it."""
        part = self.view.session.part
        moves = np.zeros(part.mesh.n_points, dtype=np.bool_)
        moves[points_of(part.mesh.topology, self.view.session.selection)] = True
        self._moving = (part.id, moves)
        self._sight_at_press = self.view.sight()

    def _caught(self, place: QPoint, wanted: Floats) -> Catch | None:
        """What catches the drag, which is shown too."""
        view, catch = self.view, None
        if view.hands.snaps:
            x, y = view.device(place)
            guides = guide_places(view)
            catch = caught(self._sight_at_press, view.hands.snaps, x, y, wanted, self._moving, guides, view.hands.grid)
        view.catch = catch
        return catch

    def _worth(self, by: Floats, at: Floats) -> Floats:
        """A way as exact as a pixel is there: no more decimals than the hand can mean."""
        step = pixel_step(self.view.camera.millimetres_per_pixel(self.view.height(), at))
        return np.asarray(np.round(by / step) * step)

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


class DragElement(Drag):
    """Moves an element, or pulls it out, in the plane of the view or to what catches it."""

    def __init__(self, view: Viewport, start: QPoint, hit: Hit, pulls: bool) -> None:
        super().__init__(view, start)
        self._pulls = pulls
        self._from = element_places(hit.picture, hit.kind)[hit.index].copy()
        self._remember()
        self._held = (hit.picture.part.id, hit.kind, hit.index)
        self._unbent = np.eye(3) if pulls else self._how_cage_follows(hit)

    @classmethod
    def begun(cls, view: Viewport, start: QPoint, hit: Hit, pulls: bool = False) -> DragElement | None:
        """A drag of the element under the pointer, selected first where it is not; None where it may not move.

        pulls: extrudes it along the drag instead of moving it.
        """
        part, session = hit.picture.part, view.session
        if part.locked:
            view.told.emit(f"“{part.name}” is locked.")
            return None
        if part.id != session.document.active:
            session.activate(part.id)
        if hit.index not in session.selection.indices or session.selection.kind != hit.kind:
            if view.hands.keeps_selection:
                view.told.emit("The selection is locked: Alt+L frees it.")
                return None
            session.set_selection(Selection(hit.kind, np.array([hit.index])))
        return cls(view, start, hit, pulls)

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        delta = place - self.start
        scale = self.view.camera.millimetres_per_pixel(self.view.height(), self._from)
        right, upward, _ = self.view.camera.axes
        wanted = self._from + (right * delta.x() - upward * delta.y()) * scale
        catch = self._caught(place, wanted)
        if catch is not None:
            wanted = catch.place
        way = (wanted - self._from) @ self._unbent
        if catch is None:
            way = self._worth(way, self._from)
        if not self._pulls:
            self._move(way)
            off = self._off(wanted)
            if float(np.linalg.norm(off)) > MOST_OFF * scale:
                # Where steps bend it the way there is no straight one: once more from where it has come to.
                self._move(self._worth(way + off @ self._unbent, self._from))
        elif np.any(way):
            length = float(np.linalg.norm(way))
            direction = tuple(float(value) / length for value in way)
            self._run(REGISTRY.by_tool("pull"), {"direction": direction, "distance": length})
        return self

    def _move(self, by: Floats) -> None:
        self._run(REGISTRY.by_handle("move"), {"by": tuple(float(value) for value in by)})

    def _off(self, wanted: Floats) -> Floats:
        """How far what is held is shown from where the pointer wants it; nothing where that is not shown yet."""
        part_id, kind, index = self._held
        picture = self.view.stage.picture(part_id)
        if picture is None or picture.part is not self.view.session.part or np.array_equal(self._unbent, np.eye(3)):
            return np.zeros(3)
        return np.asarray(wanted - element_places(picture, kind)[index])

    def _how_cage_follows(self, hit: Hit) -> Floats:
        """What turns a way of the held element, as it is shown, into the move of the cage that brings it there: (3, 3).

        The smooth surface goes only part of the way that its cage goes, and steps bend it: by differences, at the
        level that is shown while something is dragged.
        """
        part, stage = self.view.session.part, self.view.stage
        until = stage.until(part)
        if hit.picture.is_flat and not (part.recipe and until != 0):
            return np.eye(3)
        weights = self._moving[1].astype(np.float64)
        soft = self.view.state().running_soft(self.view.session.state)
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


class DragHandle(Drag):
    """Drags the handle by one of its axes."""

    def __init__(self, view: Viewport, start: QPoint, handle: Handle, grip: int) -> None:
        super().__init__(view, start)
        self._handle, self.grip = handle, grip
        self._remember()

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        if not (self.runs or self.is_far(place)):
            return self
        view, handle = self.view, self._handle
        now, start = (place.x(), place.y()), (self.start.x(), self.start.y())
        parameters = handle.dragged(self.grip, start, now, view.camera, view.width(), view.height())
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            parameters = _stepped(parameters)
        else:
            parameters = self._snapped(place, parameters)
            if view.catch is None:
                parameters = self._rounded(parameters)
        self._run(REGISTRY.by_handle(handle.mode), parameters)
        return self

    def _rounded(self, parameters: dict[str, object]) -> dict[str, object]:
        """A handle's numbers with no more decimals than a pixel of the drag is worth."""
        result = dict(parameters)
        if "by" in result:
            result["by"] = tuple(self._worth(np.array(result["by"], dtype=np.float64), self._handle.centre).tolist())
        if isinstance(result.get("angle"), float):
            result["angle"] = round(float(result["angle"]), 1)  # type: ignore[arg-type]
        factors = result.get("factors")
        if isinstance(factors, tuple):
            result["factors"] = tuple(round(float(factor), 2) for factor in factors)
        elif isinstance(factors, float):
            result["factors"] = round(factors, 2)
        return result

    def _snapped(self, place: QPoint, parameters: dict[str, object]) -> dict[str, object]:
        """A handle's drag brought to what catches it; a locked axis stays locked."""
        handle = self._handle
        if handle.mode == "rotate" and "angle" in self.view.hands.snaps:
            return {**parameters, "angle": round(float(parameters["angle"]) / ANGLE) * ANGLE}  # type: ignore[arg-type]
        if handle.mode != "move":
            return parameters
        by = np.array(parameters["by"], dtype=np.float64)
        catch = self._caught(place, handle.centre + by @ handle.frame)
        if catch is None:
            return parameters
        snapped = handle.frame @ (catch.place - handle.centre)
        if self.grip < 3:
            snapped = np.where(np.arange(3) == self.grip, snapped, 0.0)
        elif self.grip > 3:
            snapped = np.where(np.arange(3) == self.grip - 4, 0.0, snapped)
        return {**parameters, "by": tuple(float(value) for value in snapped)}


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
