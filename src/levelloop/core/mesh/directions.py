"""Which way faces look: those that look inwards or against their neighbours, and faces turned around."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, connected_labels, sum_by
from levelloop.core.mesh.faces import face_areas, triangles
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.origins import Origin, carry
from levelloop.core.mesh.topology import Topology

LEAST_ENCLOSED = 0.02  # of what a ball holds; an open piece that encloses less has no outside


def flipped_faces(mesh: Mesh, encloses: float = LEAST_ENCLOSED) -> tuple[Booleans, Booleans]:
    """Faces that look against their neighbours or inwards: (m,); and faces of pieces that have no outside: (m,).

    A piece looks outwards where the volume that it encloses is positive; an open one is closed for that by a cone over
    each of its boundaries. An open piece that encloses less than a share of what a ball of its area would has no
    outside: it keeps the direction that most of its area has.
    """
    topology = mesh.topology
    if mesh.n_faces == 0:
        return np.zeros(0, dtype=np.bool_), np.zeros(0, dtype=np.bool_)
    flip, _ = topology.orientation
    sheet = topology.sheet_label
    count = int(sheet.max()) + 1
    corner, face = triangles(topology, mesh.points, mesh.diagonal)
    # Coordinate after coordinate: rows of three take many times as long.
    columns, owner = np.ascontiguousarray(mesh.points.T), sheet[face]
    one, two, three = (columns.take(at, axis=1) for at in corner.T)
    # About each sheet's own middle, so that a piece far from the origin loses no digits.
    corners_of_sheet = np.maximum(3 * np.bincount(owner, minlength=count), 1)
    middle = sum_by(owner, (one + two + three).T, count) / corners_of_sheet[:, None]
    for place in (one, two, three):
        place -= middle.T.take(owner, axis=1)
    six_volumes = sum(one[i] * (two[j] * three[k] - two[k] * three[j]) for i, j, k in ((0, 1, 2), (1, 2, 0), (2, 0, 1)))
    volume = np.bincount(owner, six_volumes * np.where(flip[face], -1.0, 1.0), count) / 6.0
    areas = face_areas(topology, mesh.points)
    whole = np.bincount(sheet, areas, count)
    agrees = np.bincount(sheet, np.where(flip, -areas, areas), count)
    rim = np.flatnonzero(topology.edge_face_count[topology.corner_edge] != 2)
    is_open = np.zeros(count, dtype=np.bool_)
    is_open[sheet[topology.corner_face[rim]]] = True
    volume += _behind_boundaries(mesh, rim, flip, sheet, middle, count)
    # A ball of area A holds A^1.5 / (6 √π).
    ball = whole**1.5 / (6.0 * np.sqrt(np.pi))
    vague = is_open & (np.abs(volume) < encloses * ball)
    # The sheet's first face, and with it every face that need not be flipped, looks the wrong way.
    first_is_wrong = np.where(vague, agrees < 0, volume < 0)
    return np.asarray(flip ^ first_is_wrong[sheet]), np.asarray(vague[sheet])


def flipped(mesh: Mesh, turned: np.ndarray) -> tuple[Mesh, Origin]:
    """The mesh with the masked faces running the other way around, each from its first corner."""
    topology = mesh.topology
    place = np.arange(topology.n_corners)
    start = np.repeat(topology.face_offsets[:-1], topology.face_sizes)
    size = np.repeat(topology.face_sizes, topology.face_sizes)
    backwards = start + (start - place) % size
    source = np.where(turned[topology.corner_face], backwards, place)
    new_topology = Topology.derived(topology.face_offsets, topology.corners[source], mesh.n_points)
    every_point, every_face = np.arange(mesh.n_points), np.arange(mesh.n_faces)
    return carry(mesh, new_topology, mesh.points, every_point, every_face, corner_origin=source)


# Helpers


def _behind_boundaries(
    mesh: Mesh, rim: Integers, flip: Booleans, sheet: Integers, middle: Floats, count: int
) -> Floats:
    """The volume between each sheet's middle and cones over its boundaries, as if those closed it: (count,), mm³.

    rim: corners whose half-edges have no other side.
    """
    topology = mesh.topology
    if len(rim) == 0:
        return np.zeros(count)
    owner = sheet[topology.corner_face[rim]]
    start, end = topology.corners[rim], topology.corner_end[rim]
    # Boundaries are told apart by the points they share, within a sheet.
    names, ends = np.unique(np.concatenate((start, end)) * count + np.tile(owner, 2), return_inverse=True)
    pairs = ends.reshape(2, -1).T
    loops, label = connected_labels(pairs, len(names))
    loop = label[pairs[:, 0]]
    a, b = mesh.points[start] - middle[owner], mesh.points[end] - middle[owner]
    tip = sum_by(loop, 0.5 * (a + b), loops) / np.bincount(loop, minlength=loops)[:, None]
    # The cone runs against the half-edges of the faces beside it.
    six = np.einsum("ij,ij->i", b, np.cross(a, tip[loop])) * np.where(flip[topology.corner_face[rim]], -1.0, 1.0)
    return np.asarray(np.bincount(owner, six, count) / 6.0)
