"""Pressing: which gesture begins where a button of the pointer goes down."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt

from levelloop.app.tools.curve_tools import DragRadius, RadiusCircle
from levelloop.app.tools.dragging import DragElement, DragHandle
from levelloop.app.tools.gestures import Asking, Box, Brush, Gesture, Lasso, MoveSection, MoveWipe, Orbit, Pan, Stroke
from levelloop.app.tools.step_marks import DragMark, StepMarks
from levelloop.app.view.picking.picking import Hit

if TYPE_CHECKING:
    from levelloop.app.view.viewport import Viewport

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
WITH_KEY: dict[str, type[Gesture]] = {"G": Lasso, "Q": Brush}  # what a drag draws while a key is held


def pressed(view: Viewport, button: Qt.MouseButton, place: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture | None:
    """The gesture that begins where a button goes down; None where it means nothing."""
    hands = view.hands
    if button == Qt.MouseButton.RightButton:
        return Asking(view, place)
    if button == Qt.MouseButton.MiddleButton:
        return (Orbit if hands.orbits_with_middle else Pan)(view, place)
    if button != Qt.MouseButton.LeftButton:
        return None
    if view.is_at_wipe(place):
        return MoveWipe(view, place)
    if hands.tool is not None:
        return Stroke(view, place, hands.tool)
    if view.overlay.section_at(place):
        return MoveSection(view, place)
    circle = RadiusCircle.of(view)
    if circle is not None and circle.is_at(view, place):
        return DragRadius(view, place, circle)
    marks = hands.open_step()
    if isinstance(marks, StepMarks) and (mark := marks.grip_at(view, place)):
        return DragMark(view, place, marks, mark)
    handle = view.handle()
    grip = view.axis_at(handle, place)
    # The handle's middle lies on what is to be pulled out.
    pulls = grip == 3 and hands.mode == "move" and bool(modifiers & CONTROL)
    if handle is not None and grip is not None and not pulls:
        return DragHandle(view, place, handle, grip)
    # With the move tool any element can be dragged at once, selected or not.
    free = (hands.mode == "move" or view.held_key == "Z") and view.held_key in ("", "Z") and hands.kind != "parts"
    return Press(view, place, view.pick_at(place) if free and view.session.document.parts else None)


class Press(Gesture):
    """A press that picks where it goes up again, or becomes a box, a lasso, a brush or a drag of what it holds."""

    keeps_fine = True

    def __init__(self, view: Viewport, start: QPoint, held: Hit | None) -> None:
        super().__init__(view, start)
        self._held = held

    def drag(self, place: QPoint, by: QPoint, modifiers: Qt.KeyboardModifier) -> Gesture:
        if not self.is_far(place):
            return self
        view, held = self.view, self._held
        self._held = None
        if held is not None:
            pulls = bool(modifiers & CONTROL) and view.held_key == ""
            element = DragElement.begun(view, self.start, held, pulls)
            if element is not None:
                return element.drag(place, by, modifiers)
        becomes = WITH_KEY.get(view.held_key, Box)
        if becomes is Brush and not modifiers & (SHIFT | CONTROL) and view.session.document.parts:
            view.session.select_none()
        return becomes(view, self.start).drag(place, by, modifiers)

    def release(self, place: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        self.view.choosing.click(place, modifiers)
