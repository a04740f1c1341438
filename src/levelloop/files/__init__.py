"""Files by their ending: one table that dialogs, the command line and the session read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path

import numpy as np

from levelloop.core.mesh.mesh import Mesh
from levelloop.core.progress import pieces
from levelloop.core.words import shortened
from levelloop.document.document import Document, document_of_meshes
from levelloop.document.part import Part
from levelloop.files.atomic import replacing
from levelloop.files.errors import FileError, guarded
from levelloop.files.obj import read_obj, write_obj
from levelloop.files.ply import read_ply, write_ply
from levelloop.files.reading import check_regular
from levelloop.files.stl import read_stl, write_stl
from levelloop.files.usd.read import read_usd
from levelloop.files.usd.write import MOST_RESULT, without_result, write_usd, write_usd_meshes

Named = Sequence[tuple[str, Mesh]]


def _document_of_meshes(read: Callable[[Path], Named]) -> Callable[[Path], Document]:
    def document_of(path: Path) -> Document:
        return document_of_meshes(read(path))

    return document_of


READERS: dict[str, Callable[[Path], Document]] = {
    ".usda": read_usd,
    ".usdc": read_usd,
    ".usd": read_usd,
    ".usdz": read_usd,
    ".obj": _document_of_meshes(read_obj),
    ".stl": _document_of_meshes(read_stl),
    ".ply": _document_of_meshes(read_ply),
}
DOCUMENT_WRITERS: dict[str, Callable[[Path, Document], None]] = {".usda": write_usd, ".usdc": write_usd}
MESH_WRITERS: dict[str, Callable[[Path, Named], None]] = {
    ".obj": write_obj,
    ".stl": write_stl,
    ".ply": write_ply,
    ".usda": write_usd_meshes,
    ".usdc": write_usd_meshes,
}
KEEP_NORMALS = (".obj", ".ply", ".usda", ".usdc")
SINGLE_PRECISION = (".stl", ".usda", ".usdc")
WORTH_SAYING = 1e-4  # of a part's size
TITLES = {
    ".usda": "OpenUSD, text",
    ".usdc": "OpenUSD, binary",
    ".usd": "OpenUSD",
    ".obj": "OBJ",
    ".usdz": "OpenUSD, packed",
    ".stl": "STL",
    ".ply": "PLY",
    ".png": "PNG, a picture",
    ".exr": "OpenEXR, a picture with its full range of light",
    ".svg": "SVG, a drawing",
}


def is_document(path: Path) -> bool:
    """Whether the ending is one that a whole document can be saved under."""
    return path.suffix.lower() in DOCUMENT_WRITERS


def read_document(path: Path) -> Document:
    """The document of a file, by its ending. Raises FileError."""
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise FileError(f"{shortened(path.name)} cannot be opened; files that can end in {_listed(READERS)}.")
    if not path.exists():
        raise FileError(f"{path} is not there.")
    check_regular(path)
    with guarded(path, "read"):
        return reader(path)


def write_document(document: Document, path: Path) -> None:
    """Saves a whole document, atomically. Raises FileError."""
    writer = DOCUMENT_WRITERS.get(path.suffix.lower())
    if writer is None:
        raise FileError(f"A document is saved as {_listed(DOCUMENT_WRITERS)}, not as “{path.suffix or path.name}”.")
    with replacing(path) as temporary:
        writer(temporary, document)


def read(path: str | Path) -> Document:
    """The document of a file: meshes are its parts. Raises FileError."""
    return read_document(Path(path))


def write(what: Document | Mesh | Mapping[str, Mesh], path: str | Path) -> None:
    """Writes a document, one mesh or named meshes under a path, by its ending. Raises FileError."""
    target = Path(path)
    if isinstance(what, Document):
        if is_document(target):
            write_document(what, target)
        else:
            write_meshes(outputs_for(what.given_out, target), target)
        return
    write_meshes([(target.stem, what)] if isinstance(what, Mesh) else list(what.items()), target)


def outputs_for(parts: Sequence[Part], path: Path, level: int | None = None, limit: bool | None = None) -> Named:
    """What parts leave the program as, for a file of that ending: with normals where it keeps them.

    level, limit: the parts' own where not given. Raises EditError where a step of one cannot run.
    """
    normals = path.suffix.lower() in KEEP_NORMALS
    return [(part.name, part.output(level, limit, normals)) for part in pieces(parts)]


def notes_on(document: Document, path: Path) -> list[str]:
    """What other programs will not find in a document that is saved under a path, in sentences."""
    notes = []
    large = ", ".join(f"“{part.name}”" for part in without_result(document, path.suffix))
    if large:
        notes.append(
            f"The file has the cage and the recipe of {large}, not what they come to, which is over "
            f"{MOST_RESULT[path.suffix.lower()]:,} faces; other programs see the cage there."
        )
    chaikin = ", ".join(f"“{part.name}”" for part in document.parts if part.mesh.scheme.creases == "chaikin")
    if chaikin:
        notes.append(
            f"USD has no word for creases evened out by the Chaikin rule ({chaikin}); other programs will smooth "
            "uneven creases there as they are."
        )
    return notes


def notes_on_meshes(meshes: Named, path: Path) -> list[str]:
    """What a file of that ending says less exactly than it is, in sentences: single precision far from the origin."""
    if path.suffix.lower() not in SINGLE_PRECISION:
        return []
    notes = []
    for name, mesh in meshes:
        size = float(np.ptp(mesh.points, axis=0).max()) if mesh.n_points else 0.0
        off = float(np.abs(mesh.points - mesh.points.astype(np.float32)).max(initial=0.0))
        if off > WORTH_SAYING * size:
            notes.append(
                f"“{name}” is off by up to {off:.3g} mm in this file, whose numbers are of single precision; "
                "move it nearer to the origin first."
            )
    return notes


def write_meshes(meshes: Named, path: Path) -> None:
    """Writes named meshes, atomically. Raises FileError."""
    writer = MESH_WRITERS.get(path.suffix.lower())
    if writer is None:
        raise FileError(f"A mesh is written as {_listed(MESH_WRITERS)}, not as “{path.suffix or path.name}”.")
    with replacing(path) as temporary:
        writer(temporary, meshes)


def _listed(table: Iterable[str]) -> str:
    endings = list(table)
    return ", ".join(endings[:-1]) + " or " + endings[-1]
