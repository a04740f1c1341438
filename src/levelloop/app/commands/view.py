"""What is done to views from menus: looks, reach, snapping, soft range, measuring, cameras, guides and tools."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from levelloop.app.commands.files.dialogs import image_to_open
from levelloop.app.measured import length_told
from levelloop.app.tools.curve_tools import CurvePoints
from levelloop.app.tools.drawing import DrawLine
from levelloop.app.tools.knife import Knife, RunLoop
from levelloop.app.tools.tools import CalibrateGuide, MoveGuide, NudgeBrush, Tool
from levelloop.app.view.picking.guide_places import camera_here
from levelloop.app.view.picking.picking import REACHES
from levelloop.app.view.picking.snapping import TITLES, Snap
from levelloop.core.arrays import Floats, Integers
from levelloop.core.mesh.selection import Selection
from levelloop.document.cameras import NamedCamera
from levelloop.document.document import Document, Guide
from levelloop.document.guides import AXES
from levelloop.document.operations import REGISTRY, keys
from levelloop.document.registry import Operation
from levelloop.document.scripting.units import format_length

if TYPE_CHECKING:
    from levelloop.app.view.hands import HandleAxes, HandlePivot
    from levelloop.app.window import Window


class ViewCommands:
    """Commands on the views of a window; looks go to the active view, what hands do to all."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._soft_before: dict[str, Any] = {}
        # By the names that operations give their tools and questions.
        self.tools: dict[str, Callable[[Operation], None]] = {
            "brush": self.nudge,
            "knife": self.cut,
            "strip": self.lay_strip,
            "loop": self.run_loop,
            "image": self.ask_guide,
            "camera": self.keep_camera,
            "two places": self.calibrate_guide,
            "a place on a curve": self.add_curve_points,
        }

    def toggle_reach(self) -> None:
        """Picks what is seen, what faces the view, or everything, in turn."""
        self.window.view.reach = REACHES[(REACHES.index(self.window.view.reach) + 1) % len(REACHES)]
        words = {"visible": "What is seen", "facing": "What faces the view", "through": "Everything"}
        self.window.tell(f"{words[self.window.view.reach]} is picked.")
        self.window.panes.refresh()

    def toggle_snap(self, snap: Snap) -> None:
        """Turns one kind of snapping on or off."""
        snaps = self.window.panes.hands.snaps
        snaps.symmetric_difference_update({snap})
        self.window.tell(f"Snapping to {TITLES[snap]} is {'on' if snap in snaps else 'off'}.")
        self.window.strip.refresh()

    def set_hands(self, **values: Any) -> None:
        """Changes how all views pick and snap."""
        for name, value in values.items():
            setattr(self.window.panes.hands, name, value)
        self.window.panes.refresh()
        self.window.strip.refresh()

    def toggle_measure(self) -> None:
        """Shows, or not, what lies between the last two picks."""
        hands = self.window.panes.hands
        hands.measuring = not hands.measuring
        self.window.tell("Pick two: their distance is shown." if hands.measuring else "Measuring is off.")
        self.window.panes.refresh()

    def toggle_soft(self) -> None:
        """Turns the soft range of transforms, the running one too, on or off; a quarter of the part's size at first."""
        hands = self.window.panes.hands
        if hands.soft:
            self._soft_before = dict(hands.soft)
            hands.soft = {}
        else:
            extent = (
                self.window.stage.extent(self.window.session.document.active)
                if self.window.session.document.parts
                else np.zeros((0, 3))
            )
            size = float(np.linalg.norm(np.ptp(extent, axis=0))) if len(extent) else 40.0
            hands.soft = self._soft_before or {"soft_range": max(1.0, round(size / 4.0))}
        if self.window.view.mode is not None and self.window.sentence.is_open:
            self.window.attempt(lambda: self.window.sentence.change(soft_range=hands.soft.get("soft_range", 0.0)))
        unit = self.window.session.document.unit
        told = f"Soft range {length_told(hands.soft['soft_range'], unit)}." if hands.soft else "Soft range off."
        self.window.tell(told)
        self.window.panes.refresh()

    def set_soft(self, **values: Any) -> None:
        """Changes the soft range of transforms, the running one too."""
        hands = self.window.panes.hands
        hands.soft = {**hands.soft, **values}
        if self.window.view.mode is not None and self.window.sentence.is_open:
            self.window.attempt(lambda: self.window.sentence.change(**values))
        self.window.panes.refresh()

    def toggle_look(self, name: str) -> None:
        """Turns one thing of how the active view looks on or off."""
        look = self.window.view.look_of
        setattr(look, name, not getattr(look, name))
        self.window.view.look_changed()

    def set_look(self, **values: Any) -> None:
        """Changes how the active view looks."""
        for name, value in values.items():
            setattr(self.window.view.look_of, name, value)
        self.window.view.look_changed()

    def cut_view(self) -> None:
        """Cuts the active view open through the middle of what is framed, square to the axis it looks along most."""
        look = self.window.view.look_of
        if look.section is not None:
            self.set_look(section=None)
            return
        extent = self.window.stage.extent(self.window.session.document.active)
        if len(extent) == 0:
            self.window.tell("There is nothing to cut open yet.")
            return
        axis = int(np.argmax(np.abs(self.window.view.camera.axes[2])))
        side = 1.0 if self.window.view.camera.axes[2][axis] > 0 else -1.0
        self.set_look(section=(axis, float(0.5 * (extent[:, axis].min() + extent[:, axis].max())), side))

    def ask_guide(self, operation: Operation) -> None:
        """Puts an image that the person chooses into the direction the active view looks from."""
        path = image_to_open(self.window)
        if path is not None:
            self.add_guide(path)

    def add_guide(self, path: Path) -> None:
        """Puts an image into the camera looked through, or the direction nearest to that of the active view."""
        through = camera_here(self.window.view)
        back = self.window.view.camera.axes[2]
        view = through.name if through else max(AXES, key=lambda name: float(np.cross(*AXES[name]) @ back))
        values = {"path": str(path), "view": view}
        if self._began(REGISTRY.by_tool("image"), values) and through is None:
            self.window.view.look(view)

    def turn_soft(self, factor: float) -> None:
        """Makes the soft range of transforms, the running one too, larger or smaller."""
        hands = self.window.panes.hands
        if not hands.soft:
            return
        self.set_soft(soft_range=float(np.round(np.clip(hands.soft["soft_range"] * factor, 0.01, 1e6), 3)))

    def set_axes(self, axes: HandleAxes) -> None:
        """Lets the handle and typed moves count along other axes."""
        self.window.panes.hands.axes = axes
        self.window.tell(f"Axes of the {axes}.")
        self.window.panes.refresh()

    def set_pivot(self, pivot: HandlePivot) -> None:
        """Lets rotate and scale keep something else in its place."""
        if pivot == "anchor" and self.window.session.document.anchor is None:
            self.window.tell("There is no anchor yet; set one first.")
            return
        self.window.panes.hands.pivot = pivot
        self.window.tell(f"Pivot: {pivot}.")
        self.window.panes.refresh()

    def begins_with(self, operation: Operation) -> dict[str, Any]:
        """What a transform starts with: the soft range, the axes and the pivot that hands have."""
        hands = self.window.panes.hands
        start: dict[str, Any] = dict(hands.soft)
        if hands.axes != "world":
            rows = tuple(tuple(float(value) for value in axis) for axis in self.window.view.camera.axes)
            start["frame"] = rows if hands.axes == "view" else hands.axes
        if hands.pivot != "middle" and any(parameter.name == "pivot" for parameter in operation.parameters):
            start["pivot"] = hands.pivot
        return start

    def toggle_kept(self) -> None:
        """Locks the selection against clicks, boxes and brushes, or frees it."""
        hands = self.window.panes.hands
        hands.keeps_selection = not hands.keeps_selection
        self.window.tell("The selection is locked." if hands.keeps_selection else "The selection is free again.")
        self.window.panes.refresh()

    def start_on_loop(self, key: str, part_id: str, edges: Integers) -> None:
        """Selects a loop of a part and begins an operation on it."""
        self.window.session.activate(part_id)
        self.window.set_kind("edges")
        self.window.session.set_selection(Selection("edges", edges))
        self.window.start(key)

    def pin_gauge(self) -> None:
        """Keeps the card of the loop under the pointer, or lets it go."""
        card = self.window.view.gauge_card
        if card.gauge is None:
            self.window.tell("Rest on an edge first: its loop is gauged.")
        card.toggle_pin()

    # Cameras

    def keep_camera(self, operation: Operation) -> None:
        """Keeps how the active view looks as a named camera; its name and numbers stand open in the sentence."""
        taken = {camera.name for camera in self.window.session.document.cameras}
        name = next(f"camera {n}" for n in range(1, len(taken) + 2) if f"camera {n}" not in taken)
        values = {**self.window.view.camera.kept(), "name": name}
        self._began(operation, values)
        self.window.panes.refresh()

    def look_through(self, camera: NamedCamera) -> None:
        """Looks through a named camera in the active view."""
        self.window.view.look_through(camera)
        self.window.tell(f"Looking through “{camera.name}”.")

    def follow_cameras(self, old: Document, new: Document) -> None:
        """Lets views that look through a camera that was changed go on looking through it."""
        if old.cameras is new.cameras:
            return
        changed = {camera.name: camera for camera in new.cameras}
        for view in self.window.panes.views:
            known = next((camera for camera in old.cameras if view.camera.is_at(camera)), None)
            if known is not None and known.name in changed and changed[known.name] != known:
                view.look_through(changed[known.name])

    # Guides and tools

    def take_tool(self, tool: Tool | None, operation: Operation | None = None) -> None:
        """Lets the left button draw with a tool, for an operation, or select again."""
        if tool is not None and operation is not None:
            tool.key = operation.key
        self.window.panes.hands.tool = tool
        self.window.view.mode = None
        self.window.view.hover = None
        if tool is not None:
            self.window.tell(tool.hint)
        self.window.tools.refresh()
        self.window.panes.refresh()

    def nudge(self, operation: Operation) -> None:
        """Takes the nudge brush; its numbers stand in the sentence."""
        if self._began(operation, self._brush(operation), waiting=True):
            self.take_tool(NudgeBrush(operation, lambda: self.window.sentence.running.numbers(operation)), operation)

    def cut(self, operation: Operation) -> None:
        """Takes the knife; its path is drawn by clicks, its numbers stand in the sentence."""
        if self._began(operation, {}, waiting=True):
            self.take_tool(Knife(partial(self._cut_along, operation), self._cut_through), operation)

    def run_loop(self, operation: Operation) -> None:
        """Shows loops under the pointer and runs the one that is clicked."""
        self.take_tool(RunLoop(partial(self._loop_at, operation)), operation)

    def draw_curve(self) -> None:
        """Draws the points of a smooth curve by clicks."""
        hint = "Click the points of the curve, on a part or beside it; the first one again closes it; Enter is done."
        self.take_tool(DrawLine(hint, self._curve_through))

    def add_curve_points(self, operation: Operation) -> None:
        """Puts points onto the active curve where it is clicked."""
        self.take_tool(CurvePoints(operation), operation)

    def lay_strip(self, operation: Operation) -> None:
        """Draws a strip of quads over a part's surface by clicks."""
        if self._began(operation, {}, waiting=True):
            hint = "Click along another part's surface; width and count stand in the sentence; Enter lays the strip."
            self.take_tool(DrawLine(hint, partial(self._strip_along, operation), on_surface=True), operation)

    def finish_tool(self) -> bool:
        """Lets a tool that collects places make what was drawn; whether there is one."""
        tool = self.window.panes.hands.tool
        if isinstance(tool, Knife | DrawLine):
            tool.finish(self.window.view)
            self.window.panes.refresh()
            return True
        return False

    def move_guide(self) -> None:
        """Takes the tool that moves and sizes guides."""
        if not self.window.session.document.guides:
            self.window.tell("There is no guide yet; add an image first.")
            return
        self.take_tool(MoveGuide())

    def calibrate_guide(self, operation: Operation) -> None:
        """Asks for two places of a guide and then for their true distance."""
        if not self.window.session.document.guides:
            self.window.tell("There is no guide yet; add an image first.")
            return
        self.take_tool(CalibrateGuide(partial(self._calibrate, operation)))

    def edit_guide(self, guide: Guide, **changes: Any) -> None:
        """Changes how a guide looks."""
        self.window.attempt(lambda: self.window.session.do(keys.SET_GUIDE, name=guide.name, **changes))

    def project_guide(self, guide: Guide) -> None:
        """Projects a guide onto the active part, or no longer."""
        document = self.window.session.document
        if document.parts:
            self.edit_guide(guide, onto="" if guide.onto == document.active else document.part.name)

    # Helpers

    def _began(self, operation: Operation, values: dict[str, Any], waiting: bool = False) -> bool:
        return self.window.attempt(lambda: self.window.sentence.start(operation, values, waiting))

    def _cut_along(self, operation: Operation, path: list[dict[str, Any]], closed: bool) -> bool:
        values = {**self.window.sentence.running.numbers(operation), "path": tuple(path), "closed": closed}
        done = self._began(operation, values)
        self.window.view.setFocus()
        return done

    def _cut_through(self, plane: tuple[Floats, Floats]) -> None:
        point, normal = (tuple(float(value) for value in vector) for vector in plane)
        if self.window.view.kind != "faces" or self.window.session.selection.kind != "faces":
            self.window.attempt(self.window.session.select_none)
        self._began(REGISTRY.by_tool("plane seen on edge"), {"plane": (point, normal)})
        self.window.view.setFocus()

    def _loop_at(self, operation: Operation, selection: Selection, ratio: float) -> None:
        self.window.session.set_selection(selection)
        self._began(operation, {"ratio": ratio})
        self.window.view.setFocus()

    def _curve_through(self, places: list[Floats], parts: list[str]) -> None:
        points = tuple(tuple(round(float(value), 4) for value in place) for place in places)
        closed = points[0] == points[-1]
        self.take_tool(None)
        # Drawn on one part from end to end, it stays on that between its points too, where that is shown as it will be.
        onto = None
        if len(set(parts)) == 1 and parts[0]:
            under = self.window.session.document.by_id(parts[0])
            if self.window.stage.is_smooth(under) or (under.level == 0 and not under.limit):
                onto = under.name
        values = {"points": points[: len(points) - closed], "kind": "smooth", "closed": closed, "onto": onto}
        self._began(REGISTRY.by_tool("places"), values)

    def _strip_along(self, operation: Operation, places: list[Floats], parts: list[str]) -> None:
        path = tuple(tuple(float(value) for value in place) for place in places)
        document, part = self.window.session.document, parts[0]
        onto = document.by_id(part).name if part and part != document.active else None
        self._began(operation, {**self.window.sentence.running.numbers(operation), "path": path, "onto": onto})
        self.window.view.setFocus()

    def _calibrate(self, operation: Operation, name: str, start: tuple[float, float], end: tuple[float, float]) -> None:
        apart = float(np.hypot(end[0] - start[0], end[1] - start[1]))
        self.take_tool(None)
        values = {"name": name, "start": start, "end": end, "length": max(apart, 1e-6)}
        if self._began(operation, values, waiting=True):
            self.window.sentence.focus("length")
            now = format_length(apart, self.window.session.document.unit)
            self.window.tell(f"They are {now} apart now; type how far apart they truly are.")

    def _brush(self, operation: Operation) -> dict[str, Any]:
        """The brush as it was last used, or of a tenth of the part's size."""
        session = self.window.session
        if session.state.key == operation.key:
            numbers = dict(session.state.parameters)
            return {name: numbers[name] for name in ("mode", "radius", "strength")}
        extent = self.window.stage.extent(session.document.active) if session.document.parts else np.zeros((0, 3))
        size = float(np.linalg.norm(np.ptp(extent, axis=0))) if len(extent) else 100.0
        return {"radius": float(np.round(max(size / 10.0, 0.1), 1))}
