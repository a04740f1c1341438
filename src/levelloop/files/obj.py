"""Wavefront OBJ, the open text format: cages in and out with their polygons kept.

Reads points, faces, texture coordinates, objects, groups and material names; each object becomes a part, each group a
named set of faces. Numbers are millimetres.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from io import BytesIO, TextIOWrapper
from itertools import pairwise
from pathlib import Path

import numpy as np

from levelloop.core.arrays import connected_labels, distinct, group_order, mask_of, offsets_from_sizes, unique_rows
from levelloop.core.errors import MeshError
from levelloop.core.mesh.mesh import Mesh, NamedSet
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass
from levelloop.core.words import shortened
from levelloop.files.errors import FileError
from levelloop.files.reading import read_bytes
from levelloop.files.shading import shown_normals

_SPACE, _NEWLINE, _RETURN = ord(" "), ord("\n"), ord("\r")
# Lines of a plain file begin so, or are empty; others are read one by one.
_PLAIN_STARTS = np.frombuffer(b"vfogsum#\n\r", dtype=np.uint8)
_MARK_STARTS = np.frombuffer(b"ogu", dtype=np.uint8)
_NO_GROUP = "default"  # what the format calls being in no group


def read_obj(path: Path) -> list[tuple[str, Mesh]]:
    """The named meshes of an OBJ file. Raises FileError with the line where something is wrong."""
    data = read_bytes(path)
    # The plain case at once; where anything is odd, line by line, which also finds the line that is wrong.
    content = _read_plain(data) or _read_lines(path, _lines(data))
    if len(content.points) == 0:
        raise FileError(f"{path.name} holds no points; it is empty or no OBJ file.")
    topology = Topology(offsets_from_sizes(content.sizes), content.corners, len(content.points))
    whole = _with_tags(Mesh(topology, content.points), content)
    owner, names = _owners(content.marks, "o", topology.n_faces, path.stem)
    used = list(dict.fromkeys(names[i] for i in distinct(owner).tolist()))
    if len(used) <= 1:
        return [(used[0] if used else path.stem, whole)]
    # Objects of one name are one part.
    place = {name: number for number, name in enumerate(used)}
    number = np.array([place.get(name, -1) for name in names])
    return list(zip(used, _parts_of(whole, number[owner], len(used)), strict=True))


def write_obj(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes named meshes, each as an object, in millimetres.

    Polygons, UV, sets of faces, material names and wires are kept; normals are those that are shown.
    """
    first = first_uv = first_normal = 1
    with path.open("w", encoding="utf-8") as stream:
        stream.write("# Level Loop, millimetres, Z up\n")
        for name, mesh in meshes:
            stream.write(f"o {name.replace(chr(10), ' ')}\n")
            stream.writelines([f"v {x!r} {y!r} {z!r}\n" for x, y, z in mesh.points.tolist()])
            corners = list(map(str, (mesh.topology.corners + first).tolist()))
            if mesh.uv is not None:
                unique, number = unique_rows(mesh.uv)
                stream.writelines([f"vt {u!r} {v!r}\n" for u, v in unique.tolist()])
                uv_corners = (number + first_uv).tolist()
                corners = [f"{corner}/{uv}" for corner, uv in zip(corners, uv_corners, strict=True)]
                first_uv += len(unique)
            unique, number = unique_rows(np.round(shown_normals(mesh), 6) + 0.0)
            stream.writelines([f"vn {x:g} {y:g} {z:g}\n" for x, y, z in unique.tolist()])
            joint = "/" if mesh.uv is not None else "//"
            normals = (number + first_normal).tolist()
            corners = [f"{corner}{joint}{normal}" for corner, normal in zip(corners, normals, strict=True)]
            first_normal += len(unique)
            offsets = mesh.topology.face_offsets.tolist()
            faces = ["f " + " ".join(corners[a:b]) + "\n" for a, b in pairwise(offsets)]
            stream.writelines(_marked(mesh, faces))
            stream.writelines([f"l {a} {b}\n" for a, b in (mesh.topology.wires + first).tolist()])
            first += mesh.n_points


# Helpers


@dataclass(frozen=True, eq=False)
class _Content:
    """What a file lists.

    points (n, 3); sizes (m,), corners (k,) and UV corners (k,) of faces, −1 where there is none; uv (t, 2); wires
    (w, 2); marks: (first face, o | g | usemtl, name), in order.
    """

    points: np.ndarray
    sizes: np.ndarray
    corners: np.ndarray
    uv_corners: np.ndarray
    uv: np.ndarray
    wires: np.ndarray
    marks: list[tuple[int, str, str]]


def _read_plain(data: bytes) -> _Content | None:
    """A file of plain points and faces, in a few passes over all its bytes; None where something in it is odd."""
    text = np.frombuffer(data if data.endswith(b"\n") else data + b"\n", dtype=np.uint8)
    ends = np.flatnonzero(text == _NEWLINE)
    starts = np.concatenate(([0], ends[:-1] + 1))
    first, second = text[starts], text[np.minimum(starts + 1, len(text) - 1)]
    if b"\\" in data or b"\t" in data or not np.isin(first, _PLAIN_STARTS).all():
        return None
    is_point = (first == ord("v")) & (second == _SPACE)
    is_uv = (first == ord("v")) & (second == ord("t"))
    is_face = (first == ord("f")) & (second == _SPACE)
    points = _table(_lines_of(text, is_point, starts, ends, 1))
    uv = _table(_lines_of(text, is_uv, starts, ends, 2))
    faces = _faces(_lines_of(text, is_face, starts, ends, 1))
    if points is None or uv is None or faces is None or points.shape[1] != 3 or len(points) == 0:
        return None
    sizes, corners, uv_corners = faces
    if len(corners) and (corners.min() < 0 or sizes.min() < 3 or uv_corners.max() >= len(uv)):
        return None
    marks = []
    before = np.cumsum(is_face)
    for line in np.flatnonzero(np.isin(first, _MARK_STARTS)).tolist():
        words = data[starts[line] : ends[line]].decode("utf-8", "replace").split(None, 1)
        if words[0] in ("o", "g", "usemtl"):
            marks.append((int(before[line]), words[0], words[1].strip() if len(words) > 1 else ""))
    wires = np.zeros((0, 2), dtype=np.int64)
    return _Content(points, sizes, corners, uv_corners, uv[:, :2], wires, marks)


def _table(lines: np.ndarray) -> np.ndarray | None:
    """The numbers of lines, one row for each; None where rows differ in length or something is none."""
    if len(lines) == 0:
        return np.zeros((0, 3))
    _, sizes = _words(lines)
    numbers = _numbers(lines, np.float64)
    if numbers is None or sizes[0] < 2 or (sizes != sizes[0]).any() or len(numbers) != sizes[0] * len(sizes):
        return None
    return numbers.reshape(len(sizes), -1)


def _faces(lines: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Sizes, point and UV indices of faces, −1 for no UV; None where corners are written in different ways."""
    if len(lines) == 0:
        none = np.zeros(0, dtype=np.int64)
        return none, none, none
    begins, sizes = _words(lines)
    slash = lines == ord("/")
    if (lines == ord("-")).any() or len(begins) == 0:
        return None
    each = np.add.reduceat(slash.astype(np.int8), begins)
    if (each != each[0]).any() or each[0] > 2:
        return None
    doubled = slash[1:] & slash[:-1]
    with_uv = each[0] > 0 and not doubled.any()
    if doubled.any() and (each[0] != 2 or int(doubled.sum()) != len(begins)):
        return None
    numbers = _numbers(np.where(slash, np.uint8(_SPACE), lines), np.int64)
    width = 1 + int(each[0]) - int(doubled.any())
    if numbers is None or len(numbers) != width * len(begins):
        return None
    table = numbers.reshape(-1, width) - 1
    uv_corners = table[:, 1] if with_uv else np.full(len(table), -1, dtype=np.int64)
    return sizes, np.ascontiguousarray(table[:, 0]), np.ascontiguousarray(uv_corners)


def _words(lines: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where each word begins, and how many there are on each line."""
    blank = (lines == _SPACE) | (lines == _NEWLINE) | (lines == _RETURN)
    begins = np.flatnonzero(~blank & np.concatenate(([True], blank[:-1])))
    return begins, np.diff(np.searchsorted(begins, np.flatnonzero(lines == _NEWLINE)), prepend=0)


def _lines_of(text: np.ndarray, chosen: np.ndarray, starts: np.ndarray, ends: np.ndarray, keyword: int) -> np.ndarray:
    """The bytes of chosen lines with their line ends, their keywords blanked out."""
    lines = np.flatnonzero(chosen)
    if len(lines) == 0:
        return text[:0]
    # Lines of a kind mostly follow each other: few slices make up all of them.
    first = np.flatnonzero(np.diff(lines, prepend=-2) != 1)
    last = np.append(first[1:], len(lines)) - 1
    runs = zip(starts[lines[first]].tolist(), (ends[lines[last]] + 1).tolist(), strict=True)
    result = np.concatenate([text[a:b] for a, b in runs])
    sizes = ends[lines] + 1 - starts[lines]
    at = np.cumsum(sizes) - sizes
    for letter in range(keyword):
        result[at + letter] = _SPACE
    return result


def _numbers(text: np.ndarray, kind: type) -> np.ndarray | None:
    """All numbers in a text, None where something in it is none."""
    with warnings.catch_warnings():
        # NumPy warns, and stops, at the first word that is no number.
        warnings.simplefilter("error", DeprecationWarning)
        try:
            return np.fromstring(text.tobytes(), dtype=kind, sep=" ")
        except (DeprecationWarning, ValueError):
            return None


def _lines(data: bytes) -> Iterator[tuple[int, str]]:
    """The lines of a file with their numbers, one at a time, those that a backslash continues put together.

    Never all of them as text: what is no OBJ file at all may be large, and is refused at its first line.
    """
    begun, first = "", 0
    for number, line in enumerate(TextIOWrapper(BytesIO(data), "utf-8", "replace"), start=1):
        line = line.rstrip("\n")
        first = first or number
        if line.endswith("\\"):
            begun += f"{line[:-1]} "
            continue
        yield first, begun + line
        begun, first = "", 0
    if begun:
        yield first, begun


def _read_lines(path: Path, lines: Iterable[tuple[int, str]]) -> _Content:
    """Any file, line by line. Raises FileError with the line where something is wrong."""
    points: list[list[float]] = []
    uv: list[list[float]] = []
    corners: list[int] = []
    uv_corners: list[int] = []
    sizes: list[int] = []
    wires: list[tuple[int, int]] = []
    marks: list[tuple[int, str, str]] = []

    def refuse(number: int, reason: str) -> FileError:
        return FileError(f"{path.name}, line {number}: {reason}")

    def corner_of(word: str, number: int, what: str) -> tuple[int, int]:
        parts = word.split("/")
        try:
            indices = [int(part) if part else 0 for part in parts[:2]]
        except ValueError as error:
            raise refuse(number, f'"{shortened(word)}" is no corner of a {what}.') from error
        place = indices[0] - 1 if indices[0] > 0 else len(points) + indices[0]
        # A positive index may name a point further down; those are checked at the end.
        if indices[0] == 0 or not 0 <= place < 2**62:
            raise refuse(number, f"there is no point {shortened(indices[0])}.")
        of_uv = indices[1] if len(indices) > 1 else 0
        uv_place = of_uv - 1 if of_uv >= 0 else len(uv) + of_uv
        if not (0 if of_uv else -1) <= uv_place < 2**62:
            raise refuse(number, f"there is no texture coordinate {shortened(of_uv)}.")
        return place, uv_place

    for number, line in lines:
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        if words[0] in ("v", "vt"):
            least, what = (3, "a point") if words[0] == "v" else (2, "a texture coordinate")
            if len(words) <= least:
                raise refuse(number, f"{what} needs {'three' if least == 3 else 'two'} numbers.")
            try:
                (points if words[0] == "v" else uv).append([float(word) for word in words[1 : least + 1]])
            except ValueError as error:
                raise refuse(number, f"{what} has something that is no number.") from error
        elif words[0] == "f":
            if len(words) < 4:
                raise refuse(number, "a face needs at least three corners.")
            for word in words[1:]:
                place, uv_place = corner_of(word, number, "face")
                corners.append(place)
                uv_corners.append(uv_place)
            sizes.append(len(words) - 1)
        elif words[0] == "l":
            run = [corner_of(word, number, "line")[0] for word in words[1:]]
            wires += [pair for pair in pairwise(run) if pair[0] != pair[1]]
        elif words[0] in ("o", "g", "usemtl"):
            marks.append((len(sizes), words[0], " ".join(words[1:])))
    if uv_corners and max(uv_corners) >= len(uv):
        raise FileError(f"{path.name}: a face names texture coordinate {max(uv_corners) + 1}; there are {len(uv)}.")
    return _Content(
        np.array(points, dtype=np.float64).reshape(-1, 3),
        np.array(sizes, dtype=np.int64),
        np.array(corners, dtype=np.int64),
        np.array(uv_corners, dtype=np.int64),
        np.array(uv, dtype=np.float64).reshape(-1, 2),
        np.array(wires, dtype=np.int64).reshape(-1, 2),
        marks,
    )


def _owners(marks: list[tuple[int, str, str]], kind: str, n_faces: int, before: str) -> tuple[np.ndarray, list[str]]:
    """For each face the number of the mark of a kind that is in force, and the marks' names; 0 before the first."""
    own = [(first, name) for first, of_kind, name in marks if of_kind == kind]
    owner = np.searchsorted([first for first, _ in own], np.arange(n_faces), side="right")
    return owner, [before, *[name or before for _, name in own]]


def _with_tags(mesh: Mesh, content: _Content) -> Mesh:
    """The mesh with UV, materials and groups; groups that hold everything, or nothing, are no sets."""
    if len(content.wires):
        outside = content.wires >= mesh.n_points
        if outside.any():
            raise MeshError(f"A line names point {int(content.wires[outside][0]) + 1}, which is not there.")
        mesh = Mesh(mesh.topology.with_wires(content.wires), mesh.points)
    if (content.uv_corners >= 0).any():
        if not np.isfinite(content.uv).all():
            raise MeshError("A texture coordinate is not a finite number.")
        table = np.concatenate((content.uv, np.zeros((1, 2))))  # −1 reads the spare last entry
        mesh = replace(mesh, uv=table[content.uv_corners])
    owner, names = _owners(content.marks, "usemtl", mesh.n_faces, "")
    if any(names):
        materials = tuple(dict.fromkeys(name for name in names if name))
        number = np.array([materials.index(name) if name else -1 for name in names], dtype=np.int64)
        mesh = replace(mesh, material=number[owner], materials=materials)
    owner, names = _owners(content.marks, "g", mesh.n_faces, "")
    members: dict[str, list[int]] = {}
    for index, name in enumerate(names):
        for word in name.split():
            if word != _NO_GROUP:
                members.setdefault(word, []).append(index)
    sets = [NamedSet(word, "faces", np.flatnonzero(np.isin(owner, found))) for word, found in members.items()]
    return replace(mesh, sets=tuple(named for named in sets if 0 < len(named.indices) < mesh.n_faces))


def _marked(mesh: Mesh, faces: list[str]) -> list[str]:
    """The faces' lines with lines between them where the material or the groups change."""
    sets = [named for named in mesh.sets if named.kind == "faces"]
    if not sets and not mesh.materials:
        return faces
    state = np.zeros((mesh.n_faces, 1 + len(sets)), dtype=np.int64)
    state[:, 0] = mesh.material
    for column, named in enumerate(sets, start=1):
        state[named.indices, column] = 1
    words = [re.sub(r"\s+", "_", named.name) or "set" for named in sets]
    changes = np.flatnonzero((state[1:] != state[:-1]).any(axis=1)) + 1
    starts = [0, *changes.tolist(), len(faces)] if faces else [0]
    lines: list[str] = []
    # What was in force in the object before is in force here.
    last_material = -2
    for first, end in pairwise(starts):
        if sets:
            inside = [word for word, there in zip(words, state[first, 1:].tolist(), strict=True) if there]
            lines.append(f"g {' '.join(inside) or _NO_GROUP}\n")
        if state[first, 0] != last_material:
            last_material = int(state[first, 0])
            name = mesh.materials[last_material] if last_material >= 0 else ""
            lines.append(f"usemtl {name}\n" if name else "usemtl\n")
        lines += faces[first:end]
    return lines


def _parts_of(whole: Mesh, owner: np.ndarray, count: int) -> list[Mesh]:
    """The faces of each of so many owners with the points they use, in their old order, and their tags.

    One pass over all: the mesh with its faces owner after owner, points that several use once for each, then cut apart.
    Wires go with the faces they hang on, loose ones with the first.
    """
    topology = whole.topology
    _, label = connected_labels(topology.edges, whole.n_points)
    of_label = np.zeros(int(label.max(initial=0)) + 1, dtype=np.int64)
    of_label[label[topology.corners[::-1]]] = owner[topology.corner_face[::-1]]
    faces, face_ends = group_order(owner, count)
    corners = topology.corners_of_faces(faces)
    corner_owner = np.repeat(owner[faces], topology.face_sizes[faces])
    wires = topology.wires
    wire_owner = of_label[label[wires[:, 0]]] if len(wires) else np.zeros(0, dtype=np.int64)
    loose = np.flatnonzero(topology.valence == 0)
    key = np.concatenate(
        (
            corner_owner * whole.n_points + topology.corners[corners],
            (wire_owner[:, None] * whole.n_points + wires).ravel(),
            loose,
        )
    )
    used, number = np.unique(key, return_inverse=True)
    point_owner, point = np.divmod(used, max(whole.n_points, 1))
    point_ends = np.searchsorted(point_owner, np.arange(count + 1))
    own_corner = number[: len(corners)] - point_ends[corner_owner]
    own_wires = number[len(corners) : len(corners) + 2 * len(wires)].reshape(-1, 2) - point_ends[wire_owner][:, None]
    wire_order, wire_ends = group_order(wire_owner, count)
    corner_ends = np.searchsorted(corner_owner, np.arange(count + 1))
    face_starts = offsets_from_sizes(topology.face_sizes[faces])
    materials = whole.material[faces]
    sets = [(named, mask_of(named.indices, whole.n_faces)[faces]) for named in whole.sets]
    parts = []
    for one in range(count):
        a, b = int(face_ends[one]), int(face_ends[one + 1])
        c, d = int(corner_ends[one]), int(corner_ends[one + 1])
        p, q = int(point_ends[one]), int(point_ends[one + 1])
        # What they are cut from has been looked through.
        plain = Topology.derived(face_starts[a : b + 1] - face_starts[a], own_corner[c:d].copy(), q - p)
        if len(wires):
            plain = plain.with_wires(own_wires[wire_order[wire_ends[one] : wire_ends[one + 1]]])
        here = [(named.name, np.flatnonzero(inside[a:b])) for named, inside in sets]
        parts.append(
            Mesh(
                plain,
                whole.points[point[p:q]],
                material=materials[a:b].copy(),
                materials=whole.materials,
                uv=None if whole.uv is None else whole.uv[corners[c:d]],
                sets=tuple(NamedSet(name, "faces", found) for name, found in here if 0 < len(found) < b - a),
            )
        )
    return parts
