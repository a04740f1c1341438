"""STL, the triangle format printers read: binary and text in, binary out, in millimetres."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.topology import Topology
from levelloop.files.errors import FileError
from levelloop.files.reading import read_bytes

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
BLOCK = 65_536  # triangles
_HEAD = 84  # 80 bytes of text and the number of triangles
_VERTEX = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)")


def read_stl(path: Path) -> list[tuple[str, Mesh]]:
    """The mesh of an STL file; corners at exactly the same place become one point. Raises FileError."""
    data = read_bytes(path)
    count = int(np.frombuffer(data[80:_HEAD], dtype="<u4")[0]) if len(data) >= _HEAD else -1
    if count >= 0 and len(data) == _HEAD + count * _RECORD.itemsize:
        corners = np.frombuffer(data, dtype=_RECORD, offset=_HEAD)["corners"].astype(np.float64)
    elif data.lstrip()[:5] == b"solid" and b"endsolid" in data:
        corners = _text_corners(path, data)
    elif count > 0 and data[:5] != b"solid":
        there = max(0, len(data) - _HEAD) // _RECORD.itemsize
        raise FileError(f"{path.name} is cut short: it promises {count:,} triangles and holds {there:,}.")
    else:
        raise FileError(f"{path.name} is damaged or no STL file.")
    if len(corners) == 0:
        raise FileError(f"{path.name} holds no triangles.")
    return [(path.stem, welded_triangles(corners))]


def write_stl(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes the triangles of all meshes. Raises FileError where there are none."""
    records = []
    for _, mesh in meshes:
        # Single precision as the file has it, so that triangles that meet keep meeting.
        places = mesh.points.astype(np.float32)
        corners = places[triangles(mesh.topology, mesh.points, mesh.diagonal)[0]]
        record = np.zeros(len(corners), dtype=_RECORD)
        record["corners"] = corners
        record["normal"] = _facing(corners)
        records.append(record)
    total = sum(len(record) for record in records)
    if total == 0:
        raise FileError(f"{path.name} would be empty; there is no face to write.")
    with path.open("wb") as stream:
        stream.write(b"Level Loop, millimetres".ljust(80))
        stream.write(np.uint32(total).tobytes())
        for record in records:
            record.tofile(stream)


def _facing(corners: np.ndarray) -> np.ndarray:
    """The unit normals of triangles (t, 3, 3), zeros for those without area; in blocks that stay in the cache."""
    normals = np.zeros((len(corners), 3), dtype=np.float32)
    for start in range(0, len(corners), BLOCK):
        x, y, z = np.moveaxis(corners[start : start + BLOCK], 2, 0)
        ux, uy, uz = x[:, 1] - x[:, 0], y[:, 1] - y[:, 0], z[:, 1] - z[:, 0]
        vx, vy, vz = x[:, 2] - x[:, 0], y[:, 2] - y[:, 0], z[:, 2] - z[:, 0]
        here = normals[start : start + BLOCK]
        here[:, 0], here[:, 1], here[:, 2] = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt((here * here).sum(axis=1))
        here /= np.where(length > 0, length, 1.0)[:, None]
    return normals


def welded_triangles(corners: np.ndarray) -> Mesh:
    """A mesh of loose triangles (t, 3, 3), equal places made one point, in order of first use.

    Triangles with two corners at one place are kept: the review finds them.
    """
    places = corners.reshape(-1, 3) + 0.0  # −0 and 0 are one place
    unique, first, inverse = np.unique(places, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    number = np.empty(len(first), dtype=np.int64)
    number[order] = np.arange(len(first))
    topology = Topology(np.arange(0, len(places) + 1, 3), number[inverse.reshape(-1)], len(unique))
    return Mesh(topology, unique[order])


def _text_corners(path: Path, data: bytes) -> np.ndarray:
    found = _VERTEX.findall(data)
    if len(found) % 3:
        raise FileError(f"{path.name} is damaged: its last triangle has {len(found) % 3} corners.")
    try:
        return np.array(found, dtype=np.float64).reshape(-1, 3, 3)
    except ValueError as error:
        raise FileError(f"{path.name} has a corner with something that is no number.") from error
