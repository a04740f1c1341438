"""Opening, saving and exporting: what the File menu does."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from levelloop.app.commands.files.dialogs import file_to_open, file_to_write, may_discard, may_replace, may_revert
from levelloop.app.commands.files.recent import remember
from levelloop.core.words import counted
from levelloop.document.guides import ENDINGS
from levelloop.document.importing import imported
from levelloop.document.scripting.units import told_in
from levelloop.document.session import Session
from levelloop.files import (
    DOCUMENT_WRITERS,
    notes_on,
    notes_on_meshes,
    outputs_for,
    read_document,
    write_document,
    write_meshes,
)
from levelloop.files.errors import ChangedOnDiskError

if TYPE_CHECKING:
    from levelloop.app.window import Window


class FileCommands:
    """Commands on the file of a window's document."""

    def __init__(self, window: Window) -> None:
        self.window = window

    def new_document(self) -> None:
        """An empty document, after asking about unsaved changes."""
        if self.may_leave():
            self.window.adopt(Session(self.window.preferences.new_document()))

    def open_path(self, path: Path) -> bool:
        """Opens a file; where it cannot be read the present document stays as it is."""
        opened: list[Session] = []

        def read() -> None:
            opened.append(self.window.runner.run(lambda: Session.open(path), f"Opening {path.name}"))

        if not self.window.attempt(read):
            return False
        session = opened[0]
        self.window.adopt(session)
        remember(path)
        parts = session.document.parts
        all_triangles = any(part.mesh.n_faces > 1 and (part.mesh.topology.face_sizes == 3).all() for part in parts)
        offer = " It is all triangles: Mend › To quads joins them in pairs." if all_triangles else ""
        self.window.tell(f"Opened {path.name}.{offer}")
        return True

    def open_recent(self, path: Path) -> None:
        """Opens a file, after asking about unsaved changes."""
        if self.may_leave():
            self.open_path(path)

    def open_demo(self) -> None:
        """The demo document, after asking about unsaved changes."""
        if self.may_leave():
            from levelloop.demo.build import demo_document

            self.window.adopt(Session(demo_document()))

    def save_path(self, path: Path) -> bool:
        """Saves the document under a path."""
        done = False

        def save(replace_newer: bool = False) -> None:
            nonlocal done
            try:
                session = self.window.session
                self.window.runner.run(lambda: session.save(path, replace_newer), f"Saving {path.name}")
                done = True
            except ChangedOnDiskError as error:
                if replace_newer or not may_replace(self.window, str(error)):
                    raise
                save(replace_newer=True)

        self.window.attempt(save)
        if done:
            self.window.starting.forget()
            remember(path, self.window.view.grab())
            self.window.tell(" ".join((f"Saved {path.name}.", *notes_on(self.window.session.document, path))))
        self.window.refresh_title()
        return done

    def import_path(self, path: Path) -> bool:
        """Adds the parts of a file to the document."""

        def run() -> None:
            session = self.window.session
            other = self.window.runner.run(lambda: read_document(path), f"Reading {path.name}")
            session.apply(imported(session.document, other), f"Import {path.name}", session.state.selections)
            self.window.tell(f"Imported {counted(len(other.parts), 'part')} from {path.name}.")

        return self.window.attempt(run)

    def export_path(self, path: Path) -> bool:
        """Writes all visible parts, smoothed to their own levels, by the path's ending."""

        def write() -> None:
            parts, unit = self.window.session.document.given_out, self.window.session.document.unit

            def smooth_and_write() -> str:
                meshes = outputs_for(parts, path)
                write_meshes(meshes, path)
                counts = f"{counted(len(parts), 'part')}, {counted(sum(mesh.n_faces for _, mesh in meshes), 'face')}"
                notes = [told_in(note, unit) for note in notes_on_meshes(meshes, path)]
                return " ".join((f"Wrote {path.name}: {counts}.", *notes))

            self.window.tell(self.window.runner.run(smooth_and_write, f"Writing {path.name}"))

        return self.window.attempt(write)

    def may_leave(self) -> bool:
        """Whether the document may be left: nothing is unsaved, or the person has decided about it."""
        if self.window.session.is_saved or self.window.property("unattended"):
            return True
        return may_discard(self.window, self.save)

    def ask_open(self) -> None:
        """Opens a file that the person chooses."""
        path = file_to_open(self.window) if self.may_leave() else None
        if path is not None:
            self.open_path(path)

    def save(self) -> bool:
        """Saves the document under its own name, or asks for one."""
        return self.ask_save() if self.window.session.path is None else self.save_path(self.window.session.path)

    def ask_save(self) -> bool:
        """Saves the document under a name that the person chooses."""
        path = file_to_write(self.window, "Save as", DOCUMENT_WRITERS)
        return path is not None and self.save_path(path)

    def ask_import(self) -> None:
        """Adds the parts of a file that the person chooses."""
        path = file_to_open(self.window)
        if path is not None:
            self.import_path(path)

    def save_copy(self) -> bool:
        """Writes the document under another name, and goes on under its own."""
        path = file_to_write(self.window, "Save a copy", DOCUMENT_WRITERS)
        if path is None:
            return False
        document = self.window.session.document

        def write() -> None:
            self.window.runner.run(lambda: write_document(document, path), f"Writing {path.name}")
            self.window.tell(f"Wrote a copy to {path.name}.")

        return self.window.attempt(write)

    def save_version(self) -> bool:
        """Saves under the next number: jar.usda, jar 2.usda, jar 3.usda."""
        path = self.window.session.path
        return self.ask_save() if path is None else self.save_path(next_version(path))

    def revert(self) -> None:
        """Opens the document as it was last saved; what was done since goes, after asking."""
        path = self.window.session.path
        if path is None:
            self.window.tell("This document has not been saved yet.")
        elif self.window.session.is_saved:
            self.window.tell("Nothing has changed since it was saved.")
        elif self.window.property("unattended") or may_revert(self.window, path.name):
            self.open_path(path)

    def drop(self, paths: Sequence[Path]) -> None:
        """Takes up files that were dropped on the window: images as guides, the first document, meshes as parts."""
        for path in paths:
            if path.suffix.lower() in ENDINGS:
                self.window.on_view.add_guide(path)
            elif self.window.session.document.is_blank:
                self.open_path(path)
            else:
                self.import_path(path)


def next_version(path: Path) -> Path:
    """The next free name of a numbered file: jar → jar 2 → jar 3."""
    stem, number = path.stem, 1
    found = re.fullmatch(r"(.*?) (\d+)", stem)
    if found:
        stem, number = found[1], int(found[2])
    while True:
        number += 1
        wanted = path.with_name(f"{stem} {number}{path.suffix}")
        if not wanted.exists():
            return wanted
