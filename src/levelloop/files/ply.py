"""PLY, the open polygon format: polygons kept both ways, binary out, in millimetres.

Reads text and binary of either byte order, any further elements and properties left out.
"""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from levelloop.core.arrays import offsets_from_sizes, ranges
from levelloop.core.mesh.combine import combined
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.core.values import dataclass
from levelloop.files.errors import FileError
from levelloop.files.reading import read_bytes
from levelloop.files.shading import shown_normals

_KINDS = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">"}
MOST_HEADER = 100_000  # bytes


def read_ply(path: Path) -> list[tuple[str, Mesh]]:
    """The mesh of a PLY file. Raises FileError."""
    data = read_bytes(path)
    form, elements, body = _header(path, data)
    tables = _text_tables(elements, body) if form == "ascii" else _binary_tables(elements, body, _ORDERS[form])
    if tables is None or "vertex" not in tables:
        raise FileError(f"{path.name} is damaged or no PLY file: it is cut short, or has no points.")
    vertex = tables["vertex"]
    if not all(axis in vertex for axis in "xyz"):
        raise FileError(f"{path.name} is damaged or no PLY file: its points have no x, y and z.")
    points = np.stack([np.asarray(vertex[axis], dtype=np.float64) for axis in "xyz"], axis=1)
    faces = tables.get("face", {})
    name = next((name for name in ("vertex_indices", "vertex_index") if name in faces), None)
    rows: Any = faces[name] if name else (np.zeros(0, np.int64), np.zeros(0, np.int64))
    sizes, corners = (np.asarray(part) for part in rows)
    if not np.issubdtype(corners.dtype, np.integer):
        raise FileError(f"{path.name} is damaged or no PLY file: its faces name points by numbers that are not whole.")
    topology = Topology(offsets_from_sizes(sizes.astype(np.int64)), corners.astype(np.int64), len(points))
    return [(path.stem, Mesh(topology, points))]


def write_ply(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes all meshes as one, polygons kept, points in double precision, with the normals that are shown.

    A surface that is round everywhere has a normal at each point; where an edge is hard the normals stand in the faces,
    one for each corner (corner_normals): points stay one, so that what is closed stays closed.
    """
    mesh = combined([mesh for _, mesh in meshes])
    topology = mesh.topology
    normals = np.concatenate([shown_normals(mesh) for _, mesh in meshes]).astype("<f4")
    at_points = np.zeros((mesh.n_points, 3), dtype="<f4")
    at_points[topology.corners] = normals
    is_round = bool(np.abs(at_points[topology.corners] - normals).max(initial=0.0) < 1e-4)
    kind = [(name, "<f8") for name in "xyz"] + ([(f"n{name}", "<f4") for name in "xyz"] if is_round else [])
    vertex = np.zeros(mesh.n_points, dtype=kind)
    for axis, name in enumerate("xyz"):
        vertex[name] = mesh.points[:, axis]
        if is_round:
            vertex[f"n{name}"] = at_points[:, axis]
    head = [
        "ply", "format binary_little_endian 1.0", "comment Level Loop, millimetres, Z up",
        f"element vertex {mesh.n_points}", *(f"property double {name}" for name in "xyz"),
        *(f"property float n{name}" for name in "xyz" if is_round),
        f"element face {mesh.n_faces}", "property list uint int vertex_indices",
        *(["property list uint float corner_normals"] if not is_round else []), "end_header",
    ]  # fmt: skip
    with path.open("wb") as stream:
        stream.write(("\n".join(head) + "\n").encode("ascii"))
        stream.write(vertex.tobytes())
        stream.write(_face_rows(topology, None if is_round else normals).tobytes())


# Helpers


def _face_rows(topology: Topology, normals: np.ndarray | None) -> np.ndarray:
    """Faces as 4-byte words: how many corners, which, and where given how many numbers, the normals (k, 3)."""
    sizes = topology.face_sizes
    width = 1 + sizes if normals is None else 2 + 4 * sizes
    starts = np.cumsum(width) - width
    out = np.zeros(int(width.sum()), dtype="<i4")
    out[starts] = sizes
    out[ranges(starts + 1, sizes)] = topology.corners
    if normals is not None:
        out[starts + 1 + sizes] = 3 * sizes
        out[ranges(starts + 2 + sizes, 3 * sizes)] = np.ascontiguousarray(normals, dtype="<f4").view("<i4").ravel()
    return out


@dataclass(frozen=True)
class _Property:
    """One property of an element: its type, and that of its list's length, empty where it is no list."""

    name: str
    kind: str
    count: str = ""


@dataclass(frozen=True)
class _Element:
    name: str
    number: int
    properties: tuple[_Property, ...]


# By element and property: values (n,), or for lists their sizes (n,) and all entries (k,).
_Tables = dict[str, dict[str, object]]


def _header(path: Path, data: bytes) -> tuple[str, list[_Element], bytes]:
    """The format, the elements, and the bytes after the header. Raises FileError."""
    refused = FileError(f"{path.name} is damaged or no PLY file.")
    end = data.find(b"end_header", 0, MOST_HEADER)
    line_end = data.find(b"\n", end, end + 20)
    if not data.startswith(b"ply") or end < 0 or line_end < 0:
        raise refused
    form, elements = "", []
    for line in data[:end].decode("ascii", "replace").splitlines()[1:]:
        words = line.split()
        try:
            if not words or words[0] in ("comment", "obj_info"):
                continue
            if words[0] == "format":
                form = words[1]
            elif words[0] == "element":
                elements.append(_Element(words[1], int(words[2]), ()))
            elif words[0] == "property" and elements:
                is_list = words[1] == "list"
                new = _Property(words[-1], _KINDS[words[3 if is_list else 1]], _KINDS[words[2]] if is_list else "")
                last = elements[-1]
                elements[-1] = _Element(last.name, last.number, (*last.properties, new))
            else:
                raise refused
        except (IndexError, KeyError, ValueError) as error:
            raise refused from error
    if form not in ("ascii", *_ORDERS) or any(not 0 <= one.number <= len(data) for one in elements):
        raise refused
    return form, elements, data[line_end + 1 :]


def _binary_tables(elements: list[_Element], body: bytes, order: str) -> _Tables | None:
    """All tables of a binary file; None where it is cut short."""
    tables: _Tables = {}
    here = 0
    for element in elements:
        if all(not one.count for one in element.properties):
            kind = np.dtype([(f"{n}", order + one.kind) for n, one in enumerate(element.properties)])
            size = kind.itemsize * element.number
            if here + size > len(body):
                return None
            table = np.frombuffer(body, kind, element.number, here) if element.number else np.zeros(0, kind)
            tables[element.name] = {one.name: table[f"{n}"] for n, one in enumerate(element.properties)}
            here += size
            continue
        found = _lists(element, body[here:], order)
        if found is None:
            return None
        tables[element.name], size = found
        here += size
    return tables


def _lists(element: _Element, body: bytes, order: str) -> tuple[dict[str, object], int] | None:
    """One element with lists: its values, and how many bytes it takes; None where it is cut short."""
    data = np.frombuffer(body, np.uint8)
    starts = _row_starts(element, data, order)
    if starts is None:
        return None
    values: dict[str, object] = {}
    place = starts[:-1].copy()
    for one in element.properties:
        width = np.dtype(one.kind).itemsize
        if not one.count:
            values[one.name] = _numbers_at(data, place, order + one.kind)
            place += width
            continue
        sizes = _numbers_at(data, place, order + one.count).astype(np.int64)
        place += np.dtype(one.count).itemsize
        at = np.repeat(place, sizes) + ranges(np.zeros(len(sizes), np.int64), sizes) * width
        values[one.name] = sizes, _numbers_at(data, at, order + one.kind)
        place += sizes * width
    return values, int(starts[-1])


def _row_starts(element: _Element, data: np.ndarray, order: str) -> np.ndarray | None:
    """Where each row starts, and the end: (n + 1,). Equal rows are guessed and checked; else row by row."""
    if element.number == 0:
        return np.zeros(1, dtype=np.int64)
    first = _row_end(element, data, order, 0)
    if first is None:
        return None
    starts = first * np.arange(element.number + 1, dtype=np.int64)
    if starts[-1] <= len(data) and _all_as_first(element, data, order, starts[:-1].copy()):
        return starts
    result, here = np.zeros(element.number + 1, dtype=np.int64), 0
    for row in range(element.number):
        end = _row_end(element, data, order, here)
        if end is None:
            return None
        result[row + 1] = here = end
    return result


def _all_as_first(element: _Element, data: np.ndarray, order: str, place: np.ndarray) -> bool:
    """Whether the lists of all rows are as long as those of the first."""
    for one in element.properties:
        width = np.dtype(one.kind).itemsize
        if one.count:
            sizes = _numbers_at(data, place, order + one.count)
            if (sizes != sizes[0]).any():
                return False
            place += np.dtype(one.count).itemsize + width * int(sizes[0])
        else:
            place += width
    return True


def _row_end(element: _Element, data: np.ndarray, order: str, here: int) -> int | None:
    for one in element.properties:
        width = np.dtype(one.kind).itemsize
        if one.count:
            step = np.dtype(one.count).itemsize
            if here + step > len(data):
                return None
            number = int(data[here : here + step].view(order + one.count)[0])
            if number < 0:
                return None
            here += step + number * width
        else:
            here += width
    return here if here <= len(data) else None


def _numbers_at(data: np.ndarray, places: np.ndarray, kind: str) -> np.ndarray:
    """Numbers of a type at byte places: (p,)."""
    width = np.dtype(kind).itemsize
    return np.ascontiguousarray(data[places[:, None] + np.arange(width)]).view(kind).reshape(-1)


def _text_tables(elements: list[_Element], body: bytes) -> _Tables | None:
    """All tables of a text file; None where it is cut short or something is no number."""
    with warnings.catch_warnings():
        warnings.simplefilter("error", DeprecationWarning)
        try:
            numbers = np.fromstring(body, dtype=np.float64, sep=" ")
        except (DeprecationWarning, ValueError):
            return None
    tables: _Tables = {}
    here = 0
    for element in elements:
        width = len(element.properties)
        if all(not one.count for one in element.properties):
            size = width * element.number
            if here + size > len(numbers):
                return None
            rows = numbers[here : here + size].reshape(element.number, width)
            tables[element.name] = {one.name: rows[:, n] for n, one in enumerate(element.properties)}
            here += size
            continue
        values: dict[str, list[np.ndarray]] = {one.name: [] for one in element.properties}
        for _ in range(element.number):
            for one in element.properties:
                number = 1
                if one.count:
                    if here >= len(numbers) or not 0 <= numbers[here] <= len(numbers):
                        return None
                    number, here = int(numbers[here]), here + 1
                if here + number > len(numbers):
                    return None
                values[one.name].append(numbers[here : here + number])
                here += number
        tables[element.name] = {
            one.name: _listed(values[one.name]) if one.count else np.concatenate([*values[one.name], numbers[:0]])
            for one in element.properties
        }
    return tables


def _listed(rows: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    sizes = np.array([len(row) for row in rows], dtype=np.int64)
    entries = np.concatenate([*rows, np.zeros(0)])
    whole = np.round(entries)
    safe = np.isfinite(entries).all() and (np.abs(entries) < 2**53).all() and (whole == entries).all()
    return sizes, whole.astype(np.int64) if safe else entries
