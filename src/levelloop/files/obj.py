"""Wavefront OBJ, the open text format: cages in and out with their polygons kept.

Reads points, faces, objects and groups; each object becomes a part. Numbers are millimetres.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np

from levelloop.core.arrays import inverse_of, offsets_from_sizes
from levelloop.core.errors import MeshError
from levelloop.core.mesh import Mesh
from levelloop.core.topology import Topology
from levelloop.files.errors import FileError

_AFTER_SLASH = re.compile(r"/[^ \t\n]*")
_SPACES = re.compile(r"[ \t]+")
_INDENTED = re.compile(r"^[ \t]+[vf]", re.MULTILINE)
# Lines of a plain file begin so, or are empty; others are read one by one.
_PLAIN = ("v", "f", "o", "g", "s", "u", "m", "#", "")


def read_obj(path: Path) -> list[tuple[str, Mesh]]:
    """The named meshes of an OBJ file. Raises FileError with the line where something is wrong."""
    try:
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror}.") from error
    lines = text.replace("\\\n", " ").replace("\\\r\n", " ").splitlines()
    # The plain case at once; where anything is odd, line by line, which also finds the line that is wrong.
    content = _read_plain(lines) or _read_lines(path, lines)
    if len(content.points) == 0:
        raise FileError(f"{path.name} holds no points; it is empty or no OBJ file.")
    try:
        topology = Topology(offsets_from_sizes(content.sizes), content.corners, len(content.points))
        whole = Mesh(topology, content.points)
    except MeshError as error:
        raise FileError(f"{path.name}: {error}") from error
    names = [name for _, name in content.objects]
    owner = np.searchsorted([first for first, _ in content.objects], np.arange(len(content.sizes)), side="right") - 1
    used = list(dict.fromkeys(names[i] if i >= 0 else path.stem for i in np.unique(owner).tolist()))
    if len(used) <= 1:
        return [(used[0] if used else path.stem, whole)]
    # Objects of one name are one part.
    number = np.array(
        [used.index(name) if name in used else -1 for name in names]
        + [used.index(path.stem) if path.stem in used else -1]
    )
    return [(name, _taken(whole, np.flatnonzero(number[owner] == i))) for i, name in enumerate(used)]


def write_obj(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes named meshes, each as an object, polygons kept, in millimetres."""
    first = 1
    with path.open("w", encoding="utf-8") as stream:
        stream.write("# Level Loop, millimetres, Z up\n")
        for name, mesh in meshes:
            stream.write(f"o {name.replace(chr(10), ' ')}\n")
            stream.writelines([f"v {x!r} {y!r} {z!r}\n" for x, y, z in mesh.points.tolist()])
            corners = list(map(str, (mesh.topology.corners + first).tolist()))
            offsets = mesh.topology.face_offsets.tolist()
            stream.writelines(["f " + " ".join(corners[a:b]) + "\n" for a, b in pairwise(offsets)])
            first += mesh.n_points


# Helpers


@dataclass(frozen=True, eq=False)
class _Content:
    """What a file lists: points (n, 3), sizes (m,) and corners of faces, and (first face, name) of its objects."""

    points: np.ndarray
    sizes: np.ndarray
    corners: np.ndarray
    objects: list[tuple[int, str]]


def _read_plain(lines: list[str]) -> _Content | None:
    """A file of plain points and faces, in a few passes over all of it; None where something in it is odd."""
    point_lines = [line[2:] for line in lines if line.startswith("v ")]
    faces_text = "\n".join([line[2:].strip() for line in lines if line.startswith("f ")])
    if "/" in faces_text:
        faces_text = _AFTER_SLASH.sub("", faces_text)
    if "  " in faces_text or "\t" in faces_text:
        faces_text = _SPACES.sub(" ", faces_text)
    odd = "-" in faces_text or _INDENTED.search("\n".join(lines[:1000])) is not None
    if odd or not point_lines or not all(line[:1] in _PLAIN for line in lines):
        return None
    places = _numbers(" ".join(point_lines), np.float64)
    corners = _numbers(faces_text, np.int64)
    if places is None or corners is None or len(places) != 3 * len(point_lines):
        return None
    face_lines = faces_text.split("\n") if faces_text else []
    sizes = np.array([line.count(" ") for line in face_lines], dtype=np.int64) + 1
    corners -= 1
    if sizes.sum() != len(corners) or (len(sizes) and sizes.min() < 3) or (len(corners) and corners.min() < 0):
        return None
    return _Content(places.reshape(-1, 3), sizes, corners, _objects(lines))


def _numbers(text: str, kind: type) -> np.ndarray | None:
    """All numbers in a text, None where something in it is none."""
    with warnings.catch_warnings():
        # NumPy warns, and stops, at the first word that is no number.
        warnings.simplefilter("error", DeprecationWarning)
        try:
            return np.fromstring(text, dtype=kind, sep=" ")
        except (DeprecationWarning, ValueError):
            return None


def _objects(lines: list[str]) -> list[tuple[int, str]]:
    objects, face = [], 0
    if not any(line.startswith("o ") for line in lines):
        return []
    for line in lines:
        if line.startswith("f "):
            face += 1
        elif line.startswith("o "):
            objects.append((face, line[2:].strip()))
    return objects


def _read_lines(path: Path, lines: list[str]) -> _Content:
    """Any file, line by line. Raises FileError with the line where something is wrong."""
    points: list[list[float]] = []
    corners: list[int] = []
    sizes: list[int] = []
    objects: list[tuple[int, str]] = []
    for number, line in enumerate(lines, start=1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        if words[0] == "v":
            if len(words) < 4:
                raise FileError(f"{path.name}, line {number}: a point needs three numbers.")
            try:
                points.append([float(word) for word in words[1:4]])
            except ValueError as error:
                raise FileError(f"{path.name}, line {number}: a point has something that is no number.") from error
        elif words[0] == "f":
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
        elif words[0] == "o":
            objects.append((len(sizes), " ".join(words[1:]) or path.stem))
    table = np.array(points, dtype=np.float64).reshape(-1, 3)
    return _Content(table, np.array(sizes, dtype=np.int64), np.array(corners, dtype=np.int64), objects)


def _taken(whole: Mesh, faces: np.ndarray) -> Mesh:
    """Some faces with the points they use, in their old order."""
    corners = whole.topology.corners[whole.topology.corners_of_faces(faces)]
    used = np.unique(corners)
    offsets = offsets_from_sizes(whole.topology.face_sizes[faces])
    topology = Topology(offsets, inverse_of(used, whole.n_points)[corners], len(used))
    return Mesh(topology, whole.points[used])
