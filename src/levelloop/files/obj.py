"""Wavefront OBJ, the open text format: cages in and out with their polygons kept.

Reads points, faces, objects and groups; each object becomes a part. Numbers are millimetres.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from levelloop.core.arrays import inverse_of, offsets_from_sizes
from levelloop.core.errors import MeshError
from levelloop.core.mesh import Mesh
from levelloop.core.topology import Topology
from levelloop.files.errors import FileError


def read_obj(path: Path) -> list[tuple[str, Mesh]]:
    """The named meshes of an OBJ file. Raises FileError with the line where something is wrong."""
    try:
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror}.") from error
    points: list[list[str]] = []
    corners: list[int] = []
    sizes: list[int] = []
    owners: list[int] = []
    names: list[str] = []
    owner = -1
    pending = path.stem
    for number, line in enumerate(text.replace("\\\n", " ").splitlines(), start=1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        if words[0] == "v":
            if len(words) < 4:
                raise FileError(f"{path.name}, line {number}: a point needs three numbers.")
            points.append(words[1:4])
        elif words[0] == "f":
            if owner < 0 or pending:
                owner, pending = _owner(names, pending or path.stem), ""
            if len(words) < 4:
                raise FileError(f"{path.name}, line {number}: a face needs at least three corners.")
            for word in words[1:]:
                try:
                    index = int(word.split("/", 1)[0])
                except ValueError as error:
                    raise FileError(f'{path.name}, line {number}: "{word}" is no corner of a face.') from error
                place = index - 1 if index > 0 else len(points) + index
                # A positive index may name a point further down; those are checked at the end.
                if index == 0 or place < 0:
                    raise FileError(f"{path.name}, line {number}: there is no point {index}.")
                corners.append(place)
            sizes.append(len(words) - 1)
            owners.append(owner)
        elif words[0] == "o":
            pending = " ".join(words[1:]) or path.stem
    if not points:
        raise FileError(f"{path.name} holds no points; it is empty or no OBJ file.")
    try:
        places = np.array(points, dtype=np.float64)
        topology = Topology(offsets_from_sizes(np.array(sizes, dtype=np.int64)), corners, len(places))
        whole = Mesh(topology, places)
    except ValueError as error:
        raise FileError(f"{path.name}: a point has something that is no number.") from error
    except MeshError as error:
        raise FileError(f"{path.name}: {error}") from error
    if len(names) <= 1:
        return [(names[0] if names else path.stem, whole)]
    return [(name, _taken(whole, np.flatnonzero(np.array(owners) == i))) for i, name in enumerate(names)]


def write_obj(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes named meshes, each as an object, polygons kept, in millimetres."""
    lines = ["# Level Loop, millimetres, Z up"]
    first = 1
    for name, mesh in meshes:
        lines.append(f"o {name.replace(chr(10), ' ')}")
        lines += [f"v {x!r} {y!r} {z!r}" for x, y, z in mesh.points.tolist()]
        outlines = np.split(mesh.topology.corners + first, mesh.topology.face_offsets[1:-1])
        if mesh.n_faces:
            lines += ["f " + " ".join(map(str, outline.tolist())) for outline in outlines]
        first += mesh.n_points
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _owner(names: list[str], name: str) -> int:
    if name not in names:
        names.append(name)
    return names.index(name)


def _taken(whole: Mesh, faces: np.ndarray) -> Mesh:
    """Some faces with the points they use, in their old order."""
    corners = whole.topology.corners[whole.topology.corners_of_faces(faces)]
    used = np.unique(corners)
    offsets = offsets_from_sizes(whole.topology.face_sizes[faces])
    topology = Topology(offsets, inverse_of(used, whole.n_points)[corners], len(used))
    return Mesh(topology, whole.points[used])
