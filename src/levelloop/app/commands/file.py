"""Opening, saving and exporting: what the File menu does."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from levelloop.app.commands.file_dialogs import file_to_open, file_to_write, may_discard, may_replace
from levelloop.app.commands.recent import remember
from levelloop.core.words import counted
from levelloop.document.session import Session
from levelloop.files import DOCUMENT_WRITERS, MESH_WRITERS, Named, notes_on, notes_on_meshes, outputs_for, write_meshes
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
            self.window.adopt(Session.new())

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
        offer = " It is all triangles: Build › To quads joins them in pairs." if all_triangles else ""
        self.window.tell(f"Opened {path.name}.{offer}")
        return True

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
            self.window.tell(" ".join((f"Saved {path.name}.", *notes_on(self.window.session.document))))
        self.window.refresh_title()
        return done

    def export_path(self, path: Path) -> bool:
        """Writes all visible parts, smoothed to their own levels, by the path's ending."""

        def write() -> None:
            parts = self.window.session.document.given_out

            def smooth_and_write() -> Named:
                made = outputs_for(parts, path)
                write_meshes(made, path)
                return made

            meshes = self.window.runner.run(smooth_and_write, f"Writing {path.name}")
            counts = f"{counted(len(parts), 'part')}, {counted(sum(mesh.n_faces for _, mesh in meshes), 'face')}"
            self.window.tell(" ".join((f"Wrote {path.name}: {counts}.", *notes_on_meshes(meshes, path))))

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

    def ask_export(self) -> bool:
        """Writes the smooth surfaces to a file that the person chooses."""
        path = file_to_write(self.window, "Export", [".stl", *(ending for ending in MESH_WRITERS if ending != ".stl")])
        return path is not None and self.export_path(path)
