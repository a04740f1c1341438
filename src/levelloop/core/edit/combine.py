"""Meshes put into one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from levelloop.core.arrays import Integers
from levelloop.core.mesh import Mesh
from levelloop.core.topology import Topology


def combined(meshes: Sequence[Mesh]) -> Mesh:
    """One mesh of all, elements one mesh after the other, tags kept; nothing is welded."""
    names = tuple(dict.fromkeys(name for mesh in meshes for name in mesh.materials))
    offsets, corners, materials = [np.zeros(1, dtype=np.int64)], [], []
    n_points = n_corners = 0
    edges, sharpness = [], []
    for mesh in meshes:
        offsets.append(mesh.topology.face_offsets[1:] + n_corners)
        corners.append(mesh.topology.corners + n_points)
        materials.append(_renamed(mesh, names))
        edges.append(mesh.topology.edges + n_points)
        sharpness.append(mesh.creases)
        n_points += mesh.n_points
        n_corners += mesh.topology.n_corners
    topology = Topology.derived(np.concatenate(offsets), np.concatenate(corners), n_points)
    creases = np.zeros(topology.n_edges)
    creases[topology.find_edges(np.concatenate(edges))] = np.concatenate(sharpness)
    return Mesh(
        topology,
        np.concatenate([mesh.points for mesh in meshes]),
        creases,
        np.concatenate([mesh.corner_sharpness for mesh in meshes]),
        np.concatenate(materials),
        names,
        meshes[0].scheme,
    )


def _renamed(mesh: Mesh, names: tuple[str, ...]) -> Integers:
    numbers = np.array([names.index(name) for name in mesh.materials] + [-1], dtype=np.int64)
    return np.asarray(numbers[mesh.material])
