"""What is done to parts from menus: hiding, showing, copying, pasting, looks and order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QMenu

from levelloop.core.words import counted
from levelloop.document.document import COLOURS, Part
from levelloop.document.operations import keys
from levelloop.document.registry import Operation
from levelloop.document.running.part_edits import copied, in_group, paste

if TYPE_CHECKING:
    from levelloop.app.window import Window


class PartCommands:
    """Commands on the parts of a window's document, and what was copied last."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._copied: Part | None = None
        # By the names that operations give their questions.
        self.tools: dict[str, Callable[[Operation], None]] = {"parts out": lambda _: self.remove_part()}

    def hide(self, rest: bool) -> None:
        """Hides what is selected, or the rest: elements, or parts; with nothing selected shows all."""
        session = self.window.session
        if not session.document.parts:
            return
        chosen = {part.id for part in session.state.parts_chosen}
        if self.window.view.kind == "parts":
            words = "the part" if len(chosen) == 1 else f"{len(chosen)} parts"
            if rest:
                self._show_parts(lambda part: part.id in chosen, "Hide the other parts")
            elif any(part.visible for part in session.state.parts_chosen):
                self._show_parts(lambda part: part.visible and part.id not in chosen, f"Hide {words}")
            else:
                self.show_hidden()
        elif session.state.shown_selections:
            self.window.attempt(lambda: session.do(keys.HIDE, rest=rest))
        elif rest:
            self._show_parts(lambda part: part.id in chosen, "Hide the other parts")
        else:
            self.show_hidden()

    def show_hidden(self) -> None:
        """Shows hidden elements of all parts, and hidden parts."""
        document = self.window.session.document
        parts = tuple(
            replace(part, visible=True, mesh=replace(part.mesh, hidden=np.zeros(part.mesh.n_faces, dtype=np.bool_)))
            if not part.visible or part.mesh.hidden.any()
            else part
            for part in document.parts
        )
        if any(new is not old for new, old in zip(parts, document.parts, strict=True)):
            self.window.session.apply(replace(document, parts=parts), "Show all that is hidden")

    def _show_parts(self, shown: Callable[[Part], bool], sentence: str) -> None:
        document = self.window.session.document
        parts = tuple(
            part if part.visible == shown(part) else replace(part, visible=shown(part)) for part in document.parts
        )
        self.window.session.apply(replace(document, parts=parts), sentence)

    def toggle_part(self) -> None:
        """Hides the active part, or shows it."""

        def run() -> None:
            self.window.session.do(keys.SET_PART, visible=not self.window.session.part.visible)

        self.window.attempt(run)

    def show_all_parts(self) -> None:
        """Shows every part."""
        document = self.window.session.document
        parts = tuple(part if part.visible else replace(part, visible=True) for part in document.parts)
        if parts != document.parts:
            self.window.session.apply(replace(document, parts=parts), "Show all parts")

    def remove_part(self) -> None:
        """Takes the parts that are chosen out of the document."""
        session = self.window.session
        chosen = session.state.parts_chosen
        if len(chosen) < 2:
            self.window.attempt(lambda: session.do(keys.REMOVE_PART))
            return
        document = session.document
        for part in chosen:
            document = document.without(part.id)
        kept = {part.id: session.state.selection(part.id) for part in document.parts}
        session.apply(document, f"Remove {len(chosen)} parts", kept)

    def menu(self, place: QPoint) -> None:
        """The menu of the active part, at a place on the screen."""
        if not self.window.session.document.parts:
            return
        group = self.window.parts.group_at(place)
        if group:
            self._group_menu(group, place)
            return
        menu = QMenu(self.window)
        menu.addAction("Rename").triggered.connect(self._rename_row)
        menu.addAction("Show or hide").triggered.connect(self.toggle_part)
        menu.addAction("Frame").triggered.connect(self._frame_part)
        part = self.window.session.part
        menu.addAction("Unlock" if part.locked else "Lock").triggered.connect(
            lambda: self._set_part(locked=not part.locked)
        )
        menu.addAction("No helper any more" if part.helper else "Make a helper").triggered.connect(
            lambda: self._set_part(helper=not part.helper)
        )
        menu.addAction("Group").triggered.connect(lambda: self.window.start(keys.GROUP_PART))
        faded = menu.addMenu("Opacity")
        for share in (1.0, 0.6, 0.3):
            faded.addAction(f"{share:.0%}").triggered.connect(
                lambda _=False, share=share: self._set_part(opacity=share)
            )
        tinted = menu.addMenu("Colour")
        for tone in COLOURS:
            chip = QPixmap(14, 14)
            chip.fill(QColor(tone))
            tinted.addAction(QIcon(chip), tone).triggered.connect(
                lambda _=False, tone=tone: self._set_part(colour=tone)
            )
        for title, by in (("Further up", -1), ("Further down", 1)):
            menu.addAction(title).triggered.connect(lambda _=False, by=by: self._move_part(by))
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(self.remove_part)
        menu.exec(place)
        menu.deleteLater()

    def _group_menu(self, group: str, place: QPoint) -> None:
        """The menu of a group: what is done to all its parts."""
        session = self.window.session
        parts = in_group(session.document, group)
        session.choose_parts([part.id for part in parts])
        menu = QMenu(self.window)
        menu.addSection(f"{group.split('/')[-1]}: {counted(len(parts), 'part')}")
        self.window.on_recipe.offer_to_group(menu, group)
        if session.document.group_recipes.get(group):
            menu.addAction("Make its recipe plain").triggered.connect(
                lambda: self.window.attempt(lambda: session.bake_steps(group=group))
            )
        menu.addAction("Frame").triggered.connect(self._frame_part)
        menu.addSeparator()
        menu.addAction("Remove").triggered.connect(self.remove_part)
        menu.exec(place)
        menu.deleteLater()

    def _frame_part(self) -> None:
        self.window.session.select_none()
        self.window.view.frame()

    def _set_part(self, **looks: Any) -> None:
        session = self.window.session
        count = len(session.state.parts_chosen)
        if count > 1:
            self.window.attempt(lambda: session.edit_chosen(f"Change {count} parts", **looks))
        else:
            self.window.attempt(lambda: session.do(keys.SET_PART, **looks))

    def _move_part(self, by: int) -> None:
        """Moves the active part up or down in the list."""
        document = self.window.session.document
        parts = list(document.parts)
        here = next(i for i, part in enumerate(parts) if part.id == document.active)
        there = min(max(here + by, 0), len(parts) - 1)
        if there != here:
            parts.insert(there, parts.pop(here))
            self.window.session.apply(replace(document, parts=tuple(parts)), f"Move “{document.part.name}” in the list")

    def copy(self) -> None:
        """Keeps the selected faces, or the active part, to be pasted."""

        def run() -> None:
            self._copied = copied(self.window.session.document, self.window.session.state.selections)
            self.window.tell(f"Copied {self._copied.mesh.n_faces:,} faces.")

        self.window.attempt(run)

    def paste(self, into: bool) -> None:
        """Puts what was copied into the active part, or into a part of its own."""
        if self._copied is None:
            self.window.tell("There is nothing to paste yet; copy something first.")
            return
        piece = self._copied

        def run() -> None:
            change = paste(self.window.session.document, self.window.session.state.selections, piece, into)
            where = "the part" if into else "a part of its own"
            sentence = f"Paste {piece.mesh.n_faces:,} faces into {where}"
            self.window.session.apply(change.document, sentence, change.selections)

        self.window.attempt(run)

    def _rename_row(self) -> None:
        self.window.parts.begin_rename(self.window.parts.list.currentRow())
