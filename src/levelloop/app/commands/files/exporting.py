"""Export as a sentence: what, at which level, counted in what, as which kind of file; its readiness stands beside."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from levelloop.app.commands.files.dialogs import file_to_write
from levelloop.core.errors import EditError
from levelloop.core.review.findings import Purpose
from levelloop.core.words import counted
from levelloop.document.parameters import Choice
from levelloop.document.part import Part
from levelloop.document.registry import Operation
from levelloop.document.scripting.units import MILLIMETRES, told_in
from levelloop.files import MESH_WRITERS, Named, notes_on_meshes, outputs_for, write_meshes

if TYPE_CHECKING:
    from levelloop.app.window import Window

AS_MEANT, CAGE, LIMIT = "as each is given out", "as cages", "at the limit"
LEVELS = (AS_MEANT, CAGE, *(f"at level {level}" for level in range(1, 7)), LIMIT)
WITHOUT_UNIT = (".stl", ".obj", ".ply")  # kinds of file whose numbers say nothing of what they count
FORMATS = tuple(sorted(MESH_WRITERS, key=lambda ending: ending != ".stl"))
FOR_PRINT = (".stl", ".3mf")

# A question that is asked as operations are; what it comes to is a file, not a document.
QUESTION = Operation(
    "",
    "Export",
    "File",
    lambda document: document,
    "Export {what} {level}, counted in {unit}, as {format}, {files}",
    "The smooth surfaces as a file for other programs",
    "document",
    (
        Choice("what", "all that is shown", "Which parts", words=("all that is shown", "the chosen parts")),
        Choice("level", AS_MEANT, "How smooth", words=LEVELS),
        Choice("unit", "mm", "What the numbers of an STL, OBJ or PLY file count", words=tuple(MILLIMETRES)),
        Choice("format", FORMATS[0], "The kind of file", words=FORMATS),
        Choice("files", "in one file", "Several parts", words=("in one file", "a file each")),
    ),
)


class Exporting:
    """Asks for an export in the sentence bar and writes it."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._last: dict[str, Any] = {}

    def ask(self) -> None:
        """Opens the sentence."""
        if not self.window.session.document.given_out:
            self.window.tell("There is no part to export; helpers and hidden parts are left out.")
            return
        self.window.sentence.ask(QUESTION, self._last, self._keep, self._note)

    def write(self, values: Mapping[str, Any], path: Path) -> bool:
        """Writes what a sentence says under a path; whether it could."""

        def run() -> None:
            parts = self._parts(values)
            made = self.window.runner.run(lambda: _written(parts, values, path), f"Writing {path.name}")
            faces = counted(sum(mesh.n_faces for _, mesh in made), "face")
            where = path.name if values["files"] == "in one file" else counted(len(made), "file")
            notes = [told_in(note, self.window.session.document.unit) for note in notes_on_meshes(made, path)]
            self.window.tell(" ".join((f"Wrote {where}: {counted(len(parts), 'part')}, {faces}.", *notes)))

        return self.window.attempt(run)

    # Helpers

    def _parts(self, values: Mapping[str, Any]) -> tuple[Part, ...]:
        document = self.window.session.document
        if values["what"] == "all that is shown":
            return document.given_out
        return self.window.session.state.parts_chosen

    def _keep(self, values: dict[str, Any]) -> None:
        self._last = values
        path = file_to_write(self.window, "Export", [values["format"]])
        if path is not None:
            self.write(values, path)

    def _note(self, values: Mapping[str, Any]) -> str:
        """How ready it is for what such a file is for."""
        purpose: Purpose = "print" if values["format"] in FOR_PRINT else "render"
        ids = {part.id for part in self._parts(values)}
        found = self.window.review.stops(purpose, ids)
        return f"✓ ready to {purpose}" if not found else f"■ {found} to look at before a {purpose}"


def _written(parts: tuple[Part, ...], values: Mapping[str, Any], path: Path) -> Named:
    level, limit = _level_of(values["level"])
    made = outputs_for(parts, path, level, limit)
    if values["unit"] != "mm":
        if path.suffix.lower() not in WITHOUT_UNIT:
            raise EditError(f"{path.suffix} says its own unit, and that is millimetres.")
        size = 1.0 / MILLIMETRES[values["unit"]]
        made = [(name, mesh.with_points(mesh.points * size)) for name, mesh in made]
    if values["files"] == "in one file":
        write_meshes(made, path)
        return made
    for name, mesh in made:
        safe = "".join(letter if letter.isalnum() or letter in " -_." else "_" for letter in name)
        write_meshes([(name, mesh)], path.with_name(f"{path.stem} {safe}{path.suffix}"))
    return made


def _level_of(words: str) -> tuple[int | None, bool | None]:
    if words == AS_MEANT:
        return None, None
    if words == LIMIT:
        return None, True
    return (0 if words == CAGE else int(words.split()[-1])), False
