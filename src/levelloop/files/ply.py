"""PLY, the open polygon format: polygons kept both ways, binary out, in millimetres."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from levelloop.core.arrays import offsets_from_sizes
from levelloop.core.edit.combine import combined
from levelloop.core.errors import MeshError
from levelloop.core.mesh import Mesh
from levelloop.core.topology import Topology
from levelloop.files.errors import FileError


def read_ply(path: Path) -> list[tuple[str, Mesh]]:
    """The mesh of a PLY file. Raises FileError."""
    from plyfile import PlyData, PlyParseError

    try:
        data = PlyData.read(str(path))
        vertex = data["vertex"]
        points = np.stack([np.asarray(vertex[axis], dtype=np.float64) for axis in "xyz"], axis=1)
        faces = _faces(data)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror}.") from error
    except (PlyParseError, KeyError, ValueError, UnicodeDecodeError, IndexError) as error:
        raise FileError(f"{path.name} is damaged or no PLY file.") from error
    sizes = np.array([len(face) for face in faces], dtype=np.int64)
    corners = np.concatenate(faces).astype(np.int64) if faces else np.zeros(0, dtype=np.int64)
    try:
        return [(path.stem, Mesh(Topology(offsets_from_sizes(sizes), corners, len(points)), points))]
    except MeshError as error:
        raise FileError(f"{path.name}: {error}") from error


def write_ply(path: Path, meshes: Sequence[tuple[str, Mesh]]) -> None:
    """Writes all meshes as one, polygons kept."""
    from plyfile import PlyData, PlyElement

    mesh = combined([mesh for _, mesh in meshes])
    vertex = np.zeros(mesh.n_points, dtype=[("x", "f8"), ("y", "f8"), ("z", "f8")])
    for axis, name in enumerate("xyz"):
        vertex[name] = mesh.points[:, axis]
    face = np.zeros(mesh.n_faces, dtype=[("vertex_indices", "O")])
    corners = mesh.topology.corners.astype(np.int32)
    face["vertex_indices"] = np.split(corners, mesh.topology.face_offsets[1:-1]) if mesh.n_faces else []
    elements = [
        PlyElement.describe(vertex, "vertex"),
        PlyElement.describe(face, "face", len_types={"vertex_indices": "u4"}, val_types={"vertex_indices": "i4"}),
    ]
    PlyData(elements, comments=["Level Loop, millimetres, Z up"]).write(str(path))


def _faces(data: object) -> list[np.ndarray]:
    element = data["face"]  # type: ignore[index]
    names = [prop.name for prop in element.properties]
    name = next(name for name in ("vertex_indices", "vertex_index", *names) if name in names)
    return list(element[name])
