"""Where a surface goes through itself, or through another one."""

from __future__ import annotations

import numpy as np

from levelloop.core.arrays import Booleans, Floats, Integers, distinct
from levelloop.core.geometry.boxes import BoxTree
from levelloop.core.mesh.faces import triangles
from levelloop.core.mesh.mesh import Mesh

CLEARLY = 1e-9  # of the volumes that two edges and their distance would span; nearer than that they only touch


def crossed_faces(mesh: Mesh) -> Integers:
    """Faces that an edge of the same mesh goes through: (f,), ascending. What only touches, or shares a point, is none.

    An edge goes through a triangle where its ends lie on two sides of it and it passes all sides the same way round
    (signed volumes: O'Rourke 1998, 7.3).
    """
    flat, face = triangles(mesh.topology, mesh.points, mesh.diagonal)
    edges = mesh.topology.edges[~mesh.topology.wire_edges]
    ends, corners = mesh.points[edges], mesh.points[flat]
    edge, triangle = BoxTree(ends.min(axis=1), ends.max(axis=1)).meeting(
        BoxTree(corners.min(axis=1), corners.max(axis=1))
    )
    apart = np.ones(len(edge), dtype=np.bool_)
    for end in range(2):
        for corner in range(3):
            apart &= edges[edge, end] != flat[triangle, corner]
    edge, triangle = edge[apart], triangle[apart]
    return distinct(face[triangle[_goes_through(ends[edge], corners[triangle])]])


def crossing_faces(one: Mesh, other: Mesh) -> tuple[Integers, Integers]:
    """Faces of each of two meshes that go through the other one: (f,), (g,), ascending. What only touches does not.

    An edge of a triangle of either goes through a triangle of the other; boxes tell which to look at.
    """
    flat, face = triangles(one.topology, one.points, one.diagonal)
    its_flat, its_face = triangles(other.topology, other.points, other.diagonal)
    corners, its_corners = one.points[flat], other.points[its_flat]
    mine, its = BoxTree(corners.min(axis=1), corners.max(axis=1)).meeting(
        BoxTree(its_corners.min(axis=1), its_corners.max(axis=1))
    )
    # Where all of a triangle lies on one side of the other's plane, or in it, they do not cross.
    both = _straddles(corners, mine, its_corners, its)
    mine, its = mine[both], its[both]
    both = _straddles(its_corners, its, corners, mine)
    mine, its = mine[both], its[both]
    crossed = np.zeros(len(mine), dtype=np.bool_)
    for side in range(3):
        ends = [side, (side + 1) % 3]
        crossed |= _goes_through(corners[mine][:, ends], its_corners[its])
        crossed |= _goes_through(its_corners[its][:, ends], corners[mine])
    return distinct(face[mine[crossed]]), distinct(its_face[its[crossed]])


# Helpers


def _goes_through(ends: Floats, corners: Floats) -> Booleans:
    p, q = ends[:, 0], ends[:, 1]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    sides = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    longest = np.maximum(np.linalg.norm(q - p, axis=1), sides)
    least = CLEARLY * longest**3
    above, below = _volume(a, b, c, p), _volume(a, b, c, q)
    around = [_volume(p, q, one, other) for one, other in ((a, b), (b, c), (c, a))]
    apart = (above > least) & (below < -least) | (above < -least) & (below > least)
    same = np.all([turn > least for turn in around], axis=0) | np.all([turn < -least for turn in around], axis=0)
    return np.asarray(apart & same)


def _straddles(corners: Floats, which: Integers, others: Floats, of_those: Integers) -> Booleans:
    """Whether the other triangle of each pair has corners on both sides of the plane of the first."""
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    out = np.einsum("ij,ij->i", normals, corners[:, 0])
    size = np.linalg.norm(normals, axis=1)
    extent = np.maximum(np.abs(corners).max(initial=0.0), np.abs(others).max(initial=0.0))
    sides = np.einsum("ij,ikj->ik", normals[which], others[of_those]) - out[which, None]
    least = 1e-12 * extent * size[which]
    return np.asarray((sides.max(axis=1) > least) & (sides.min(axis=1) < -least))


def _volume(a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """Six times the signed volume of tetrahedra: (n,)."""
    return np.asarray(np.einsum("ij,ij->i", np.cross(b - a, c - a), d - a))
