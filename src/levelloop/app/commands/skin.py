"""Skin commands: materials of the list given, changed, looked for and dropped onto the views."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint

from levelloop.document.operations import keys

if TYPE_CHECKING:
    from levelloop.app.window import Window


class SkinCommands:
    """What the list of materials asks for."""

    def __init__(self, window: Window) -> None:
        self.window = window
        panel = window.materials
        panel.given.connect(self.give)
        panel.changed.connect(self.change)
        panel.found.connect(self.find)
        panel.removed.connect(self.remove)
        panel.asked_new.connect(lambda: window.start(keys.MATERIAL))

    def give(self, name: str) -> None:
        """Gives a material to the selected faces, or to all of the part; the views show materials."""
        window = self.window
        if self.window.attempt(lambda: window.session.do(keys.SET_MATERIAL, material=name)):
            window.on_view.set_look(materials=True)

    def change(self, name: str) -> None:
        """Opens a material's numbers in the sentence."""
        made_of = next((one for one in self.window.session.document.materials if one.name == name), None)
        values = {"name": name}
        if made_of is not None:
            values["colour"] = made_of.colour
        self.window.operating.begin_with(keys.MATERIAL, values)

    def find(self, name: str) -> None:
        """Selects the faces of the active part that have a material."""
        self.window.attempt(lambda: self.window.session.select_where("faces", material=name))

    def remove(self, name: str) -> None:
        """Takes a material away: what had it is plain again."""
        self.window.attempt(lambda: self.window.session.do(keys.REMOVE_MATERIAL, name=name))

    def drop(self, name: str, place: QPoint) -> bool:
        """Gives a material to what lies under a place of the window; whether something does.

        A face; all that is selected where it is one of that; the whole part where parts are selected.
        """
        window, session = self.window, self.window.session
        for view in window.panes.views:
            at = view.mapFrom(window, place)
            if view.isHidden() or not view.rect().contains(at):
                continue
            hit = view.pick_at(at, "faces")
            if hit is None:
                window.tell("Drop it onto a part.")
                return False
            part = hit.picture.part
            session.activate(part.id)
            if window.view.kind == "parts":
                session.select_none()
            elif session.selection.kind != "faces" or hit.index not in session.selection.indices:
                session.select(faces=[hit.index])
            self.give(name)
            return True
        return False
