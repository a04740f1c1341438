"""STL, the triangle format printers read: written in binary, in millimetres."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from levelloop.core.measure.faces import triangles
from levelloop.core.mesh import Mesh
from levelloop.files.errors import FileError

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])


def write_stl(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes the triangles of all meshes. Raises FileError where there are none."""
    records = []
    for _, mesh in meshes:
        # Single precision as the file has it, so that triangles that meet keep meeting.
        places = mesh.points.astype(np.float32)
        corners = places[triangles(mesh.topology, mesh.points)[0]]
        record = np.zeros(len(corners), dtype=_RECORD)
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        lengths = np.linalg.norm(normals, axis=1, keepdims=True)
        record["normal"] = np.divide(normals, lengths, out=np.zeros_like(normals), where=lengths > 0)
        record["corners"] = corners
        records.append(record)
    total = sum(len(record) for record in records)
    if total == 0:
        raise FileError(f"{path.name} would be empty; there is no face to write.")
    with path.open("wb") as stream:
        stream.write(b"Level Loop, millimetres".ljust(80))
        stream.write(np.uint32(total).tobytes())
        for record in records:
            stream.write(record.tobytes())
