"""Hands: what all views share: what is selected for, the tools that are on, what catches a drag."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from levelloop.app.tools.handle import Handle, Mode
from levelloop.app.tools.tools import Tool
from levelloop.app.view.camera import Camera
from levelloop.app.view.picking.picking import BoxRule, Hit, Reach
from levelloop.app.view.picking.snapping import Snap
from levelloop.app.view.render.picture import Picture
from levelloop.core.arrays import Floats
from levelloop.core.edit.move.transform import middle_of_box, selection_frame
from levelloop.core.mesh.selection import Kind, Selection, points_of
from levelloop.core.review.findings import Finding
from levelloop.core.values import dataclass
from levelloop.document.running.running import State

if TYPE_CHECKING:
    from levelloop.app.tools.step_marks import PlaneMarks, StepMarks

HandleAxes = Literal["world", "part", "normal", "view"]
HandlePivot = Literal["middle", "each", "origin", "anchor", "last"]


@dataclass
class Hands:
    """What all views share: what is selected for, how far picking reaches, the transform tool, the finding shown.

    focus: the place of the finding that was stepped to, None where none was.
    soft: the parameters of the soft range that transforms begin with; empty where it is off; snaps: what catches a
    drag; grid: mm between its places; box_rule: whether a box takes what lies inside or what it touches;
    orbits_with_middle, orbit_speed: how a drag turns the view; brush: its radius, pixels; flies: whether the camera is
    seen going where commands put it; measuring: whether the distance between the last two picks is shown;
    keeps_selection: whether clicks leave the selection as it is; axes, pivot: of the handle; tool: what the left button
    draws with, None where it selects; repeats: the kind of element that Shift+click, or plainly a click, applies what
    ran last to, None where it does not; apply_again: does so; open_field: opens a field of the sentence with what was
    typed; open_step: the marks of the step whose numbers are open; change_step: gives it other numbers; looks: the
    letters after I, what each shows and whether it does.
    """

    kind: Kind | Literal["parts"] = "faces"
    reach: Reach = "visible"
    mode: Mode | None = None
    hover: Hit | None = None
    finding: Finding | None = None
    finding_part: str = ""
    finding_step: int = 0
    focus: Floats | None = None
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
    repeats: Callable[[bool], Kind | None] = lambda plainly: None
    apply_again: Callable[[Selection], None] = lambda selection: None
    open_field: Callable[[str], bool] = lambda text: False
    open_step: Callable[[], StepMarks | PlaneMarks | None] = lambda: None
    change_step: Callable[[dict[str, Any]], None] = lambda values: None
    looks: tuple[tuple[str, str, Callable[[], bool]], ...] = ()

    def handle(self, state: State, picture: Picture | None, camera: Camera) -> Handle | None:
        """The handle on the active part's selection, where a transform tool is on; picture: of that part."""
        selection = state.selection(state.document.active)
        if self.mode is None or picture is None or len(selection) == 0:
            return None
        mesh = picture.part.to_world(picture.part.mesh)
        told: dict[str, object] = {}
        frame = np.eye(3)
        if self.axes == "view":
            frame = camera.axes
            told["frame"] = tuple(tuple(float(value) for value in axis) for axis in frame)
        elif self.axes != "world":
            frame = picture.part.axes if self.axes == "part" else selection_frame(mesh, selection)
            told["frame"] = self.axes
        held, anchor = selection, state.document.anchor
        if self.mode == "move":
            return Handle(self.mode, middle_of_box(mesh.points[points_of(mesh.topology, selection)]), frame, told)
        if self.pivot != "middle":
            told["pivot"] = self.pivot
        if self.pivot == "last":
            held = Selection(selection.kind, selection.indices[-1:])
        centre = middle_of_box(mesh.points[points_of(mesh.topology, held)])
        if self.pivot == "origin":
            centre = np.zeros(3)
        elif self.pivot == "anchor" and anchor is not None:
            centre = np.array(anchor)
        return Handle(self.mode, centre, frame, told)
