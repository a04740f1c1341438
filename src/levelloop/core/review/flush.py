"""Flush parts: flat places of two surfaces that lie in one plane and meet, so that they read as one."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, sum_by, unique_rows
from levelloop.core.geometry.closest import closest_places
from levelloop.core.geometry.plane_figures import flat_axes, turn_of
from levelloop.core.mesh.faces import face_centres, face_vectors, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces

ALIKE = 5e-3  # radians between normals of one plane
STEP = 1e-3  # of the smaller part's size: a step of less is not seen
LEAST = 0.01  # of the surface: smaller flats are a curved surface's own faces


def flush_faces(one: Mesh, other: Mesh, step: float) -> tuple[Integers, float]:
    """Faces of one surface that lie in a plane with faces of the other and meet them, and the largest step, mm.

    step: mm, the most there may be between them. Both must look the same way: what lies face to face is contact.
    Faces with a corner at the other are told, and where none has one, all of the flat.
    """
    middle = one.points.mean(axis=0)
    normals, offsets, groups = _flats(one, middle, step)
    its_normals, its_offsets, its_groups = _flats(other, middle, step)
    alike = np.linalg.norm(normals[:, None] - its_normals[None], axis=2) <= ALIKE
    alike &= np.abs(offsets[:, None] - its_offsets[None]) <= step
    found, largest = [np.zeros(0, dtype=np.int64)], 0.0
    for mine, its in np.argwhere(alike).tolist():
        piece, its_piece = _only(one, groups[mine]), _only(other, its_groups[its])
        touching = _touching(piece, its_piece, step)
        if touching.any():
            found.append(groups[mine][touching])
        elif _touching(its_piece, piece, step).any() or _outlines_cross(piece, its_piece, normals[mine]):
            found.append(groups[mine])
        else:
            continue
        largest = max(largest, abs(float(offsets[mine] - its_offsets[its])))
    return distinct(np.concatenate(found)), largest


# Helpers


def _flats(mesh: Mesh, middle: Floats, step: float) -> tuple[Floats, Floats, list[Integers]]:
    """The planes in which a good part of a surface lies: their normals, how far out they are, and their faces."""
    vectors = face_vectors(mesh.topology, mesh.points)
    areas = np.where(mesh.hole, 0.0, np.linalg.norm(vectors, axis=1))
    normals = unit(vectors)
    offsets = np.einsum("ij,ij->i", normals, face_centres(mesh.topology, mesh.points) - middle)
    rows, group = unique_rows(np.round(np.column_stack((normals / ALIKE, offsets / step))))
    area = sum_by(group, areas, len(rows))
    large = np.flatnonzero(area > LEAST * areas.sum())
    mean = sum_by(group, areas[:, None] * normals, len(rows))[large] / area[large, None]
    out = sum_by(group, areas * offsets, len(rows))[large] / area[large]
    return mean, out, [np.flatnonzero((group == one) & ~mesh.hole) for one in large.tolist()]


def _only(mesh: Mesh, faces: Integers) -> Mesh:
    return drop_faces(mesh, ~mask_of(faces, mesh.n_faces), keep_unattached=False)[0]


def _touching(piece: Mesh, other: Mesh, step: float) -> Booleans:
    """Which faces of a flat piece have a corner on another one: (f,)."""
    places, _ = closest_places(other, piece.points)
    on = np.linalg.norm(places - piece.points, axis=1) <= step
    return np.asarray(np.logical_or.reduceat(on[piece.topology.corners], piece.topology.face_offsets[:-1]))


def _outlines_cross(one: Mesh, other: Mesh, normal: Floats) -> bool:
    axes = flat_axes(normal)
    p, q = _outline(one, axes)
    r, s = (ends[:, None] for ends in _outline(other, axes))
    return bool(((turn_of(p, q, r) * turn_of(p, q, s) < 0) & (turn_of(r, s, p) * turn_of(r, s, q) < 0)).any())


def _outline(mesh: Mesh, axes: Floats) -> tuple[Floats, Floats]:
    ends = mesh.topology.edges[mesh.topology.open_edges]
    flat = mesh.points @ axes.T
    return flat[ends[:, 0]], flat[ends[:, 1]]
