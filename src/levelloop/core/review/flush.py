"""Flush parts: flat places of two surfaces that lie in one plane and meet, so that they read as one."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct, mask_of, offsets_from_sizes, sum_by, unique_rows
from levelloop.core.geometry.closest import closest_places
from levelloop.core.geometry.plane_figures import flat_axes, turn_of
from levelloop.core.mesh.faces import face_centres, face_vectors, unit
from levelloop.core.mesh.mesh import Mesh
from levelloop.core.mesh.outlines import drop_faces
from levelloop.core.values import dataclass

ALIKE = 5e-3  # radians between normals of one plane
STEP = 1e-3  # of the smaller part's size: a step of less is not seen
LEAST = 0.01  # of the surface: smaller flats are a curved surface's own faces


@dataclass(frozen=True, eq=False)
class Flats:
    """The planes in which a good part of a surface lies: normals (f, 3), a place in each (f, 3), the faces of each."""

    normals: Floats
    places: Floats
    groups: list[Integers]


def flush_faces(one: Mesh, flats: Flats, other: Mesh, its: Flats, step: float) -> tuple[Integers, float]:
    """Faces of one surface that lie in a plane with faces of the other and meet them, and the largest step, mm.

    step: mm, the most there may be between them. Both must look the same way: what lies face to face is contact.
    Faces with a corner at the other are told, and where none has one, all of the flat.
    """
    normals, groups, its_groups = flats.normals, flats.groups, its.groups
    alike = np.linalg.norm(normals[:, None] - its.normals[None], axis=2) <= ALIKE
    apart = np.abs(np.einsum("ik,ijk->ij", normals, flats.places[:, None] - its.places[None]))
    alike &= apart <= step
    found, largest = [np.zeros(0, dtype=np.int64)], 0.0
    for mine, of_its in np.argwhere(alike).tolist():
        my_faces, its_faces = _beside(one, groups[mine], other, its_groups[of_its], step)
        if len(my_faces) == 0 or len(its_faces) == 0:
            continue
        piece, its_piece = _only(one, my_faces), _only(other, its_faces)
        touching = _touching(piece, its_piece, step)
        if touching.any():
            found.append(my_faces[touching])
        elif _touching(its_piece, piece, step).any() or _outlines_cross(piece, its_piece, normals[mine]):
            found.append(groups[mine])
        else:
            continue
        largest = max(largest, float(apart[mine, of_its]))
    return distinct(np.concatenate(found)), largest


def flats_of(mesh: Mesh) -> Flats:
    """The planes in which a good part of a surface lies; faces of one plane look the same way."""
    middle = mesh.points.mean(axis=0)
    step = STEP * float(np.linalg.norm(np.ptp(mesh.points, axis=0)))
    vectors = face_vectors(mesh.topology, mesh.points)
    areas = np.where(mesh.hole, 0.0, np.linalg.norm(vectors, axis=1))
    normals = unit(vectors)
    centres = face_centres(mesh.topology, mesh.points)
    offsets = np.einsum("ij,ij->i", normals, centres - middle)
    rows, group = unique_rows(np.round(np.column_stack((normals / ALIKE, offsets / max(step, 1e-300)))))
    area = sum_by(group, areas, len(rows))
    large = np.flatnonzero(area > LEAST * areas.sum())
    mean = sum_by(group, areas[:, None] * normals, len(rows))[large] / area[large, None]
    place = sum_by(group, areas[:, None] * centres, len(rows))[large] / area[large, None]
    return Flats(mean, place, [np.flatnonzero((group == one) & ~mesh.hole) for one in large.tolist()])


# Helpers


def _beside(one: Mesh, mine: Integers, other: Mesh, its: Integers, step: float) -> tuple[Integers, Integers]:
    """Of two flats the faces that reach into the box around the other one."""
    boxes = [_boxes(mesh, faces) for mesh, faces in ((one, mine), (other, its))]

    def within(box: tuple[Floats, Floats], around: tuple[Floats, Floats]) -> Booleans:
        low, high = around[0].min(axis=0) - step, around[1].max(axis=0) + step
        return np.asarray((box[0] <= high).all(axis=1) & (box[1] >= low).all(axis=1))

    return mine[within(boxes[0], boxes[1])], its[within(boxes[1], boxes[0])]


def _boxes(mesh: Mesh, faces: Integers) -> tuple[Floats, Floats]:
    corner = mesh.points[mesh.topology.corners[mesh.topology.corners_of_faces(faces)]]
    starts = offsets_from_sizes(mesh.topology.face_sizes[faces])[:-1]
    return np.minimum.reduceat(corner, starts), np.maximum.reduceat(corner, starts)


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
